"""The team's working days: public holidays, working weekdays, time zone, closure days."""

from msgspec import Struct
from PySide6.QtWidgets import (
    QCheckBox,
    QFormLayout,
    QGridLayout,
    QLineEdit,
    QPlainTextEdit,
    QVBoxLayout,
    QWidget,
)

from nebbet.core import dates
from nebbet.core.errors import NebbetError
from nebbet.core.sentences import said
from nebbet.desktop.kit import pieces, theme
from nebbet.desktop.session.shared_library import SharedLibrary
from nebbet.desktop.shared.unsaved import Form, Unsaved
from nebbet.library.holdings import Overtaken


class Typed(Struct, frozen=True):
    """What stands in the fields."""

    code: str
    zone: str
    closed: str
    weekdays: frozenset[int]
    hours: str = ""


class WorkingDays(QWidget):
    """Edits the team's calendar: holidays, working weekdays, time zone, closure days."""

    def __init__(self, shared: SharedLibrary) -> None:
        super().__init__()
        self._shared = shared
        self._shown = shared.catalogue.calendar
        self.code, self.zone, self.closed = QLineEdit(), QLineEdit(), QPlainTextEdit()
        self.hours = QLineEdit()
        self._week = dates.week_of(self._shown.code)
        self.days = [QCheckBox(name[:3]) for name in dates.WEEKDAYS]
        self.note = pieces.label("", "note", wrap=True)
        self.save = pieces.button("Keep the working days", self._save, "primary")
        form = QFormLayout()
        form.setVerticalSpacing(6)
        for words, field in (
            ("Public holidays", self.code),
            ("Time zone", self.zone),
            ("Working hours", self.hours),
            ("Closure days", self.closed),
        ):
            pieces.captioned(form, words, field)
        self.code.setPlaceholderText("GB-SCT, DE-BY, FR, NO; empty for weekends only")
        self.zone.setPlaceholderText("Europe/London")
        self.hours.setPlaceholderText("09:00-17:00")
        self.closed.setPlaceholderText("2026-12-24 Christmas Eve, office closed")
        self.closed.setTabChangesFocus(True)
        week = QGridLayout()
        for number, (box, name) in enumerate(zip(self.days, dates.WEEKDAYS, strict=True)):
            theme.named(box, f"The team works on {name}")
            week.addWidget(box, number // 4, number % 4)
        form.addRow(pieces.label("Working week", "faint"), week)
        head = pieces.label("Working days of the team", "heading")
        save = pieces.row(self.save, None)
        pieces.fill(QVBoxLayout(self), head, pieces.rule(), form, self.note, save, None, spacing=8)
        form_of = Form("setting", Typed, self._show, self._write, self._typed)
        self.unsaved = Unsaved(form_of, shared.own, dates.WorkingCalendar)
        self._told: object = None  # what somebody else made of it, as was said
        self.code.textChanged.connect(self._follow_country)
        lines = (self.code, self.zone, self.hours, self.closed)
        signals = (line.textChanged for line in lines)
        for changed in (*signals, *(box.toggled for box in self.days)):
            changed.connect(self._edited)

    def refresh(self) -> None:
        """Show the calendar as it is now, unless somebody is changing it here."""
        calendar = self._shared.catalogue.calendar
        if self.unsaved.key is None or (calendar != self._shown and not self.unsaved.is_there):
            self._shown = calendar
            self.unsaved.open("calendar", calendar)

    def _show(self, _calendar: object) -> None:
        calendar = self._shared.catalogue.calendar
        lines = (f"{day.isoformat()} {name}" for day, name in sorted(calendar.closed.items()))
        hours = "-".join(f"{at:%H:%M}" for at in calendar.hours)
        closed = "\n".join(lines)
        self._write(Typed(calendar.code, calendar.zone, closed, calendar.weekdays, hours))

    def _write(self, typed: Typed) -> None:
        self.code.setText(typed.code)
        self.zone.setText(typed.zone)
        self.hours.setText(typed.hours)
        self.closed.setPlainText(typed.closed)
        for number, box in enumerate(self.days):
            box.setChecked(number in typed.weekdays)

    def _typed(self) -> Typed:
        weekdays = frozenset(n for n, box in enumerate(self.days) if box.isChecked())
        closed, hours = self.closed.toPlainText(), self.hours.text()
        return Typed(self.code.text(), self.zone.text(), closed, weekdays, hours)

    def _read(self) -> dates.WorkingCalendar:
        typed = self._typed()
        closed = dates.closures(typed.closed)
        hours = dates.hours(typed.hours) if typed.hours.strip() else dates.NINE_TO_FIVE
        code, zone = typed.code.strip(), typed.zone.strip()
        return dates.calendar_for(code, closed, zone, typed.weekdays, hours)

    def _follow_country(self) -> None:
        """Tick the working week of another country, unless the team has a week of its own."""
        try:
            week = dates.week_of(self.code.text().strip())
        except NebbetError:
            return
        if self._typed().weekdays == self._week:
            for number, box in enumerate(self.days):
                box.setChecked(number in week)
        self._week = week

    def _edited(self, *_args: object) -> None:
        self._explain()
        self.unsaved.edited()

    def _explain(self) -> None:
        """What is wrong, or what a promise of seven working days would be today."""
        try:
            calendar = self._read()
            rule = dates.read("today + 7 working days")
            today = self._shared.now().date()
            words, wrong = dates.explain(dates.work_out(rule, today, calendar)), False
        except NebbetError as error:
            words, wrong = error.sentence, True
        self.note.setText(words)
        pieces.restyle(self.note, "wrong", wrong)

    def _save(self) -> None:
        try:
            made = self._read()
        except NebbetError as error:
            self._shared.voice.fail(error)
            return
        library, typed, shared = self._shared.library, self._typed(), self._shared
        seen = self._told or self.unsaved.seen

        def failed(error: NebbetError) -> None:
            if isinstance(error, Overtaken):
                self._told = error.now
            shared.voice.fail(error)
            shared.refresh()

        shared.change(
            lambda: library.put_calendar(
                made.code, made.closed, made.zone, made.weekdays, made.hours, seen
            ),
            lambda _done: self._kept(typed, made),
            failed,
        )

    def _kept(self, typed: Typed, made: dates.WorkingCalendar) -> None:
        self._told, self.unsaved.seen = None, made
        self.unsaved.forget("calendar", typed)
        self._shared.voice.say(said("The working days are kept; every date rule follows them."))
