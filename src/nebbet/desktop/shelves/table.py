"""The list of templates with state, language, last use and uses per week."""

from collections.abc import Callable, Sequence
from datetime import datetime
from itertools import pairwise
from typing import NamedTuple

from msgspec import json
from PySide6.QtCore import (
    QAbstractTableModel,
    QItemSelectionModel,
    QMimeData,
    QModelIndex,
    QObject,
    QPersistentModelIndex,
    QRect,
    Qt,
    Signal,
)
from PySide6.QtGui import QColor, QFont, QFontMetrics, QKeyEvent, QPainter, QResizeEvent
from PySide6.QtWidgets import (
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QTableView,
)

from nebbet.desktop.kit import pieces, theme
from nebbet.desktop.session import choices
from nebbet.library.holdings import USAGE_WEEKS, Template, Usage

MIME = "application/x-nebbet-templates"
MATCHES = Qt.ItemDataRole.UserRole + 1
SAID = Qt.ItemDataRole.UserRole + 2
COLUMNS = ("Title", "State", "Languages", "Last used", f"Uses in {USAGE_WEEKS} weeks")
Index = QModelIndex | QPersistentModelIndex
_USES = len(COLUMNS) - 1
_FOUND_ROW = 44  # pixels of a row that says where it was found
_NO_PARENT = QModelIndex()


class Row(NamedTuple):
    """A template, how it was used, and what is said of it beside its title: pinned, in the editor
    of somebody."""

    template: Template
    usage: Usage
    said: str = ""


class Match(NamedTuple):
    """Where a row meets the words it was found by: in its title, or in an excerpt of its text."""

    title: Sequence[tuple[int, int]]
    excerpt: str = ""
    spans: Sequence[tuple[int, int]] = ()


Matching = Callable[[Template], Match]


class TemplatesModel(QAbstractTableModel):
    """Rows of templates with how they were used."""

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self.keys: list[str] = []
        self._row: Callable[[str], Row] | None = None
        self._rows: dict[str, Row] = {}
        self._now = datetime.now().astimezone()
        self._matching: Matching | None = None
        self._matches: dict[str, Match] = {}

    def show_rows(
        self,
        keys: list[str],
        row: Callable[[str], Row],
        now: datetime,
        matching: Matching | None,
    ) -> None:
        """Show other templates. row gives one when it is first seen; matching tells where it meets
        the words."""
        self.beginResetModel()
        self.keys, self._row, self._rows, self._now = keys, row, {}, now
        self._matching, self._matches = matching, {}
        self.endResetModel()

    @property
    def is_found(self) -> bool:
        """Whether the rows were found by words."""
        return self._matching is not None

    def _seen(self, key: str) -> Row:
        if key not in self._rows:
            assert self._row is not None
            self._rows[key] = self._row(key)
        return self._rows[key]

    def _match(self, template: Template) -> Match | None:
        if self._matching is None:
            return None
        if template.id not in self._matches:
            self._matches[template.id] = self._matching(template)
        return self._matches[template.id]

    def flags(self, index: Index) -> Qt.ItemFlag:
        return super().flags(index) | Qt.ItemFlag.ItemIsDragEnabled

    def mimeTypes(self) -> list[str]:
        return [MIME]

    def mimeData(self, indexes: Sequence[QModelIndex]) -> QMimeData:
        keys = dict.fromkeys(self.keys[index.row()] for index in indexes)
        made = QMimeData()
        made.setData(MIME, json.encode([*keys]))
        return made

    def rowCount(self, parent: Index = _NO_PARENT) -> int:
        return 0 if parent.isValid() else len(self.keys)

    def columnCount(self, parent: Index = _NO_PARENT) -> int:
        return 0 if parent.isValid() else len(COLUMNS)

    def headerData(
        self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole
    ) -> object:
        if role == Qt.ItemDataRole.DisplayRole and orientation == Qt.Orientation.Horizontal:
            return COLUMNS[section]
        return None

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        template, usage, said = self._seen(self.keys[index.row()])
        if role == Qt.ItemDataRole.DisplayRole:
            return self._text(template, usage, said, index.column())
        if role == MATCHES:
            return self._match(template)
        if role == SAID:
            return said
        if role == Qt.ItemDataRole.UserRole:
            return usage.weeks
        if role == Qt.ItemDataRole.AccessibleTextRole and index.column() == _USES:
            return f"{sum(usage.weeks)} uses in {USAGE_WEEKS} weeks"
        return None

    def _text(self, template: Template, usage: Usage, said: str, column: int) -> str:
        match column:
            case 0:
                return template.title + _beside(said)
            case 1:
                return template.state
            case 2:
                return ", ".join(code.partition("_")[0] for code in template.content.texts)
            case 3:
                return choices.ago(usage.last, self._now)
        return str(sum(usage.weeks) or "")


def templates_in(data: QMimeData) -> list[str]:
    """The templates that are being dragged."""
    return json.decode(data.data(MIME).data(), type=list[str]) if data.hasFormat(MIME) else []


def _beside(said: str) -> str:
    """What is said of a template, as it follows its title where both are one text."""
    return f"  ·  {said}" if said else ""


