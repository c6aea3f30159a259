"""What a date rule promises on each day of a year, and where that is out of the ordinary."""

from datetime import date, datetime, time, timedelta

from msgspec import Struct

from nebbet.core.dates.calendars import WorkingCalendar
from nebbet.core.dates.rules import Roll, Rule
from nebbet.core.dates.saying import explain
from nebbet.core.dates.working import Done, Worked, day_of, has_clock, work_out
from nebbet.core.errors import NebbetError

LENGTH = 366
MORNING = time(9)


class YearDay(Struct, frozen=True):
    """What a letter written on one day would promise.

    day is the day on which it is written; for a rule that counts from a placeholder, it is that
    placeholder's day. irregular says what made the result another one than on most days; lands
    says why nobody works on the day promised. Both are empty on an ordinary day; worked is None
    where the rule gives nothing, and problem then says why.
    """

    day: date
    worked: Worked | None
    irregular: str = ""
    lands: str = ""
    problem: str = ""

    @property
    def said(self) -> str:
        """How the promise comes about, or why there is none."""
        return explain(self.worked) if self.worked else self.problem


def year_view(
    rule: Rule, first: date, calendar: WorkingCalendar, at: time = MORNING
) -> tuple[YearDay, ...]:
    """Work a rule out for 366 days from the first one on, each at the same time of day."""
    needs_clock = any(map(has_clock, rule.steps))
    length = min(LENGTH, (date.max - first).days + 1)  # a year that ends with the last day there is
    days = (first + timedelta(n) for n in range(length))
    return tuple(_one(rule, day, calendar, at, needs_clock=needs_clock) for day in days)


def _one(
    rule: Rule, day: date, calendar: WorkingCalendar, at: time, *, needs_clock: bool
) -> YearDay:
    now = datetime.combine(day, at)
    named = dict.fromkeys(rule.names, now if needs_clock else day)
    try:
        worked = work_out(rule, now, calendar, named)
    except NebbetError as error:
        return YearDay(day, None, problem=error.what)
    promised = worked.day
    lands = "" if calendar.is_working(promised) else calendar.why_not(promised)
    return YearDay(day, worked, irregular(worked), lands)


def irregular(worked: Worked) -> str:
    """What is out of the ordinary about a result: closed days passed over, a short month."""
    said = [_of_step(done) for done in worked.done]
    return "; ".join(filter(None, said))


def _of_step(done: Done) -> str:
    if done.gap:
        return f"there is no {done.gap:%H:%M}: clocks are put forward"
    if done.clamped:
        return f"the month has no day {day_of(done.before).day}"
    if not done.skipped:
        return ""
    names = ", ".join(dict.fromkeys(name for _, name in done.skipped))
    return f"moved from {names}" if isinstance(done.step, Roll) else f"skips {names}"
