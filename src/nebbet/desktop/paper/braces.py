"""Typing {{ in a text: the list that it opens, and what is put over the braces."""

from collections.abc import Callable
from typing import Protocol

from PySide6.QtCore import QEvent, QObject, Qt
from PySide6.QtGui import QKeyEvent, QTextCursor
from PySide6.QtWidgets import QPlainTextEdit, QTextEdit

from nebbet.core import inline
from nebbet.desktop.kit.picker import Choice
from nebbet.desktop.paper.name_list import OfferList, query_in

_KEEP = QTextCursor.MoveMode.KeepAnchor
_MOST = 40  # rows that anybody looks through


class Offers(Protocol):
    """What can be put into a text."""

    def offer(self, words: str) -> list[Choice]:
        """What matches some words, best first."""

    def take(self, key: str) -> str:
        """The name behind an offered key."""

    def closed(self, inner: str) -> str:
        """What braces that were typed to their end are put as; empty where they are only text."""


class Braces(QObject):
    """Opens the list under the cursor of a text with {{, and closes it with }}. put writes a
    placeholder at a cursor."""

    def __init__(
        self,
        text: QTextEdit | QPlainTextEdit,
        offers: Offers,
        put: Callable[[QTextCursor, str], None],
    ) -> None:
        super().__init__(text)
        self._text, self._offers, self._put = text, offers, put
        self._opened = -1  # where a key has put the braces, and nobody has typed them
        self.list = OfferList(text)
        self.list.taken.connect(self._choose)
        text.installEventFilter(self)

    def takes(self, event: QKeyEvent) -> bool:
        """Whether a key is for the list; it is acted upon then. Esc takes back what a key has put
        there, and what was looked for."""
        is_esc = event.key() == Qt.Key.Key_Escape and self.list.isVisible()
        query = self.query() if is_esc else None
        if query and query[0] == self._opened:
            cursor = self._text.textCursor()
            cursor.setPosition(query[0], _KEEP)
            cursor.removeSelectedText()
        return self.list.takes(event)

    def open(self) -> None:
        """Offer all there is for braces that a key has just put before the cursor."""
        query = self.query()
        self._opened = query[0] if query else -1
        self.show()

    def typed(self, event: QKeyEvent) -> None:
        """Follow a key that the text has taken."""
        if event.text() == "}":
            self._close_braces()
        if event.text():
            self.show()

    def query(self) -> tuple[int, str] | None:
        """Where {{ was opened before the cursor, and what was typed since."""
        cursor = self._text.textCursor()
        before = cursor.block().text()[: cursor.positionInBlock()]
        found = None if cursor.hasSelection() else query_in(before)
        return (cursor.block().position() + found[0], found[1]) if found else None

    def show(self) -> None:
        """Show what fits to what was typed since the braces."""
        query = self.query()
        choices = self._offers.offer(query[1])[:_MOST] if query else []
        self.list.show_under(self._text, self._text.cursorRect(), choices)

    def _choose(self) -> None:
        """Put what was chosen where the braces were opened, as one step."""
        query, key = self.query(), self.list.key
        self.list.hide()
        if query is not None and key:
            self._put_over(query[0], self._offers.take(key))

    def _close_braces(self) -> None:
        """A placeholder that was typed to its end becomes one thing."""
        cursor = self._text.textCursor()
        before = cursor.block().text()[: cursor.positionInBlock()]
        found = next((m for m in inline.SLOT.finditer(before) if m.end() == len(before)), None)
        inner = self._offers.closed(found[0].strip("{}")) if found else ""
        if found and inner:
            self._put_over(cursor.block().position() + found.start(), inner)

    def _put_over(self, start: int, inner: str) -> None:
        """Put a placeholder in the place of what was typed since a position, as one step."""
        cursor = self._text.textCursor()
        cursor.beginEditBlock()
        cursor.setPosition(start, _KEEP)
        cursor.removeSelectedText()
        self._put(cursor, inner)
        cursor.endEditBlock()

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """The list goes with the focus."""
        if event.type() == QEvent.Type.FocusOut:
            self.list.hide()
        return super().eventFilter(watched, event)
