"""When a letter is to go, if not now."""

import re
from datetime import date, datetime, timedelta
from zoneinfo import ZoneInfo

from nebbet.core.dates.calendars import WorkingCalendar, zone_of
from nebbet.core.dates.parsing import read
from nebbet.core.dates.working import work_out
from nebbet.core.errors import NebbetError
from nebbet.core.sentences import said

FARTHEST = timedelta(days=366)
_MOST_DAYS = 60  # that are looked through for one on which the team works


def next_morning(now: datetime, calendar: WorkingCalendar) -> datetime:
    """When the team begins to work next, on a day after this one. now is aware.

    >>> from datetime import UTC
    >>> next_morning(datetime(2026, 11, 27, 20, tzinfo=UTC), WorkingCalendar()).isoformat()
    '2026-11-30T09:00:00+00:00'
    """
    local = _in_zone(now, calendar)
    day = local.date()
    for _ in range(_MOST_DAYS):
        day += timedelta(days=1)
        if calendar.is_working(day):
            break
    return datetime.combine(day, calendar.hours[0], local.tzinfo)


def moment_of(text: str, now: datetime, calendar: WorkingCalendar) -> datetime:
    """The moment that somebody typed: a date rule with or without a time of day, which is the
    beginning of the team's hours then. now is aware.

    Raises NebbetError where it is none, is past, or is farther than a year.
    """
    local = _in_zone(now, calendar)
    rule = re.sub(r"^\s*tomorrow\b", "today + 1 day", text, flags=re.IGNORECASE)
    worked = work_out(read(rule), local.replace(tzinfo=None), calendar)
    value = worked.value
    if isinstance(value, date) and not isinstance(value, datetime):
        value = datetime.combine(value, calendar.hours[0])
    assert isinstance(value, datetime)
    moment = value.replace(tzinfo=local.tzinfo)
    if moment <= now:
        raise NebbetError(said("{moment} is past", moment=f"{moment:%d %b %Y %H:%M}"))
    if moment - now > FARTHEST:
        raise NebbetError(said("A letter waits for a year at most"))
    return moment


def _in_zone(now: datetime, calendar: WorkingCalendar) -> datetime:
    zone: ZoneInfo | None = zone_of(calendar.zone) if calendar.zone else None
    return now.astimezone(zone) if zone else now
