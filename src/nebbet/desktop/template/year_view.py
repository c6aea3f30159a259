"""A year of a date rule: what a letter written on each day would promise."""

from datetime import date, timedelta

from PySide6.QtCore import QEvent, QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import (
    QColor,
    QFocusEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPolygonF,
)
from PySide6.QtWidgets import QGridLayout, QVBoxLayout, QWidget

from nebbet.core import dates
from nebbet.core.dates import Rule, WorkingCalendar, YearDay
from nebbet.desktop.kit import pieces, theme

_LEFT, _TOP = 64, 24
_MONTHS = ["Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec"]


class YearChart(QWidget):
    """A row for each month, a cell for each day; in a cell, how many days later the promise is.

    moved tells that another day is pointed at.
    """

    moved = Signal()

    def __init__(self) -> None:
        super().__init__()
        self._days: dict[date, YearDay] = {}
        self._calendar = WorkingCalendar()
        self._first, self._rows = date.min, 1
        self.at = date.min
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        theme.named(self, "Year of the rule: arrows go from day to day")

    def show_year(self, year: tuple[YearDay, ...], calendar: WorkingCalendar) -> None:
        """Show another year; its first day is pointed at."""
        self._days = {day.day: day for day in year}
        self._first = year[0].day
        self._rows = self._row(year[-1].day) + 1
        self._calendar = calendar
        self.at = year[0].day
        self.update()
        self.moved.emit()

    @property
    def day(self) -> YearDay | None:
        """The day that is pointed at."""
        return self._days.get(self.at)

    def go(self, day: date) -> None:
        """Point at a day, if it is one of the year."""
        if day in self._days and day != self.at:
            self.at = day
            self.update()
            self.moved.emit()

    def next_irregular(self, step: int = 1) -> None:
        """Point at the next stretch of days that is out of the ordinary, or the previous one."""
        order = list(self._days.values())
        if step < 0:
            order.reverse()
        here = next((i for i, d in enumerate(order) if d.day == self.at), 0)
        for before, day in zip(order[here:], order[here + 1 :], strict=False):
            if _is_marked(day) and (day.irregular, day.lands) != (before.irregular, before.lands):
                self.go(day.day)
                return

    # Geometry

    def sizeHint(self) -> QSize:
        return QSize(760, _TOP + 13 * 34)

    def minimumSizeHint(self) -> QSize:
        return QSize(480, _TOP + 13 * 20)

    def _row(self, day: date) -> int:
        return (day.year - self._first.year) * 12 + day.month - self._first.month

    def cell(self, day: date) -> QRectF:
        """Where a day is drawn."""
        width = (self.width() - _LEFT - 2) / 31
        height = min((self.height() - _TOP - 2) / self._rows, 34)
        return QRectF(_LEFT + (day.day - 1) * width, _TOP + self._row(day) * height, width, height)

    def _day_at(self, spot: QPointF) -> date | None:
        cell = self.cell(self._first)
        row = int((spot.y() - _TOP) // cell.height())
        number = int((spot.x() - _LEFT) // cell.width()) + 1
        year, month = divmod(self._first.month - 1 + row, 12)
        try:
            day = date(self._first.year + year, month + 1, number)
        except ValueError:
            return None
        return day if day in self._days else None

    # Painting

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(theme.ui_font(11))
        if self._days:
            self._paint_heads(painter)
            for day in self._days.values():
                self._paint_day(painter, day)
            self._paint_promise(painter)
        painter.end()

    def _paint_heads(self, painter: QPainter) -> None:
        painter.setPen(QColor(theme.tokens().faint))
        middle = Qt.AlignmentFlag.AlignCenter
        first = self._first
        for number in range(1, 32):
            rect = self.cell(first.replace(day=1))
            rect.moveLeft(_LEFT + (number - 1) * rect.width())
            rect.setRect(rect.x(), 0, rect.width(), _TOP)
            painter.drawText(rect, middle, str(number))
        for day in (d for d in self._days if d.day == 1 or d == first):
            rect = self.cell(day)
            rect.setRect(0, rect.y(), _LEFT - 8, rect.height())
            left = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
            painter.drawText(rect, left, f"{_MONTHS[day.month - 1]} {day.year}")

    def _paint_day(self, painter: QPainter, day: YearDay) -> None:
        look, rect = theme.tokens(), self.cell(day.day).adjusted(1, 1, -1, -1)
        working = self._calendar.is_working(day.day)
        ground = look.panel if working else look.rule
        if day.irregular and working:
            ground = look.ochre_ground
        painter.fillRect(rect, QColor(ground))
        if day.irregular:
            _paint_corner(painter, rect)
        if day.lands:
            _paint_foot(painter, rect)
        painter.setPen(QColor(look.ochre_text if ground == look.ochre_ground else look.ink))
        painter.drawText(rect, Qt.AlignmentFlag.AlignCenter, _offset(day))

    def _paint_promise(self, painter: QPainter) -> None:
        """The day pointed at, and the one it promises, where that is still in the picture."""
        look, day = theme.tokens(), self.day
        if day is None:
            return
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(QColor(look.plum), 2))
        painter.drawRect(self.cell(self.at).adjusted(1, 1, -1, -1))
        if day.worked and day.worked.day in self._days:
            rect = self.cell(day.worked.day).adjusted(1, 1, -1, -1)
            painter.fillRect(rect, QColor(look.plum))
            painter.setPen(QColor(look.on_plum))
            painter.drawText(rect, Qt.AlignmentFlag.AlignCenter, str(day.worked.day.day))

    # Keys and pointer

    def keyPressEvent(self, event: QKeyEvent) -> None:
        steps = {
            Qt.Key.Key_Right: 1,
            Qt.Key.Key_Left: -1,
            Qt.Key.Key_Down: 28,
            Qt.Key.Key_Up: -28,
        }
        key = Qt.Key(event.key())
        if key in steps:
            self.go(self._stepped(steps[key]))
        elif key == Qt.Key.Key_Home:
            self.go(min(self._days))
        elif key == Qt.Key.Key_End:
            self.go(max(self._days))
        elif event.text() in ("n", "p"):
            self.next_irregular(1 if event.text() == "n" else -1)
        else:
            super().keyPressEvent(event)

    def _stepped(self, by: int) -> date:
        """A day on or back; up and down keep to the day of the month, as the picture does."""
        if abs(by) == 1:
            return self.at + timedelta(by)
        day = self.at
        while True:
            day += timedelta(1 if by > 0 else -1)
            if day.day == self.at.day or day not in self._days:
                return day

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        found = self._day_at(event.position())
        if found:
            self.go(found)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.mouseMoveEvent(event)

    def focusInEvent(self, event: QFocusEvent) -> None:
        super().focusInEvent(event)
        self.update()

    def changeEvent(self, event: QEvent) -> None:
        if event.type() == QEvent.Type.PaletteChange:
            self.update()
        super().changeEvent(event)


def _is_marked(day: YearDay) -> bool:
    return bool(day.irregular or day.lands or day.worked is None)


def _offset(day: YearDay) -> str:
    if day.worked is None:
        return "×"
    return str((day.worked.day - day.day).days)


def _paint_corner(painter: QPainter, rect: QRectF) -> None:
    """The mark of a day that is out of the ordinary."""
    corner = rect.topRight()
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(QColor(theme.tokens().ochre_edge))
    painter.drawPolygon(QPolygonF([corner, corner - QPointF(7, 0), corner + QPointF(0, 7)]))


def _paint_foot(painter: QPainter, rect: QRectF) -> None:
    """The mark of a promise that falls on a day on which nobody works."""
    painter.setPen(QPen(QColor(theme.tokens().brick), 1.2))
    for above in (2.0, 4.5):
        foot = rect.bottom() - above
        painter.drawLine(QPointF(rect.left() + 3, foot), QPointF(rect.right() - 3, foot))


class _Sign(QWidget):
    """One sign of the picture, for the legend."""

    def __init__(self, kind: str) -> None:
        super().__init__()
        self._kind = kind
        self.setFixedSize(22, 18)

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter, look = QPainter(self), theme.tokens()
        rect = QRectF(self.rect()).adjusted(1, 1, -1, -1)
        grounds = {"irregular": look.ochre_ground, "closed": look.rule, "promise": look.plum}
        painter.fillRect(rect, QColor(grounds.get(self._kind, look.panel)))
        if self._kind == "irregular":
            _paint_corner(painter, rect)
        if self._kind == "lands":
            _paint_foot(painter, rect)
        painter.end()


_LEGEND = {
    "closed": "nobody works",
    "irregular": "closed days, or a short month",
    "promise": "the day promised",
    "lands": "promises a day on which nobody works",
}


class YearView(QWidget):
    """The page with the picture: the rule in words, the day pointed at, and what the signs mean.

    left tells that the person goes back to the text.
    """

    left = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("page")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.chart = YearChart()
        self.title = pieces.label("", "title")
        self.sentence = pieces.label("", "faint", wrap=True)
        self.promise = pieces.label("", "", wrap=True)
        self.remark = pieces.label("", "note", wrap=True)
        self.promise.setMinimumHeight(38)
        self.remark.setMinimumHeight(34)
        self.back = pieces.button("Back to the text (Esc)", self.left.emit)
        self.further = pieces.button("Next irregular day (N)", self.chart.next_irregular)
        self.earlier = pieces.button("Previous (P)", lambda: self.chart.next_irregular(-1))
        head = pieces.row(pieces.grow(self.title), self.earlier, self.further, self.back)
        self.title.setMinimumWidth(40)
        pieces.fill(
            QVBoxLayout(self),
            head,
            self.sentence,
            self.promise,
            self.remark,
            self.chart,
            self._legend(),
            None,
            margin=20,
            spacing=8,
        )
        self.layout().setStretchFactor(self.chart, 10)  # type: ignore[union-attr]
        self.chart.moved.connect(self._tell)
        self._from = ""

    def _legend(self) -> QGridLayout:
        legend = QGridLayout()
        legend.setHorizontalSpacing(8)
        signs = [(_Sign(kind), words) for kind, words in _LEGEND.items()]
        number = pieces.label("9", "note")
        number.setAlignment(Qt.AlignmentFlag.AlignCenter)
        for index, (sign, words) in enumerate([*signs, (number, "days until the day promised")]):
            legend.addWidget(sign, index % 2, index // 2 * 2)
            legend.addWidget(pieces.label(words, "note"), index % 2, index // 2 * 2 + 1)
        legend.setColumnStretch(6, 1)
        return legend

    def show_rule(self, title: str, rule: Rule, first: date, calendar: WorkingCalendar) -> None:
        """Show what a rule does in the year from a day on."""
        self.title.setText(title)
        self.title.setToolTip(theme.plain_hint(title))
        said = dates.describe(rule)
        self.sentence.setText(f"A year of promises: {said}.")
        self._from = rule.base.name if rule.base.kind == "name" else ""
        self.chart.show_year(dates.year_view(rule, first, calendar), calendar)

    def _tell(self) -> None:
        day = self.chart.day
        if day is None:
            return
        begun = f"If {self._from} is" if self._from else "A letter written on"
        written = f"{begun} {day.day:%A %-d %B %Y}"
        if day.worked:
            promised = f"{day.worked.value:%A %-d %B %Y}"
            letter = ", the letter" if self._from else ""
            self.promise.setText(f"{written}{letter} promises {promised}.")
        else:
            self.promise.setText(f"{written}: nothing can be promised.")
        said = [day.said, f"nobody works then: it is {day.lands}" if day.lands else ""]
        self.remark.setText(". ".join(filter(None, said)))
        self.chart.setAccessibleDescription(f"{self.promise.text()} {self.remark.text()}")
