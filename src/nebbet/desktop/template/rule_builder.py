"""Builds a date rule from choices: where counting begins, and one row for each step."""

from collections.abc import Callable
from datetime import datetime, time
from functools import partial
from typing import Any

from msgspec.structs import replace
from PySide6.QtCore import Signal
from PySide6.QtWidgets import QCheckBox, QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from nebbet.core import dates
from nebbet.core.dates import At, Base, Count, Duration, Edge, Nth, OnOr, Roll, Rule, Step, Weekday
from nebbet.core.errors import NebbetError
from nebbet.core.records import fold
from nebbet.desktop.kit import pieces, theme
from nebbet.desktop.kit.still import StillCombo

_KINDS = {
    "on": "go on by",
    "back": "go back by",
    "start": "to the start of",
    "end": "to the end of",
    "nth": "to such a weekday of",
    "weekday": "to a weekday",
    "after": "on or after",
    "before": "on or before",
    "roll": "if nobody works then",
    "at": "at the time",
    "longer": "go on by a duration",
    "shorter": "go back by a duration",
}
_FIRST: dict[str, Step] = {
    "on": Count(1, "working day"),
    "back": Count(-1, "day"),
    "start": Edge("start", "next", "month"),
    "end": Edge("end", "this", "month"),
    "nth": Nth(1, 0, "next", "month"),
    "weekday": Weekday("next", 0),
    "after": OnOr(True, 0),
    "before": OnOr(False, 4),
    "roll": Roll(True),
    "at": At(time(17)),
    "longer": Duration("P1M"),
    "shorter": Duration("P1M", True),
}
_ROLLS = {True: "the next working day", False: "the previous one"}


def kind_of(step: Step) -> str:
    """Which row of the builder shows a step."""
    match step:
        case Count(count=count):
            return "back" if count < 0 else "on"
        case Duration(back=back):
            return "shorter" if back else "longer"
        case Edge(edge=edge):
            return edge
        case Nth():
            return "nth"
        case Weekday():
            return "weekday"
        case OnOr(after=after):
            return "after" if after else "before"
        case Roll():
            return "roll"
        case At():
            return "at"


class StepRow(QWidget):
    """One step of a rule; changed tells that it is another one now."""

    changed = Signal()
    dropped = Signal()

    def __init__(self, step: Step) -> None:
        super().__init__()
        self.step = step
        self.kind = StillCombo()
        for key, words in _KINDS.items():
            self.kind.addItem(words, key)
        theme.named(self.kind, "Kind of step")
        self._drop = pieces.tool("x", "Take this step out", self.dropped.emit)
        self._fields = QHBoxLayout()
        self._fields.setSpacing(4)
        head = pieces.row(pieces.grow(self.kind), self._drop, spacing=4)
        pieces.fill(QVBoxLayout(self), head, self._fields, spacing=2)
        self.layout().setContentsMargins(0, 2, 0, 4)  # type: ignore[union-attr]
        self.kind.setCurrentIndex(list(_KINDS).index(kind_of(step)))
        self.kind.currentIndexChanged.connect(self._other_kind)
        self._build()

    def _other_kind(self) -> None:
        self.step = _FIRST[str(self.kind.currentData())]
        self._build()
        self.changed.emit()

    def controls(self) -> list[QWidget]:
        """The controls of the row in the order of reading."""
        items = (self._fields.itemAt(index) for index in range(self._fields.count()))
        fields = [item.widget() for item in items if item]
        return [self.kind, *filter(None, fields), self._drop]

    def _take(self, step: Step) -> None:
        if step != self.step:
            self.step = step
            self.changed.emit()

    def _build(self) -> None:
        pieces.clear(self._fields)
        step = self.step
        match step:
            case Count(count=count, unit=unit):
                self._line(str(abs(count)), "How many", self._count, 56)
                units = {u: u if abs(count) == 1 else f"{u}s" for u in dates.UNITS}
                self._choice(units, unit, "Unit", partial(self._set, "unit"))
            case Duration(text=text):
                self._line(text, "ISO 8601 duration", self._duration)
            case Edge(which=which, period=period):
                self._period(which, period)
            case Nth(number=number, weekday=weekday, which=which, period=period):
                self._choice(dates.ORDERS, number, "Which of them", partial(self._set, "number"))
                self._weekday(weekday)
                self._period(which, period)
            case Weekday(which=which, weekday=weekday):
                self._choice(
                    dict.fromkeys(dates.WHICH), which, "Which", partial(self._set, "which")
                )
                self._weekday(weekday)
            case OnOr(weekday=weekday):
                self._weekday(weekday)
            case Roll(forward=forward):
                self._choice(_ROLLS, forward, "Then", partial(self._set, "forward"))
            case At(time=at):
                self._line(at.strftime("%H:%M"), "Time of day", self._at, 64)
        self._fields.addStretch(1)

    def _set(self, field: str, value: Any) -> None:
        self._take(replace(self.step, **{field: value}))

    def _period(self, which: str, period: str) -> None:
        self._choice(dict.fromkeys(dates.WHICH), which, "Which", partial(self._set, "which"))
        periods = dict.fromkeys(dates.PERIODS)
        self._choice(periods, period, "Period", partial(self._set, "period"))

    def _weekday(self, weekday: int) -> None:
        names = dict(enumerate(dates.WEEKDAYS))
        self._choice(names, weekday, "Weekday", partial(self._set, "weekday"))

    def _choice(self, choices: Any, now: object, name: str, take: Callable[[Any], object]) -> None:
        """A list; choices maps values to words, None being the value itself."""
        values = list(choices)
        made = StillCombo()
        made.addItems([choices[value] or str(value) for value in values])
        made.setCurrentIndex(values.index(now))
        theme.named(made, name)
        made.currentIndexChanged.connect(lambda index: take(values[index]))
        self._fields.addWidget(made)

    def _line(self, text: str, name: str, take: Callable[[str], object], width: int = 0) -> None:
        made = QLineEdit(text)
        theme.named(made, name)
        if width:
            made.setFixedWidth(width)
        made.textEdited.connect(take)
        self._fields.addWidget(made)

    def _count(self, text: str) -> None:
        if text.isdecimal() and isinstance(self.step, Count):
            sign = "-" if self.kind.currentData() == "back" else "+"
            self._take_read(f"{sign} {int(text)} {self.step.unit}s")

    def _duration(self, text: str) -> None:
        back = isinstance(self.step, Duration) and self.step.back
        self._take_read(f"{'-' if back else '+'} {text}")

    def _at(self, text: str) -> None:
        self._take_read(f"at {text}")

    def _take_read(self, text: str) -> None:
        """Take a typed step once it can be read; until then the last one stands."""
        try:
            (step,) = dates.read(f"today {text}").steps
        except NebbetError:
            return
        self._take(step)


