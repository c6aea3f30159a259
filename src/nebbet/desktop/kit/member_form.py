"""A form for somebody of the team: name, address, what letters say of them."""

from msgspec.structs import replace
from PySide6.QtCore import Signal
from PySide6.QtWidgets import (
    QFormLayout,
    QLineEdit,
    QPlainTextEdit,
    QVBoxLayout,
    QWidget,
)

from nebbet.core import addresses
from nebbet.core.errors import NebbetError
from nebbet.core.records import Member
from nebbet.core.sentences import said
from nebbet.desktop.kit import pieces
from nebbet.desktop.kit.still import StillCombo

LANGUAGES = {
    "en_GB": "English",
    "fr": "French",
    "de": "German",
    "nb": "Norwegian",
    "pl": "Polish",
    "es": "Spanish",
    "it": "Italian",
    "nl": "Dutch",
    "sv": "Swedish",
    "da": "Danish",
}
_TEXTS = {
    "first_name": "First name",
    "last_name": "Last name",
    "email": "Mail address",
    "job": "Job",
    "phone": "Telephone",
}
_PROMPT = "desk: second floor\nis said as {{sender.desk}};\none field on each line"


class MemberForm(QWidget):
    """Edits a member; with a role only where somebody else decides on it. edited tells that
    somebody types."""

    edited = Signal()

    def __init__(self, title: str, *, with_role: bool) -> None:
        super().__init__()
        self._shown = Member("", "", "", "")
        self.fields = {name: QLineEdit() for name in _TEXTS}
        self.language, self.role = StillCombo(), StillCombo()
        for code, name in LANGUAGES.items():
            self.language.addItem(name, code)
        for role in ("colleague", "lead"):
            self.role.addItem(role, role)
        self.mailboxes = QLineEdit()
        self.mailboxes.setPlaceholderText(said("claims@…, with commas between; none but their own"))
        self.more = QPlainTextEdit()
        self.more.setPlaceholderText(_PROMPT)
        self.more.setTabChangesFocus(True)
        self.more.setFixedHeight(84)
        self.form = QFormLayout()
        self.form.setVerticalSpacing(6)
        rows: list[tuple[str, QWidget]] = [
            *((words, self.fields[name]) for name, words in _TEXTS.items()),
            ("Language", self.language),
            *([("Role", self.role), (said("Team mailboxes"), self.mailboxes)] if with_role else []),
            ("More fields", self.more),
        ]
        for words, field in rows:
            field.setMinimumWidth(240)
            pieces.captioned(self.form, words, field)
        for line in (*self.fields.values(), self.mailboxes):
            line.textEdited.connect(self.edited)
        for box in (self.language, self.role):
            box.currentIndexChanged.connect(self.edited)
        self.more.textChanged.connect(self.edited)
        head = pieces.label(title, "heading")
        pieces.fill(QVBoxLayout(self), head, pieces.rule(), self.form, None)

    def show_member(self, member: Member | None) -> None:
        """Take up a member, or a new one."""
        self._shown = member or Member("", "", "", "")
        lines = (f"{name}: {value}" for name, value in self._shown.more.items())
        texts = {name: str(getattr(self._shown, name)) for name in self.fields}
        self.write(
            texts
            | {
                "language": self._shown.language,
                "role": self._shown.role,
                "mailboxes": ", ".join(self._shown.mailboxes),
                "more": "\n".join(lines),
            }
        )

    def write(self, typed: dict[str, str]) -> None:
        """Put into the fields what was typed."""
        for name, field in self.fields.items():
            field.setText(typed.get(name, ""))
        self.language.setCurrentIndex(max(self.language.findData(typed.get("language")), 0))
        self.role.setCurrentIndex(max(self.role.findData(typed.get("role")), 0))
        self.mailboxes.setText(typed.get("mailboxes", ""))
        self.more.setPlainText(typed.get("more", ""))

    def typed(self) -> dict[str, str]:
        """What stands in the fields."""
        return {name: field.text() for name, field in self.fields.items()} | {
            "language": str(self.language.currentData()),
            "role": str(self.role.currentData()),
            "mailboxes": self.mailboxes.text(),
            "more": self.more.toPlainText(),
        }

    def member(self) -> Member:
        """The member as they stand in the form. Raises NebbetError, and goes to the field, where
        one makes no sense."""
        texts = {name: field.text().strip() for name, field in self.fields.items()}
        found = addresses.one(texts["email"])
        if not isinstance(found, addresses.Address):
            self.fields["email"].setFocus()
            raise NebbetError(f"Not kept yet: “{found.text}” is not a mail address: {found.reason}")
        if not texts["first_name"] and not texts["last_name"]:
            self.fields["first_name"].setFocus()
            raise NebbetError("Not kept yet: somebody without a name cannot sign")
        return replace(
            self._shown,
            language=str(self.language.currentData()),
            role=str(self.role.currentData()),
            mailboxes=self._team_mailboxes(),
            more=self._free_fields(),
            **texts,
        )

    def _team_mailboxes(self) -> tuple[str, ...]:
        found, problems = addresses.read(self.mailboxes.text())
        if problems:
            self.mailboxes.setFocus()
            raise NebbetError(
                said("Not kept yet: “{text}” is not a mail address: {reason}",
                     text=problems[0].text, reason=problems[0].reason)
            )  # fmt: skip
        return tuple(one.spec for one in found)

    def _free_fields(self) -> dict[str, object]:
        found: dict[str, object] = {}
        for line in filter(None, map(str.strip, self.more.toPlainText().splitlines())):
            name, colon, value = line.partition(":")
            if not colon or not name.strip() or not value.strip():
                self.more.setFocus()
                raise NebbetError(f"Not kept yet: “{line}” is no field: write it as desk: 2")
            found["_".join(name.split())] = value.strip()
        return found
