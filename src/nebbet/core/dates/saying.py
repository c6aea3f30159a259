"""Saying what a date rule means, and how a day came about."""

from datetime import date, datetime

from nebbet.core.dates import durations
from nebbet.core.dates.calendars import WEEKDAYS
from nebbet.core.dates.rules import (
    At,
    Count,
    Duration,
    Edge,
    Nth,
    OnOr,
    Roll,
    Rule,
    Step,
    Weekday,
    amount,
    clock,
    nth,
)
from nebbet.core.dates.working import Done, Worked, day_of, has_clock

_MOST_SKIPPED = 4


def describe(rule: Rule) -> str:
    """Say in one plain sentence what a rule means on any day.

    >>> from nebbet.core.dates.parsing import read
    >>> describe(read("today + 1 month or the next working day"))
    '1 month after the day of writing; if nobody works then, the next working day'
    """
    written = {"today": "the day of writing", "sending": "the day of sending"}
    start = written.get(rule.base.kind) or rule.base.name
    if rule.base.day:
        start = _full(rule.base.day)
    said = _phrases(rule.steps, start, ())
    if rule.late:
        said += f"; after {clock(rule.late)} it counts from the day after"
    return said


def explain(worked: Worked) -> str:
    """Say in one line how a day was worked out, and which closed days were passed over.

    >>> from nebbet.core.dates import calendar_for, read, work_out
    >>> rule = read("today + 7 working days")
    >>> explain(work_out(rule, date(2026, 11, 25), calendar_for("GB-SCT")))
    "7 working days after Wed 25 Nov 2026: Mon 7 Dec; skips Mon 30 Nov (Saint Andrew's Day)"
    """
    rule = worked.rule
    if not rule.steps:
        begun = {"today": "today, ", "sending": "the sending day, "}.get(rule.base.kind, "")
        return begun + _begun(worked).removeprefix("the sending day, ")
    said = _phrases(rule.steps, _begun(worked), worked.done)
    years = day_of(worked.base).year != worked.day.year
    said += f": {_short(worked.value, 'y' if years else '')}"
    return said + _skips(worked) + _clamps(worked) + _gaps(worked)


def _begun(worked: Worked) -> str:
    rule, said = worked.rule, _full(_from(worked))
    if worked.late and rule.late:
        said += f" (written after {clock(rule.late)}, so counted from tomorrow)"
    if rule.base.kind == "sending":
        return f"the sending day, {said}"
    return f"{rule.base.name} ({said})" if rule.base.kind == "name" else said


def _from(worked: Worked) -> date | datetime:
    """Where counting began, with the hour where the first step counts from one."""
    first = worked.done[0] if worked.done else None
    counts = isinstance(first.step, Count) and has_clock(first.step) if first else False
    return first.before if first and counts else worked.base


def _phrases(steps: tuple[Step, ...], start: str, done: tuple[Done, ...]) -> str:
    said = start
    for index, step in enumerate(steps):
        taken = done[index] if done else None
        said = _first(step, start) if index == 0 else said + _further(step, taken)
        if index == 0 and isinstance(step, Roll):
            said = start + _further(step, taken)
    return said


def _first(step: Step, start: str) -> str:
    match step:
        case Count(count=count, unit=unit):
            return f"{amount(count, unit)} {'before' if count < 0 else 'after'} {start}"
        case Duration(text=text, back=back):
            return f"{durations.spoken(text)} {'before' if back else 'after'} {start}"
        case Edge():
            return f"{_edge(step)}, seen from {start}"
        case Nth():
            return f"the {nth(step)} of {step.which} {step.period}, seen from {start}"
        case Weekday(which="this", weekday=weekday):
            return f"the {WEEKDAYS[weekday]} in the week of {start}"
        case Weekday(which=which, weekday=weekday):
            order = "first" if which == "next" else "last"
            way = "after" if which == "next" else "before"
            return f"the {order} {WEEKDAYS[weekday]} {way} {start}"
        case OnOr(after=after, weekday=weekday):
            return f"{_on_or(after, weekday)} {start}"
        case At(time=at):
            return f"{start} at {clock(at)}"
    return start


def _further(step: Step, taken: Done | None) -> str:
    match step:
        case Count(count=count, unit=unit):
            return f", then {amount(count, unit)} {'back' if count < 0 else 'on'}"
        case Duration(text=text, back=back):
            return f", then {durations.spoken(text)} {'back' if back else 'on'}"
        case Edge():
            return f", then {_edge(step)}"
        case Nth():
            return f", then the {nth(step)} of {step.which} {step.period}"
        case Weekday(which=which, weekday=weekday):
            return f", then {'that' if which == 'this' else which} {WEEKDAYS[weekday]}"
        case OnOr(after=after, weekday=weekday):
            return f", then {_on_or(after, weekday)} that"
        case At(time=at):
            return f", at {clock(at)}"
        case Roll(forward=forward):
            day = f"the {'next' if forward else 'previous'} working day"
            if taken is None:
                return f"; if nobody works then, {day}"
            return f", moved from {_short(taken.before)} to {day}" if _moved(taken) else ""


def _edge(step: Edge) -> str:
    return f"the {step.edge} of {step.which} {step.period}"


def _on_or(after: bool, weekday: int) -> str:
    way = ("first", "after") if after else ("last", "before")
    return f"the {way[0]} {WEEKDAYS[weekday]} on or {way[1]}"


def _moved(taken: Done) -> bool:
    return day_of(taken.before) != day_of(taken.after)


def _skips(worked: Worked) -> str:
    if not worked.skipped:
        return ""
    shown = [f"{_short(day)} ({name})" for day, name in worked.skipped[:_MOST_SKIPPED]]
    more = len(worked.skipped) - len(shown)
    return f"; skips {', '.join(shown)}{f' and {more} more' if more else ''}"


def _clamps(worked: Worked) -> str:
    return "".join(
        f"; {_month(done.clamped)} has no day {day_of(done.before).day}"
        for done in worked.done
        if done.clamped
    )


def _gaps(worked: Worked) -> str:
    return "".join(
        f"; clocks are put forward that day and there is no {clock(done.gap)}"
        for done in worked.done
        if done.gap
    )


def _month(day: date | datetime) -> str:
    from babel.dates import format_date

    return format_date(day_of(day), "MMMM", locale="en_GB")


def _full(day: date | datetime) -> str:
    return _short(day, "y")


def _short(day: date | datetime, year: str = "") -> str:
    from babel.dates import format_date

    said = format_date(day_of(day), f"EEE d MMM {year}".strip(), locale="en_GB")
    return f"{said} at {clock(day.time())}" if isinstance(day, datetime) else said
