"""Which days count as working days, and why the others do not."""

import re
from collections.abc import Mapping
from datetime import date, timedelta
from functools import lru_cache
from typing import TYPE_CHECKING
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

from msgspec import Struct, field

from nebbet.core.errors import NebbetError

if TYPE_CHECKING:
    from holidays import HolidayBase

_CODE = re.compile(r"[A-Z]{2,3}(?:-[A-Za-z0-9]{1,8})?", re.ASCII)
MOST_DAYS = 366 * 100  # between two days that are counted; a letter speaks of no more
WEEKDAYS = ("Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday")


def is_code(code: str) -> bool:
    """Whether something may be the code of a calendar: ISO 3166, or nothing.

    >>> is_code("GB-SCT"), is_code(""), is_code("utils")
    (True, True, False)
    """
    return not code or _CODE.fullmatch(code) is not None


class WorkingCalendar(Struct, frozen=True):
    """Public holidays of a country or subdivision plus the team's own closure days.

    code is ISO 3166 ("GB-SCT", "FR"), or empty for weekends only; closed maps a day to its name;
    weekdays holds the working weekdays, Monday being 0. zone is the time zone that the team works
    in ("Europe/London", IANA), or empty where clock changes do not matter.
    """

    code: str = ""
    closed: Mapping[date, str] = field(default_factory=dict)
    weekdays: frozenset[int] = frozenset(range(5))
    zone: str = ""

    def reason(self, day: date) -> str | None:
        """Why the team does not work on a weekday that it otherwise would, or None."""
        return self.closed.get(day) or _closed_in(self.code, day.year).get(day)

    def is_working(self, day: date) -> bool:
        """Whether the team works on that day."""
        return day.weekday() in self.weekdays and self.reason(day) is None

    def why_not(self, day: date) -> str:
        """Why nobody works on a day, in words.

        >>> WorkingCalendar().why_not(date(2026, 11, 28))
        'a Saturday'
        """
        return self.reason(day) or f"a {WEEKDAYS[day.weekday()]}"


def calendar_for(
    code: str,
    closed: Mapping[date, str] | None = None,
    zone: str = "",
    weekdays: frozenset[int] = frozenset(range(5)),
) -> WorkingCalendar:
    """The calendar for an ISO 3166 code. Raises NebbetError when there is none.

    >>> calendar_for("GB-SCT").is_working(date(2026, 11, 30))
    False
    """
    if code:
        _holidays(code)
    if zone:
        zone_of(zone)
    if not weekdays:
        raise NebbetError("A week without a working day cannot be counted in")
    return WorkingCalendar(code, closed or {}, weekdays, zone)


def zone_of(name: str) -> ZoneInfo:
    """A time zone by its IANA name. Raises NebbetError when there is none."""
    try:
        return ZoneInfo(name)
    except (ZoneInfoNotFoundError, ValueError, OSError):
        raise NebbetError(
            f"There is no time zone “{name}”", advice="Give one such as Europe/London"
        ) from None


def working_days_between(first: date, last: date, calendar: WorkingCalendar) -> int:
    """How many working days follow the first day up to and with the last; negative backwards.

    >>> working_days_between(date(2026, 11, 25), date(2026, 12, 7), calendar_for("GB-SCT"))
    7
    """
    if abs((last - first).days) > MOST_DAYS:
        raise NebbetError(
            f"{first} and {last} lie more than a hundred years apart",
            advice="Look at the dates: one of them is mistyped",
        )
    if last < first:
        return -working_days_between(last - timedelta(1), first - timedelta(1), calendar)
    days = range(1, (last - first).days + 1)
    return sum(calendar.is_working(first + timedelta(n)) for n in days)


@lru_cache(maxsize=512)
def _closed_in(code: str, year: int) -> Mapping[date, str]:
    """The public holidays of one year."""
    if not code:
        return {}
    made = _holidays(code)
    made.get(date(year, 1, 1))  # works the year out
    return {day: name for day, name in made.items() if day.year == year}


@lru_cache(maxsize=64)
def _holidays(code: str) -> "HolidayBase":
    """The public holidays of a calendar, in English where they have that."""
    import holidays

    country, _, subdivision = code.partition("-")
    try:
        if not is_code(code):  # the library would take the name of one of its own modules
            raise NotImplementedError
        found = holidays.country_holidays(country, subdiv=subdivision or None)
        english = next((lang for lang in found.supported_languages if lang[:2] == "en"), None)
        if english and found.language != english:
            found = holidays.country_holidays(country, subdiv=subdivision or None, language=english)
    except (NotImplementedError, AttributeError, ImportError, KeyError, ValueError):
        raise NebbetError(
            f"There is no calendar “{code}”",
            advice="Give a country and, where it has them, a subdivision: GB-SCT, DE-BY, FR, NO",
        ) from None
    return found


def closures(text: str) -> dict[date, str]:
    """The closure days of a team as people write them: a day and its name on each line. Raises
    NebbetError for a line that is none.

    >>> closures("2026-12-24 Christmas Eve")
    {datetime.date(2026, 12, 24): 'Christmas Eve'}
    """
    return dict(_closure(line) for line in text.splitlines() if line.strip())


def _closure(line: str) -> tuple[date, str]:
    day, _, name = line.strip().partition(" ")
    try:
        return date.fromisoformat(day), name.strip() or "closed"
    except ValueError:
        raise NebbetError(
            f"“{line.strip()[:40]}” is no closure day", advice="Write 2026-12-24 and its name"
        ) from None
