"""Shapes and formats on paper: what the selection looks like and what its paragraphs are."""

from collections.abc import Callable

from msgspec.structs import replace
from PySide6.QtGui import QColor, QFont, QTextBlock, QTextCharFormat, QTextCursor

from nebbet.core import body as bodies
from nebbet.core import inline
from nebbet.core.body import ListItem, Paragraph
from nebbet.core.inline import Line
from nebbet.desktop.paper import docformat, docread, docwrite
from nebbet.desktop.paper.docwrite import Writer
from nebbet.desktop.paper.paper_text import PaperText


class Shaping:
    """Changes the formats and kinds of what is selected in an editor, as one step of undo each."""

    def __init__(self, editor: PaperText) -> None:
        self._editor = editor

    def toggle_bold(self) -> None:
        """Make the selection bold, or not bold any more."""
        bold = self._editor.fontWeight() >= QFont.Weight.DemiBold
        made = QTextCharFormat()
        made.setFontWeight(QFont.Weight.Normal if bold else QFont.Weight.Bold)
        self._editor.mergeCurrentCharFormat(made)

    def toggle_italic(self) -> None:
        """Make the selection italic, or not italic any more."""
        made = QTextCharFormat()
        made.setFontItalic(not self._editor.fontItalic())
        self._editor.mergeCurrentCharFormat(made)

    def toggle_underline(self) -> None:
        """Underline the selection, or not any more."""
        made = QTextCharFormat()
        made.setFontUnderline(not self._editor.fontUnderline())
        self._editor.mergeCurrentCharFormat(made)

    def toggle_strike(self) -> None:
        """Strike the selection out, or not any more."""
        made = QTextCharFormat()
        made.setFontStrikeOut(not self._editor.currentCharFormat().fontStrikeOut())
        self._editor.mergeCurrentCharFormat(made)

    def set_side(self, align: bodies.Align) -> None:
        """Put the paragraphs of the selection to a side."""
        self._change_blocks(lambda block: _looking(block, align=align))

    def toggle_quote(self) -> None:
        """Quote the paragraphs of the selection, or not any more."""
        quoted = not self._editor.textCursor().blockFormat().property(docformat.QUOTE)
        self._change_blocks(lambda block: _looking(block, quote=quoted))

    def toggle_guidance(self) -> None:
        """Make the paragraphs of the selection notes to the writer, or text again."""
        self._toggle_kind(docformat.GUIDANCE, bodies.Guidance)

    def toggle_facts(self) -> None:
        """Make the paragraphs of the selection rows of a fact table, or text again."""
        self._toggle_kind(docformat.FACT, bodies.FactRow)

    def _toggle_kind(self, kind: str, make: Callable[[tuple[()]], bodies.Block]) -> None:
        on = self._editor.textCursor().blockFormat().property(docformat.KIND) == kind
        self._reshape_each(
            lambda block: docread.dressed(
                Paragraph() if on else make(()), replace(docread.shape_of(block), quote=False)
            )
        )

    def set_button(self, link: str) -> None:
        """Make the paragraph at hand a button that leads to an address; "" makes it text."""
        made = bodies.Button((), inline.parse(link)) if link else Paragraph()
        cursor = self._editor.textCursor()
        if link and cursor.blockFormat().property(docformat.KIND) == docformat.FACT:
            cursor.beginEditBlock()  # a row of facts stays one: the button comes below it
            cursor.movePosition(QTextCursor.MoveOperation.EndOfBlock)
            cursor.insertBlock()
            self._editor.writer().dress_block(cursor, made)
            cursor.endEditBlock()
            self._editor.setTextCursor(cursor)
            return
        self._reshape_each(lambda block: docread.dressed(made, docread.shape_of(block)))

    def button_link(self) -> str | None:
        """Where the button at the cursor leads; None where there is no button."""
        how = self._editor.textCursor().blockFormat()
        if how.property(docformat.KIND) != docformat.BUTTON:
            return None
        return str(how.property(docformat.LINK) or "")

    def insert_divider(self) -> None:
        """Put a line across the text behind the paragraph at hand, as one step."""
        cursor = self._editor.textCursor()
        cursor.beginEditBlock()
        cursor.movePosition(QTextCursor.MoveOperation.EndOfBlock)
        if cursor.block().text():
            cursor.insertBlock()
        writer = self._editor.writer()
        writer.dress_block(cursor, bodies.Divider())
        cursor.insertBlock()
        writer.dress_block(cursor, Paragraph())
        cursor.endEditBlock()
        self._editor.setTextCursor(cursor)

    def insert_start(self) -> None:
        """Put the start mark at the cursor; there is only one."""
        cursor = self._editor.textCursor()
        cursor.beginEditBlock()
        place = self.start_position()
        if place is not None:
            old = QTextCursor(self._editor.document())
            old.setPosition(place)
            old.deleteChar()
        docwrite.insert_start(cursor, self._editor.currentCharFormat())
        cursor.endEditBlock()

    def start_position(self) -> int | None:
        """Where the start mark stands, if there is one."""
        for block in docread.blocks(self._editor.document()):
            for fragment in docread.fragments(block):
                if fragment.charFormat().objectType() == docformat.START_OBJECT:
                    return fragment.position()
        return None

    def _change_blocks(self, make: Callable[[bodies.Block], bodies.Block]) -> None:
        """Dress the blocks of the selection as something else, as one step."""
        self._reshape_each(lambda block: make(docread.shape_of(block)))

    def set_link(self, address: str) -> None:
        """Link the selection, or the word under the cursor, to an address; "" takes it off."""
        cursor = self._editor.textCursor()
        if not cursor.hasSelection():
            cursor.select(QTextCursor.SelectionType.WordUnderCursor)
        if not cursor.hasSelection():
            cursor.insertText(address)
            cursor.movePosition(
                QTextCursor.MoveOperation.Left, QTextCursor.MoveMode.KeepAnchor, len(address)
            )
        made = QTextCharFormat()
        if address:
            docformat.dress_link(made, address, self._editor.frame.accent)
        else:
            made.setAnchor(False)
            made.setAnchorHref("")
            made.setFontUnderline(False)
            made.setForeground(QColor(self._editor.frame.ink))
        cursor.mergeCharFormat(made)

    def set_link_address(self, address: str) -> None:
        """Let the whole link at the cursor lead elsewhere."""
        cursor = self._editor.textCursor()
        old = cursor.charFormat().anchorHref()
        if not old or not address:
            return
        block = cursor.block()
        spans = [
            (f.position(), f.length())
            for f in docread.fragments(block)
            if f.charFormat().anchorHref() == old
        ]
        made = QTextCharFormat()
        docformat.dress_link(made, address, self._editor.frame.accent)
        change = QTextCursor(block)
        change.beginEditBlock()
        for start, length in spans:
            change.setPosition(start)
            change.setPosition(start + length, QTextCursor.MoveMode.KeepAnchor)
            change.mergeCharFormat(made)
        change.endEditBlock()

    def set_button_link(self, address: str) -> None:
        """Let the button at the cursor lead elsewhere."""
        cursor = self._editor.textCursor()
        how = cursor.blockFormat()
        how.setProperty(docformat.LINK, address)
        cursor.setBlockFormat(how)

    def put_picture(
        self, position: int, file: str, alt: Line, width: int, height: int, link: Line
    ) -> None:
        """Put a picture in the place of the one at a position."""
        cursor = QTextCursor(self._editor.document())
        cursor.setPosition(position)
        cursor.setPosition(position + 1, QTextCursor.MoveMode.KeepAnchor)
        picture = bodies.Picture(file, alt, width, height, link)
        cursor.setCharFormat(docformat.image_format(picture, self._editor.widest))

    def set_heading(self, level: int) -> None:
        """Turn the blocks of the selection into headings; 0 makes them paragraphs."""
        self._reshape(lambda parts: bodies.Heading(parts, level) if level else Paragraph(parts))

    def set_list(self, *, ordered: bool) -> None:
        """Turn the blocks of the selection into list items, or back into paragraphs."""
        held = self._editor.textCursor().block().textList()
        on = held is not None and docformat.list_format(ordered, 0).style() == held.format().style()
        self._reshape(lambda parts: Paragraph(parts) if on else ListItem(parts, ordered))

    def _reshape(self, make: Callable[[tuple[bodies.Inline, ...]], bodies.Block]) -> None:
        """Make the blocks of the selection other ones, with the look that they have."""
        self._reshape_each(lambda block: docread.dressed(make(()), docread.shape_of(block)))

    def _reshape_each(self, make: Callable[[QTextBlock], bodies.Block]) -> None:
        """Dress the blocks of the selection as make says, as one step."""
        selection = self._editor.textCursor()
        first = self._editor.document().findBlock(selection.selectionStart())
        last = self._editor.document().findBlock(selection.selectionEnd())
        writer = self._editor.writer()
        cursor = QTextCursor(first)
        cursor.beginEditBlock()
        block = first
        while block.isValid():
            cursor.setPosition(block.position())
            self._reshape_block(cursor, make(block), writer)
            if block == last:
                break
            block = block.next()
        cursor.endEditBlock()

    def _reshape_block(self, cursor: QTextCursor, shape: bodies.Block, writer: Writer) -> None:
        before = cursor.block().previous()
        hangs = (docformat.condition_of(before), docformat.list_of(before))
        writer.dress_block(cursor, shape, first=hangs != (shape.when, shape.each))
        whole = docformat.char_format(writer.style, shape)
        made = QTextCharFormat()
        made.setProperty(QTextCharFormat.Property.FontPixelSize.value, whole.font().pixelSize())
        made.setForeground(whole.foreground())
        made.setFontWeight(whole.fontWeight())
        cursor.movePosition(QTextCursor.MoveOperation.EndOfBlock, QTextCursor.MoveMode.KeepAnchor)
        cursor.mergeCharFormat(made)


def _looking(block: bodies.Block, **look: object) -> bodies.Block:
    """The same block in another look; guidance has none."""
    return block if isinstance(block, bodies.Guidance) else replace(block, **look)
