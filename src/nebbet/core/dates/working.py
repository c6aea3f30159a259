"""Working a date rule out: the day it gives, and every step on the way."""

from collections.abc import Mapping
from datetime import UTC, date, datetime, time, timedelta

from msgspec import Struct

from nebbet.core.dates import durations
from nebbet.core.dates.calendars import WorkingCalendar, zone_of
from nebbet.core.dates.rules import (
    At,
    Base,
    Count,
    Duration,
    Edge,
    OnOr,
    Period,
    Roll,
    Rule,
    Step,
    Weekday,
    Which,
    wording,
)
from nebbet.core.errors import NebbetError

Skipped = tuple[tuple[date, str], ...]


class Done(Struct, frozen=True):
    """One step as it was taken.

    skipped holds the closed days that counting passed over, with their names. clamped says that
    the month had no such day, so that its last one was taken.
    """

    step: Step
    before: date | datetime
    after: date | datetime
    skipped: Skipped = ()
    clamped: bool = False


class Worked(Struct, frozen=True):
    """What a rule gives: where counting began, the steps, and the value; late says that today
    was over for this rule, so that counting began tomorrow."""

    rule: Rule
    base: date | datetime
    done: tuple[Done, ...]
    late: bool = False

    @property
    def value(self) -> date | datetime:
        """The result. It has a time of day where a step deals in hours or gives one; counting days
        from a moment gives a day."""
        if not self.done:
            return self.base
        last = self.done[-1].after
        return last if any(map(has_clock, self.rule.steps)) else day_of(last)

    @property
    def day(self) -> date:
        """The day of the result."""
        return day_of(self.value)

    @property
    def skipped(self) -> Skipped:
        """All closed days that were passed over."""
        return tuple(pair for done in self.done for pair in done.skipped)


def work_out(
    rule: Rule,
    now: date | datetime,
    calendar: WorkingCalendar,
    named: Mapping[str, date | datetime] | None = None,
    sending: date | datetime | None = None,
) -> Worked:
    """Work a rule out as it is at one moment.

    now and sending are in the team's own time; a plain day has no hour, so that “if after” does
    not apply. named holds the days of the placeholders that rules count from. Months clamp to
    the month's end, as dateutil.relativedelta does. Counted from a day that is not a working day,
    day one is the next working day (going back: the previous one); counting none gives the day
    itself or the next working day. Hours are real hours over a clock change of the calendar's
    zone. Raises NebbetError for a name without a day, for hours without a time of day, and beyond
    the years 1 to 9999.
    """
    moment = sending if rule.base.kind == "sending" and sending is not None else now
    try:
        base, late = _begin(rule, moment, named or {})
        done: list[Done] = []
        value = base
        for step in rule.steps:
            done.append(_take(step, value, calendar, _clock_of(rule.base, moment)))
            value = done[-1].after
    except (OverflowError, ValueError):
        raise NebbetError(
            f"“{wording(rule)}” leads beyond the calendar", advice="Use a smaller number"
        ) from None
    return Worked(rule, base, tuple(done), late)


def _begin(
    rule: Rule, moment: date | datetime, named: Mapping[str, date | datetime]
) -> tuple[date | datetime, bool]:
    base = rule.base
    if base.kind == "fixed" and base.day:
        return base.day, False
    if base.kind == "name":
        if base.name not in named:
            raise NebbetError(
                f"“{base.name}” has no date here, so “{wording(rule)}” cannot be worked out",
                advice="Counting begins at today, or at a placeholder that has a date",
            )
        return named[base.name], False
    day = day_of(moment)
    late = rule.late is not None and isinstance(moment, datetime) and moment.time() > rule.late
    return (day + timedelta(1) if late else day), late


def _clock_of(base: Base, moment: date | datetime) -> time | None:
    """The time of day from which hours are counted when the rule itself gives none."""
    if base.kind in ("today", "sending") and isinstance(moment, datetime):
        return moment.time().replace(second=0, microsecond=0)
    return None


def _take(
    step: Step, value: date | datetime, calendar: WorkingCalendar, clock: time | None
) -> Done:
    match step:
        case Count(count=count, unit="working day"):
            day, skipped = _count_working(count, day_of(value), calendar)
            return Done(step, value, _with_day(value, day), skipped)
        case Count(count=count, unit="hour" | "minute" as unit):
            minutes = count * (60 if unit == "hour" else 1)
            return Done(step, value, _shift(_clocked(value, clock), minutes, calendar.zone))
        case Count():
            return _count_calendar(step, value)
        case Duration():
            return _count_duration(step, value, calendar, clock)
        case Edge(edge=edge, which=which, period=period):
            first, last = bounds(day_of(value), which, period)
            return Done(step, value, _with_day(value, first if edge == "start" else last))
        case Weekday(which=which, weekday=weekday):
            return Done(step, value, _with_day(value, _weekday(day_of(value), which, weekday)))
        case OnOr(after=after, weekday=weekday):
            day = day_of(value)
            days = (weekday - day.weekday()) % 7 if after else -((day.weekday() - weekday) % 7)
            return Done(step, value, _with_day(value, day + timedelta(days)))
        case Roll(forward=forward):
            day, skipped = _rolled(day_of(value), calendar, forward=forward)
            return Done(step, value, _with_day(value, day), skipped)
        case At(time=at):
            return Done(step, value, datetime.combine(day_of(value), at))


