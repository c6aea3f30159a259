"""What a blank offers where it stands: the words of a choice, yes or no, a day of the calendar; and
what a click into a value means."""

from collections.abc import Callable
from datetime import date
from typing import NamedTuple

from PySide6.QtCore import QEvent, QObject, Qt, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QApplication, QTextEdit

from nebbet.core.records import fold
from nebbet.core.sentences import said
from nebbet.desktop.kit.day_box import DayBox
from nebbet.desktop.kit.picker import Choice
from nebbet.desktop.paper.fillings import Filling
from nebbet.desktop.paper.name_list import OfferList
from nebbet.desktop.paper.spots import Spot

_ANOTHER = "\nanother day"  # no value that anybody could type


class Places(NamedTuple):
    """What a text says of its places: all of them, the one that typing would change, the number of
    the one that somebody is at, and what is to stand in one."""

    all: Callable[[], list[Spot]]
    here: Callable[[], Spot | None]
    active: Callable[[], int]
    filling: Callable[[Spot], Filling]


class Chooser(QObject):
    """Opens a list, or a sheet of the calendar, under a place of a text. chosen tells the place and
    what was chosen for it."""

    chosen = Signal(object, str)

    def __init__(self, text: QTextEdit, places: Places) -> None:
        super().__init__(text)
        self._text, self._places = text, places
        self._place: Spot | None = None
        self._was_at = 0
        self.list = OfferList(text, "What may stand here")
        self.list.taken.connect(self._take)
        self.days = DayBox("Day that stands here")
        self.days.chosen.connect(self._take_day)
        text.installEventFilter(self)

    # Offering

    def offer(self, place: Spot, *, go: bool = False) -> bool:
        """Offer what may stand in a place, if there is a choice; go takes the focus to a sheet of
        the calendar."""
        self.close()
        filling = self._places.filling(place)
        self._place = place
        if filling.found and not go:
            self._show_found("", filling)
        elif filling.is_day:
            self.days.open_under(self._text, self._text.cursorRect(), filling.day, go=go)
        else:
            self._show("", filling)
        return filling.is_day or filling.offers

    def narrow(self) -> None:
        """Offer what fits to what has been typed in the place at the cursor."""
        place = self._places.here()
        if place is None:
            return
        filling = self._places.filling(place)
        if filling.choices:
            self._show(place.text, filling)
        elif filling.found:
            self._show_found(place.text, filling)

    def _show_found(self, typed: str, filling: Filling) -> None:
        """What the message says that could stand here. Nothing of it is taken by itself: a row has
        to be gone to first."""
        fits = [one for one in filling.found if fold(typed) in fold(one.text)]
        choices = [Choice(one.text, one.text, one.around) for one in fits]
        if filling.is_day and not typed:
            choices.append(Choice(_ANOTHER, said("Another day…")))
        self.list.show_under(self._text, self._text.cursorRect(), choices, first=False)

    def _show(self, typed: str, filling: Filling) -> None:
        """What fits; where nothing does, all of it."""
        fits = [c for c in filling.choices if fold(typed) in fold(c)] or [*filling.choices]
        choices = [Choice(c, c) for c in fits]
        self.list.show_under(self._text, self._text.cursorRect(), choices)

    def takes(self, event: QKeyEvent) -> bool:
        """Whether a key is for what is open, or opens it; it is acted upon then."""
        if self.list.takes(event):
            return True
        self.days.hide()
        alt = event.modifiers() & Qt.KeyboardModifier.AltModifier
        place = self._places.here() if alt and event.key() == Qt.Key.Key_Down else None
        return place is not None and self.offer(place, go=True)

    def close(self) -> None:
        """Close what is open."""
        self.list.hide()
        self.days.hide()

    def _take(self) -> None:
        text = self.list.key
        self.list.hide()
        if self._place and text == _ANOTHER:
            self.offer(self._place, go=True)
        elif self._place and text:
            self.chosen.emit(self._place, text)

    def _take_day(self, day: date) -> None:
        if self._place:
            self.chosen.emit(self._place, day.isoformat())

    # The mouse

    def pressed(self) -> None:
        """The mouse goes down in the text."""
        self.close()
        self._was_at = self._places.active()

    def clicked(self) -> Spot | None:
        """The place that a click is about as a whole. The first click into a value selects it, a
        second one sets the cursor in it; dragging selects as everywhere."""
        cursor = self._text.textCursor()
        if cursor.hasSelection() or self._text.isReadOnly():
            return None
        at = cursor.position()
        place = next((p for p in self._places.all() if p.start <= at <= p.end), None)
        inside = place is not None and (place.start < at < place.end or place.blank)
        if place is None or not inside:
            return None
        return place if place.blank or place.id != self._was_at else None

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """The list goes with the focus; the sheet too, unless that is where the focus went."""
        if event.type() == QEvent.Type.FocusOut:
            self.list.hide()
            now = QApplication.focusWidget()
            if now is None or not self.days.isAncestorOf(now):
                self.days.hide()
        return super().eventFilter(watched, event)
