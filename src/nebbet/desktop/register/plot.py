"""How many letters went, day by day, as bars that are clicked to narrow the register."""

from collections.abc import Mapping, Sequence
from datetime import date

from PySide6.QtCore import QEvent, QPointF, QRectF, Signal
from PySide6.QtGui import (
    QColor,
    QFontMetricsF,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QResizeEvent,
)
from PySide6.QtWidgets import QToolTip, QWidget

from nebbet.core.sentences import counted, said
from nebbet.desktop.kit import theme
from nebbet.library.register_finding import Bar, Counted, bars

_HIGH, _BARS, _NAMES = 104, 58, 18  # pixels: all, of the highest bar, of the line of names
_LEAST = 5  # pixels of a bar with the gap beside it
_TONES = ("plum", "slate", "spruce", "ochre_edge", "brick")


class Plot(QWidget):
    """Bars of letters, in parts by who sent them or which shelf their template is on. days_chosen
    tells the first and the last day of a bar, or of those that were drawn over; key_chosen whose
    part was clicked in the line of names."""

    days_chosen = Signal(object, object)
    key_chosen = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        self.setFixedHeight(_HIGH)
        self.setMouseTracking(True)
        self._counts: Sequence[Counted] = ()
        self._names: Mapping[str, str] = {}
        self._first = self._last = date.min
        self.bars: list[Bar] = []
        self._order: list[str] = []
        self._spots: list[tuple[QRectF, str]] = []
        self._from: int | None = None
        self._at = -1
        theme.named(self, said("Letters per day"))

    def show_counts(
        self, counts: Sequence[Counted], names: Mapping[str, str], first: date, last: date
    ) -> None:
        """Show the letters between two days; names are those of the keys."""
        self._counts, self._names, self._first, self._last = counts, names, first, last
        totals: dict[str, int] = {}
        for one in counts:
            totals[one.key] = totals.get(one.key, 0) + one.count
        self._order = sorted(totals, key=lambda key: -totals[key])
        every = sum(totals.values())
        told = [
            f"{self._named(key)}: {counted('1 letter', '{count} letters', count=totals[key])}"
            for key in self._order
        ]
        self.setAccessibleDescription("; ".join(told) if every else said("No letters"))
        self._arrange()

    def _named(self, key: str) -> str:
        return self._names.get(key, key) or said("none")

    def _arrange(self) -> None:
        most = max(self.width() // _LEAST, 1)
        shown = self._first > date.min
        self.bars = bars(self._counts, self._first, self._last, most) if shown else []
        self._from, self._at = None, -1
        self.update()

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._arrange()

    def _wide(self) -> float:
        return min(self.width() / max(len(self.bars), 1), 28.0)

    def bar_at(self, x: float) -> int:
        """The bar at a distance from the left; -1 where there is none."""
        found = int(x / self._wide()) if self.bars else -1
        return found if 0 <= found < len(self.bars) else -1

    def _tone(self, key: str) -> QColor:
        """The colour of a key: those after the fifth have the first colours paler."""
        again, at = divmod(self._order.index(key), len(_TONES))
        colour = QColor(getattr(theme.tokens(), _TONES[at]))
        colour.setAlphaF(max(1 - 0.45 * again, 0.15))
        return colour

    # Drawing

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        font = painter.font()
        font.setPixelSize(11)
        painter.setFont(font)
        self._draw_names(painter)
        base = _NAMES + _BARS
        highest = max((bar.count for bar in self.bars), default=0)
        for at, bar in enumerate(self.bars):
            self._draw_bar(painter, at, bar, _BARS / max(highest, 1))
        painter.setPen(QPen(QColor(theme.tokens().rule), 1))
        painter.drawLine(QPointF(0, base), QPointF(self.width(), base))
        self._draw_months(painter, base)

    def _draw_bar(self, painter: QPainter, at: int, bar: Bar, scale: float) -> None:
        wide, base = self._wide(), float(_NAMES + _BARS)
        if self._chosen(at):
            ground = QRectF(at * wide, _NAMES, wide, _BARS)
            painter.fillRect(ground, QColor(theme.tokens().chosen))
        for key in self._order:
            high = bar.parts.get(key, 0) * scale
            if high:
                base -= high
                painter.fillRect(QRectF(at * wide, base, max(wide - 1, 1), high), self._tone(key))

    def _chosen(self, at: int) -> bool:
        if self._at < 0:
            return False
        first = self._at if self._from is None else self._from
        return min(first, self._at) <= at <= max(first, self._at)

    def _draw_months(self, painter: QPainter, base: float) -> None:
        """The months below the bars, from the newest back, as far as there is room."""
        metrics, room = QFontMetricsF(painter.font()), float(self.width())
        painter.setPen(QColor(theme.tokens().faint))
        for at in reversed(range(len(self.bars))):
            first = self.bars[at].first
            if at and first.month == self.bars[at - 1].first.month:
                continue
            words = f"{first:%b %Y}" if first.month == 1 or at == 0 else f"{first:%b}"
            x = at * self._wide()
            if x + metrics.horizontalAdvance(words) <= room:
                painter.drawText(QPointF(x, base + 15), words)
                room = x - 10

    def _draw_names(self, painter: QPainter) -> None:
        metrics, x = QFontMetricsF(painter.font()), 0.0
        self._spots = []
        for key in self._order:
            words = self._named(key)
            wide = metrics.horizontalAdvance(words) + 24
            if x + wide > self.width():
                return
            painter.fillRect(QRectF(x, 3, 9, 9), self._tone(key))
            painter.setPen(QColor(theme.tokens().ink))
            painter.drawText(QPointF(x + 13, 12), words)
            self._spots.append((QRectF(x, 0, wide - 6, _NAMES), key))
            x += wide

    # By mouse

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Begin at a bar, or narrow to a name."""
        for spot, key in self._spots:
            if spot.contains(event.position()):
                self.key_chosen.emit(key)
                return
        self._from = self._at = self.bar_at(event.position().x())
        self.update()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Say what a bar is, and draw on over the bars."""
        at = self.bar_at(event.position().x()) if event.position().y() > _NAMES else -1
        if self._from is not None and at < 0:
            return
        if at != self._at:
            self._at = at
            self.update()
        hint = self.said_of(at) if at >= 0 else ""
        QToolTip.showText(event.globalPosition().toPoint(), theme.plain_hint(hint), self)

    def mouseReleaseEvent(self, _event: QMouseEvent) -> None:
        """Narrow to the days that were clicked, or drawn over."""
        first, self._from = self._from, None
        if first is None or first < 0 or self._at < 0:
            return
        ends = sorted((first, self._at))
        begins, over = self.bars[ends[0]].first, self.bars[ends[1]].last
        self.days_chosen.emit(max(begins, self._first), min(over, self._last))

    def leaveEvent(self, event: QEvent) -> None:
        super().leaveEvent(event)
        if self._from is None:
            self._at = -1
            self.update()

    def said_of(self, at: int) -> str:
        """What a bar stands for."""
        bar = self.bars[at]
        days = f"{bar.first:%d %b %Y}"
        if bar.last != bar.first:
            days = f"{days} – {bar.last:%d %b %Y}"
        number = counted("1 letter", "{count} letters", count=bar.count)
        parts = [f"{self._named(key)} {bar.parts[key]}" for key in self._order if key in bar.parts]
        return "\n".join([f"{days}: {number}", *parts])
