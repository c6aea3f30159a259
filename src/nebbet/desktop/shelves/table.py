"""The list of templates with state, language, last use and uses per week."""

from datetime import datetime

from PySide6.QtCore import (
    QAbstractTableModel,
    QModelIndex,
    QObject,
    QPersistentModelIndex,
    QRect,
    Qt,
    Signal,
)
from PySide6.QtGui import QColor, QKeyEvent, QPainter, QResizeEvent
from PySide6.QtWidgets import (
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QTableView,
)

from nebbet.desktop.kit import pieces, theme
from nebbet.library.catalogue import USAGE_WEEKS, Template, Usage

COLUMNS = ("Title", "State", "Languages", "Last used", f"Uses in {USAGE_WEEKS} weeks")
Index = QModelIndex | QPersistentModelIndex
_USES = len(COLUMNS) - 1
_NO_PARENT = QModelIndex()


class TemplatesModel(QAbstractTableModel):
    """Rows of templates with how they were used."""

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self.rows: list[tuple[Template, Usage]] = []
        self._now = datetime.now().astimezone()

    def show_rows(self, rows: list[tuple[Template, Usage]], now: datetime) -> None:
        """Show other rows."""
        self.beginResetModel()
        self.rows, self._now = rows, now
        self.endResetModel()

    def rowCount(self, parent: Index = _NO_PARENT) -> int:
        return 0 if parent.isValid() else len(self.rows)

    def columnCount(self, parent: Index = _NO_PARENT) -> int:
        return 0 if parent.isValid() else len(COLUMNS)

    def headerData(
        self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole
    ) -> object:
        if role == Qt.ItemDataRole.DisplayRole and orientation == Qt.Orientation.Horizontal:
            return COLUMNS[section]
        return None

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        template, usage = self.rows[index.row()]
        if role == Qt.ItemDataRole.DisplayRole:
            return self._text(template, usage, index.column())
        if role == Qt.ItemDataRole.UserRole:
            return usage.weeks
        if role == Qt.ItemDataRole.AccessibleTextRole and index.column() == _USES:
            return f"{sum(usage.weeks)} uses in {USAGE_WEEKS} weeks"
        return None

    def _text(self, template: Template, usage: Usage, column: int) -> str:
        match column:
            case 0:
                return f"{template.title}  ·  pinned" if template.pinned else template.title
            case 1:
                return template.state
            case 2:
                return ", ".join(code.partition("_")[0] for code in template.content.texts)
            case 3:
                return _ago(usage.last, self._now)
        return str(sum(usage.weeks) or "")


def _ago(last: datetime | None, now: datetime) -> str:
    if last is None:
        return "never"
    days = (now.date() - last.astimezone(now.tzinfo).date()).days
    if days < 2:
        return "yesterday" if days else "today"
    return f"{days} days ago"


class _Bars(QStyledItemDelegate):
    """Draws the uses of each week as a small bar, with their number."""

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        super().paint(painter, option, index)
        weeks = index.data(Qt.ItemDataRole.UserRole) or ()
        most = max(weeks, default=0)
        if not most:
            return
        left = option.rect.right() - 8 - 6 * len(weeks)
        for position, uses in enumerate(weeks):
            height = round(16 * uses / most)
            bar = QRect(left + 6 * position, option.rect.bottom() - 3 - height, 4, height)
            painter.fillRect(bar, QColor(theme.tokens().spruce))
        foot = option.rect.bottom() - 3
        painter.setPen(QColor(theme.tokens().rule))
        painter.drawLine(left, foot, option.rect.right() - 8, foot)


class TemplatesTable(QTableView):
    """The table. chosen tells the template at hand, taken that Return was pressed on it, and
    words that somebody began to type."""

    chosen = Signal(str)
    taken = Signal(str)
    words = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        self._model = TemplatesModel(self)
        self.setModel(self._model)
        pieces.dress_table(self, "Templates", (200, 56, 72, 98, 128), wide=0)
        self.setItemDelegateForColumn(_USES, _Bars(self))
        self.selectionModel().currentRowChanged.connect(lambda *_: self.chosen.emit(self.key))
        self.doubleClicked.connect(lambda _index: self.taken.emit(self.key))

    def resizeEvent(self, event: QResizeEvent) -> None:
        """In a narrow window the title needs the room more than the numbers do."""
        super().resizeEvent(event)
        for column, needed in ((1, 300), (2, 380), (_USES, 560)):
            self.setColumnHidden(column, event.size().width() < needed)

    def show_rows(
        self, rows: list[tuple[Template, Usage]], now: datetime, *, best_first: bool = False
    ) -> None:
        """Show other rows. The template at hand stays at hand if it is among them, unless the
        rows were found by words: then it is the best one."""
        key = "" if best_first else self.key
        self._model.show_rows(rows, now)
        ids = [template.id for template, _usage in rows]
        if ids:
            self.selectRow(ids.index(key) if key in ids else 0)
        self.chosen.emit(self.key)

    @property
    def key(self) -> str:
        """The template at hand, or nothing."""
        row = self.currentIndex().row()
        return self._model.rows[row][0].id if 0 <= row < len(self._model.rows) else ""

    def choose(self, key: str) -> None:
        """Go to a template."""
        ids = [template.id for template, _usage in self._model.rows]
        if key in ids:
            self.selectRow(ids.index(key))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Return takes; letters find."""
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and not event.modifiers():
            if self.key:
                self.taken.emit(self.key)
        elif event.text().isalnum() and not event.modifiers() & ~Qt.KeyboardModifier.ShiftModifier:
            self.words.emit(event.text())
        else:
            super().keyPressEvent(event)
