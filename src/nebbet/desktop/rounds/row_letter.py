"""The letter of the row at hand: as it will go, and reworded for that row alone when one asks."""

from collections.abc import Callable

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QStackedWidget, QVBoxLayout, QWidget

from nebbet.core.letter import Letter
from nebbet.desktop.kit import pieces
from nebbet.desktop.letters.letter_paper import LetterPaper
from nebbet.desktop.letters.model import LetterModel
from nebbet.desktop.paper.letter_shown import LetterShown
from nebbet.desktop.session.shared_library import SharedLibrary
from nebbet.library.catalogue import Catalogue


class RowLetterView(QWidget):
    """edited tells the letter as it is written now, with what is found in it. catalogue gives what
    it is worked out with."""

    edited = Signal(object, tuple)

    def __init__(self, shared: SharedLibrary, catalogue: Callable[[], Catalogue]) -> None:
        super().__init__()
        self._shared, self._catalogue = shared, catalogue
        self._letter: Letter | None = None
        self._stack = QStackedWidget()
        self.shown = LetterShown(shared.pictures)
        self.model = LetterModel(shared, self, catalogue)
        self._paper: LetterPaper | None = None
        self._stack.addWidget(self.shown)
        pieces.fill(QVBoxLayout(self), self._stack)

    @property
    def paper(self) -> LetterPaper:
        """Where the letter is reworded; made when it is first needed."""
        if self._paper is None:
            self._paper = LetterPaper(self._shared, self.model)
            self._stack.addWidget(self._paper)
        return self._paper

    @property
    def is_edited(self) -> bool:
        """Whether the letter is being reworded."""
        return self._stack.currentWidget() is not self.shown

    def keep(self, letter: Letter) -> None:
        """Take a letter as it is written."""
        self._letter = letter
        self.edited.emit(letter, self.model.findings)

    def show_letter(self, letter: Letter) -> None:
        """Show the letter of a row, to be read."""
        self.read()
        self._letter = letter
        self.shown.show_worked_out(self._catalogue(), letter, self._shared.writer())

    def edit(self) -> None:
        """Let the letter at hand be reworded."""
        if self._letter is not None and not self.is_edited:
            paper = self.paper
            self.model.show(self._letter)
            self._stack.setCurrentWidget(paper)
            paper.go_on()

    def read(self) -> None:
        """Show the letter to be read again."""
        if self.is_edited:
            self.model.show(None)
            self._stack.setCurrentWidget(self.shown)
            if self._letter is not None:
                self.show_letter(self._letter)
