"""The table of a round: each row with where it stands, and above the headings what each column is
for."""

from collections.abc import Mapping, Sequence

from PySide6.QtCore import (
    QAbstractTableModel,
    QModelIndex,
    QPersistentModelIndex,
    QSize,
    Qt,
    Signal,
)
from PySide6.QtGui import QColor, QKeyEvent, QResizeEvent
from PySide6.QtWidgets import QHeaderView, QTableView, QWidget

from nebbet.core.records.tables import ReadTable, TableRow
from nebbet.core.rounds import ROLES, key_of
from nebbet.core.rounds.matching import UNUSED, VALUE, role_title
from nebbet.core.sentences import said
from nebbet.desktop.kit import pieces, theme
from nebbet.desktop.kit.still import StillCombo
from nebbet.library.rounds import RowLetter

Index = QModelIndex | QPersistentModelIndex
FIRST = (said("Row"), said("State"), said("Found"))
OUT = "left out"
STATES: dict[str, tuple[str, str]] = {
    "looking": (said("…"), "faint"),
    "ready": (said("ready"), "spruce"),
    "doubtful": (said("doubtful"), "ochre_edge"),
    "stopped": (said("stopped"), "brick"),
    OUT: (said("left out"), "faint"),
    "held": (said("held"), "ochre_edge"),
    "waiting": (said("waits"), "slate"),
    "refused": (said("refused"), "brick"),
    "unsure": (said("may have gone"), "brick"),
    "gone": (said("gone"), "spruce"),
    "answered": (said("answered"), "slate"),
    "came back": (said("came back"), "brick"),
}
_WIDE, _BOX = 140, 26  # pixels of a column, of what it is for


class RowsModel(QAbstractTableModel):
    """The rows that are shown; what was found in each comes later. ticked tells that rows were
    taken out of the round, or back into it."""

    ticked = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.out: set[int] = set()  # the numbers of rows that were taken out by hand
        self.reworded: set[int] = set()  # those whose letter was edited for them alone
        self.table: ReadTable | None = None
        self.rows: list[TableRow] = []
        self.found: dict[int, RowLetter] = {}
        self.states: Mapping[str, str] = {}  # of rows that were started, by their keys

    def show_rows(self, table: ReadTable | None, rows: Sequence[TableRow]) -> None:
        """Show some rows of a table."""
        self.beginResetModel()
        self.table, self.rows = table, list(rows)
        self.endResetModel()

    def renew(self) -> None:
        """What was found, or where rows stand, is another one."""
        if self.rows:
            last = self.index(len(self.rows) - 1, len(FIRST) - 1)
            self.dataChanged.emit(self.index(0, 0), last)

    def state(self, row: TableRow) -> str:
        """Where a row stands: by what became of it, else by what was found."""
        if started := self.states.get(key_of(row.number)):
            return started
        if row.number in self.out:
            return OUT
        found = self.found.get(row.number)
        return found.state if found else "looking"

    def flags(self, index: Index) -> Qt.ItemFlag:
        """The row's number has a tick."""
        found = super().flags(index)
        return found | Qt.ItemFlag.ItemIsUserCheckable if index.column() == 0 else found

    def setData(self, index: Index, value: object, role: int = Qt.ItemDataRole.EditRole) -> bool:
        """Take a row out of the round, or back into it."""
        if role != Qt.ItemDataRole.CheckStateRole or not index.isValid():
            return False
        self.tick([self.rows[index.row()]], Qt.CheckState(value) == Qt.CheckState.Checked)
        return True

    def tick(self, rows: Sequence[TableRow], is_in: bool) -> None:
        """Take rows out of the round, or back into it."""
        numbers = {row.number for row in rows}
        self.out = self.out - numbers if is_in else self.out | numbers
        self.renew()
        self.ticked.emit()

    def rowCount(self, parent: Index | None = None) -> int:
        return 0 if parent is not None and parent.isValid() else len(self.rows)

    def columnCount(self, _parent: Index | None = None) -> int:
        return len(FIRST) + (len(self.table.headings) if self.table else 0)

    def headerData(
        self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole
    ) -> object:
        if role != Qt.ItemDataRole.DisplayRole or orientation != Qt.Orientation.Horizontal:
            return None
        if section < len(FIRST):
            return FIRST[section]
        return self.table.headings[section - len(FIRST)] if self.table else None

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        row, column = self.rows[index.row()], index.column()
        words, tone = STATES[self.state(row)]
        if role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.ToolTipRole):
            text = self._text(row, column, words)
            return theme.plain_hint(text) if role == Qt.ItemDataRole.ToolTipRole else text
        if role == Qt.ItemDataRole.CheckStateRole and column == 0:
            return Qt.CheckState.Unchecked if row.number in self.out else Qt.CheckState.Checked
        if role == Qt.ItemDataRole.ForegroundRole and row.number in self.out:
            return QColor(theme.tokens().faint)
        if role == Qt.ItemDataRole.ForegroundRole and column == 1:
            return QColor(getattr(theme.tokens(), tone))
        return None

    def _text(self, row: TableRow, column: int, words: str) -> str:
        if column == 0:
            return str(row.number)
        if column == 1:
            return words
        if column == 2:
            found = self.found.get(row.number)
            told = [one.sentence for one in found.findings] if found else []
            if row.number in self.reworded:
                told.insert(0, said("Reworded for this row."))
            return " · ".join(told)
        return str(row.cells[column - len(FIRST)])


