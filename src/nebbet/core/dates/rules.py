"""Reading date rules, working them out and saying how."""

import re
from datetime import date, timedelta
from typing import TYPE_CHECKING, Literal

from msgspec import Struct

from nebbet.core.dates.calendars import WorkingCalendar
from nebbet.core.errors import NebbetError

if TYPE_CHECKING:
    from dateutil.relativedelta import relativedelta

Unit = Literal["day", "week", "month", "working day"]

MOST_STEPS = 9999  # twenty-seven years of days; keeps a mistyped rule from running for ever

_RULE = re.compile(
    r"\s*(?P<base>\w+)\s*"
    r"((?P<sign>[+\-−])\s*(?P<count>\d{1,9})\s*(?P<unit>[A-Za-z][A-Za-z ]*)\s*)?",
    re.IGNORECASE,
)
_UNITS: dict[str, Unit] = {
    "day": "day",
    "week": "week",
    "month": "month",
    "working day": "working day",
}
FORMS = (
    "today",
    "today + 3 days",
    "today - 2 weeks",
    "today + 1 month",
    "today + 7 working days",
)


class RuleError(NebbetError):
    """A date rule that cannot be read; place is where reading stopped, counted from 0."""

    def __init__(self, text: str, place: int, expected: str) -> None:
        self.place = place
        super().__init__(
            f"The date rule “{text[:80]}” cannot be read at character {place + 1}: "
            f"expected {expected}",
            advice=f"Rules look like: {', '.join(FORMS)}",
        )


class Rule(Struct, frozen=True):
    """A day counted from the day the letter is written; count may be negative or 0."""

    count: int = 0
    unit: Unit = "day"


class Worked(Struct, frozen=True):
    """What a rule gives on one day: the result and the working days it passed over."""

    rule: Rule
    today: date
    day: date
    skipped: tuple[tuple[date, str], ...] = ()


def read(text: str) -> Rule:
    """Read a date rule. Raises RuleError with the place and what was expected.

    >>> read("today + 7 working days")
    Rule(count=7, unit='working day')
    """
    match = _RULE.match(text)
    if match is None or match["base"].casefold() != "today":
        raise RuleError(text, 0, "“today”")
    if match.end() != len(text):
        raise RuleError(text, match.end(), "“+” or “-”, a number and a unit")
    if match["count"] is None:
        return Rule()
    unit = _UNITS.get(" ".join(match["unit"].casefold().split()).removesuffix("s"))
    if unit is None:
        raise RuleError(text, match.start("unit"), "days, weeks, months or working days")
    count = int(match["count"])
    if count > MOST_STEPS:
        raise RuleError(text, match.start("count"), f"a number up to {MOST_STEPS}")
    return Rule(count if match["sign"] == "+" else -count, unit)


def work_out(rule: Rule, today: date, calendar: WorkingCalendar) -> Worked:
    """Work a rule out for one day.

    Months clamp to the month's end, as dateutil.relativedelta does. Counted from a day that is
    not a working day, day one is the next working day (going back: the previous one); counting
    none gives the day itself or the next working day. Raises NebbetError beyond year 9999 or 1.
    """
    try:
        if rule.unit == "working day":
            day, skipped = _count_working(rule.count, today, calendar)
            return Worked(rule, today, day, skipped)
        return Worked(rule, today, today + _step(rule))
    except (OverflowError, ValueError):
        raise NebbetError(
            f"“{wording(rule)}” leads beyond the calendar", advice="Use a smaller number"
        ) from None


def _step(rule: Rule) -> "relativedelta":
    from dateutil.relativedelta import relativedelta

    match rule.unit:
        case "month":
            return relativedelta(months=rule.count)
        case "week":
            return relativedelta(weeks=rule.count)
    return relativedelta(days=rule.count)


def _count_working(
    count: int, today: date, calendar: WorkingCalendar
) -> tuple[date, tuple[tuple[date, str], ...]]:
    if count == 0 and calendar.is_working(today):
        return today, ()
    step = timedelta(days=-1 if count < 0 else 1)
    left, day = max(abs(count), 1), today
    skipped: list[tuple[date, str]] = []
    while left:
        day += step
        if calendar.is_working(day):
            left -= 1
        elif day.weekday() in calendar.weekdays:
            skipped.append((day, calendar.reason(day) or ""))
    return day, tuple(skipped)


def wording(rule: Rule) -> str:
    """Write a rule in its plainest form.

    >>> wording(Rule(-1, "month"))
    'today - 1 month'
    """
    if rule == Rule():
        return "today"
    sign = "-" if rule.count < 0 else "+"
    return f"today {sign} {_amount(rule)}"


def _amount(rule: Rule) -> str:
    count = abs(rule.count)
    return f"{count} {rule.unit}{'' if count == 1 else 's'}"


def explain(worked: Worked) -> str:
    """Say in one line how a day was worked out.

    >>> from nebbet.core.dates import calendar_for
    >>> rule = read("today + 7 working days")
    >>> explain(work_out(rule, date(2026, 11, 25), calendar_for("GB-SCT")))
    "7 working days after Wed 25 Nov 2026: Mon 7 Dec; skips Mon 30 Nov (Saint Andrew's Day)"
    """
    if worked.rule == Rule():
        return f"today, {_day(worked.today, 'y')}"
    way = "before" if worked.rule.count < 0 else "after"
    year = "y" if worked.day.year != worked.today.year else ""
    said = f"{_amount(worked.rule)} {way} {_day(worked.today, 'y')}: {_day(worked.day, year)}"
    if not worked.skipped:
        return said
    shown = [f"{_day(day)} ({name})" for day, name in worked.skipped[:4]]
    more = len(worked.skipped) - len(shown)
    return f"{said}; skips {', '.join(shown)}{f' and {more} more' if more else ''}"


def _day(day: date, year: str = "") -> str:
    from babel.dates import format_date

    return format_date(day, f"EEE d MMM {year}".strip(), locale="en_GB")
