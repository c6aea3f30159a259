"""A person to be filled in."""

from datetime import date

from msgspec.structs import replace
from PySide6.QtCore import Signal
from PySide6.QtWidgets import QFormLayout, QLineEdit, QPlainTextEdit, QVBoxLayout, QWidget

from nebbet.core import addresses
from nebbet.core.errors import NebbetError
from nebbet.core.records import Contact
from nebbet.core.records.kinds import Kind
from nebbet.core.sentences import said
from nebbet.desktop.kit import pieces
from nebbet.desktop.kit.member_form import LANGUAGES
from nebbet.desktop.kit.still import StillCombo
from nebbet.desktop.people.fields_form import FieldsForm

_TEXTS = {
    "title": said("Title"),
    "first_name": said("First name"),
    "last_name": said("Last name"),
    "email": said("Mail address"),
    "phone": said("Telephone"),
    "organisation": said("Organisation"),
    "household": said("Household"),
    "greeting": said("Greeting"),
}
_LONG = {
    "addresses": (said("Further addresses"), 40),
    "postal": (said("Postal address"), 72),
    "notes": (said("Notes"), 72),
}
_OWN = "own/"  # begins what was typed into a field of the team's own
Typed = dict[str, str]


class PersonForm(QWidget):
    """Edits a person. edited tells that somebody types."""

    edited = Signal()

    def __init__(self) -> None:
        super().__init__()
        self._shown = Contact("")
        self._kind: Kind | None = None
        self.lines = {name: QLineEdit() for name in _TEXTS}
        self.texts = {name: QPlainTextEdit() for name in _LONG}
        self.language = StillCombo()
        self.own = FieldsForm()
        self._form = QFormLayout()
        self._form.setVerticalSpacing(6)
        self._lay_out()

    def _lay_out(self) -> None:
        for name, words in _TEXTS.items():
            pieces.captioned(self._form, words, self.lines[name]).setFixedWidth(110)
            self.lines[name].textEdited.connect(self.edited)
        self.lines["greeting"].setPlaceholderText(said("only where it is another than usual"))
        self.lines["household"].setPlaceholderText(said("a word that those of one home share"))
        self.language.addItem(said("not known"), "")
        for code, title in LANGUAGES.items():
            self.language.addItem(title, code)
        self.language.currentIndexChanged.connect(lambda _index: self.edited.emit())
        pieces.captioned(self._form, said("Language"), self.language)
        for name, (words, height) in _LONG.items():
            field = self.texts[name]
            field.setTabChangesFocus(True)
            field.setFixedHeight(height)
            field.textChanged.connect(self.edited)
            pieces.captioned(self._form, words, field)
        self.texts["addresses"].setPlaceholderText(said("one on each line"))
        self.own.edited.connect(self.edited)
        pieces.fill(QVBoxLayout(self), self._form, pieces.rule(), self.own, None)

    def use_kind(self, kind: Kind | None) -> None:
        """The fields that people have, as a lead set them."""
        self._kind = kind

    def show_person(self, record: object) -> None:
        """Take up a person, or a new one."""
        self._shown = contact = record if isinstance(record, Contact) else Contact("")
        self.own.show_fields(self._kind, contact.more)
        self.write(
            {name: str(getattr(contact, name)) for name in _TEXTS}
            | {
                "language": contact.language,
                "addresses": "\n".join(contact.addresses),
                "postal": "\n\n".join(contact.postal),
                "notes": contact.notes,
            }
            | {f"{_OWN}{name}": text for name, text in self.own.typed().items()}
        )

    def write(self, typed: Typed) -> None:
        """Put into the fields what was typed."""
        for name, line in self.lines.items():
            line.setText(typed.get(name, ""))
            line.setCursorPosition(0)
        code = typed.get("language", "")
        if self.language.findData(code) < 0:
            self.language.addItem(code, code)
        self.language.setCurrentIndex(self.language.findData(code))
        for name, field in self.texts.items():
            field.setPlainText(typed.get(name, ""))
        own = {k.removeprefix(_OWN): text for k, text in typed.items() if k.startswith(_OWN)}
        self.own.write(own)

    def typed(self) -> Typed:
        """What stands in the fields."""
        return (
            {name: line.text() for name, line in self.lines.items()}
            | {name: field.toPlainText() for name, field in self.texts.items()}
            | {"language": str(self.language.currentData() or "")}
            | {f"{_OWN}{name}": text for name, text in self.own.typed().items()}
        )

    def person(self, today: date) -> Contact:
        """The person as they stand in the form. Raises NebbetError, and goes to the field, where
        one makes no sense."""
        lines = {name: line.text().strip() for name, line in self.lines.items()}
        further = [
            self._address(text, self.texts["addresses"])
            for text in filter(None, map(str.strip, self._lines_of("addresses")))
        ]
        lines["email"] = self._address(lines["email"], self.lines["email"])
        if not lines["email"] and further:
            lines["email"] = further.pop(0)
        postal = (part.strip() for part in self.texts["postal"].toPlainText().split("\n\n"))
        made = replace(
            self._shown,
            **lines,
            language=str(self.language.currentData() or ""),
            addresses=tuple(one for one in dict.fromkeys(further) if one != lines["email"]),
            postal=tuple(filter(None, postal)),
            notes=self.texts["notes"].toPlainText().strip(),
            more=self.own.values(today),
        )
        if not made.name and not made.email:
            self.lines["last_name"].setFocus()
            raise NebbetError(said("Not kept yet: somebody needs a name or a mail address"))
        return made

    def _lines_of(self, name: str) -> list[str]:
        return self.texts[name].toPlainText().replace(";", "\n").splitlines()

    def _address(self, text: str, field: QWidget) -> str:
        if not text:
            return ""
        found = addresses.one(text)
        if isinstance(found, addresses.Address):
            return found.spec
        field.setFocus()
        raise NebbetError(
            said("Not kept yet: “{text}” is not a mail address: {reason}", text=found.text,
                 reason=found.reason)
        )  # fmt: skip
