"""Which letters of the register are shown: by days, colleague, shelf and kind of case."""

from collections.abc import Mapping
from datetime import date, datetime

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QLineEdit, QVBoxLayout, QWidget

from nebbet.core.errors import NebbetError
from nebbet.core.placeholders.typed_spans import days_of
from nebbet.core.sentences import said
from nebbet.desktop.kit import pieces, theme
from nebbet.desktop.kit.pause import after_pause
from nebbet.desktop.kit.still import StillCombo
from nebbet.desktop.register.plot import Plot
from nebbet.desktop.session.shared_library import SharedLibrary
from nebbet.library.register_finding import Counted, Wanted, moments_of, per_day

_LANGUAGE = "en_GB"
_PAUSE = 250  # milliseconds after a change until the letters are counted


class Narrowing(QWidget):
    """The fields that narrow the register, and the plot below them. changed tells that other
    letters are wanted."""

    changed = Signal()

    def __init__(self, shared: SharedLibrary) -> None:
        super().__init__()
        self._shared = shared
        self.days = QLineEdit()
        self.days.setPlaceholderText(said("All days"))
        self.days.setClearButtonEnabled(True)
        self.days.setMinimumWidth(120)
        theme.named(
            self.days, said("Days"), said("3 Nov, 1 Nov – 12 Nov, October, 2026 or 30 days")
        )
        self.colleague = _choice(said("Colleague"), said("Everybody"))
        self.shelf = _choice(said("Shelf"), said("Any shelf"))
        self.kind = _choice(said("Kind of case"), said("Any kind"))
        self.by = _choice(said("Bars by"), said("by colleague"), "sender")
        self.by.addItem(said("by shelf"), "template")
        self.by.setMinimumContentsLength(9)
        self.plot = Plot()
        self._span: tuple[date, date] | None = None
        self._wanted: Wanted | None = None  # what is counted
        self._soon = after_pause(self, _PAUSE, self._count)
        fields = pieces.row(
            pieces.grow(self.days), self.colleague, self.shelf, self.kind, self.by, spacing=4
        )
        pieces.fill(QVBoxLayout(self), fields, self.plot, spacing=4)
        self._connect()

    def _connect(self) -> None:
        self.days.editingFinished.connect(self.take_days)
        self.days.textChanged.connect(self._days_cleared)
        for box in (self.colleague, self.shelf, self.kind):
            box.currentIndexChanged.connect(lambda _index: self.changed.emit())
        self.by.currentIndexChanged.connect(lambda _index: self._count())
        self.plot.days_chosen.connect(self.choose_days)
        self.plot.key_chosen.connect(self._choose_key)

    def offer(self) -> None:
        """Offer the colleagues, shelves and kinds that there are."""
        catalogue = self._shared.catalogue
        _fill(self.colleague, {key: one.name for key, one in catalogue.members.items()})
        _fill(self.shelf, {one.id: one.name for one in catalogue.shelves})
        names = sorted(kind.name for kind in catalogue.known_kinds.values() if not kind.is_people)
        _fill(self.kind, {name: name for name in names})

    def wanted(self, words: str) -> Wanted:
        """Which letters are wanted that have some words."""
        began = ended = None
        if self._span:
            began, ended = moments_of(*self._span, self._now())
        shelf = self.shelf.currentData()
        templates = None
        if shelf:
            found = self._shared.catalogue.templates.values()
            templates = tuple(one.id for one in found if one.shelf == shelf)
        return Wanted(
            words, began, ended, self.colleague.currentData(), templates, self.kind.currentData()
        )

    def clear(self) -> None:
        """Want every letter again."""
        self._span = None
        for part in (self.days, self.colleague, self.shelf, self.kind):
            part.blockSignals(True)
        self.days.clear()
        for box in (self.colleague, self.shelf, self.kind):
            box.setCurrentIndex(0)
        for part in (self.days, self.colleague, self.shelf, self.kind):
            part.blockSignals(False)

    # Days

    def _now(self) -> datetime:
        return self._shared.now().astimezone()

    def choose_days(self, first: date, last: date) -> None:
        """Want the letters of some days; of one day that is chosen again, of all."""
        if self._span == (first, last):
            self.days.clear()
            return
        one = f"{first:%d %b %Y}"
        self.days.setText(one if first == last else f"{one} – {last:%d %b %Y}")
        self.take_days()

    def _days_cleared(self, text: str) -> None:
        if not text:
            self.take_days()

    def take_days(self) -> None:
        """Want the letters of the days that were typed."""
        text, span = self.days.text().strip(), None
        if text:
            try:
                span = days_of(text, _LANGUAGE, self._now().date())
            except NebbetError as error:
                self._shared.voice.fail(error)
                return
        if span != self._span:
            self._span = span
            self.changed.emit()

    def _choose_key(self, key: str) -> None:
        box = self.shelf if self.by.currentData() == "template" else self.colleague
        at = box.findData(key)
        if at >= 0:
            box.setCurrentIndex(0 if box.currentIndex() == at else at)

    # The plot

    def show_plot(self, wanted: Wanted) -> None:
        """Count the letters that are wanted, and show them day by day; soon, for a large register
        is read as a whole, and whoever types goes on typing."""
        self._wanted = wanted
        self._soon.start()

    def _count(self) -> None:
        shared, now, wanted = self._shared, self._now(), self._wanted
        if wanted is None or not shared.is_open:
            return
        by = self.by.currentData()
        engine = shared.library.register_engine

        def done(counts: list[Counted]) -> None:
            if self._wanted == wanted and self.by.currentData() == by:
                self._show_counts(counts, by, now.date())

        shared.reads.run(lambda: per_day(engine, wanted, by, now), done, shared.voice.fail)

    def _show_counts(self, counts: list[Counted], by: str, today: date) -> None:
        names: Mapping[str, str]
        catalogue = self._shared.catalogue
        if by == "template":
            shelf_of = {key: one.shelf for key, one in catalogue.templates.items()}
            counts = [Counted(c.day, shelf_of.get(c.key, ""), c.count) for c in counts]
            names = {one.id: one.name for one in catalogue.shelves}
        else:
            names = {key: one.name for key, one in catalogue.members.items()}
        oldest = counts[0].day if counts else today
        first, last = self._span or (oldest, max(today, counts[-1].day if counts else today))
        self.plot.show_counts(counts, names, first, last)


def _choice(name: str, every: str, key: str = "") -> StillCombo:
    box = StillCombo()
    box.addItem(every, key)
    box.setMinimumContentsLength(7)
    box.setSizeAdjustPolicy(StillCombo.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
    theme.named(box, name)
    return box


def _fill(box: StillCombo, offered: Mapping[str, str]) -> None:
    """Offer other things, and keep what is chosen, where it is still there."""
    wanted = [(box.itemText(0), ""), *((name, key) for key, name in offered.items())]
    if wanted == [(box.itemText(at), box.itemData(at)) for at in range(box.count())]:
        return
    current = box.currentData()
    box.blockSignals(True)
    box.clear()
    for name, key in wanted:
        box.addItem(name, key)
    box.setCurrentIndex(max(box.findData(current), 0))
    box.blockSignals(False)
