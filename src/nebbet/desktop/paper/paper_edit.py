"""The editor on paper: text in the frame's type, marks painted under it, clean pasting."""

from collections.abc import Iterator

from PySide6.QtCore import QMimeData, QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import (
    QContextMenuEvent,
    QImage,
    QKeyEvent,
    QKeySequence,
    QPainter,
    QPaintEvent,
    QTextBlock,
    QTextCursor,
    QTextDocument,
    QTextLine,
)
from PySide6.QtWidgets import QFrame, QMenu, QSizePolicy

from nebbet.core import body as bodies
from nebbet.core.body import Block, Body, Paragraph, Picture, render_plain
from nebbet.core.inline import Line
from nebbet.desktop.kit.closed_document import no_picture
from nebbet.desktop.kit.pictures import Pictures
from nebbet.desktop.paper import docformat, docread
from nebbet.desktop.paper.docwrite import ShowSlot, Writer
from nebbet.desktop.paper.leaving import leave, to_next_column
from nebbet.desktop.paper.marks import (
    Mark,
    StartMark,
    paint_hanging,
    paint_mark,
    paint_shapes,
)
from nebbet.desktop.paper.paper_text import PaperText
from nebbet.desktop.paper.parts import Parts
from nebbet.desktop.paper.shaping import Shaping
from nebbet.desktop.paper.spelling import Spelling

_RETURN = (Qt.Key.Key_Return, Qt.Key.Key_Enter)
_LINE = 30  # pixels: the height of a single line
OWN_FORMAT = "application/x-nebbet-body"


