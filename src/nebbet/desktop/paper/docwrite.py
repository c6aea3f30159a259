"""Writing the body model into Qt's text document."""

from collections.abc import Callable
from itertools import groupby

from msgspec.structs import replace
from PySide6.QtGui import QFont, QTextCharFormat, QTextCursor, QTextList, QTextListFormat

from nebbet.core import inline
from nebbet.core.body import (
    Block,
    Body,
    Break,
    Gap,
    Included,
    ListItem,
    Markup,
    Picture,
    Run,
    Start,
    markup_source,
    sections,
    write,
)
from nebbet.core.inline import Line, Slot
from nebbet.desktop.paper import docformat
from nebbet.desktop.paper.docformat import (
    BRACES,
    BREAK,
    GAP,
    MARKUP_OBJECT,
    OBJECT,
    PASSAGE,
    PASSAGE_OBJECT,
    SLOT,
    SLOT_OBJECT,
    SOURCE,
    START_OBJECT,
    Shown,
    Style,
    block_format,
    char_format,
    dress_link,
    plain_format,
    slot_format,
)

ShowSlot = Callable[[Slot], Shown]


class Writer:
    """Writes inlines and bodies at a cursor; gives every slot an id of its own."""

    def __init__(
        self,
        style: Style,
        show: ShowSlot | None,
        first_id: int = 1,
        widest: int = 0,
        *,
        conditions: bool = True,
    ) -> None:
        # A letter has no room for the words of a condition: it looks as it is sent.
        self._conditions = conditions
        self.style, self._show, self.next_id, self._widest = style, show, first_id, widest
        self._lists: dict[int, QTextList] = {}

    def body(self, cursor: QTextCursor, body: Body) -> None:
        """Write blocks from the cursor on; the first goes into the block at hand. Inside columns
        there are no further ones: their blocks follow each other."""
        if cursor.currentTable() is not None:
            body = tuple(replace(block, column=0) if block.column else block for block in body)
        fresh = True  # the block at the cursor is still to be used
        for held in sections(body):
            if held[0].column:
                self._columns(cursor, held, fresh=fresh)
                fresh = True
            else:
                self._blocks(cursor, held, fresh=fresh)
                fresh = False

    def _columns(self, cursor: QTextCursor, held: Body, *, fresh: bool) -> None:
        """Columns are a table of one row; a document needs a line before and after it."""
        if fresh:
            self._edge(cursor)
        columns = [tuple(group) for _, group in groupby(held, key=lambda block: block.column)]
        how = docformat.columns_format(len(columns), seen=self._conditions)
        table = cursor.insertTable(1, len(columns), how)
        for number, blocks in enumerate(columns):
            self._lists = {}
            self._blocks(table.cellAt(0, number).firstCursorPosition(), blocks, fresh=True)
        cursor.setPosition(table.lastPosition() + 1)
        self._edge(cursor)
        self._lists = {}

    def _edge(self, cursor: QTextCursor) -> None:
        held = cursor.block().textList()
        if held is not None:
            held.remove(cursor.block())
        cursor.setBlockFormat(docformat.edge_format())
        cursor.setBlockCharFormat(char_format(self.style))

    def _blocks(self, cursor: QTextCursor, body: Body, *, fresh: bool) -> None:
        hanging = ("", "")
        for (when, each, out), group in groupby(body, key=_hangs_on):
            blocks = tuple(group)
            for block in blocks[:1] if out else blocks:
                if not fresh:
                    cursor.insertBlock()
                fresh = False
                if out:
                    self._left_out(cursor, when, each, blocks)
                    continue
                begins = hanging != (when, each) and self._conditions
                hanging = (when, each)
                self.dress_block(cursor, block, first=begins)
                self.inlines(cursor, block)

    def _left_out(self, cursor: QTextCursor, when: str, each: str, blocks: Body) -> None:
        """One faint line in the place of a part that is left out; it keeps the part."""
        kept = write(tuple(replace(b, out=False, column=0) for b in blocks))
        cursor.setBlockFormat(docformat.left_out_format(kept))
        said = f"only if {when}" if when else f"no {each}"
        cursor.insertText(f"left out: {said}", docformat.faint_format(self.style))
        self._lists = {}

    def dress_block(self, cursor: QTextCursor, block: Block, *, first: bool = False) -> None:
        """Make the block at the cursor one of another kind; first says that a part begins with it
        which hangs on something."""
        cursor.setBlockFormat(block_format(block, first=first))
        cursor.setBlockCharFormat(char_format(self.style, block))
        held = cursor.block().textList()
        if held is not None:
            held.remove(cursor.block())
            cursor.setBlockFormat(block_format(block, first=first))
        if not isinstance(block, ListItem):
            self._lists = {}
            return
        self._lists = {lvl: lst for lvl, lst in self._lists.items() if lvl <= block.level}
        found = self._lists.get(block.level)
        if found is not None and is_ordered(found) == block.ordered:
            found.add(cursor.block())
        else:
            made = docformat.list_format(block.ordered, block.level)
            self._lists[block.level] = cursor.createList(made)

    def line(self, cursor: QTextCursor, line: Line) -> None:
        """Write a line of plain text and slots."""
        base = char_format(self.style)
        for part in line:
            self._content(cursor, part, base)

    def inlines(self, cursor: QTextCursor, block: Block) -> None:
        """Write the inlines of one block."""
        base = char_format(self.style, block)
        if isinstance(block, Included):
            insert_object(cursor, base, PASSAGE_OBJECT, PASSAGE, block.passage)
        if isinstance(block, Markup):
            insert_object(cursor, base, MARKUP_OBJECT, SOURCE, markup_source(block.source))
        for part in block.inlines:
            match part:
                case Break():
                    cursor.insertText(BREAK, base)
                case Gap():
                    cursor.insertText(GAP, base)
                case Start():
                    insert_start(cursor, base)
                case Picture():
                    cursor.insertImage(docformat.image_format(part, self._widest))
                case Run():
                    self._content(cursor, part.content, self._styled(base, part))

    def _styled(self, base: QTextCharFormat, run: Run) -> QTextCharFormat:
        made = QTextCharFormat(base)
        if run.bold:
            made.setFontWeight(QFont.Weight.Bold)
        if run.italic:
            made.setFontItalic(True)
        made.setFontUnderline(run.underline)
        made.setFontStrikeOut(run.strike)
        if run.link:
            dress_link(made, inline.source(run.link), self.style.accent)
        return made

    def _content(self, cursor: QTextCursor, content: str | Slot, base: QTextCharFormat) -> None:
        if isinstance(content, str):
            self._plain(cursor, content, base)
        elif self._show is None:
            insert_slot(cursor, content, base)
        else:
            shown = self._show(content)
            made = slot_format(base, content, self.next_id, blank=shown.blank)
            self.next_id += 1
            cursor.insertText(shown.text.replace("\n", BREAK), made)

    def _plain(self, cursor: QTextCursor, text: str, base: QTextCharFormat) -> None:
        """Write plain text; in a letter, braces that were meant as braces show as such."""
        if self._show is None or inline.ESCAPED not in text:
            cursor.insertText(text, base)
            return
        braces = QTextCharFormat(base)
        braces.setProperty(BRACES, True)
        for index, piece in enumerate(text.split(inline.ESCAPED)):
            if index:
                cursor.insertText("{{", braces)
            cursor.insertText(piece, base)


