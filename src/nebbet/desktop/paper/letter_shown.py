"""A letter on paper to be read: its lines and its text, with what each value is."""

from collections.abc import Mapping

from PySide6.QtWidgets import QVBoxLayout, QWidget

from nebbet.core import letter as letters
from nebbet.core.body import Frame
from nebbet.core.letter import Letter
from nebbet.core.sentences import said
from nebbet.desktop.kit import pieces, theme
from nebbet.desktop.kit.pictures import Pictures
from nebbet.desktop.paper.fillings import Filling, filling_of
from nebbet.desktop.paper.sheet import Desk, Sheet
from nebbet.desktop.paper.slot_edit import SlotEdit
from nebbet.library.catalogue import Catalogue
from nebbet.library.writing import Writer, examine

_LINES = {
    "mailbox": "From", "reply_to": "Reply-To", "to": "Also to", "cc": "Cc", "bcc": "Bcc",
    "subject": "Subject",
}  # fmt: skip


class LetterShown(QWidget):
    """Shows one letter; nobody types into it."""

    def __init__(self, pictures: Pictures) -> None:
        super().__init__()
        self.lines = {part: SlotEdit(single=True) for part in _LINES}
        self.to = pieces.label()
        self.body = SlotEdit(pictures)
        theme.named(self.body, "Body of the letter")
        rows: list[tuple[str, QWidget]] = [("To", self.to)]
        for part, name in _LINES.items():
            theme.named(self.lines[part], name)
            self.lines[part].setReadOnly(True)
            rows.append((name, self.lines[part]))
        self.body.setReadOnly(True)
        self.sheet = Sheet(rows, self.body)
        self.to.setPalette(theme.paper_palette())
        pieces.fill(QVBoxLayout(self), Desk(self.sheet), spacing=0)

    def show_worked_out(self, catalogue: Catalogue, letter: Letter, writer: Writer) -> None:
        """Show a letter as it is for a writer now."""
        worked = examine(catalogue, letter, writer)
        values = {
            key: filling_of(one, letter.language)
            for key, one in letters.by_place(worked.letter, worked.particulars).items()
        }
        frame = catalogue.frame(letter.frame)
        self.show_letter(worked.letter, values, frame, said("nobody"))

    def show_letter(
        self, letter: Letter, values: Mapping[str, Filling], frame: Frame, nobody: str
    ) -> None:
        """Show a letter with its values; nobody is said where it has no recipient."""
        contact = letter.recipient
        self.to.setText(f"{contact.name} <{contact.email}>" if contact else nobody)
        self.sheet.set_frame(frame)
        self.body.show_content(letter.body, dict(values))
        for part, line in self.lines.items():
            line.show_content(getattr(letter, part), dict(values))
            self.sheet.show_row(_LINES[part], bool(getattr(letter, part)))