class MatchHeader(QHeaderView):
    """The headings with a list above each of what its column can be for. chosen tells that somebody
    chose."""

    chosen = Signal()

    def __init__(self, parent: QWidget) -> None:
        super().__init__(Qt.Orientation.Horizontal, parent)
        self.boxes: dict[str, StillCombo] = {}
        self.setSectionsClickable(False)
        self.sectionResized.connect(lambda *_: self._place())

    def show_matches(
        self,
        table: ReadTable,
        names: Sequence[str],
        roles: Mapping[str, str],
    ) -> None:
        """Show what the columns are for. names are the placeholders of the template."""
        for box in self.boxes.values():
            box.deleteLater()
        self.boxes = {}
        offered = [UNUSED, *ROLES, *(VALUE + name for name in names)]
        for heading in table.headings:
            box = StillCombo()
            box.setParent(self.viewport())
            theme.named(box, said("What the column {heading} is for", heading=heading))
            role = roles.get(heading, UNUSED)
            for one in offered if role in offered else [*offered, role]:
                box.addItem(role_title(one), one)
            box.setCurrentIndex(max(box.findData(role), 0))
            box.currentIndexChanged.connect(lambda _index: self.chosen.emit())
            box.show()
            self.boxes[heading] = box
        self._place()

    def fix(self, fixed: bool) -> None:
        """Let what the columns are for stay as it is, or be chosen."""
        for box in self.boxes.values():
            box.setEnabled(not fixed)

    def roles(self) -> dict[str, str]:
        """What each column is for, as it stands there."""
        return {heading: str(box.currentData()) for heading, box in self.boxes.items()}

    def sizeHint(self) -> QSize:
        plain = super().sizeHint()
        return QSize(plain.width(), plain.height() + (_BOX + 4 if self.boxes else 0))

    def updateGeometries(self) -> None:
        super().updateGeometries()
        self._place()

    def setOffset(self, offset: int) -> None:
        super().setOffset(offset)
        self._place()

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._place()

    def _place(self) -> None:
        for at, box in enumerate(self.boxes.values(), len(FIRST)):
            left = self.sectionViewportPosition(at)
            box.setGeometry(left + 2, 2, max(self.sectionSize(at) - 4, 0), _BOX)


class RowsTable(QTableView):
    """The table itself. at_hand tells the row that somebody went to."""

    at_hand = Signal(object)

    def __init__(self) -> None:
        super().__init__()
        self.rows = RowsModel()
        self.setModel(self.rows)
        self.head = MatchHeader(self)
        self.setHorizontalHeader(self.head)
        pieces.dress_table(self, said("Rows of the table"), (66, 92, 212), wide=2)
        self.head.setStretchLastSection(False)
        self.head.setSectionResizeMode(2, QHeaderView.ResizeMode.Interactive)
        self.head.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignBottom)
        self.horizontalScrollBar().valueChanged.connect(lambda _value: self.head._place())
        self.selectionModel().currentRowChanged.connect(self._moved)

    def show_rows(self, table: ReadTable | None, rows: Sequence[TableRow]) -> None:
        """Show some rows; whoever stood at one stays there."""
        before = self.current
        self.rows.show_rows(table, rows)
        for column in range(len(FIRST), self.rows.columnCount()):
            self.setColumnWidth(column, _WIDE)
        numbers = [row.number for row in rows]
        at = numbers.index(before.number) if before and before.number in numbers else 0
        if rows:
            self.selectRow(at)
        else:
            self.at_hand.emit(None)

    @property
    def current(self) -> TableRow | None:
        """The row at hand."""
        at = self.currentIndex().row()
        return self.rows.rows[at] if 0 <= at < len(self.rows.rows) else None

    def step(self, by: int) -> None:
        """Go to another row."""
        at = self.currentIndex().row() + by
        if 0 <= at < len(self.rows.rows):
            self.selectRow(at)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Space takes the row at hand out of the round, or back into it."""
        if event.key() == Qt.Key.Key_Space and (row := self.current):
            self.rows.tick([row], row.number in self.rows.out)
            return
        super().keyPressEvent(event)

    def _moved(self, *_args: object) -> None:
        self.at_hand.emit(self.current)
