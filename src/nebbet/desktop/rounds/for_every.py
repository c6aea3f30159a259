"""Blanks that no column is for: what is said there holds for every row."""

from collections.abc import Mapping, Sequence

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QGridLayout, QLineEdit, QWidget

from nebbet.core.placeholders import Placeholder
from nebbet.core.records import fold, label_of
from nebbet.core.sentences import said
from nebbet.desktop.kit import pieces, theme

_BESIDE = 3  # fields beside each other


class ForEvery(QWidget):
    """edited tells that somebody types."""

    edited = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.fields: dict[str, QLineEdit] = {}
        self._grid = QGridLayout(self)
        self._grid.setContentsMargins(0, 0, 0, 0)
        self._grid.setVerticalSpacing(4)
        self.hide()

    def show_blanks(self, blanks: Sequence[Placeholder], typed: Mapping[str, str]) -> None:
        """Offer a field for each blank; typed is what was said before. What somebody has typed into
        one that stays is kept."""
        names = [one.name for one in blanks]
        if names == list(self.fields):
            return
        before = {**typed, **self.values()}
        pieces.clear(self._grid)
        self.fields = {}
        for at, blank in enumerate(blanks):
            line = QLineEdit(before.get(blank.name, ""))
            title = blank.label or label_of(blank.name)
            theme.named(line, said("{title}, for every row", title=title))
            line.setPlaceholderText(said("for every row"))
            line.textEdited.connect(lambda _text: self.edited.emit())
            row, column = divmod(at, _BESIDE)
            self._grid.addWidget(pieces.label(title, "faint"), row, 2 * column)
            self._grid.addWidget(line, row, 2 * column + 1)
            self._grid.setColumnStretch(2 * column + 1, 1)
            self.fields[blank.name] = line
        self.setVisible(bool(blanks))

    def values(self) -> dict[str, str]:
        """What is said for every row, by the names of blanks."""
        found = {name: line.text().strip() for name, line in self.fields.items()}
        return {name: text for name, text in found.items() if text}


def without_column(blanks: Sequence[Placeholder], matched: Sequence[str]) -> list[Placeholder]:
    """The blanks that no column is for."""
    known = {fold(name) for name in matched}
    return [one for one in blanks if fold(one.name) not in known]
