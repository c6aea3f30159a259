"""Leaving what one writes in by the keyboard: a list, a fact table, a button, a repeated part."""

from msgspec.structs import replace
from PySide6.QtGui import QTextCursor

from nebbet.core.body import Block, ListItem, Paragraph
from nebbet.desktop.paper import docformat, docread
from nebbet.desktop.paper.paper_text import PaperText


def leave(editor: PaperText) -> bool:
    """Return in an empty paragraph of a special kind makes it an ordinary one, or lets go of what
    it hangs on: the innermost first. Whether there was anything to leave."""
    cursor = editor.textCursor()
    block = cursor.block()
    if cursor.hasSelection() or block.text().strip(docformat.GAP):
        return False
    held = docread.shape_of(block)
    plain = _one_out(held)
    if plain is None:
        return False
    writer = editor.writer()
    cursor.beginEditBlock()
    writer.dress_block(cursor, plain)
    cursor.movePosition(QTextCursor.MoveOperation.EndOfBlock)
    while cursor.positionInBlock():  # the gap of a fact row
        cursor.deletePreviousChar()
    cursor.endEditBlock()
    editor.setTextCursor(cursor)
    editor.setCurrentCharFormat(docformat.char_format(writer.style, plain))
    return True


def _one_out(held: Block) -> Block | None:
    """A block one step further out than another; nothing where there is no further out."""
    if isinstance(held, ListItem) and held.level:
        return replace(held, level=held.level - 1)
    if not isinstance(held, Paragraph):
        return docread.dressed(Paragraph(), replace(held, align=""))
    if held.quote:
        return replace(held, quote=False)
    if held.each:
        return replace(held, each="")
    if held.when:
        return replace(held, when="")
    return None


def to_next_column(editor: PaperText, *, forward: bool) -> bool:
    """Go to the next column, or the one before; whether there is one."""
    cursor = editor.textCursor()
    table = cursor.currentTable()
    if table is None:
        return False
    at = table.cellAt(cursor).column() + (1 if forward else -1)
    if not 0 <= at < table.columns():
        return False
    editor.setTextCursor(table.cellAt(0, at).firstCursorPosition())
    return True
