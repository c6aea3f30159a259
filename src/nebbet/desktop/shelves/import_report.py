"""What became of files that were imported together, a line each."""

from collections.abc import Callable
from functools import partial
from typing import NamedTuple

from PySide6.QtCore import QRect, Signal

from nebbet.core.sentences import counted
from nebbet.desktop.kit import pieces, theme
from nebbet.desktop.kit.box import Box


class Outcome(NamedTuple):
    """What became of a file: a sentence, and the template that was made of it, or nothing."""

    sentence: str
    template: str = ""


class ImportReport(Box):
    """Lies over the library until it is closed. opened tells the template to go on with."""

    opened = Signal(str)

    def show_outcomes(self, outcomes: list[Outcome]) -> None:
        """Show a line for each file."""
        made = sum(bool(outcome.template) for outcome in outcomes)
        self.title.setText(counted("1 draft was made", "{count} drafts were made", count=made))
        pieces.clear(self.rows)
        for outcome in outcomes:
            words = pieces.label(outcome.sentence, "" if outcome.template else "doubt", wrap=True)
            line = pieces.row(pieces.grow(words))
            if outcome.template:
                go = pieces.button("open", self._opener(outcome.template), "words")
                theme.named(go, f"Open: {outcome.sentence}")
                line.addWidget(go)
            self.rows.addLayout(line)
        width = min(560, self.over.width() - 40)
        height = min(110 + 40 * len(outcomes), self.over.height() - 60)
        self.open_at(QRect((self.over.width() - width) // 2, 30, width, height))

    def _opener(self, template: str) -> Callable[[], None]:
        return partial(self._open, template)

    def _open(self, template: str) -> None:
        self.hide()
        self.opened.emit(template)
