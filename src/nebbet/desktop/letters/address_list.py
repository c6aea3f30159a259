"""The list of people that comes while somebody types a name into a row of addresses."""

from functools import partial

from PySide6.QtCore import QEvent, QObject, QTimer
from PySide6.QtGui import QKeyEvent, QTextCursor

from nebbet.core.addresses import Address
from nebbet.desktop.kit.picker import SECOND, Ask, Choice
from nebbet.desktop.paper.name_list import OfferList
from nebbet.desktop.paper.slot_edit import SlotEdit

_SHORTEST, _MOST = 2, 6


class AddressList(QObject):
    """Completes the name at the cursor of a row: Return or Tab takes whom the list offers. With
    few, all that fit are shown as soon as one is in the row, which takes one of them alone."""

    def __init__(self, line: SlotEdit, ask: Ask, *, few: bool = False) -> None:
        super().__init__(line)
        self._line, self._ask, self._few = line, ask, few
        self.list = OfferList(line, "People that fit")
        self.list.taken.connect(self._take)
        line.edited.connect(self._follow)
        line.installEventFilter(self)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """Keys go to the list while it is there; it goes with the focus."""
        if event.type() == QEvent.Type.KeyPress and isinstance(event, QKeyEvent):
            return self.list.takes(event)
        if event.type() == QEvent.Type.FocusOut:
            self.list.hide()
        if event.type() == QEvent.Type.FocusIn and self._few:
            QTimer.singleShot(0, self, self._follow)
        return super().eventFilter(watched, event)

    def _fragment(self) -> str:
        """What is typed of an address at the cursor, since the last one."""
        cursor = self._line.textCursor()
        before = cursor.block().text()[: cursor.positionInBlock()]
        return before.replace(";", ",").rpartition(",")[2].lstrip()

    def _follow(self) -> None:
        words = self._fragment().strip()
        if self._few:
            self._ask(words, partial(self._show, words))
            return
        fits = len(words) >= _SHORTEST and "@" not in words and self._line.hasFocus()
        if fits:
            self._ask(words, partial(self._show, words))
        else:
            self._show(words, [])

    def _show(self, words: str, choices: list[Choice]) -> None:
        """Show who was found, unless something else is typed by now."""
        if words == self._fragment().strip() and (self._line.hasFocus() or not choices):
            found = [choice for choice in choices if "@" in choice.second]
            where = self._line.cursorRect()
            self.list.show_under(self._line, where, found[:_MOST], first=not self._few)

    def _take(self) -> None:
        """Put the address of whoever is chosen in the place of what was typed."""
        item = self.list.currentItem()
        if item is None:
            return
        name, spec = item.text(), str(item.data(SECOND))
        self.list.hide()
        cursor = self._line.textCursor()
        if self._few:
            cursor.select(QTextCursor.SelectionType.Document)
        else:
            cursor.movePosition(
                QTextCursor.MoveOperation.Left,
                QTextCursor.MoveMode.KeepAnchor,
                len(self._fragment()),
            )
        self._line.setTextCursor(cursor)
        self._line.insert_plain(Address("" if name == spec else name, spec).header)
