"""A text editor over the body model: its content, its formats, its parts."""

from collections.abc import Callable

from msgspec.structs import replace
from PySide6.QtGui import (
    QColor,
    QFont,
    QTextBlock,
    QTextCharFormat,
    QTextCursor,
)
from PySide6.QtWidgets import QTextEdit

from nebbet.core import body as bodies
from nebbet.core import inline
from nebbet.core.body import Body, Frame, ListItem, Paragraph
from nebbet.core.inline import Line
from nebbet.desktop.kit import theme
from nebbet.desktop.paper import docformat, docread, docwrite
from nebbet.desktop.paper.docformat import paper_style
from nebbet.desktop.paper.docwrite import ShowSlot, Writer


class ShapedEdit(QTextEdit):
    """Loads and reads bodies and lines, and changes them as one step of undo each."""

    names_conditions = True  # whether the words of a condition stand above its part
    keeps_undo = True  # heirs whose text is only a part of what can be undone say False

    def __init__(self, *, single: bool = False) -> None:
        super().__init__()
        self.single = single
        self._frame = Frame()
        self._loading = False

    # Content

    def writer(self, show: ShowSlot | None = None, first_id: int = 1) -> Writer:
        """What writes into this editor in the type of its frame."""
        style = paper_style(self._frame)
        return Writer(
            style,
            show,
            first_id,
            self.widest,
            conditions=self.names_conditions,
        )

    @property
    def widest(self) -> int:
        """How wide a picture can be, in pixels; 0 while that is not known."""
        width = self.viewport().width() - 2 * round(self.document().documentMargin())
        return width if self.isVisible() else 0

    def set_frame(self, frame: Frame) -> None:
        """Take the type and colours of a frame; shown with the next load."""
        self._frame = frame
        self.setPalette(theme.paper_palette(frame.ink, frame.paper))

    def load(self, content: Body | Line, show: ShowSlot | None = None) -> None:
        """Show a body, or a line in a single one; undo begins anew."""
        self._loading = True
        self.document().setUndoRedoEnabled(False)
        self.document().clear()
        writer = self.writer(show)
        cursor = QTextCursor(self.document())
        cursor.setCharFormat(docformat.char_format(writer.style))
        if self.single:
            writer.line(cursor, content)  # type: ignore[arg-type]
        else:
            writer.body(cursor, content or (Paragraph(),))  # type: ignore[arg-type]
        self.document().setUndoRedoEnabled(self.keeps_undo)
        self._loaded(writer.next_id)
        self._loading = False
        self.moveCursor(QTextCursor.MoveOperation.Start)

    def _loaded(self, next_id: int) -> None:
        """For heirs that keep an eye on what was loaded."""

    def body(self) -> Body:
        """What stands here, as a body."""
        return docread.read_body(self.document())

    def line(self) -> Line:
        """What stands here, as a line."""
        return docread.read_line(self.document())

    def insert_plain(self, text: str) -> None:
        """Put text at the cursor, over what is selected, in the type that stands there."""
        self.textCursor().insertText(text)

    # Formatting

    def toggle_bold(self) -> None:
        """Make the selection bold, or not bold any more."""
        bold = self.fontWeight() >= QFont.Weight.DemiBold
        made = QTextCharFormat()
        made.setFontWeight(QFont.Weight.Normal if bold else QFont.Weight.Bold)
        self.mergeCurrentCharFormat(made)

    def toggle_italic(self) -> None:
        """Make the selection italic, or not italic any more."""
        made = QTextCharFormat()
        made.setFontItalic(not self.fontItalic())
        self.mergeCurrentCharFormat(made)

    def toggle_underline(self) -> None:
        """Underline the selection, or not any more."""
        made = QTextCharFormat()
        made.setFontUnderline(not self.fontUnderline())
        self.mergeCurrentCharFormat(made)

    def toggle_strike(self) -> None:
        """Strike the selection out, or not any more."""
        made = QTextCharFormat()
        made.setFontStrikeOut(not self.currentCharFormat().fontStrikeOut())
        self.mergeCurrentCharFormat(made)

    def set_side(self, align: bodies.Align) -> None:
        """Put the paragraphs of the selection to a side."""
        self._change_blocks(lambda block: _looking(block, align=align))

    def toggle_quote(self) -> None:
        """Quote the paragraphs of the selection, or not any more."""
        quoted = not self.textCursor().blockFormat().property(docformat.QUOTE)
        self._change_blocks(lambda block: _looking(block, quote=quoted))

    def toggle_guidance(self) -> None:
        """Make the paragraphs of the selection notes to the writer, or text again."""
        self._toggle_kind(docformat.GUIDANCE, bodies.Guidance)

    def toggle_facts(self) -> None:
        """Make the paragraphs of the selection rows of a fact table, or text again."""
        self._toggle_kind(docformat.FACT, bodies.FactRow)

    def _toggle_kind(self, kind: str, make: Callable[[tuple[()]], bodies.Block]) -> None:
        on = self.textCursor().blockFormat().property(docformat.KIND) == kind
        self._reshape_each(
            lambda block: docread.dressed(
                Paragraph() if on else make(()), replace(docread.shape_of(block), quote=False)
            )
        )

    def set_button(self, link: str) -> None:
        """Make the paragraph at hand a button that leads to an address; "" makes it text."""
        made = bodies.Button((), inline.parse(link)) if link else Paragraph()
        self._reshape_each(lambda block: docread.dressed(made, docread.shape_of(block)))

    def button_link(self) -> str | None:
        """Where the button at the cursor leads; None where there is no button."""
        how = self.textCursor().blockFormat()
        if how.property(docformat.KIND) != docformat.BUTTON:
            return None
        return str(how.property(docformat.LINK) or "")

    def insert_divider(self) -> None:
        """Put a line across the text behind the paragraph at hand, as one step."""
        cursor = self.textCursor()
        cursor.beginEditBlock()
        cursor.movePosition(QTextCursor.MoveOperation.EndOfBlock)
        if cursor.block().text():
            cursor.insertBlock()
        writer = self.writer()
        writer.dress_block(cursor, bodies.Divider())
        cursor.insertBlock()
        writer.dress_block(cursor, Paragraph())
        cursor.endEditBlock()
        self.setTextCursor(cursor)

    def insert_start(self) -> None:
        """Put the start mark at the cursor; there is only one."""
        cursor = self.textCursor()
        cursor.beginEditBlock()
        place = self.start_position()
        if place is not None:
            old = QTextCursor(self.document())
            old.setPosition(place)
            old.deleteChar()
        docwrite.insert_start(cursor, self.currentCharFormat())
        cursor.endEditBlock()

    def start_position(self) -> int | None:
        """Where the start mark stands, if there is one."""
        for block in docread.blocks(self.document()):
            for fragment in docread.fragments(block):
                if fragment.charFormat().objectType() == docformat.START_OBJECT:
                    return fragment.position()
        return None

    def _change_blocks(self, make: Callable[[bodies.Block], bodies.Block]) -> None:
        """Dress the blocks of the selection as something else, as one step."""
        self._reshape_each(lambda block: make(docread.shape_of(block)))

    def set_link(self, address: str) -> None:
        """Link the selection, or the word under the cursor, to an address; "" takes it off."""
        cursor = self.textCursor()
        if not cursor.hasSelection():
            cursor.select(QTextCursor.SelectionType.WordUnderCursor)
        if not cursor.hasSelection():
            cursor.insertText(address)
            cursor.movePosition(
                QTextCursor.MoveOperation.Left, QTextCursor.MoveMode.KeepAnchor, len(address)
            )
        made = QTextCharFormat()
        if address:
            docformat.dress_link(made, address, self._frame.accent)
        else:
            made.setAnchor(False)
            made.setAnchorHref("")
            made.setFontUnderline(False)
            made.setForeground(QColor(self._frame.ink))
        cursor.mergeCharFormat(made)

    def set_link_address(self, address: str) -> None:
        """Let the whole link at the cursor lead elsewhere."""
        cursor = self.textCursor()
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
        docformat.dress_link(made, address, self._frame.accent)
        change = QTextCursor(block)
        change.beginEditBlock()
        for start, length in spans:
            change.setPosition(start)
            change.setPosition(start + length, QTextCursor.MoveMode.KeepAnchor)
            change.mergeCharFormat(made)
        change.endEditBlock()

    def set_button_link(self, address: str) -> None:
        """Let the button at the cursor lead elsewhere."""
        cursor = self.textCursor()
        how = cursor.blockFormat()
        how.setProperty(docformat.LINK, address)
        cursor.setBlockFormat(how)

    def put_picture(
        self, position: int, file: str, alt: Line, width: int, height: int, link: Line
    ) -> None:
        """Put a picture in the place of the one at a position."""
        cursor = QTextCursor(self.document())
        cursor.setPosition(position)
        cursor.setPosition(position + 1, QTextCursor.MoveMode.KeepAnchor)
        picture = bodies.Picture(file, alt, width, height, link)
        cursor.setCharFormat(docformat.image_format(picture, self.widest))

    def set_heading(self, level: int) -> None:
        """Turn the blocks of the selection into headings; 0 makes them paragraphs."""
        self._reshape(lambda parts: bodies.Heading(parts, level) if level else Paragraph(parts))

    def condition(self) -> str:
        """The condition of the part that the cursor is in, or nothing."""
        return docformat.condition_of(self.textCursor().block())

    def set_condition(self, when: str) -> None:
        """Let the selected paragraphs, or the part at the cursor, belong only under a condition;
        "" is always. One step of undo."""
        self._hang(docformat.WHEN, docformat.condition_of, when)

    def list_over(self) -> str:
        """The list over which the part at the cursor is repeated, or nothing."""
        return docformat.list_of(self.textCursor().block())

    def set_list_over(self, each: str) -> None:
        """Repeat the selected paragraphs, or the part at the cursor, for each member of a list;
        "" is once. One step of undo."""
        self._hang(docformat.EACH, docformat.list_of, each)

    def _hang(self, which: int, of: Callable[[QTextBlock], str], value: str) -> None:
        first, last = self._part_at_cursor(of)
        cursor = QTextCursor(first)
        cursor.beginEditBlock()
        block = first
        while block.isValid():
            cursor.setPosition(block.position())
            docformat.hang(cursor, which, value, first=block == first)
            if block == last:
                break
            block = block.next()
        cursor.endEditBlock()
        self.viewport().update()

    def _part_at_cursor(self, of: Callable[[QTextBlock], str]) -> tuple[QTextBlock, QTextBlock]:
        cursor = self.textCursor()
        first = self.document().findBlock(cursor.selectionStart())
        last = self.document().findBlock(cursor.selectionEnd())
        if of(first) and not cursor.hasSelection():
            value = of(first)
            while of(first.previous()) == value:
                first = first.previous()
            while of(last.next()) == value:
                last = last.next()
        return first, last

    # Parts as a whole

    def move_part(self, by: int) -> None:
        """Move the parts at the cursor one part up (-1) or down (1)."""
        self._change_parts(lambda body, span: bodies.moved(body, span, by))

    def duplicate_part(self) -> None:
        """Put the parts at the cursor once more behind themselves."""
        self._change_parts(bodies.duplicated)

    def remove_part(self) -> None:
        """Take the parts at the cursor out as a whole."""
        self._change_parts(bodies.removed)

    def set_columns(self, number: int) -> None:
        """Put the parts at the cursor into the first of some columns; 0 takes columns away."""
        self._change_parts(lambda body, span: bodies.in_columns(body, span, number))

    def insert_passage(self, passage: str) -> None:
        """Include a passage behind the paragraph at hand."""
        included = bodies.Included(passage)

        def put(body: Body, span: tuple[int, int]) -> tuple[Body, int]:
            at = span[1] if body else 0
            if at and body[at - 1] == Paragraph(column=body[at - 1].column):
                at -= 1
                body = (*body[:at], *body[at + 1 :])
            column = body[max(at - 1, 0)].column if body else 0
            made = replace(included, column=column)
            return bodies.tidy([*body[:at], made, *body[at:]]), at

        self._change_parts(put)

    def _change_parts(self, change: Callable[[Body, tuple[int, int]], tuple[Body, int]]) -> None:
        """Change the body as a whole and write it anew, as one step."""
        found = docread.read_blocks(self.document())
        cursor = self.textCursor()
        ends = (cursor.selectionStart(), cursor.selectionEnd())
        held = [self.document().findBlock(end).position() for end in ends]
        inside = [i for i, (b, _) in enumerate(found) if held[0] <= b.position() <= held[1]]
        span = (inside[0], inside[-1] + 1) if inside else (len(found), len(found))
        offset = cursor.position() - held[0]
        made, at = change(tuple(block for _, block in found), span)
        self.rewrite(made)
        after = docread.read_blocks(self.document())
        if after:
            block = after[min(at, len(after) - 1)][0]
            cursor.setPosition(block.position() + min(offset, block.length() - 1))
            self.setTextCursor(cursor)

    def rewrite(self, body: Body) -> None:
        """Write another body in the place of all that stands here, as one step."""
        cursor = self.textCursor()
        cursor.beginEditBlock()
        cursor.select(QTextCursor.SelectionType.Document)
        cursor.removeSelectedText()
        self._inserting_writer().body(cursor, body or (Paragraph(),))
        cursor.endEditBlock()

    def _inserting_writer(self) -> Writer:
        """What writes pieces into the text at hand; heirs give it places."""
        return self.writer()

    def set_list(self, *, ordered: bool) -> None:
        """Turn the blocks of the selection into list items, or back into paragraphs."""
        held = self.textCursor().block().textList()
        on = held is not None and docformat.list_format(ordered, 0).style() == held.format().style()
        self._reshape(lambda parts: Paragraph(parts) if on else ListItem(parts, ordered))

    def _reshape(self, make: Callable[[tuple[bodies.Inline, ...]], bodies.Block]) -> None:
        """Make the blocks of the selection other ones, with the look that they have."""
        self._reshape_each(lambda block: docread.dressed(make(()), docread.shape_of(block)))

    def _reshape_each(self, make: Callable[[QTextBlock], bodies.Block]) -> None:
        """Dress the blocks of the selection as make says, as one step."""
        selection = self.textCursor()
        first = self.document().findBlock(selection.selectionStart())
        last = self.document().findBlock(selection.selectionEnd())
        writer = self.writer()
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
