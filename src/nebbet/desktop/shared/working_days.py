"""The team's working days: public holidays, working weekdays, time zone, closure days."""

from datetime import date

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
from nebbet.desktop.kit import pieces, theme
from nebbet.desktop.session.shared_library import SharedLibrary


class WorkingDays(QWidget):
    """Edits the team's calendar: holidays, working weekdays, time zone, closure days."""

    def __init__(self, shared: SharedLibrary) -> None:
        super().__init__()
        self._shared = shared
        self._before: tuple[object, ...] = ()
        self.code, self.zone, self.closed = QLineEdit(), QLineEdit(), QPlainTextEdit()
        self.days = [QCheckBox(name[:3]) for name in dates.WEEKDAYS]
        self.note = pieces.label("", "note", wrap=True)
        self.save = pieces.button("Keep the working days", self._save, "primary")
        form = QFormLayout()
        form.setVerticalSpacing(6)
        for words, field in (
            ("Public holidays", self.code),
            ("Time zone", self.zone),
            ("Closure days", self.closed),
        ):
            pieces.captioned(form, words, field)
        self.code.setPlaceholderText("GB-SCT, DE-BY, FR, NO; empty for weekends only")
        self.zone.setPlaceholderText("Europe/London")
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
        for line in (self.code, self.zone):
            line.textChanged.connect(lambda _text: self._explain())
        self.closed.textChanged.connect(self._explain)
        for box in self.days:
            box.toggled.connect(lambda _on: self._explain())

    def refresh(self) -> None:
        """Show the calendar as it is now."""
        calendar = self._shared.catalogue.calendar
        self.code.setText(calendar.code)
        self.zone.setText(calendar.zone)
        lines = (f"{day.isoformat()} {name}" for day, name in sorted(calendar.closed.items()))
        self.closed.setPlainText("\n".join(lines))
        for number, box in enumerate(self.days):
            box.setChecked(number in calendar.weekdays)
        self._before = self._fields()

    def _fields(self) -> tuple[object, ...]:
        lines = (self.code.text(), self.zone.text(), self.closed.toPlainText())
        return (*lines, *(box.isChecked() for box in self.days))

    @property
    def is_unsaved(self) -> bool:
        """Whether something was changed that is not kept yet."""
        return bool(self._before) and self._fields() != self._before

    def _read(self) -> dates.WorkingCalendar:
        closed = dict(_closure(line) for line in self.closed.toPlainText().splitlines() if line)
        weekdays = frozenset(n for n, box in enumerate(self.days) if box.isChecked())
        return dates.calendar_for(
            self.code.text().strip(), closed, self.zone.text().strip(), weekdays
        )

    def _explain(self) -> None:
        """What is wrong, or what a promise of seven working days would be today."""
        try:
            calendar = self._read()
            rule = dates.read("today + 7 working days")
            today = self._shared.now().date()
            said, wrong = dates.explain(dates.work_out(rule, today, calendar)), False
        except NebbetError as error:
            said, wrong = error.sentence, True
        self.note.setText(said)
        pieces.restyle(self.note, "wrong", wrong)

    def _save(self) -> None:
        try:
            made = self._read()
        except NebbetError as error:
            self._shared.voice.fail(error)
            return
        library = self._shared.library
        self._shared.change(
            lambda: library.put_calendar(made.code, made.closed, made.zone, made.weekdays),
            lambda _done: self._kept(),
        )

    def _kept(self) -> None:
        self._before = self._fields()
        self._shared.voice.say("The working days are kept; every date rule follows them.")


def _closure(line: str) -> tuple[date, str]:
    text, _, name = line.strip().partition(" ")
    try:
        return date.fromisoformat(text), name.strip() or "closed"
    except ValueError:
        raise NebbetError(
            f"“{line.strip()[:40]}” is no closure day", advice="Write 2026-12-24 and its name"
        ) from None
