"""What every row of a file would do, before anything is written."""

from PySide6.QtCore import QAbstractTableModel, QModelIndex, QPersistentModelIndex, Qt
from PySide6.QtGui import QColor
from PySide6.QtWidgets import QTableView, QVBoxLayout, QWidget

from nebbet.core.placeholders.field_texts import field_text
from nebbet.core.records import Case, Contact, label_of
from nebbet.core.records.matching import title_of
from nebbet.core.sentences import said
from nebbet.desktop.kit import pieces, theme
from nebbet.desktop.kit.still import StillCombo
from nebbet.library.importing import STATES, Plan, Planned

_HEADINGS = (said("Row"), said("Becomes"), said("Who or what"), said("As it will be"))
_WORDS = {
    "new": said("new"),
    "changed": said("changed"),
    "same": said("as it is"),
    "doubled": said("doubled"),
    "refused": said("refused"),
}
_TONES = {"new": "spruce", "changed": "slate", "doubled": "ochre_edge", "refused": "brick"}
Index = QModelIndex | QPersistentModelIndex


class _Rows(QAbstractTableModel):
    """The rows as they are planned: only those that are seen are ever put into words."""

    def __init__(self) -> None:
        super().__init__()
        self.rows: list[Planned] = []

    def show_rows(self, rows: list[Planned]) -> None:
        self.beginResetModel()
        self.rows = rows
        self.endResetModel()

    def rowCount(self, parent: Index | None = None) -> int:
        return 0 if parent is not None and parent.isValid() else len(self.rows)

    def columnCount(self, _parent: Index | None = None) -> int:
        return len(_HEADINGS)

    def headerData(
        self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole
    ) -> object:
        if role == Qt.ItemDataRole.DisplayRole and orientation == Qt.Orientation.Horizontal:
            return _HEADINGS[section]
        return None

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        row = self.rows[index.row()]
        if role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.ToolTipRole):
            text = _text(row, index.column())
            return theme.plain_hint(text) if role == Qt.ItemDataRole.ToolTipRole else text
        tone = _TONES.get(row.state, "")
        if role == Qt.ItemDataRole.ForegroundRole and index.column() == 1 and tone:
            return QColor(getattr(theme.tokens(), tone))
        return None


def _text(row: Planned, column: int) -> str:
    if column == 0:
        return str(row.number)
    if column == 1:
        return _WORDS[row.state]
    record = row.record
    if column == 2:
        if isinstance(record, Contact):
            return record.name or record.email
        return record.number if isinstance(record, Case) else ""
    told = [row.reason] if row.reason else []
    if row.state == "changed" and row.before is not None:
        told += _differences(row)
    elif isinstance(record, Contact):
        told += filter(None, (record.email, record.organisation, record.phone,
                              *_more(record.more)))  # fmt: skip
    elif isinstance(record, Case):
        told += filter(None, (record.kind, record.title, record.state, *_more(record.fields)))
    return " · ".join(told)


def _more(values: dict[str, object]) -> list[str]:
    return [f"{label_of(name)}: {field_text(value, 'en_GB')}" for name, value in values.items()]


def _differences(row: Planned) -> list[str]:
    """What becomes another value."""
    assert row.record is not None and row.before is not None
    told = []
    for name in row.record.__struct_fields__:
        now, before = getattr(row.record, name), getattr(row.before, name)
        if now == before:
            continue
        if isinstance(now, dict):
            told += [
                f"{label_of(key)}: {field_text(before.get(key), 'en_GB') or '–'} → "
                f"{field_text(value, 'en_GB')}"
                for key, value in now.items()
                if before.get(key) != value
            ]
        elif isinstance(now, tuple):
            told.append(
                f"{title_of(name)}: + {', '.join(str(one) for one in now if one not in before)}"
            )
        else:
            told.append(f"{title_of(name)}: {before or '–'} → {now}")
    return told


class ImportRows(QWidget):
    """The rows with what becomes of them; of one state alone, if that is chosen."""

    def __init__(self) -> None:
        super().__init__()
        self._plan = Plan()
        self._model = _Rows()
        self.counts = pieces.label("", wrap=True)
        self.which = StillCombo()
        theme.named(self.which, said("Which rows are shown"))
        self.which.addItem(said("all rows"), "")
        for state in STATES:
            self.which.addItem(_WORDS[state], state)
        self.table = QTableView()
        self.table.setModel(self._model)
        pieces.dress_table(self.table, said("Rows of the file"), (56, 84, 190, 200), wide=3)
        pieces.fill(QVBoxLayout(self), pieces.row(pieces.grow(self.counts), self.which), self.table)
        self.which.currentIndexChanged.connect(lambda _index: self._show())

    def wait(self) -> None:
        """It is being worked out."""
        self.counts.setText(said("Looking at the rows…"))

    def show_plan(self, plan: Plan) -> None:
        """Show what becomes of every row."""
        self._plan = plan
        counts = plan.counts
        told = [f"{_WORDS[state]} {counts[state]:,}" for state in STATES if counts[state]]
        if plan.beside:
            told.append(said("people who come along {count}", count=f"{len(plan.beside):,}"))
        self.counts.setText("   ".join(told) or said("There is no row in it."))
        self._show()

    def _show(self) -> None:
        state = self.which.currentData()
        self._model.show_rows([row for row in self._plan.rows if not state or row.state == state])
