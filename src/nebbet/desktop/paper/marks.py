"""What is painted under, beside and into text on paper: marks, rules, the start mark."""

from typing import Literal, NamedTuple

from PySide6.QtCore import QObject, QPointF, QRect, QRectF, QSizeF, Qt
from PySide6.QtGui import (
    QColor,
    QFontMetricsF,
    QPainter,
    QPen,
    QPyTextObject,
    QTextBlock,
    QTextDocument,
    QTextFormat,
)

from nebbet.desktop.kit import theme
from nebbet.desktop.paper import docformat, docread

MarkKind = Literal["blank", "value", "changed", "unknown", "spelling"]


class Mark(NamedTuple):
    """A stretch of text to be marked, as document positions."""

    start: int
    end: int
    kind: MarkKind


def paint_hanging(painter: QPainter, document: QTextDocument, *, named: bool) -> None:
    """A rule beside every part that hangs on a condition or a list; named says that its words are
    shown."""
    layout, before = document.documentLayout(), ("", "")
    look = theme.LIGHT  # paper is light in either scheme
    for block in docread.blocks(document):
        when, each = docformat.condition_of(block), docformat.list_of(block)
        if when or each:
            rect = layout.blockBoundingRect(block)
            goes_on = (when, each) == before
            left = _left(block, rect) - 8
            top = rect.top() - (12 if goes_on else 0)
            ink = QColor(look.plum if when else look.slate)
            painter.setPen(QPen(ink, 2, _RULES[bool(when), bool(each)]))
            painter.drawLine(QPointF(left, top), QPointF(left, rect.bottom()))
            if named and not goes_on:
                said = [f"only if {when}" if when else "", f"for each of {each}" if each else ""]
                painter.setFont(theme.ui_font(11))
                painter.setPen(ink)
                painter.drawText(QPointF(left, rect.top() - 5), ", ".join(filter(None, said)))
        before = (when, each)


_RULES = {
    (True, False): Qt.PenStyle.SolidLine,
    (False, True): Qt.PenStyle.DotLine,
    (True, True): Qt.PenStyle.DashDotLine,
}
_HAIR = QColor("#C9C3BA")


def _kind(block: QTextBlock) -> str:
    return str(block.blockFormat().property(docformat.KIND) or "")


def paint_shapes(painter: QPainter, document: QTextDocument, accent: str) -> None:
    """The rule beside a quote, the line of a divider, the ground of a button, the hairline under a
    fact, and what is said of guidance."""
    layout = document.documentLayout()
    for block in docread.blocks(document):
        kind, quoted = _kind(block), block.blockFormat().property(docformat.QUOTE)
        if not (quoted or kind):
            continue
        rect = layout.blockBoundingRect(block)
        if kind == docformat.GUIDANCE:
            _paint_guidance(painter, rect)
        if quoted:
            painter.setPen(QPen(_HAIR, 3))
            left = _left(block, rect) - 10
            painter.drawLine(QPointF(left, rect.top()), QPointF(left, rect.bottom()))
        if kind == docformat.FACT or (kind == docformat.DIVIDER and not block.text()):
            left, right = _reach(block)
            y = rect.bottom() + 2 if kind == docformat.FACT else rect.center().y()
            painter.setPen(QPen(_HAIR, 1))
            painter.drawLine(QPointF(left, y), QPointF(right, y))
        if kind == docformat.BUTTON:
            _paint_button(painter, block, rect.topLeft(), accent)


def _left(block: QTextBlock, rect: QRectF) -> float:
    """Where the margin of a block ends, beside its first line."""
    how = block.blockFormat()
    return rect.left() + how.leftMargin() + how.textIndent()


def _reach(block: QTextBlock) -> tuple[float, float]:
    """Where the lines of a block begin and end, from left to right."""
    layout = block.layout()
    lines = [layout.lineAt(index).rect() for index in range(layout.lineCount())]
    x = layout.position().x()
    return (
        x + min((line.left() for line in lines), default=0.0),
        x + max((line.right() for line in lines), default=0.0),
    )


