"""Working a date rule out: the day it gives, and every step on the way."""

from collections.abc import Mapping
from datetime import UTC, date, datetime, time, timedelta

from msgspec import Struct
from msgspec.structs import replace

from nebbet.core.dates import durations
from nebbet.core.dates.calendars import WorkingCalendar, zone_of
from nebbet.core.dates.rules import (
    At,
    Base,
    Count,
    Duration,
    Edge,
    Nth,
    OnOr,
    Period,
    Roll,
    Rule,
    Step,
    Weekday,
    Which,
    nth,
    wording,
)
from nebbet.core.errors import NebbetError

Skipped = tuple[tuple[date, str], ...]


class Done(Struct, frozen=True):
    """One step as it was taken.

    skipped holds the closed days that counting passed over, with their names. clamped is the day
    that was taken where a month has no such day: its last one. gap is the time of day that the
    clock on the wall left out on that day, so that a later one was taken.
    """

    step: Step
    before: date | datetime
    after: date | datetime
    skipped: Skipped = ()
    clamped: date | datetime | None = None
    gap: time | None = None


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
            taken = _take(step, value, calendar, _clock_of(rule.base, moment))
            done.append(_past_the_gap(taken, calendar.zone))
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
        case Count(count=count, unit="working hour"):
            start = _clocked(value, clock or calendar.hours[0])
            moment, skipped = count_working_hours(count, start, calendar)
            return Done(step, start, moment, skipped)
        case Count(count=count, unit="hour" | "minute" as unit):
            minutes = count * (60 if unit == "hour" else 1)
            start = _clocked(value, clock)
            return Done(step, start, _shift(start, minutes, calendar.zone))
        case Count():
            return _count_calendar(step, value)
        case Duration():
            return _count_duration(step, value, calendar, clock)
        case Edge(edge=edge, which=which, period=period):
            first, last = bounds(day_of(value), which, period)
            return Done(step, value, _with_day(value, first if edge == "start" else last))
        case Nth():
            return Done(step, value, _with_day(value, _nth(day_of(value), step)))
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
    months = step.count * {"month": 1, "quarter": 3, "year": 12}[step.unit]
    after = value + relativedelta(months=months)
    return Done(step, value, after, clamped=after if after.day != value.day else None)


def _count_duration(
    step: Duration, value: date | datetime, calendar: WorkingCalendar, clock: time | None
) -> Done:
    from dateutil.relativedelta import relativedelta

    sign = -1 if step.back else 1
    part = sign * durations.calendar_part(step.text)
    month = value + part - relativedelta(days=part.days)
    after = value + part
    if durations.has_clock(step.text):
        minutes = sign * durations.minutes(step.text)
        after = _shift(_clocked(after, clock), minutes, calendar.zone)
    return Done(step, value, after, clamped=month if month.day != value.day else None)


def _count_working(count: int, start: date, calendar: WorkingCalendar) -> tuple[date, Skipped]:
    if count == 0 and calendar.is_working(start):
        return start, ()
    step = timedelta(-1 if count < 0 else 1)
    left, day = max(abs(count), 1), start
    skipped = _closed_at(start, calendar)
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


def _closed_at(start: date, calendar: WorkingCalendar) -> list[tuple[date, str]]:
    """The day at which counting begins, where it is a closed one itself."""
    name = calendar.reason(start) if start.weekday() in calendar.weekdays else None
    return [(start, name)] if name else []


def count_working_hours(
    count: int, start: datetime, calendar: WorkingCalendar
) -> tuple[datetime, Skipped]:
    """So many hours on, or back, of those in which the team works.

    Outside them counting begins when the team comes, or going back when it went. The end of one
    day and the beginning of the next are the same moment of work: going on it is the end.
    """
    opens, closes = calendar.hours
    back = count < 0
    left, at = timedelta(hours=abs(count)), start
    skipped: list[tuple[date, str]] = []
    while True:
        day = at.date()
        first, last = datetime.combine(day, opens), datetime.combine(day, closes)
        if calendar.is_working(day):
            begin = min(at, last) if back else max(at, first)
            room = begin - first if back else last - begin
            if timedelta(0) < room and left <= room:
                return (begin - left if back else begin + left), tuple(skipped)
            left -= max(room, timedelta(0))
        elif day.weekday() in calendar.weekdays:
            skipped.append((day, calendar.reason(day) or ""))
        away = timedelta(-1 if back else 1)
        at = datetime.combine(day + away, time.max if back else time.min)


def _past_the_gap(done: Done, zone: str) -> Done:
    """A step whose moment there is: at the change to summer time clocks leave an hour out, and what
    falls into it is as much later (as RFC 5545 §3.3.5 has it)."""
    if not zone or not isinstance(done.after, datetime):
        return done
    place = zone_of(zone)
    real = done.after.replace(tzinfo=place).astimezone(UTC).astimezone(place).replace(tzinfo=None)
    return done if real == done.after else replace(done, after=real, gap=done.after.time())


def _nth(day: date, step: Nth) -> date:
    first, last = bounds(day, step.which, step.period)
    if step.number < 0:
        return last - timedelta((last.weekday() - step.weekday) % 7)
    found = first + timedelta((step.weekday - first.weekday()) % 7 + 7 * (step.number - 1))
    if found > last:
        raise NebbetError(f"There is no {nth(step)} in that {step.period}")
    return found


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
            return unit in ("hour", "minute", "working hour")
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