class _Titles(QStyledItemDelegate):
    """Draws a title with the letters in it that were looked for, what is said of the template, and
    the words of the text."""

    def initStyleOption(self, option: QStyleOptionViewItem, index: Index) -> None:
        super().initStyleOption(option, index)
        option.text = ""

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        super().paint(painter, option, index)
        found: Match = index.data(MATCHES) or Match([])
        said: str = index.data(SAID)
        title = str(index.data()).removesuffix(_beside(said))
        look = theme.tokens()
        painter.save()
        painter.setClipRect(option.rect)
        where = option.rect.adjusted(8, 4, -6, -4)
        if found.excerpt:
            where.setHeight(where.height() // 2)
        room = QRect(where)
        if said:  # what is said of a template stays in sight, however long its title is
            aside = theme.ui_font(12)
            width = QFontMetrics(aside).horizontalAdvance(said)
            room.setRight(where.right() - width - 10)
            painter.setFont(aside)
            painter.setPen(QColor(look.faint))
            right = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
            painter.drawText(where, right, said)
        _draw(painter, room, title, found.title, look.ink)
        if found.excerpt:
            where.translate(0, where.height())
            _draw(painter, where, found.excerpt, found.spans, look.faint)
        painter.restore()


def _draw(
    painter: QPainter, where: QRect, text: str, spans: Sequence[tuple[int, int]], colour: str
) -> None:
    """Draw text with some of it marked, as far as there is room."""
    plain, strong = theme.ui_font(), theme.ui_font()
    strong.setWeight(QFont.Weight.Bold)
    strong.setUnderline(True)
    painter.setPen(QColor(colour))
    edges = sorted({0, len(text), *(edge for span in spans for edge in span)})
    left = where.left()
    for start, end in pairwise(edges):
        painter.setFont(strong if (start, end) in spans else plain)
        piece = text[start:end]
        width = painter.fontMetrics().horizontalAdvance(piece)
        room = where.right() - left
        if width > room:
            piece = painter.fontMetrics().elidedText(piece, Qt.TextElideMode.ElideRight, room)
        painter.drawText(
            QRect(left, where.top(), room, where.height()), Qt.AlignmentFlag.AlignVCenter, piece
        )
        left += width
        if width > room:
            break


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
        self._went = False  # what was at hand went out of the list, and nobody chose another
        pieces.dress_table(self, "Templates", (200, 56, 72, 98, 128), wide=0)
        self.setSelectionMode(QTableView.SelectionMode.ExtendedSelection)
        self.setDragEnabled(True)
        self.setItemDelegateForColumn(0, _Titles(self))
        self.setItemDelegateForColumn(_USES, _Bars(self))
        self.selectionModel().currentRowChanged.connect(lambda *_: self.chosen.emit(self.key))
        self.selectionModel().selectionChanged.connect(self._choose_again)
        self.doubleClicked.connect(lambda _index: self.taken.emit(self.key))

    def resizeEvent(self, event: QResizeEvent) -> None:
        """In a narrow window the title needs the room more than the numbers do."""
        super().resizeEvent(event)
        self._make_room()

    def _make_room(self) -> None:
        """Leave out what there is no room for, also beside the words that were found."""
        width = self.viewport().width() - (150 if self._model.is_found else 0)
        for column, needed in ((1, 300), (2, 480), (_USES, 560)):
            self.setColumnHidden(column, width < needed)

    def show_rows(
        self,
        shown: list[str],
        row: Callable[[str], Row],
        now: datetime,
        matching: Matching | None = None,
        *,
        best_first: bool = False,
        asked: bool = True,
    ) -> None:
        """Show other templates. What is at hand stays so if it is among them, unless the rows were
        found by words: then it is the best one. Rows that nobody asked for (the library changed)
        put nothing else at hand: a key must not hit what comes in the place of what went."""
        key, keys = ("", []) if best_first else (self.key, self.keys)
        asked = asked or not self._model.keys
        self._model.show_rows(shown, row, now, matching)
        self.verticalHeader().setDefaultSectionSize(_FOUND_ROW if matching else theme.ROW + 2)
        self._make_room()
        places = {shown_key: number for number, shown_key in enumerate(shown)}
        if key not in places and not asked:
            self._went = True
            self.clearSelection()
            self.setCurrentIndex(self._model.index(-1, -1))
        elif shown:
            self.selectRow(places.get(key, 0))
            for kept in keys if len(keys) > 1 else ():
                self._add_to_selection(places.get(kept))
        self.chosen.emit(self.key)

    def _choose_again(self) -> None:
        if self._went and self.selectionModel().hasSelection():
            self._went = False
            self.chosen.emit(self.key)

    def _add_to_selection(self, row: int | None) -> None:
        if row is not None:
            flags = QItemSelectionModel.SelectionFlag
            self.selectionModel().select(self._model.index(row, 0), flags.Select | flags.Rows)

    @property
    def keys(self) -> list[str]:
        """The templates that are selected, in their order."""
        rows = sorted(index.row() for index in self.selectionModel().selectedRows())
        return [self._model.keys[row] for row in rows]

    @property
    def key(self) -> str:
        """The template at hand, or nothing: with the focus alone comes a row that nobody chose."""
        row = -1 if self._went else self.currentIndex().row()
        return self._model.keys[row] if 0 <= row < len(self._model.keys) else ""

    def choose(self, key: str) -> None:
        """Go to a template."""
        if key in self._model.keys:
            self.selectRow(self._model.keys.index(key))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Return takes; letters find."""
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and not event.modifiers():
            if self.key:
                self.taken.emit(self.key)
        elif event.text().isalnum() and not event.modifiers() & ~Qt.KeyboardModifier.ShiftModifier:
            self.words.emit(event.text())
        else:
            super().keyPressEvent(event)