class PaperEdit(PaperText):
    """A text editor on paper that grows with its text, or keeps to one line. What can be done with
    the text lies in its shape, its parts and its spelling.

    edited says that a person changed something; entered that Return was pressed in a single line.
    """

    edited = Signal()
    entered = Signal()
    picture_shown = Signal(str)
    shows_start = True  # whether the start mark can be seen

    def __init__(self, pictures: Pictures | None = None, *, single: bool = False) -> None:
        super().__init__(single=single)
        self._pictures = pictures
        self.shape, self.parts, self.spelling = Shaping(self), Parts(self), Spelling(self)
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setTabChangesFocus(True)
        self.setAcceptRichText(True)
        self.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.viewport().setAutoFillBackground(False)
        self.document().setDocumentMargin(5 if single else 0)
        self._start = StartMark(self, shown=self.shows_start)
        self.document().documentLayout().registerHandler(docformat.START_OBJECT, self._start)
        self.document().contentsChanged.connect(self._changed)
        self.document().documentLayout().documentSizeChanged.connect(self._fit)
        if pictures:
            pictures.loaded.connect(self._picture_came)
        self._fit()

    def load(self, content: Body | Line, show: ShowSlot | None = None) -> None:
        super().load(content, show)
        self._fit()

    def show_words(self, words: str) -> None:
        """Go to where some words stand, as far as they do."""
        found = self.document().find(words) if words else QTextCursor()
        if not found.isNull():
            self.setTextCursor(found)
        self.setFocus(Qt.FocusReason.ShortcutFocusReason)

    # Pasting

    def createMimeDataFromSelection(self) -> QMimeData:
        """Copy as plain text, as clean HTML, and in a form that keeps placeholders."""
        data = QMimeData()
        cursor = self.textCursor()
        scratch = QTextDocument()
        QTextCursor(scratch).insertFragment(cursor.selection())
        body = docread.read_body(scratch)
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
            self.insert_body(bodies.read_foreign(source.html()))
        else:
            self.insert_body(bodies.verbatim(source.text()))

    def insert_body(self, body: Body) -> None:
        """Insert blocks at the cursor, as one step; a single paragraph joins the one at hand."""
        cursor = self.textCursor()
        cursor.beginEditBlock()
        cursor.removeSelectedText()
        writer = self._inserting_writer()
        joins = len(body) == 1 and isinstance(body[0], Paragraph)
        if joins and not (_has_picture(body[0]) and _is_of_words(cursor.block())):
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

    # Marks

    def marks(self) -> Iterator[Mark]:
        """What to mark; heirs say."""
        return iter(())

    def paintEvent(self, event: QPaintEvent) -> None:
        """Paint the marks under the text, then the text."""
        painter = QPainter(self.viewport())
        painter.translate(-self.horizontalScrollBar().value(), -self.verticalScrollBar().value())
        spelling = self.spelling.marks(*self._shown_span(event))
        for mark in (*self.marks(), *spelling):
            for rect in self.rects(mark.start, mark.end):
                paint_mark(painter, rect, mark.kind)
        paint_hanging(painter, self.document(), named=self.names_conditions)
        paint_shapes(painter, self.document(), self.frame.accent)
        painter.end()
        super().paintEvent(event)

    def _shown_span(self, event: QPaintEvent) -> tuple[QTextBlock, int]:
        """The first block of what is to be painted, and where that ends."""
        area = event.rect()
        first = self.cursorForPosition(area.topLeft()).block()
        return first, self.cursorForPosition(area.bottomRight()).position()

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
        if event.key() in _RETURN and not event.modifiers() and leave(self):
            return
        super().keyPressEvent(event)

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        """The usual menu; over a doubtful word, with what may have been meant before it."""
        menu = self.createStandardContextMenu()
        self.fit_menu(menu)
        self.spelling.menu_at(self.cursorForPosition(event.pos()).position(), menu)
        menu.aboutToHide.connect(menu.deleteLater)
        menu.popup(event.globalPos())

    def fit_menu(self, menu: QMenu) -> None:
        """For heirs that can do more, or otherwise, than the usual menu thinks."""

    def focusNextPrevChild(self, next_child: bool) -> bool:
        """In a fact row, Tab goes from the label to the value and on to the next row; in columns
        from one to the next."""
        return (
            self._to_other_side(forward=next_child)
            or to_next_column(self, forward=next_child)
            or super().focusNextPrevChild(next_child)
        )

    def _to_other_side(self, *, forward: bool) -> bool:
        cursor = self.textCursor()
        block = cursor.block()
        if block.blockFormat().property(docformat.KIND) != docformat.FACT or self.isReadOnly():
            return False
        gap = block.text().find(docformat.GAP)
        if forward and gap < 0:
            cursor.movePosition(QTextCursor.MoveOperation.EndOfBlock)
            cursor.insertText(docformat.GAP)
        elif forward and cursor.positionInBlock() <= gap:
            cursor.setPosition(block.position() + gap + 1)
        elif not forward and 0 <= gap < cursor.positionInBlock():
            cursor.setPosition(block.position())
        else:
            return False
        self.setTextCursor(cursor)
        return True

    # Pictures

    def loadResource(self, _kind: int, name) -> object:  # type: ignore[no-untyped-def]
        """A library picture, or nothing yet; no other address is ever loaded."""
        address = name.toString()
        if self._pictures and address.startswith(docformat.PICTURE):
            return self.picture(address.removeprefix(docformat.PICTURE)) or no_picture()
        return no_picture()

    def picture(self, file: str) -> QImage | None:
        """A picture of the library; nothing yet while it is being read."""
        return self._pictures.get(file) if self._pictures else None

    def _picture_came(self, file: str) -> None:
        self.picture_shown.emit(file)
        address = docformat.PICTURE + file
        if any(file == found for found in bodies.files_of(self.body())):
            image = self.picture(file)
            kind = QTextDocument.ResourceType.ImageResource
            self.document().addResource(kind.value, address, image)
            self.document().markContentsDirty(0, self.document().characterCount())
            self.viewport().update()


def _has_picture(block: Block) -> bool:
    return any(isinstance(part, Picture) for part in block.inlines)


def _is_of_words(block: QTextBlock) -> bool:
    """Whether a block is of a kind that takes nothing but words."""
    kind = block.blockFormat().property(docformat.KIND)
    return kind in (docformat.BUTTON, docformat.GUIDANCE)


def _x(line: QTextLine, position: int) -> float:
    found: object = line.cursorToX(position)  # PySide6 gives (x, position), its stubs say x
    return float(found[0] if isinstance(found, tuple) else found)  # type: ignore[arg-type]


def is_redo(event: QKeyEvent) -> bool:
    """Whether a key asks to redo, on any desktop."""
    control_y = event.key() == Qt.Key.Key_Y and (
        event.modifiers() == Qt.KeyboardModifier.ControlModifier
    )
    return control_y or event.matches(QKeySequence.StandardKey.Redo)


def types(event: QKeyEvent) -> bool:
    """Whether a key types something."""
    command = Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.MetaModifier
    if event.modifiers() & command and not event.modifiers() & Qt.KeyboardModifier.AltModifier:
        return False
    return bool(event.text()) and event.text().isprintable()
