"""The public holidays that a template's date rules count with."""

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QLineEdit, QVBoxLayout, QWidget

from nebbet.core.dates import calendar_for
from nebbet.core.errors import NebbetError
from nebbet.desktop.kit import pieces, theme


class Holidays(QWidget):
    """A field for the code of a calendar; changed tells that somebody typed another one."""

    changed = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.field = QLineEdit()
        theme.named(self.field, "Public holidays")
        self.field.setPlaceholderText("the team's own; or a code: FR, DE-BY")
        self.field.textEdited.connect(self._typed)
        self.note = pieces.label("", "note", wrap=True)
        head = pieces.label("Working days", "heading")
        line = pieces.row(pieces.label("Holidays of", "faint"), pieces.grow(self.field))
        pieces.fill(QVBoxLayout(self), head, pieces.rule(), line, self.note, spacing=3)

    def show_code(self, code: str) -> None:
        """Show a template's own calendar; empty is the team's."""
        self.field.setText(code)
        self.note.clear()

    @property
    def text(self) -> str:
        """What stands in the field."""
        return self.field.text().strip()

    @property
    def code(self) -> str:
        """The calendar to count with: the one that stands here, as long as there is such a one."""
        return "" if _problem(self.text) else self.text

    def _typed(self) -> None:
        self.note.setText(_problem(self.text))
        self.changed.emit()


def _problem(code: str) -> str:
    try:
        calendar_for(code)
    except NebbetError as error:
        return error.sentence
    return ""
