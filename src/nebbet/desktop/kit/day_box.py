"""A sheet of the calendar that opens under a place, to choose a day from."""

from datetime import date

from PySide6.QtCore import QDate, QEvent, QLocale, QObject, QRect, Qt, Signal
from PySide6.QtGui import QColor, QKeyEvent, QTextCharFormat
from PySide6.QtWidgets import QCalendarWidget, QFrame, QVBoxLayout, QWidget

from nebbet.desktop.kit import pieces, theme

_SIZE = (300, 230)


class DayBox(QFrame):
    """chosen tells the day; Esc leaves without one, and the focus goes back where it was."""

    chosen = Signal(object)

    def __init__(self, name: str) -> None:
        super().__init__()
        self.setObjectName("popup")
        self.calendar = QCalendarWidget()
        self.calendar.setVerticalHeaderFormat(QCalendarWidget.VerticalHeaderFormat.ISOWeekNumbers)
        self.calendar.setFirstDayOfWeek(Qt.DayOfWeek.Monday)
        self.calendar.setLocale(QLocale(QLocale.Language.English, QLocale.Country.UnitedKingdom))
        self.calendar.setGridVisible(False)
        names = QCalendarWidget.HorizontalHeaderFormat.SingleLetterDayNames
        self.calendar.setHorizontalHeaderFormat(names)
        theme.named(self.calendar, name)
        self.calendar.activated.connect(self._take)
        self.calendar.clicked.connect(self._take)
        pieces.fill(QVBoxLayout(self), self.calendar, margin=2)
        self._asked: QWidget | None = None
        self.hide()

    def open_under(self, asked: QWidget, spot: QRect, day: date | None, *, go: bool) -> None:
        """Open under a spot of a widget, at a day or today; go takes the focus there."""
        window = asked.window()
        self._asked = asked
        self.setParent(window)
        window.installEventFilter(self)
        self.setGeometry(pieces.place_under(asked, spot, *_SIZE, gap=2))
        shown = QDate(day.year, day.month, day.day) if day else QDate.currentDate()
        self.calendar.setSelectedDate(shown)
        quiet = QTextCharFormat()
        quiet.setForeground(QColor(theme.tokens().faint))
        for weekday in (Qt.DayOfWeek.Saturday, Qt.DayOfWeek.Sunday):
            self.calendar.setWeekdayTextFormat(weekday, quiet)
        self.show()
        self.raise_()
        if go:
            self.calendar.setFocus()

    def _take(self, day: QDate) -> None:
        self.leave()
        self.chosen.emit(date(day.year(), day.month(), day.day()))

    def leave(self) -> None:
        """Close without choosing."""
        if self.isHidden():
            return
        self.hide()
        if self._asked:
            self._asked.setFocus()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Esc closes the sheet and nothing behind it."""
        if event.key() == Qt.Key.Key_Escape:
            self.leave()
        else:
            super().keyPressEvent(event)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """The sheet goes when the window changes under it, or is clicked beside it."""
        if event.type() in (QEvent.Type.Resize, QEvent.Type.WindowDeactivate):
            self.hide()
        return super().eventFilter(watched, event)