class RuleBuilder(QWidget):
    """Shows a rule as choices. changed tells the rule's new text."""

    changed = Signal(str)

    def __init__(self, date_names: Callable[[], list[str]]) -> None:
        super().__init__()
        self._date_names = date_names
        self.rule = Rule()
        self.rows: list[StepRow] = []
        self.base = StillCombo()
        theme.named(self.base, "Counting begins at")
        self.base.currentIndexChanged.connect(self._changed)
        self._steps = QVBoxLayout()
        self._steps.setSpacing(0)
        self.add = pieces.button("Add a step", self.add_step, "words")
        self.late = QCheckBox("written after")
        self.late.setToolTip("From that time on, counting begins tomorrow")
        theme.named(self.late, "From a time on, count from tomorrow")
        self.late_time = QLineEdit("16:00")
        self.late_time.setFixedWidth(56)
        theme.named(self.late_time, "Time from which counting begins tomorrow")
        self.late.toggled.connect(self._changed)
        self.late_time.textEdited.connect(self._changed)
        late = pieces.row(self.late, self.late_time, pieces.label("count from tomorrow"), None)
        begin = pieces.row(pieces.label("From", "faint"), pieces.grow(self.base))
        pieces.fill(QVBoxLayout(self), begin, self._steps, pieces.row(self.add, None), late)

    def show_rule(self, rule: Rule) -> None:
        """Show a rule, unless it is the one that these choices have made."""
        if rule == self.rule and self.base.count():
            return
        self.rule = rule
        self._show_base()
        self.late.blockSignals(True)
        self.late.setChecked(rule.late is not None)
        self.late.blockSignals(False)
        if rule.late:
            self.late_time.setText(rule.late.strftime("%H:%M"))
        pieces.clear(self._steps)
        self.rows = []
        for step in rule.steps:
            self._show_step(step)
        self._allow()

    def _show_base(self) -> None:
        base = self.rule.base
        self.base.blockSignals(True)
        self.base.clear()
        self.base.addItem("today, the day of writing", Base())
        self.base.addItem("the sending day", Base("sending"))
        names = self._date_names()
        if base.kind == "name" and fold(base.name) not in map(fold, names):
            names.append(base.name)
        for name in names:
            self.base.addItem(name, Base("name", name))
        if base.kind == "fixed" and base.day:
            shown = base.day.strftime("%Y-%m-%d %H:%M" if isinstance(base.day, datetime) else "%F")
            self.base.addItem(shown, base)
        found = [self.base.itemData(i) for i in range(self.base.count())]
        keys = [(b.kind, fold(b.name), b.day) for b in found]
        self.base.setCurrentIndex(keys.index((base.kind, fold(base.name), base.day)))
        self.base.blockSignals(False)

    def _show_step(self, step: Step) -> StepRow:
        row = StepRow(step)
        row.changed.connect(self._changed)
        row.dropped.connect(partial(self._drop, row))
        self.rows.append(row)
        self._steps.addWidget(row)
        return row

    def add_step(self) -> None:
        """Add a step at the end and go to it."""
        row = self._show_step(_FIRST["on"])
        self._changed()
        row.kind.setFocus()

    def _drop(self, row: StepRow) -> None:
        self.rows.remove(row)
        row.hide()
        row.deleteLater()
        self._changed()
        self.add.setFocus()

    def _allow(self) -> None:
        """“if after” makes sense only where counting begins on the day of writing or sending; Tab
        goes through what there is now."""
        rows = (control for row in self.rows for control in row.controls())
        pieces.tab_through(self.base, *rows, self.add, self.late, self.late_time)
        allowed = self.rule.base.kind in ("today", "sending")
        self.late.setEnabled(allowed)
        self.late_time.setEnabled(allowed and self.late.isChecked())

    def _changed(self, *_args: object) -> None:
        base: Base = self.base.currentData() or Base()
        late = self._late() if base.kind in ("today", "sending") else None
        rule = Rule(base, tuple(row.step for row in self.rows), late)
        if rule != self.rule:
            self.rule = rule
            self.changed.emit(dates.wording(rule))
        self._allow()

    def _late(self) -> time | None:
        if not self.late.isChecked():
            return None
        try:
            (step,) = dates.read(f"today at {self.late_time.text()}").steps
        except NebbetError:
            return self.rule.late or time(16)
        return step.time if isinstance(step, At) else None
