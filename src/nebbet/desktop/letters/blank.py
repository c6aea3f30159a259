"""The place Letters as it is before anything is open in it."""

from collections.abc import Callable

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QHBoxLayout, QLabel, QWidget

from nebbet.core.sentences import said
from nebbet.desktop.kit import pieces
from nebbet.desktop.kit.place import Place

PILE = 220  # pixels: the pile in a wide window


def no_letter_open() -> QLabel:
    """The line that stands in the middle while no letter is open."""
    words = pieces.label(
        said("No letter is open. Ctrl+N begins one; Ctrl+J begins one with a template."), "faint"
    )
    words.setAlignment(Qt.AlignmentFlag.AlignCenter)
    return words


class Blank(Place):
    """Stands in for the place while it is being made; its keys make it at once."""

    title = "Letters"

    def __init__(self, begin: Callable[[], None], pull: Callable[[], None]) -> None:
        super().__init__()
        new = pieces.button("New letter", begin, hint="Ctrl+N")
        left = pieces.column("left", pieces.row(new, None), QWidget(), margin=8)
        left.setFixedWidth(PILE)
        pieces.fill(QHBoxLayout(self), left, pieces.grow(no_letter_open()), spacing=0)
        self.add_key("Pull a template", "Ctrl+J", pull)
