"""The rows of the register, and what is said of letters."""

from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QTableWidget

from nebbet.core.sentences import counted, said
from nebbet.desktop.kit import pieces
from nebbet.library.remarks import CameBack

COLUMNS = ("Sent", "To", "Case", "Template", "Subject", "From")


class LettersTable(QTableWidget):
    """The rows of the register; a narrow one leaves out what the message itself shows."""

    def __init__(self) -> None:
        super().__init__(0, len(COLUMNS))
        self.setHorizontalHeaderLabels(list(COLUMNS))
        pieces.dress_table(self, "Register", (144, 124, 84, 150, 190), wide=4)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        for column, needed in ((3, 640), (5, 720)):
            self.setColumnHidden(column, event.size().width() < needed)


def came_back(back: CameBack) -> str:
    """When and why a letter came back."""
    day = f"{back.at.astimezone():%d %b %Y}"
    told = said("Came back on {day}: {address} was not reached: {why}.",
                day=day, address=back.address, why=back.why)  # fmt: skip
    words = said("Their server said: {words}", words=back.words)
    return f"{told}\n{words}" if back.words else told


def count_of(found: int, of: int) -> str:
    """How many letters are shown, of how many."""
    if found != of:
        return said("{found} of {of} letters", found=f"{found:,}", of=f"{of:,}")
    return counted("1 letter", "{shown} letters", count=of, shown=f"{of:,}")
