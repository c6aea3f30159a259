"""What is painted under, beside and into text on paper: marks, rules, the start mark."""

from typing import Literal, NamedTuple

from PySide6.QtCore import QObject, QPointF, QRect, QRectF, QSizeF, Qt
from PySide6.QtGui import (
    QColor,
    QFontMetricsF,
    QPainter,
    QPen,
    QPyTextObject,
    QTextDocument,
    QTextFormat,
)

from nebbet.desktop.kit import bodydoc, theme

Kind = Literal["blank", "value", "changed", "unknown"]


class Mark(NamedTuple):
    """A stretch of text to be marked, as document positions."""

    start: int
    end: int
    kind: Kind


def paint_conditions(painter: QPainter, document: QTextDocument, *, named: bool) -> None:
    """A rule beside every part that hangs on a condition; named says that its words are shown."""
    layout, before = document.documentLayout(), ""
    look = theme.LIGHT  # paper is light in either scheme
    for block in bodydoc.blocks(document):
        when = bodydoc.condition_of(block)
        if when:
            rect = layout.blockBoundingRect(block)
            left, top = rect.left() - 8, rect.top() - (12 if when == before else 0)
            painter.setPen(QPen(QColor(look.plum), 2))
            painter.drawLine(QPointF(left, top), QPointF(left, rect.bottom()))
            if named and when != before:
                painter.setFont(theme.ui_font(11))
                painter.setPen(QColor(look.plum))
                painter.drawText(QPointF(left, rect.top() - 5), f"only if {when}")
        before = when


def paint_shapes(painter: QPainter, document: QTextDocument) -> None:
    """The rule beside a quote, the line of a divider, and what is said of guidance."""
    layout = document.documentLayout()
    right = document.size().width() - document.documentMargin()
    for block in bodydoc.blocks(document):
        how = block.blockFormat()
        kind = how.property(bodydoc.KIND)
        if not (how.property(bodydoc.QUOTE) or kind):
            continue
        rect = layout.blockBoundingRect(block)
        if kind == bodydoc.GUIDANCE:
            slate = QColor(theme.LIGHT.slate)
            painter.setPen(QPen(slate, 3))
            painter.drawLine(rect.topLeft(), rect.bottomLeft())
            painter.setFont(theme.ui_font(10))
            painter.drawText(QPointF(rect.left() - 1, rect.top() - 1), "guidance, never sent")
        if how.property(bodydoc.QUOTE):
            painter.setPen(QPen(QColor("#C9C3BA"), 3))
            left = rect.left() - 10
            painter.drawLine(QPointF(left, rect.top()), QPointF(left, rect.bottom()))
        if kind == bodydoc.DIVIDER and not block.text():
            painter.setPen(QPen(QColor("#C9C3BA"), 1))
            middle = rect.center().y()
            painter.drawLine(QPointF(rect.left(), middle), QPointF(right, middle))


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


def paint_mark(painter: QPainter, rect: QRectF, kind: Kind) -> None:
    """A blank has a ground and a dashed foot, a value a solid foot, a changed one a double foot,
    an unknown name a wavy one: colour never stands alone."""
    look = theme.LIGHT  # paper is light in either scheme
    foot = rect.bottom() - 1
    if kind == "blank":
        painter.fillRect(rect, QColor(look.ochre_ground))
        painter.setPen(QPen(QColor(look.ochre_edge), 1.5, Qt.PenStyle.DashLine))
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
