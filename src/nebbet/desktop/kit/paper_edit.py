"""The editor on paper: text in the frame's type, marks painted under it, clean pasting."""

from collections.abc import Callable, Iterator

from msgspec.structs import replace
from PySide6.QtCore import QMimeData, QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import (
    QColor,
    QFont,
    QImage,
    QKeyEvent,
    QKeySequence,
    QPainter,
    QPaintEvent,
    QTextBlock,
    QTextCharFormat,
    QTextCursor,
    QTextDocument,
    QTextLine,
)
from PySide6.QtWidgets import QFrame, QSizePolicy, QTextEdit

from nebbet.core import body as bodies
from nebbet.core import inline
from nebbet.core.body import Body, Frame, ListItem, Paragraph, render_plain
from nebbet.core.inline import Line
from nebbet.desktop.kit import bodydoc, theme
from nebbet.desktop.kit.bodydoc import ShowSlot, Writer, paper_style
from nebbet.desktop.kit.marks import (
    Mark,
    StartMark,
    paint_conditions,
    paint_mark,
    paint_shapes,
)
from nebbet.desktop.kit.pictures import Pictures

_LINE = 30  # pixels: the height of a single line
OWN_FORMAT = "application/x-nebbet-body"


class PaperEdit(QTextEdit):
    """A text editor on paper that grows with its text, or keeps to one line.

    edited says that a person changed something; entered that Return was pressed in a single line.
    """

    edited = Signal()
    entered = Signal()
    shows_start = True  # whether the start mark can be seen
    names_conditions = True  # whether the words of a condition stand above its part
    keeps_undo = True  # heirs whose text is only a part of what can be undone say False

    def __init__(self, pictures: Pictures | None = None, *, single: bool = False) -> None:
        super().__init__()
        self.single = single
        self._frame = Frame()
        self._pictures = pictures
        self._loading = False
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setTabChangesFocus(True)
        self.setAcceptRichText(True)
        self.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.viewport().setAutoFillBackground(False)
        self.document().setDocumentMargin(5 if single else 0)
        self._start = StartMark(self, shown=self.shows_start)
        self.document().documentLayout().registerHandler(bodydoc.START_OBJECT, self._start)
        self.document().contentsChanged.connect(self._changed)
        self.document().documentLayout().documentSizeChanged.connect(self._fit)
        if pictures:
            pictures.loaded.connect(self._picture_came)
        self._fit()

    # Content

    def writer(self, show: ShowSlot | None = None, first_id: int = 1) -> Writer:
        """What writes into this editor in the type of its frame."""
        style = paper_style(self._frame)
        widest = self.viewport().width() - 2 * round(self.document().documentMargin())
        return Writer(
            style,
            show,
            first_id,
            widest if self.isVisible() else 0,
            conditions=self.names_conditions,
        )

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
        cursor.setCharFormat(writer.char_format())
        if self.single:
            writer.line(cursor, content)  # type: ignore[arg-type]
        else:
            writer.body(cursor, content or (Paragraph(),))  # type: ignore[arg-type]
        self.document().setUndoRedoEnabled(self.keeps_undo)
        self._loaded(writer.next_id)
        self._loading = False
        self.moveCursor(QTextCursor.MoveOperation.Start)
        self._fit()

    def _loaded(self, next_id: int) -> None:
        """For heirs that keep an eye on what was loaded."""

    def body(self) -> Body:
        """What stands here, as a body."""
        return bodydoc.read_body(self.document())

    def line(self) -> Line:
        """What stands here, as a line."""
        return bodydoc.read_line(self.document())

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
        quoted = not self.textCursor().blockFormat().property(bodydoc.QUOTE)
        self._change_blocks(lambda block: _looking(block, quote=quoted))

    def toggle_guidance(self) -> None:
        """Make the paragraphs of the selection notes to the writer, or text again."""
        kind = self.textCursor().blockFormat().property(bodydoc.KIND)
        make = Paragraph if kind == bodydoc.GUIDANCE else bodies.Guidance
        self._change_blocks(lambda block: make((), when=block.when))

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
        bodydoc.insert_start(cursor, self.currentCharFormat())
        cursor.endEditBlock()

    def start_position(self) -> int | None:
        """Where the start mark stands, if there is one."""
        for block in bodydoc.blocks(self.document()):
            for fragment in bodydoc.fragments(block):
                if fragment.charFormat().objectType() == bodydoc.START_OBJECT:
                    return fragment.position()
        return None

    def _change_blocks(self, make: Callable[[bodies.Block], bodies.Block]) -> None:
        """Dress the blocks of the selection as something else, as one step."""
        self._reshape_each(lambda block: make(bodydoc.shape_of(block)))

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
            bodydoc.dress_link(made, address, self._frame.accent)
        else:
            made.setAnchor(False)
            made.setAnchorHref("")
            made.setFontUnderline(False)
            made.setForeground(QColor(self._frame.ink))
        cursor.mergeCharFormat(made)

    def set_heading(self, level: int) -> None:
        """Turn the blocks of the selection into headings; 0 makes them paragraphs."""
        self._reshape(lambda parts: bodies.Heading(parts, level) if level else Paragraph(parts))

    def condition(self) -> str:
        """The condition of the part that the cursor is in, or nothing."""
        return bodydoc.condition_of(self.textCursor().block())

    def set_condition(self, when: str) -> None:
        """Let the selected paragraphs, or the part at the cursor, belong only under a condition;
        "" is always. One step of undo."""
        first, last = self._part_at_cursor()
        cursor = QTextCursor(first)
        cursor.beginEditBlock()
        block = first
        while block.isValid():
            cursor.setPosition(block.position())
            bodydoc.set_condition(cursor, when, first=block == first)
            if block == last:
                break
            block = block.next()
        cursor.endEditBlock()
        self.viewport().update()

    def _part_at_cursor(self) -> tuple[QTextBlock, QTextBlock]:
        cursor = self.textCursor()
        first = self.document().findBlock(cursor.selectionStart())
        last = self.document().findBlock(cursor.selectionEnd())
        when = bodydoc.condition_of(first)
        if when and not cursor.hasSelection():
            while bodydoc.condition_of(first.previous()) == when:
                first = first.previous()
            while bodydoc.condition_of(last.next()) == when:
                last = last.next()
        return first, last

    def set_list(self, *, ordered: bool) -> None:
        """Turn the blocks of the selection into list items, or back into paragraphs."""
        held = self.textCursor().block().textList()
        on = held is not None and bodydoc.list_format(ordered, 0).style() == held.format().style()
        self._reshape(lambda parts: Paragraph(parts) if on else ListItem(parts, ordered))

    def _reshape(self, make: Callable[[tuple[bodies.Inline, ...]], bodies.Block]) -> None:
        """Make the blocks of the selection other ones, with the look that they have."""
        self._reshape_each(lambda block: bodydoc.with_look(make(()), bodydoc.shape_of(block)))

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
        begins = bodydoc.condition_of(cursor.block().previous()) != shape.when
        writer.dress_block(cursor, shape, first=begins)
        level = shape.level if isinstance(shape, bodies.Heading) else 0
        whole = writer.char_format(heading=level)
        made = QTextCharFormat()
        made.setProperty(QTextCharFormat.Property.FontPixelSize.value, whole.font().pixelSize())
        made.setForeground(whole.foreground())
        made.setFontWeight(whole.fontWeight())
        cursor.movePosition(QTextCursor.MoveOperation.EndOfBlock, QTextCursor.MoveMode.KeepAnchor)
        cursor.mergeCharFormat(made)

    # Pasting

    def createMimeDataFromSelection(self) -> QMimeData:
        """Copy as plain text, as clean HTML, and in a form that keeps placeholders."""
        data = QMimeData()
        cursor = self.textCursor()
        scratch = QTextDocument()
        QTextCursor(scratch).insertFragment(cursor.selection())
        body = bodydoc.read_body(scratch)
        data.setText(render_plain(body).rstrip("\n"))
        data.setHtml(bodies.write(body))
        data.setData(OWN_FORMAT, bodies.write(body).encode("utf-8"))
        return data

    def canInsertFromMimeData(self, source: QMimeData) -> bool:
        """Text of any kind can be pasted."""
        return source.hasText() or source.hasHtml() or source.hasFormat(OWN_FORMAT)

    def insertFromMimeData(self, source: QMimeData) -> None:
        """Paste clean: structure stays, fonts, sizes and colours do not."""
        if self.single:
            self.insert_plain(" ".join(source.text().splitlines()))
        elif source.hasFormat(OWN_FORMAT):
            self.insert_body(bodies.read(bytes(source.data(OWN_FORMAT).data()).decode("utf-8")))
        elif source.hasHtml():
            self.insert_body(bodies.read(source.html()))
        else:
            self.insert_body(text_body(source.text()))

    def insert_plain(self, text: str) -> None:
        """Insert text at the cursor in the type that stands there."""
        self.textCursor().insertText(text)

    def insert_body(self, body: Body) -> None:
        """Insert blocks at the cursor, as one step; a single paragraph joins the one at hand."""
        cursor = self.textCursor()
        cursor.beginEditBlock()
        cursor.removeSelectedText()
        writer = self._inserting_writer()
        if len(body) == 1 and isinstance(body[0], Paragraph):
            writer.inlines(cursor, body[0])
        elif body:
            if not cursor.block().text():
                writer.body(cursor, body)
            else:
                self._insert_between(cursor, writer, body)
        cursor.endEditBlock()
        self.setTextCursor(cursor)

    def _insert_between(self, cursor: QTextCursor, writer: Writer, body: Body) -> None:
        at_end = cursor.atBlockEnd()
        shape = cursor.blockFormat()
        cursor.insertBlock()
        if not at_end:
            cursor.insertBlock(shape)
            cursor.movePosition(QTextCursor.MoveOperation.PreviousBlock)
        writer.body(cursor, body)

    def _inserting_writer(self) -> Writer:
        return self.writer()

    # Marks

    def marks(self) -> Iterator[Mark]:
        """What to mark; heirs say."""
        return iter(())

    def paintEvent(self, event: QPaintEvent) -> None:
        """Paint the marks under the text, then the text."""
        painter = QPainter(self.viewport())
        painter.translate(-self.horizontalScrollBar().value(), -self.verticalScrollBar().value())
        for mark in self.marks():
            for rect in self.rects(mark.start, mark.end):
                paint_mark(painter, rect, mark.kind)
        paint_conditions(painter, self.document(), named=self.names_conditions)
        paint_shapes(painter, self.document())
        painter.end()
        super().paintEvent(event)

    def rects(self, start: int, end: int) -> Iterator[QRectF]:
        """Where a stretch of text stands, one rectangle for each line, in document coordinates."""
        block = self.document().findBlock(start)
        while block.isValid() and block.position() < end:
            yield from self._block_rects(block, start, end)
            block = block.next()

    def _block_rects(self, block: QTextBlock, start: int, end: int) -> Iterator[QRectF]:
        layout = block.layout()
        origin = self.document().documentLayout().blockBoundingRect(block).topLeft()
        first = max(start - block.position(), 0)
        last = min(end - block.position(), block.length() - 1)
        for index in range(layout.lineCount()):
            line = layout.lineAt(index)
            left = max(first, line.textStart())
            right = min(last, line.textStart() + line.textLength())
            if left < right:
                x1, x2 = _x(line, left), _x(line, right)
                top = line.y() + max(0.0, line.height() - line.ascent() - line.descent() - 3)
                height = line.ascent() + line.descent() + 3
                yield QRectF(x1, top, x2 - x1, height).translated(QPointF(origin))

    # Size

    def _fit(self, *_args: object) -> None:
        height = self.document().size().height()
        if self.single:
            height = max(height, _LINE)
        self.setFixedHeight(max(int(height) + 1, _LINE if self.single else 120))

    def sizeHint(self) -> QSize:
        """As tall as the text."""
        return QSize(300, self.height())

    # Events

    def _changed(self) -> None:
        if not self._loading:
            self.after_change()
            self.edited.emit()

    def after_change(self) -> None:
        """For heirs that follow what changed."""

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """A single line does not break; Ctrl+Y redoes, as Ctrl+Shift+Z does."""
        if self.single and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            if not event.modifiers():
                self.entered.emit()
            else:
                event.ignore()
            return
        if is_redo(event):
            self.redo()
            return
        super().keyPressEvent(event)

    # Pictures

    def loadResource(self, _kind: int, name) -> object:  # type: ignore[no-untyped-def]
        """A library picture, or nothing yet; no other address is ever loaded."""
        address = name.toString()
        if self._pictures and address.startswith(bodydoc.PICTURE):
            return self._pictures.get(address.removeprefix(bodydoc.PICTURE)) or QImage()
        return QImage()

    def _picture_came(self, file: str) -> None:
        address = bodydoc.PICTURE + file
        if any(file == found for found in bodies.files_of(self.body())):
            image = self._pictures.get(file) if self._pictures else None
            kind = QTextDocument.ResourceType.ImageResource
            self.document().addResource(kind.value, address, image)
            self.document().markContentsDirty(0, self.document().characterCount())


