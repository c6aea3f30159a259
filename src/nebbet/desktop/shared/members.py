"""The page of members: who writes letters here, and what templates can say of them."""

from msgspec.structs import replace
from PySide6.QtCore import Signal
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from nebbet.core.body import read, render_plain
from nebbet.core.errors import NebbetError
from nebbet.core.letter.signature import signature_of
from nebbet.core.records import Member
from nebbet.desktop.kit import pieces
from nebbet.desktop.kit.member_form import LANGUAGES, MemberForm
from nebbet.desktop.kit.picker import Choice, ChoiceList
from nebbet.desktop.kit.place import Place
from nebbet.desktop.session.shared_library import SharedLibrary


class Members(Place):
    """The list of members and the one at hand. left tells that the person goes back; signature
    that they want to write their own."""

    title = "Members"
    help = (
        "Who writes letters with this library. What stands here is what templates say as "
        "{{sender.name}}, {{sender.phone}} and so on; lines of one's own become fields, too. On a "
        "server the rights themselves are given with nebbet library members. Ctrl+S keeps the "
        "member at hand, Esc goes back to the shelves."
    )
    left = Signal()
    signature = Signal()

    def __init__(self, shared: SharedLibrary) -> None:
        super().__init__()
        self._shared = shared
        self._wanted = ""
        self.list = ChoiceList("Members")
        self.form = MemberForm("The member at hand", with_role=True)
        self.signed = pieces.label("", "note", wrap=True)
        self.sent = pieces.label("", "note", wrap=True)
        self.save_button = pieces.button("Keep the member", self.save, "primary", "Ctrl+S")
        self.write_button = pieces.button("Write my signature…", self.signature.emit)
        self.add = pieces.button("New member", self.begin, "words", "Ctrl+Alt+A")
        self.back = pieces.button("Back to the shelves (Esc)", self.left.emit)
        self.for_leads = (self.save_button, self.add)
        self._lay_out()
        self.list.currentItemChanged.connect(lambda *_: self._show())
        self.add_key("Back to the shelves", "Esc", self.left.emit)
        self.add_key("Keep the member", "Ctrl+S", self.save)
        self.add_key("New member", "Ctrl+Alt+A", self.begin)

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
            margin=20,
        )
        right.layout().addStretch(1)  # type: ignore[union-attr]
        right.setFixedWidth(340)
        pieces.fill(QHBoxLayout(self), left, pieces.grow(middle), right, spacing=0)

    def refresh(self) -> None:
        """Show the members as they are now; what somebody is typing stays."""
        shared = self._shared
        choices = [
            Choice(
                member.id,
                member.name or member.email,
                ", ".join(filter(None, (member.job, member.email))),
                "you" if member.id == shared.my_id else member.role,
            )
            for member in sorted(shared.catalogue.members.values(), key=lambda m: m.name)
        ]
        typing = self.form.is_unsaved and bool(self.form.fields["email"].text())
        self.list.show_choices(choices, self._wanted or self.list.key or shared.my_id)
        if self.list.currentRow() < 0 and not typing:
            self.list.choose_first()
        if not typing or self._wanted:
            self._show()
        self._wanted = ""

    @property
    def at(self) -> Member | None:
        """The member at hand."""
        return self._shared.catalogue.members.get(self.list.key)

    def _show(self) -> None:
        member, shared = self.at, self._shared
        self.form.show_member(member)
        own = bool(member and member.id == shared.my_id)
        self.write_button.setVisible(own)
        texts = signature_of(member).texts
        said = [
            f"{LANGUAGES.get(code, code)}\n{render_plain(read(text.body)).strip()}"
            for code, text in texts.items()
        ]
        none = "" if member and member.signatures else "None of their own; templates say:\n\n"
        self.signed.setText(none + "\n\n".join(said))
        count = sum(entry.sender == self.list.key for entry in shared.entries)
        self.sent.setText(f"{count} in the register." if count else "None in the register.")

    def begin(self) -> None:
        """Start a new member."""
        self.list.setCurrentRow(-1)
        self._show()
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
            member = replace(member, id=_free_id(member, shared.catalogue.members.keys()))
        self._wanted = member.id
        library = shared.library
        shared.change(
            lambda: library.put(member),
            lambda _done: shared.voice.say(f"{member.name} is kept."),
        )


def _free_id(member: Member, taken: object) -> str:
    """An id for a new member, after the name in the address."""
    stem = member.email.partition("@")[0][:48] or "member"
    made, number = stem, 2
    while made in taken:  # type: ignore[operator]
        made, number = f"{stem}-{number}", number + 1
    return made
