"""A piece of text that stands in another one as one thing: a passage, or finished HTML."""

from collections.abc import Callable
from typing import NamedTuple

from PySide6.QtCore import QObject, QPointF, QRect, QRectF, QSizeF
from PySide6.QtGui import (
    QAbstractTextDocumentLayout,
    QColor,
    QImage,
    QPainter,
    QPalette,
    QPen,
    QPyTextObject,
    QTextCursor,
    QTextDocument,
    QTextFormat,
)

from nebbet.core.body import FILE, Body, levelled
from nebbet.desktop.kit import theme
from nebbet.desktop.kit.closed_document import MOST_TABLES, ClosedDocument
from nebbet.desktop.paper import docformat
from nebbet.desktop.paper.docwrite import Writer

_LEFT, _TOP, _ROOM = 12.0, 18.0, 8.0
_GROUND = "#F3F1EC"


class Piece(NamedTuple):
    """What is drawn: the words above it, and the text as a body or as HTML."""

    caption: str
    body: Body = ()
    html: str = ""


class BlockObject(QPyTextObject):
    """Draws a piece of text inside another one, as wide as the paper.

    piece(text_format) gives what is to be drawn, prepare(document) what draws the placeholders
    in it, writer() what writes it, picture(file) the pictures of the library.
    """

    def __init__(
        self,
        piece: Callable[[QTextFormat], Piece],
        prepare: Callable[[QTextDocument], None],
        writer: Callable[[], Writer],
        picture: Callable[[str], QImage | None],
        parent: QObject,
    ) -> None:
        super().__init__(parent)
        self._library_picture = picture
        self._piece, self._prepare, self._writer = piece, prepare, writer
        self._made: dict[str, tuple[Piece, QTextDocument]] = {}

    def _picture(self, address: str) -> QImage | None:
        found = FILE.fullmatch(address)
        return self._library_picture(found[1]) if found else None

    def _document(self, text_format: QTextFormat, width: float) -> tuple[Piece, QTextDocument]:
        piece = self._piece(text_format)
        key = str(text_format.property(docformat.PASSAGE) or text_format.property(docformat.SOURCE))
        held = self._made.get(key)
        if held is None or held[0] != piece:
            document = ClosedDocument(self._picture, self)
            document.setUndoRedoEnabled(False)
            document.setDocumentMargin(0)
            # It lies on paper, which is light in either look.
            document.setDefaultStyleSheet(f"a {{ color: {theme.LIGHT.plum} }}")
            self._prepare(document)
            if piece.html:
                document.setHtml(levelled(piece.html, tables=MOST_TABLES).text)
            else:
                self._writer().body(QTextCursor(document), piece.body)
            held = self._made[key] = (piece, document)
        held[1].setTextWidth(width - _LEFT)
        return held

    def intrinsicSize(
        self, document: QTextDocument, _position: int, text_format: QTextFormat
    ) -> QSizeF:
        """As wide as the paper, as high as the text in it."""
        width = max(document.textWidth() - 2 * document.documentMargin() - 2, 120.0)
        _, inside = self._document(text_format, width)
        return QSizeF(width, inside.size().height() + _TOP + _ROOM)

    def drawObject(
        self,
        painter: QPainter,
        rect: QRectF | QRect,
        _document: QTextDocument,
        _position: int,
        text_format: QTextFormat,
    ) -> None:
        """A ground, a rule, the caption, the text."""
        rect = QRectF(rect)
        piece, inside = self._document(text_format, rect.width())
        painter.save()
        painter.fillRect(rect, QColor(_GROUND))
        painter.setPen(QPen(QColor(theme.LIGHT.slate), 2))
        painter.drawLine(rect.topLeft(), rect.bottomLeft())
        painter.setFont(theme.ui_font(11))
        painter.drawText(rect.topLeft() + QPointF(_LEFT, 13), piece.caption)
        painter.translate(rect.topLeft() + QPointF(_LEFT, _TOP))
        context = QAbstractTextDocumentLayout.PaintContext()
        palette = QPalette()
        palette.setColor(QPalette.ColorRole.Text, QColor("#2A2430"))
        context.palette = palette
        inside.documentLayout().draw(painter, context)
        painter.restore()
