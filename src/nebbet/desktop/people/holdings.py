"""The page on all that is held on one person: handed over as one file, or taken out."""

from pathlib import Path

from PySide6.QtWidgets import QFileDialog, QVBoxLayout

from nebbet.core.sentences import counted, said
from nebbet.desktop.kit import pieces
from nebbet.desktop.kit.place import Place
from nebbet.desktop.session.shared_library import SharedLibrary
from nebbet.library.taking_out import Held, held_on, take_out, write_held


class Holdings(Place):
    """What there is of somebody. The person and their right to it are the team's to know."""

    title = "All we hold on this person"
    help = (
        "What the library has on one person: their record, their cases, the letters that went to "
        "them. It can be written into one file of open formats, and, by a lead, taken out for "
        "good. Esc goes back."
    )

    def __init__(self, shared: SharedLibrary) -> None:
        super().__init__()
        self._shared = shared
        self._held: Held | None = None
        self.name = pieces.label("", "title", wrap=True)
        self.told = pieces.label("", wrap=True)
        self.stays = pieces.label("", "note", wrap=True)
        self.write_button = pieces.button(
            said("Write it into a file…"), self.ask_where, "primary", "Ctrl+S"
        )
        self.take_out_button = pieces.button(said("Take it out for good…"), self.take_out)
        self.back = pieces.button(said("Back to people (Esc)"), self.left.emit)
        for label in (self.told, self.stays):
            label.setMaximumWidth(620)
        self.for_leads = (self.take_out_button,)
        pieces.fill(
            QVBoxLayout(self),
            pieces.row(self.back, None),
            self.name,
            pieces.rule(),
            self.told,
            pieces.row(self.write_button, None),
            pieces.label(said("If it is taken out"), "heading"),
            pieces.rule(),
            self.stays,
            pieces.row(self.take_out_button, None),
            None,
            margin=20,
            spacing=12,
        )
        self.add_key("Back to people", "Esc", self.left.emit)
        self.add_key("Write it into a file", "Ctrl+S", self.ask_where)

    def arrive(self) -> None:
        self.write_button.setFocus()

    def open_for(self, key: str) -> None:
        """Show what is held on the person of an id."""
        library = self._shared.library
        self._held = None
        self.name.setText("")
        self._shared.people.ask(lambda _people: held_on(library, key), self._show, asker="held")

    def _show(self, held: Held | None) -> None:
        self._held = held
        if held is None:
            self.left.emit()
            return
        self.name.setText(said("All we hold on {name}", name=held.contact.name or
                               held.contact.email))  # fmt: skip
        cases = len(held.own) + len(held.shared)
        told = [
            said("The record, with all its fields."),
            counted("1 case that they are in.", "{count} cases that they are in.", count=cases),
            counted("1 file of their cases.", "{count} files of their cases.",
                    count=len(held.files)),
            counted("1 letter in the register.", "{count} letters in the register.",
                    count=len(held.letters)),
        ]  # fmt: skip
        self.told.setText("\n".join(told))
        self.stays.setText(
            said(
                "Their record goes, and the cases that only they are in; from other cases their "
                "name goes. The register keeps that a letter went, when, by whom and with which "
                "template, for that is how the team proves what it did; their name, their address "
                "and the subject go. It cannot be undone.\n\n"
                "Not in Nebbet's reach: the messages themselves, in the mailboxes of those who "
                "sent them, and copies on colleagues' computers until these are next connected."
            )
        )

    def ask_where(self) -> None:
        """Choose where the file is to lie."""
        held = self._held
        if held is None:
            return
        stem = "-".join((held.contact.name or held.contact.email).split()) or "person"
        where, _ = QFileDialog.getSaveFileName(
            self, said("Where is the file to lie?"), f"{stem}.zip", "*.zip"
        )
        if where:
            self.write_to(Path(where))

    def write_to(self, path: Path) -> None:
        """Write everything into a file."""
        held, shared = self._held, self._shared
        if held is None:
            return
        names = {key: member.name for key, member in shared.catalogue.members.items()}
        library, now = shared.library, shared.now()
        shared.reads.run(
            lambda: write_held(library, held, path, now, names),
            lambda _done: shared.voice.say(said("{name} is written.", name=path.name)),
            shared.voice.fail,
        )

    def take_out(self) -> None:
        """Take everything out, after asking."""
        held, shared = self._held, self._shared
        if held is None or not shared.leads:
            return
        name = held.contact.name or held.contact.email
        if not shared.voice.ask(
            said("Take {name} out for good?", name=name),
            said("What goes and what stays is said on the page. It cannot be undone."),
            said("Take out"),
        ):
            return
        library = shared.library

        def done(_result: object) -> None:
            shared.voice.say(said("{name} is taken out.", name=name))
            self.left.emit()

        shared.change(lambda: take_out(library, held), done, once="take out")