def _count_calendar(step: Count, value: date | datetime) -> Done:
    from dateutil.relativedelta import relativedelta

    if step.unit in ("day", "week"):
        days = step.count * (7 if step.unit == "week" else 1)
        return Done(step, value, value + timedelta(days))
    months = step.count * (12 if step.unit == "year" else 1)
    after = value + relativedelta(months=months)
    return Done(step, value, after, clamped=after.day != value.day)


def _count_duration(
    step: Duration, value: date | datetime, calendar: WorkingCalendar, clock: time | None
) -> Done:
    from dateutil.relativedelta import relativedelta

    sign = -1 if step.back else 1
    part = sign * durations.calendar_part(step.text)
    clamped = (value + part - relativedelta(days=part.days)).day != value.day
    after = value + part
    if durations.has_clock(step.text):
        minutes = sign * durations.minutes(step.text)
        after = _shift(_clocked(after, clock), minutes, calendar.zone)
    return Done(step, value, after, clamped=clamped)


def _count_working(count: int, start: date, calendar: WorkingCalendar) -> tuple[date, Skipped]:
    if count == 0 and calendar.is_working(start):
        return start, ()
    step = timedelta(-1 if count < 0 else 1)
    left, day = max(abs(count), 1), start
    skipped: list[tuple[date, str]] = []
    while left:
        day += step
        if day.weekday() not in calendar.weekdays:
            continue
        name = calendar.reason(day)
        if name is None:
            left -= 1
        else:
            skipped.append((day, name))
    return day, tuple(skipped)


def _rolled(day: date, calendar: WorkingCalendar, *, forward: bool) -> tuple[date, Skipped]:
    step = timedelta(1 if forward else -1)
    skipped: list[tuple[date, str]] = []
    while not calendar.is_working(day):
        if name := calendar.reason(day):
            skipped.append((day, name))
        day += step
    return day, tuple(skipped)


def _weekday(day: date, which: Which, weekday: int) -> date:
    ahead = (weekday - day.weekday()) % 7
    if which == "next":
        return day + timedelta(ahead or 7)
    if which == "previous":
        return day - timedelta((7 - ahead) % 7 or 7)
    return day + timedelta(weekday - day.weekday())


def bounds(day: date, which: Which, period: Period) -> tuple[date, date]:
    """The first and last day of a period round or beside a day; weeks begin on Monday, as in
    ISO 8601.

    >>> bounds(date(2026, 11, 25), "next", "month")
    (datetime.date(2026, 12, 1), datetime.date(2026, 12, 31))
    """
    from dateutil.relativedelta import relativedelta

    away = {"this": 0, "next": 1, "previous": -1}[which]
    if period == "week":
        first = day - timedelta(day.weekday()) + timedelta(weeks=away)
        return first, first + timedelta(6)
    length = {"month": 1, "quarter": 3, "year": 12}[period]
    first = day.replace(month=(day.month - 1) // length * length + 1, day=1)
    first += relativedelta(months=away * length)
    return first, first + relativedelta(months=length, days=-1)


def has_clock(step: Step) -> bool:
    """Whether a step deals in hours, or gives a time of day."""
    match step:
        case Duration(text=text):
            return durations.has_clock(text)
        case Count(unit=unit):
            return unit in ("hour", "minute")
    return isinstance(step, At)


def day_of(value: date | datetime) -> date:
    """The day of a value, without its time."""
    return value.date() if isinstance(value, datetime) else value


def _with_day(value: date | datetime, day: date) -> date | datetime:
    return datetime.combine(day, value.time()) if isinstance(value, datetime) else day


def _clocked(value: date | datetime, clock: time | None) -> datetime:
    if isinstance(value, datetime):
        return value
    if clock is None:
        raise NebbetError(
            f"{value.isoformat()} has no time of day to count hours from",
            advice="Put “at 09:00” before the hours",
        )
    return datetime.combine(value, clock)


def _shift(value: datetime, minutes: int, zone: str) -> datetime:
    """Real time on or back: over a clock change, the clock on the wall moves by more or less."""
    if not zone:
        return value + timedelta(minutes=minutes)
    place = zone_of(zone)
    moved = value.replace(tzinfo=place).astimezone(UTC) + timedelta(minutes=minutes)
    return moved.astimezone(place).replace(tzinfo=None)
