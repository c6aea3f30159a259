"""A placeholder as one thing in the text of a template: it is drawn, moved and deleted whole."""

from typing import Protocol

from PySide6.QtCore import QObject, QPointF, QRect, QRectF, QSizeF
from PySide6.QtGui import (
    QColor,
    QFont,
    QFontMetricsF,
    QPainter,
    QPyTextObject,
    QTextDocument,
    QTextFormat,
)

from nebbet.desktop.kit import theme
from nebbet.desktop.paper.docformat import slot_of
from nebbet.desktop.paper.marks import MarkKind, paint_mark

_GAP = 5.0
_PAD = 2.0


class Known(Protocol):
    """What a template's editor has to know of its placeholders."""

    def kind_of(self, name: str) -> MarkKind:
        """How a name is marked."""

    def caption(self, name: str) -> tuple[str, str]:
        """The word for a placeholder's source, or nothing, and its label."""


class SlotObject(QPyTextObject):
    """Draws placeholders: the source in small letters, the label, the modifiers."""

    def __init__(self, known: Known, parent: QObject) -> None:
        super().__init__(parent)
        self._known = known

    def intrinsicSize(
        self, _document: QTextDocument, _position: int, text_format: QTextFormat
    ) -> QSizeF:
        """As wide as its words, as high as a line of text."""
        font = text_format.toCharFormat().font()
        width = sum(
            metrics.horizontalAdvance(text) for text, metrics, _ in self._words(text_format, font)
        )
        gaps = _GAP * (len(self._words(text_format, font)) - 1)
        return QSizeF(width + gaps + 2 * _PAD, QFontMetricsF(font).height())

    def drawObject(
        self,
        painter: QPainter,
        rect: QRectF | QRect,
        _document: QTextDocument,
        _position: int,
        text_format: QTextFormat,
    ) -> None:
        """The words on the base line, with the mark of what the placeholder is under them."""
        char_format = text_format.toCharFormat()
        font = char_format.font()
        slot = slot_of(text_format)
        rect = QRectF(rect)
        painter.save()
        paint_mark(painter, rect.adjusted(0, 0, 0, 1), self._known.kind_of(slot.name))
        x = rect.left() + _PAD
        base = rect.bottom() - QFontMetricsF(font).descent()
        ink = char_format.foreground().color()
        for text, metrics, small in self._words(text_format, font):
            painter.setFont(_small(font) if small else font)
            painter.setPen(QColor(theme.LIGHT.faint) if small else ink)
            painter.drawText(QPointF(x, base), text)
            x += metrics.horizontalAdvance(text) + _GAP
        painter.restore()

    def _words(
        self, text_format: QTextFormat, font: QFont
    ) -> list[tuple[str, QFontMetricsF, bool]]:
        """What is written, from left to right; small ones say where it comes from and how."""
        slot = slot_of(text_format)
        source, label = self._known.caption(slot.name)
        words = [(source, True), (label, False), (slot.modifiers.replace('"', ""), True)]
        plain, small = QFontMetricsF(font), QFontMetricsF(_small(font))
        return [(text, small if is_small else plain, is_small) for text, is_small in words if text]


def _small(font: QFont) -> QFont:
    made = QFont(font)
    made.setPixelSize(max(font.pixelSize() - 4, 9))
    made.setBold(False)
    return made
