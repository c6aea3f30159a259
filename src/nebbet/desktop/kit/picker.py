"""A field in which a few typed letters choose from what is known."""

from collections.abc import Callable
from functools import partial
from typing import NamedTuple

from PySide6.QtCore import (
    QEvent,
    QModelIndex,
    QObject,
    QPersistentModelIndex,
    QPoint,
    QSize,
    Qt,
    Signal,
)
from PySide6.QtGui import QColor, QFocusEvent, QKeyEvent, QMouseEvent, QPainter
from PySide6.QtWidgets import (
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
)

from nebbet.core.sentences import said
from nebbet.desktop.kit import theme

KEY = Qt.ItemDataRole.UserRole
SECOND = Qt.ItemDataRole.UserRole + 1
ASIDE = Qt.ItemDataRole.UserRole + 2
HEADING = Qt.ItemDataRole.UserRole + 3
TONE = Qt.ItemDataRole.UserRole + 4


_ALT = Qt.KeyboardModifier.AltModifier
Index = QModelIndex | QPersistentModelIndex


class Choice(NamedTuple):
    """One thing to choose: key, what it is called, a second line, and a word at the right edge."""

    key: str
    text: str
    second: str = ""
    aside: str = ""
    heading: bool = False
    tone: str = ""


class TwoLines(QStyledItemDelegate):
    """Draws a row with a first line, a faint second one and a faint word at the right edge."""

    def sizeHint(self, option: QStyleOptionViewItem, index: Index) -> QSize:
        lines = 1 if index.data(HEADING) or not index.data(SECOND) else 2
        return QSize(super().sizeHint(option, index).width(), theme.ROW if lines == 1 else 42)

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        look = theme.tokens()
        rect = option.rect
        painter.save()
        if index.data(HEADING):
            painter.setFont(theme.ui_font(12, theme.ui_font().weight()))
            painter.setPen(QColor(look.faint))
            painter.drawText(rect.adjusted(10, 6, -8, 0), Qt.AlignmentFlag.AlignLeft, index.data())
            painter.setPen(QColor(look.rule))
            painter.drawLine(rect.bottomLeft(), rect.bottomRight())
            painter.restore()
            return
        if option.state & QStyle.StateFlag.State_Selected:
            painter.fillRect(rect, QColor(look.chosen))
            painter.fillRect(rect.x(), rect.y(), 3, rect.height(), QColor(look.plum))
        self._texts(painter, option, index)
        painter.restore()

    def _texts(self, painter: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        look = theme.tokens()
        inner = option.rect.adjusted(10, 4, -10, -4)
        aside = index.data(ASIDE) or ""
        painter.setFont(theme.ui_font(12))
        metrics = painter.fontMetrics()
        width = metrics.horizontalAdvance(aside)
        painter.setPen(QColor(getattr(look, index.data(TONE) or "faint")))
        top = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignTop
        painter.drawText(inner.adjusted(0, 1, 0, 0), top, aside)
        second = index.data(SECOND)
        if second:
            painter.setPen(QColor(look.faint))
            shown = metrics.elidedText(second, Qt.TextElideMode.ElideRight, inner.width())
            bottom = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignBottom
            painter.drawText(inner, bottom, shown)
        painter.setFont(theme.ui_font())
        painter.setPen(QColor(look.ink))
        room = inner.width() - (width + 8 if width else 0)
        shown = painter.fontMetrics().elidedText(index.data(), Qt.TextElideMode.ElideRight, room)
        where = Qt.AlignmentFlag.AlignLeft | (
            Qt.AlignmentFlag.AlignTop if second else Qt.AlignmentFlag.AlignVCenter
        )
        painter.drawText(inner, where, shown)


class ChoiceList(QListWidget):
    """A list of choices; headings cannot be chosen."""

    def __init__(self, name: str) -> None:
        super().__init__()
        self.setItemDelegate(TwoLines(self))
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setVerticalScrollMode(QListWidget.ScrollMode.ScrollPerPixel)
        theme.named(self, name)

    def show_choices(self, choices: list[Choice], keep: str = "") -> None:
        """Fill the list; the row with the key to keep stays chosen."""
        self.blockSignals(True)
        self.clear()
        for choice in choices:
            item = QListWidgetItem(choice.text)
            item.setData(KEY, choice.key)
            item.setData(SECOND, choice.second)
            item.setData(ASIDE, choice.aside)
            item.setData(HEADING, choice.heading)
            item.setData(TONE, choice.tone)
            item.setData(
                Qt.ItemDataRole.AccessibleTextRole,
                ", ".join(filter(None, (choice.text, choice.second, choice.aside))),
            )
            if choice.heading:
                item.setFlags(Qt.ItemFlag.NoItemFlags)
            self.addItem(item)
            if choice.key and choice.key == keep:
                self.setCurrentItem(item)
        self.blockSignals(False)

    @property
    def key(self) -> str:
        """The key of the row at hand, or nothing."""
        item = self.currentItem()
        return str(item.data(KEY) or "") if item else ""

    def choose_first(self) -> None:
        """Put the cursor on the first row that is not a heading."""
        for row in range(self.count()):
            if not self.item(row).data(HEADING):
                self.setCurrentRow(row)
                return

    def step(self, by: int) -> None:
        """Go up or down, over headings."""
        row = self.currentRow() + by
        while 0 <= row < self.count():
            if not self.item(row).data(HEADING):
                self.setCurrentRow(row)
                return
            row += by


Ask = Callable[[str, Callable[[list[Choice]], None]], object]


def _nothing(_words: str) -> str:
    return said("Nothing is found.")


class Picker(QLineEdit):
    """A field with a list of matches below it.

    offer(words) gives the matches, best first; ask(words, show) shows them once they are known:
    what is confirmed meanwhile is taken then. picked tells the key of a choice; entered tells text
    that was confirmed without choosing anything. A free picker offers without choosing: Return
    takes what is typed, unless a match was gone to. nothing(words) is what the list says where it
    has no match.
    """

    picked = Signal(str)
    entered = Signal(str)
    MOST = 40

    def __init__(
        self,
        name: str,
        offer: Callable[[str], list[Choice]] | None = None,
        prompt: str = "",
        *,
        ask: Ask | None = None,
    ) -> None:
        super().__init__()
        theme.named(self, name)
        self.setPlaceholderText(prompt)
        self._ask: Ask = ask or (lambda words, show: show(offer(words) if offer else []))
        self._asked = 0  # how often was asked
        self._pending = self._confirm_soon = False
        self._shown = ""
        self.free = False
        self.opens_at_once = False  # where there are so few choices that one wants to see them
        self.opens_by_click = False  # where one may choose by the mouse alone
        self.nothing: Callable[[str], str] = _nothing
        self.list = ChoiceList(f"{name}: matches")
        self.list.setParent(self)  # until it is shown, over the window
        self.list.setObjectName("popup")
        self.list.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.list.hide()
        self.list.itemClicked.connect(lambda item: self._pick(str(item.data(KEY) or "")))
        self.textEdited.connect(self.open_list)

    def show_text(self, text: str) -> None:
        """Show what is chosen now."""
        self._shown = text
        self.setText(text)
        self.setCursorPosition(0)

    def open_list(self, words: str | None = None) -> None:
        """Show the matches for what is typed."""
        words = self.text() if words is None else words
        wanted = words if words != self._shown else ""
        self._asked += 1
        self._pending, self._confirm_soon = True, False
        self._ask(wanted, partial(self._show_matches, self._asked, words, wanted))

    def offer_these(self, choices: list[Choice]) -> None:
        """Show some choices, whatever is typed; one that is gone to is taken."""
        self._asked += 1
        self._show_matches(self._asked, self._shown, "", choices)

    def _show_matches(self, number: int, words: str, wanted: str, choices: list[Choice]) -> None:
        """Show what was found, unless something else was asked for meanwhile."""
        if number != self._asked:
            return
        self._pending = False
        choices = choices[: self.MOST]
        if not choices and wanted.strip() and not self.free:
            choices = [Choice("", self.nothing(wanted.strip()), heading=True)]
        if not choices:
            self.list.hide()
            self._confirm_now()
            return
        self._place(choices)
        self.list.show_choices(choices)
        if words and words != self._shown and not self.free:
            self.list.choose_first()
        self.list.show()
        self.list.raise_()
        self._confirm_now()

    def _confirm_now(self) -> None:
        """Take what was confirmed while the matches were on their way."""
        if self._confirm_soon:
            self._confirm_soon = False
            self._confirm()

    def _drop(self) -> None:
        """What was asked for is not wanted any more."""
        self._asked += 1
        self._pending = self._confirm_soon = False
        self.list.hide()

    def _place(self, choices: list[Choice]) -> None:
        window = self.window()
        if self.list.parent() is not window:
            self.list.setParent(window)
            window.installEventFilter(self)
        below = self.mapTo(window, QPoint(0, self.height() + 1))
        height = sum(42 if c.second and not c.heading else theme.ROW for c in choices) + 4
        room = window.height() - below.y() - 8
        width = max(self.width(), 320)
        left = max(0, min(below.x(), window.width() - width - 8))
        self.list.setGeometry(left, below.y(), width, min(height, room, 340))

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """The list goes when the window changes under it."""
        if event.type() in (QEvent.Type.Resize, QEvent.Type.WindowDeactivate):
            self.list.hide()
        return super().eventFilter(watched, event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Up and down walk through the matches, Return chooses, Esc puts the field back."""
        key = event.key()
        plain = not event.modifiers() & (_ALT | Qt.KeyboardModifier.ControlModifier)
        if key in (Qt.Key.Key_Down, Qt.Key.Key_Up) and plain:
            if self.list.isVisible():
                self.list.step(1 if key == Qt.Key.Key_Down else -1)
            else:
                self.open_list()
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and not event.modifiers():
            self._confirm()
        elif key == Qt.Key.Key_Escape and (self.list.isVisible() or self.text() != self._shown):
            self._drop()
            self.show_text(self._shown)
        else:
            super().keyPressEvent(event)

    def _confirm(self) -> None:
        if self._pending and not self.free:
            self._confirm_soon = True
        elif self.list.isVisible() and self.list.key:
            self._pick(self.list.key)
        else:
            self._drop()
            self.entered.emit(self.text().strip())

    def _pick(self, key: str) -> None:
        self._drop()
        if key:
            self.picked.emit(key)

    def focusOutEvent(self, event: QFocusEvent) -> None:
        """The list goes with the focus; text that was typed is confirmed, not lost."""
        super().focusOutEvent(event)
        self._drop()
        if self.text().strip() != self._shown:
            self.entered.emit(self.text().strip())

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """A click into a field whose choices one wants to see opens them."""
        super().mousePressEvent(event)
        if self.opens_at_once or self.opens_by_click:
            self.open_list("")

    def focusInEvent(self, event: QFocusEvent) -> None:
        """Coming by key selects the text, so that typing replaces it."""
        super().focusInEvent(event)
        if self.opens_at_once and event.reason() != Qt.FocusReason.PopupFocusReason:
            self.open_list("")
        if event.reason() != Qt.FocusReason.MouseFocusReason:
            self.selectAll()