def _hangs_on(block: Block) -> tuple[str, str, bool]:
    """What neighbours share that hang on the same; what is left out because of a condition is one
    part, whatever in it is repeated."""
    each = "" if block.out and block.when else block.each
    return block.when, each, block.out


def is_ordered(found: QTextList) -> bool:
    """Whether a list is numbered."""
    return found.format().style() == QTextListFormat.Style.ListDecimal


def insert_object(
    cursor: QTextCursor, base: QTextCharFormat, kind: int, name: int = 0, value: str = ""
) -> None:
    """Put something that is one thing into the text; value is kept under the property name."""
    plain = plain_format(base)
    made = QTextCharFormat(plain)
    made.setObjectType(kind)
    if name:
        made.setProperty(name, value)
    made.setVerticalAlignment(QTextCharFormat.VerticalAlignment.AlignBaseline)
    cursor.insertText(OBJECT, made)
    cursor.setCharFormat(plain)


def insert_start(cursor: QTextCursor, base: QTextCharFormat) -> None:
    """Put the start mark into the text."""
    insert_object(cursor, base, START_OBJECT)


def insert_slot(cursor: QTextCursor, slot: Slot, base: QTextCharFormat) -> None:
    """Put a placeholder into a template's text, as one thing."""
    insert_object(cursor, base, SLOT_OBJECT, SLOT, slot.inner)
