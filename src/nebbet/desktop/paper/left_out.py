"""The line that stands for a part that is left out: one thing, which nothing is joined with."""

from PySide6.QtCore import Qt
from PySide6.QtGui import QTextCursor

from nebbet.desktop.paper import docread

_DELETING = (Qt.Key.Key_Backspace, Qt.Key.Key_Delete)


def would_join(cursor: QTextCursor, key: int) -> bool:
    """Whether deleting at a cursor would join such a line with another one."""
    if cursor.hasSelection():
        ends = (cursor.selectionStart(), cursor.selectionEnd())
        inside = (cursor.document().findBlock(end) for end in ends)
        return key in _DELETING and any(docread.left_out(b) is not None for b in inside)
    block = cursor.block()
    if key == Qt.Key.Key_Backspace and cursor.atBlockStart():
        return docread.left_out(block.previous()) is not None
    if key == Qt.Key.Key_Delete and cursor.atBlockEnd():
        return docread.left_out(block.next()) is not None
    return False


def drop_line(cursor: QTextCursor, key: int) -> bool:
    """Drop the line that stands for a part, where a key deletes: it is one thing."""
    if key not in _DELETING:
        return False
    cursor.select(QTextCursor.SelectionType.BlockUnderCursor)
    cursor.removeSelectedText()
    return True
