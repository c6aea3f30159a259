"""The steps of a sum as a small table: from which value on, how much."""

from collections.abc import Callable
from functools import partial

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QApplication, QGridLayout, QLineEdit, QVBoxLayout, QWidget

from nebbet.core import inline, sums
from nebbet.core.errors import NebbetError
from nebbet.core.sums import Fixed, Name, Part, Percent, Table
from nebbet.desktop.kit import pieces, theme

_STEPS = "14 → 100%, 3 → 75%, else 0%"


class StepTable(QWidget):
    """Edits the first table of steps in a sum. changed tells the sum's new text.

    Rows that cannot be read yet stay as they are typed, and the sum with them.
    """

    changed = Signal(str)

    def __init__(self, date_names: Callable[[], list[str]]) -> None:
        super().__init__()
        self._date_names = date_names
        self._sum: Part | None = None
        self._table: Table | None = None
        self.by = QLineEdit()
        theme.named(self.by, "Steps by", "What decides on the step: a placeholder, or days between")
        self.by.textEdited.connect(self._edited)
        self._grid = QGridLayout()
        self._grid.setHorizontalSpacing(4)
        self._grid.setVerticalSpacing(2)
        self.rows: list[tuple[QLineEdit, QLineEdit]] = []
        self._drops: list[QWidget] = []
        self.otherwise = QLineEdit()
        theme.named(self.otherwise, "Otherwise")
        self.otherwise.textEdited.connect(self._edited)
        self.begin = pieces.button("Add steps to the sum", self._begin, "words")
        self.add = pieces.button("Add a step", self._add, "words")
        self._box = QWidget()
        head = pieces.row(pieces.label("Steps by", "faint"), pieces.grow(self.by))
        foot = pieces.row(pieces.label("otherwise", "faint"), pieces.grow(self.otherwise))
        pieces.fill(QVBoxLayout(self._box), head, self._grid, foot, pieces.row(self.add, None))
        pieces.fill(QVBoxLayout(self), self._box, pieces.row(self.begin, None))

    def show_sum(self, text: str) -> None:
        """Show the table of a sum, if it has one; a sum that cannot be read changes nothing."""
        try:
            part = sums.read(text) if text.strip() else None
        except NebbetError:
            self._box.setVisible(self._table is not None)
            return
        found = sums.tables(part)[:1] if part else []
        table = found[0] if found else None
        self._sum = part
        self.begin.setVisible(table is None)
        self._box.setVisible(table is not None)
        if table is not None and (self._table is None or not self._is_edited()):
            self._show(table)
        self._table = table

    def _is_edited(self) -> bool:
        """Whether somebody is at these fields: what they type is not to be rewritten."""
        focus = QApplication.focusWidget()
        return focus is not None and self._box.isAncestorOf(focus)

    def _show(self, table: Table) -> None:
        self.by.setText(sums.wording(table.by))
        self.otherwise.setText(sums.wording(table.otherwise))
        pieces.clear(self._grid)
        self.rows, self._drops = [], []
        for index, (limit, gives) in enumerate(table.rows):
            self._show_row(index, sums.wording(limit), sums.wording(gives))

    def _show_row(self, index: int, limit: str, gives: str) -> None:
        fields = (QLineEdit(limit), QLineEdit(gives))
        for field, name in zip(fields, ("from", "gives"), strict=True):
            theme.named(field, f"Step {index + 1} {name}")
            field.textEdited.connect(self._edited)
        drop = pieces.tool("x", f"Take step {index + 1} out", partial(self._drop, fields))
        row = self._grid.rowCount()
        for column, piece in enumerate(
            (pieces.label("from", "faint"), fields[0], pieces.label("→"), fields[1], drop)
        ):
            self._grid.addWidget(piece, row, column)
        self.rows.append(fields)
        self._drops.append(drop)
        both = zip(self.rows, self._drops, strict=True)
        rows = (piece for pair, last in both for piece in (*pair, last))
        pieces.tab_through(self.by, *rows, self.otherwise, self.add)

    def _text(self) -> str:
        rows = [f"{_cell(limit.text())} → {_cell(gives.text())}" for limit, gives in self.rows]
        return f"by {self.by.text()}: {', '.join(rows)}, else {_cell(self.otherwise.text())}"

    def _edited(self, *_args: object) -> None:
        if self._sum is not None and self._table is not None:
            self.changed.emit(sums.with_table(self._sum, self._table, self._text()))

    def _begin(self) -> None:
        """Let the sum, or the whole of what is asked for, go by steps: by the days until a date
        that there is, to begin with."""
        names = self._date_names()
        until = inline.in_braces(names[0]) if names else "today"
        begun = f"by days between today and {until}: {_STEPS}"
        whole = f"({sums.wording(self._sum)}) * {begun}" if self._sum is not None else begun
        try:
            whole = sums.wording(sums.read(whole))
        except NebbetError:
            return
        self.changed.emit(whole)
        self.by.setFocus()
        self.by.selectAll()

    def _add(self) -> None:
        self._show_row(len(self.rows), "0", "0%")
        self._edited()
        first = self.rows[-1][0]
        first.show()
        first.setFocus()
        first.selectAll()

    def _drop(self, fields: tuple[QLineEdit, QLineEdit]) -> None:
        if len(self.rows) == 1:
            return  # a table needs a step
        kept = [(a.text(), b.text()) for a, b in self.rows if (a, b) != fields]
        pieces.clear(self._grid)
        self.rows, self._drops = [], []
        for index, (limit, gives) in enumerate(kept):
            self._show_row(index, limit, gives)
        self._edited()
        self.add.setFocus()


def _cell(text: str) -> str:
    """What stands in a field, in brackets where it is a sum in itself."""
    try:
        part = sums.read(text)
    except NebbetError:
        return text
    return text if isinstance(part, Fixed | Name | Percent) else f"({text})"
