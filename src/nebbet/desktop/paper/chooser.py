"""What a blank offers where it stands: the words of a choice, yes or no, a day of the calendar."""

from datetime import date

from PySide6.QtCore import QEvent, QObject, QRect, Signal
from PySide6.QtWidgets import QApplication, QTextEdit

from nebbet.core.records import fold
from nebbet.desktop.kit.day_box import DayBox
from nebbet.desktop.kit.picker import Choice
from nebbet.desktop.paper.fillings import Filling
from nebbet.desktop.paper.name_list import OfferList
from nebbet.desktop.paper.spots import Spot


class Chooser(QObject):
    """Opens a list, or a sheet of the calendar, under a place of a text. chosen tells the place and
    what was chosen for it."""

    chosen = Signal(object, str)

    def __init__(self, text: QTextEdit) -> None:
        super().__init__(text)
        self._text = text
        self._place: Spot | None = None
        self.list = OfferList("What may stand here")
        self.list.taken.connect(self._take)
        self.days = DayBox("Day that stands here")
        self.days.chosen.connect(self._take_day)
        text.installEventFilter(self)

    def offer(self, place: Spot, filling: Filling, spot: QRect, *, go: bool = False) -> None:
        """Offer what may stand in a place; go takes the focus to a sheet of the calendar."""
        self.close()
        self._place = place
        if filling.is_day:
            self.days.open_under(self._text, spot, filling.day, go=go)
        else:
            self.narrow("", filling, spot)

    def narrow(self, typed: str, filling: Filling, spot: QRect) -> None:
        """Offer what fits to what was typed; where nothing does, all of it."""
        fits = [c for c in filling.choices if fold(typed) in fold(c)] or [*filling.choices]
        self.list.show_under(self._text, spot, [Choice(c, c) for c in fits])

    def close(self) -> None:
        """Close what is open."""
        self.list.hide()
        self.days.hide()

    def _take(self) -> None:
        text = self.list.key
        self.list.hide()
        if self._place and text:
            self.chosen.emit(self._place, text)

    def _take_day(self, day: date) -> None:
        if self._place:
            self.chosen.emit(self._place, day.isoformat())

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """The list goes with the focus; the sheet too, unless that is where the focus went."""
        if event.type() == QEvent.Type.FocusOut:
            self.list.hide()
            now = QApplication.focusWidget()
            if now is None or not self.days.isAncestorOf(now):
                self.days.hide()
        return super().eventFilter(watched, event)