def _paint_guidance(painter: QPainter, rect: QRectF) -> None:
    slate = QColor(theme.LIGHT.slate)
    painter.setPen(QPen(slate, 3))
    painter.drawLine(rect.topLeft(), rect.bottomLeft())
    painter.setFont(theme.ui_font(10))
    painter.drawText(QPointF(rect.left() - 1, rect.top() - 1), "guidance, never sent")


def _paint_button(painter: QPainter, block: QTextBlock, origin: QPointF, accent: str) -> None:
    """The ground of a button, as wide as its words."""
    layout = block.layout()
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(QColor(accent))
    for index in range(layout.lineCount()):
        line = layout.lineAt(index).naturalTextRect().translated(origin)
        if not block.text():
            line.setWidth(80)
        painter.drawRoundedRect(line.adjusted(-14, -6, 14, 6), 3, 3)
    painter.setBrush(Qt.BrushStyle.NoBrush)


class StartMark(QPyTextObject):
    """Draws the start mark: a small plum caret, or nothing in a letter."""

    def __init__(self, parent: QObject, *, shown: bool) -> None:
        super().__init__(parent)
        self._shown = shown

    def intrinsicSize(
        self, _document: QTextDocument, _position: int, text_format: QTextFormat
    ) -> QSizeF:
        """As high as the text beside it."""
        height = QFontMetricsF(text_format.toCharFormat().font()).ascent()
        return QSizeF(10 if self._shown else 0, height)

    def drawObject(
        self,
        painter: QPainter,
        rect: QRectF | QRect,
        _document: QTextDocument,
        _position: int,
        _format: QTextFormat,
    ) -> None:
        """A caret."""
        if self._shown:
            rect = QRectF(rect)
            painter.setPen(QPen(QColor(theme.LIGHT.plum), 2))
            x = rect.center().x()
            painter.drawLine(QPointF(x, rect.top() + 1), QPointF(x, rect.bottom()))
            for y in (rect.top() + 1, rect.bottom()):
                painter.drawLine(QPointF(x - 3, y), QPointF(x + 3, y))


def paint_mark(painter: QPainter, rect: QRectF, kind: MarkKind) -> None:
    """A blank has a ground and a dashed foot, a value a solid foot, a changed one a double foot,
    an unknown name a wavy one, a doubtful word a dotted one: colour never stands alone."""
    look = theme.LIGHT  # paper is light in either scheme
    foot = rect.bottom() - 1
    if kind == "blank":
        painter.fillRect(rect, QColor(look.ochre_ground))
        painter.setPen(QPen(QColor(look.ochre_edge), 1.5, Qt.PenStyle.DashLine))
        painter.drawLine(QPointF(rect.left(), foot), QPointF(rect.right(), foot))
    elif kind == "spelling":
        painter.setPen(QPen(QColor(look.slate), 2, Qt.PenStyle.DotLine))
        painter.drawLine(QPointF(rect.left(), foot), QPointF(rect.right(), foot))
    elif kind == "unknown":
        painter.setPen(QPen(QColor(look.brick), 1.2))
        _wave(painter, rect.left(), rect.right(), foot)
    else:
        painter.setPen(QPen(QColor(look.spruce), 1))
        painter.drawLine(QPointF(rect.left(), foot), QPointF(rect.right(), foot))
        if kind == "changed":
            painter.drawLine(QPointF(rect.left(), foot - 2.5), QPointF(rect.right(), foot - 2.5))


def _wave(painter: QPainter, left: float, right: float, foot: float) -> None:
    x, y = left, foot
    while x < right:
        step, other = min(x + 3, right), foot - 2 if y == foot else foot
        painter.drawLine(QPointF(x, y), QPointF(step, other))
        x, y = step, other