def _looking(block: bodies.Block, **look: object) -> bodies.Block:
    """The same block in another look; guidance has none."""
    return block if isinstance(block, bodies.Guidance) else replace(block, **look)


def _x(line: QTextLine, position: int) -> float:
    found: object = line.cursorToX(position)  # PySide6 gives (x, position), its stubs say x
    return float(found[0] if isinstance(found, tuple) else found)  # type: ignore[arg-type]


def is_redo(event: QKeyEvent) -> bool:
    """Whether a key asks to redo, on any desktop."""
    control_y = event.key() == Qt.Key.Key_Y and (
        event.modifiers() == Qt.KeyboardModifier.ControlModifier
    )
    return control_y or event.matches(QKeySequence.StandardKey.Redo)


def text_body(text: str) -> Body:
    """Plain text as a body: empty lines part paragraphs, other line ends stay line ends."""
    blocks: list[bodies.Block] = []
    for piece in text.replace("\r\n", "\n").replace("\r", "\n").split("\n\n"):
        parts: list[bodies.Inline] = []
        for index, line in enumerate(piece.strip("\n").split("\n")):
            if index:
                parts.append(bodies.Break())
            parts += [bodies.Run(content) for content in inline.parse(line)]
        if parts:
            blocks.append(Paragraph(tuple(parts)))
    return bodies.tidy(blocks)
