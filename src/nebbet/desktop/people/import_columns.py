"""Which column of a table goes into which field, a row for each."""

from collections.abc import Mapping, Sequence
from functools import partial

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QGridLayout, QSizePolicy, QWidget

from nebbet.core.records import field_name, label_of
from nebbet.core.records.matching import LEFT_OUT, NEW, Target
from nebbet.core.records.tables import ReadTable
from nebbet.core.sentences import said
from nebbet.desktop.kit import pieces, theme
from nebbet.desktop.kit.still import StillCombo

_NAME, _BOX = 150, 190  # pixels
_SHOWN, _LONGEST = 3, 60  # cells of a column that are shown, and signs of them


class ImportColumns(QWidget):
    """Shows the headings with what is below them, and lets somebody choose where each goes.
    changed tells that they did."""

    changed = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.boxes: dict[str, StillCombo] = {}
        self._grid = QGridLayout(self)
        self._grid.setContentsMargins(0, 0, 0, 0)
        self._grid.setVerticalSpacing(3)
        self._grid.setColumnStretch(1, 1)

    def show_table(
        self, table: ReadTable, offered: Sequence[Target], matches: Mapping[str, str]
    ) -> None:
        """Show a table's columns with where they go."""
        pieces.clear(self._grid)
        self.boxes.clear()
        for index, heading in enumerate(table.headings):
            box = StillCombo()
            theme.named(box, said("Column {heading} goes into", heading=heading))
            box.addItem(said("left out"), LEFT_OUT)
            box.addItem(said("a field “{name}”", name=label_of(field_name(heading))), NEW)
            for target in offered:
                box.addItem(target.title, target.key)
            box.setCurrentIndex(max(box.findData(matches.get(heading, LEFT_OUT)), 0))
            box.currentIndexChanged.connect(partial(self._chosen, heading))
            self.boxes[heading] = box
            name = pieces.label(heading)
            name.setToolTip(theme.plain_hint(heading))
            cells = [str(cell) for cell, _n in zip(table.column(index), range(_SHOWN),
                                                   strict=False)]  # fmt: skip
            sample = pieces.label(", ".join(cells)[:_LONGEST], "note")
            sample.setMinimumWidth(1)
            sample.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
            name.setMaximumWidth(_NAME)
            box.setFixedWidth(_BOX)
            for column, part in enumerate((name, sample, box)):
                self._grid.addWidget(part, index, column)

        self._grid.setRowStretch(len(table.headings), 1)

    def _chosen(self, heading: str, _index: int) -> None:
        """A field that takes one column is taken from the other that had it."""
        key = self.boxes[heading].currentData()
        if key not in (LEFT_OUT, NEW, "postal", "addresses", "notes", "people"):
            for other, box in self.boxes.items():
                if other != heading and box.currentData() == key:
                    box.blockSignals(True)
                    box.setCurrentIndex(0)
                    box.blockSignals(False)
        self.changed.emit()

    def matches(self) -> dict[str, str]:
        """Where each column goes."""
        return {heading: str(box.currentData()) for heading, box in self.boxes.items()}
