"""What became of files that were imported together, a line each."""

from collections.abc import Callable
from functools import partial
from typing import NamedTuple

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QFrame, QVBoxLayout, QWidget

from nebbet.core.sentences import counted
from nebbet.desktop.kit import pieces, theme


class Outcome(NamedTuple):
    """What became of a file: a sentence, and the template that was made of it, or nothing."""

    sentence: str
    template: str = ""


class ImportReport(QFrame):
    """Lies over the library until it is closed. opened tells the template to go on with."""

    opened = Signal(str)

    def __init__(self, over: QWidget) -> None:
        super().__init__(over)
        self.setObjectName("box")
        self._over = over
        self.title = pieces.label("", "title")
        self._rows = QWidget()
        self._lines = QVBoxLayout(self._rows)
        self.close_button = pieces.button("Close (Esc)", self.hide)
        pieces.fill(
            QVBoxLayout(self),
            self.title,
            pieces.rule(),
            pieces.scrolled(self._rows),
            pieces.row(None, self.close_button),
            margin=18,
            spacing=8,
        )
        self.hide()

    def show_outcomes(self, outcomes: list[Outcome]) -> None:
        """Show a line for each file."""
        made = sum(bool(outcome.template) for outcome in outcomes)
        self.title.setText(counted("1 draft was made", "{count} drafts were made", count=made))
        pieces.clear(self._lines)
        for outcome in outcomes:
            words = pieces.label(outcome.sentence, "" if outcome.template else "doubt", wrap=True)
            line = pieces.row(pieces.grow(words))
            if outcome.template:
                go = pieces.button("open", self._opener(outcome.template), "words")
                theme.named(go, f"Open: {outcome.sentence}")
                line.addWidget(go)
            self._lines.addLayout(line)
        self._lines.addStretch(1)
        width = min(560, self._over.width() - 40)
        height = min(110 + 40 * len(outcomes), self._over.height() - 60)
        self.setGeometry((self._over.width() - width) // 2, 30, width, height)
        self.show()
        self.raise_()
        self.close_button.setFocus()

    def _opener(self, template: str) -> Callable[[], None]:
        return partial(self._open, template)

    def _open(self, template: str) -> None:
        self.hide()
        self.opened.emit(template)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape:
            self.hide()
        else:
            super().keyPressEvent(event)
