"""The page of members: who writes letters here, and what templates can say of them."""

from collections.abc import Container

from msgspec.structs import replace
from PySide6.QtCore import Signal
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from nebbet.core.body import read, render_plain
from nebbet.core.errors import NebbetError
from nebbet.core.letter.signature import signature_of
from nebbet.core.records import Member
from nebbet.core.sentences import said
from nebbet.desktop.kit import pieces
from nebbet.desktop.kit.member_form import LANGUAGES, MemberForm
from nebbet.desktop.kit.picker import Choice
from nebbet.desktop.session.shared_library import SharedLibrary
from nebbet.desktop.shared.list_page import ListPage
from nebbet.desktop.shared.login_box import LoginBox
from nebbet.desktop.shared.unsaved import Form
from nebbet.library.register import count_by

Typed = dict[str, str]


class Members(ListPage[Typed]):
    """The list of members and the one at hand. signature tells that somebody wants to write their
    own."""

    title = "Members"
    help = (
        "Who writes letters with this library. What stands here is what templates say as "
        "{{sender.name}}, {{sender.phone}} and so on; lines of one's own become fields, too. On a "
        "server a lead lets people in here, and lets those go who have left the team. Ctrl+S keeps "
        "the member at hand, Esc goes back to the shelves."
    )
    kinds = ("member", "register")
    signature = Signal()

    def __init__(self, shared: SharedLibrary) -> None:
        self.form = MemberForm("The member at hand", with_role=True)
        form = Form("member", Typed, self._show_member, self.form.write, self.form.typed)
        super().__init__(shared, "Members", form, Member)
        self._wanted = shared.my_id
        self.signed = pieces.label("", "note", wrap=True)
        self.sent = pieces.label("", "note", wrap=True)
        self.save_button = pieces.button("Keep the member", self.save, "primary", "Ctrl+S")
        self.write_button = pieces.button("Write my signature…", self.signature.emit)
        self.add = pieces.button("New member", self._new, "words", "Ctrl+Alt+A")
        self.for_leads = (self.save_button, self.add)
        self.typed_into = (self.form,)
        self.login = LoginBox(shared)
        self._lay_out()
        self.form.edited.connect(self.unsaved.edited)
        self.add_key("Back to the shelves", "Esc", self.leave)
        self.add_key("Keep the member", "Ctrl+S", self.save)
        self.add_key("New member", "Ctrl+Alt+A", self._new)

    def _lay_out(self) -> None:
        left = pieces.column(
            "left", pieces.row(self.back, None), self.list, pieces.row(self.add, None), margin=8
        )
        left.setFixedWidth(300)
        middle = QWidget()
        buttons = pieces.row(self.save_button, None)
        pieces.fill(QVBoxLayout(middle), self.form, buttons, None, margin=20, spacing=12)
        self.form.setMaximumWidth(520)
        right = pieces.column(
            "right",
            pieces.label("Signature", "heading"),
            pieces.rule(),
            self.signed,
            pieces.row(self.write_button, None),
            pieces.label("Letters", "heading"),
            pieces.rule(),
            self.sent,
            self.login,
            margin=20,
        )
        right.layout().addStretch(1)  # type: ignore[union-attr]
        right.setFixedWidth(340)
        pieces.fill(QHBoxLayout(self), left, pieces.grow(middle), right, spacing=0)

    def _show_member(self, member: object) -> None:
        self.form.show_member(member if isinstance(member, Member) else None)

    def choices(self) -> list[Choice]:
        shared = self._shared
        return [
            Choice(
                member.id,
                member.name or member.email,
                ", ".join(filter(None, (member.job, member.email))),
                self._aside(member),
            )
            for member in sorted(shared.catalogue.members.values(), key=lambda m: m.name)
        ]

    def _aside(self, member: Member) -> str:
        if self.unsaved.has_draft(member.id):
            return "draft"
        if member.left:
            return said("left the team")
        return "you" if member.id == self._shared.my_id else member.role

    def record(self, key: str) -> Member | None:
        return self._shared.catalogue.members.get(key)

    def shown(self) -> None:
        member, shared = self.record(self.unsaved.key or ""), self._shared
        self.login.show_member(member)
        self.write_button.setVisible(bool(member and member.id == shared.my_id))
        texts = signature_of(member).texts
        written = [
            f"{LANGUAGES.get(code, code)}\n{render_plain(read(text.body)).strip()}"
            for code, text in texts.items()
        ]
        none = "" if member and member.signatures else "None of their own; templates say:\n\n"
        self.signed.setText(none + "\n\n".join(written))
        self.sent.setText("")
        key = self.unsaved.key
        if key and shared.is_open:
            library = shared.library

            def show(counts: dict[str, int]) -> None:
                if self.unsaved.key == key:
                    self.sent.setText(_in_register(counts.get(key, 0)))

            def count() -> dict[str, int]:
                return count_by(library.register_engine, "sender", sender=key)

            shared.reads.run(count, show, lambda _error: None)

    def _new(self) -> None:
        self.begin()
        self.form.fields["first_name"].setFocus()

    def save(self) -> None:
        """Keep the member at hand."""
        shared = self._shared
        try:
            member = self.form.member()
        except NebbetError as error:
            shared.voice.say(error.sentence)
            return
        if not member.id:
            member = replace(member, id=_free_id(member, shared.catalogue.members))
        words = said("{name} is kept.", name=member.name)
        self.put(member.id, member, self.login.keeping(member), words)


def _in_register(count: int) -> str:
    if not count:
        return said("None in the register.")
    return said("{count} in the register.", count=count)


def _free_id(member: Member, taken: Container[str]) -> str:
    """An id for a new member, after the name in the address."""
    stem = member.email.partition("@")[0][:48] or "member"
    made, number = stem, 2
    while made in taken:
        made, number = f"{stem}-{number}", number + 1
    return made
