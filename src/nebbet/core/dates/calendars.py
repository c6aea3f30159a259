"""Which days count as working days, and why the others do not."""

import re
from collections.abc import Mapping
from datetime import date, datetime, time, timedelta
from functools import lru_cache
from threading import RLock
from typing import TYPE_CHECKING
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

from msgspec import Struct, field

from nebbet.core.errors import NebbetError

if TYPE_CHECKING:
    from holidays import HolidayBase

_CODE = re.compile(r"[A-Z]{2,3}(?:-[A-Za-z0-9]{1,8})?", re.ASCII)
_HOURS = re.compile(r"(\d{1,2})(?:[:.](\d\d))?\s*(?:-|–|to)\s*(\d{1,2})(?:[:.](\d\d))?")
NINE_TO_FIVE = (time(9), time(17))
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
    in ("Europe/London", IANA), or empty where clock changes do not matter. hours are those in which
    the team works, from and to.
    """

    code: str = ""
    closed: Mapping[date, str] = field(default_factory=dict)
    weekdays: frozenset[int] = frozenset(range(5))
    zone: str = ""
    hours: tuple[time, time] = NINE_TO_FIVE

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
    weekdays: frozenset[int] | None = None,
    hours: tuple[time, time] = NINE_TO_FIVE,
) -> WorkingCalendar:
    """The calendar for an ISO 3166 code; where no working week is given, it is the country's.
    Raises NebbetError when there is none.

    >>> calendar_for("GB-SCT").is_working(date(2026, 11, 30))
    False
    """
    if code:
        _holidays(code)
    if zone:
        zone_of(zone)
    week = week_of(code) if weekdays is None else weekdays
    if not week:
        raise NebbetError("A week without a working day cannot be counted in")
    if hours[0] >= hours[1]:
        raise NebbetError(
            f"The team cannot work from {hours[0]:%H:%M} to {hours[1]:%H:%M}",
            advice="Give the hours of one day, such as 09:00-17:00",
        )
    return WorkingCalendar(code, closed or {}, week, zone, hours)


def week_of(code: str) -> frozenset[int]:
    """The working weekdays of a country, Monday being 0: not everywhere is the weekend on Saturday
    and Sunday.

    >>> sorted(week_of("SA")), sorted(week_of("GB-SCT")), sorted(week_of(""))
    ([0, 1, 2, 3, 6], [0, 1, 2, 3, 4], [0, 1, 2, 3, 4])
    """
    weekend = _holidays(code).weekend if code else {5, 6}
    return frozenset(range(7)) - frozenset(weekend)


def week_for(code: str, usual: frozenset[int]) -> frozenset[int]:
    """The working weekdays for the holidays of a country: the usual ones, unless its weekend is not
    Saturday and Sunday."""
    try:
        found = week_of(code)
    except NebbetError:
        return usual
    return usual if found == week_of("") else found


def week(text: str) -> frozenset[int]:
    """Working weekdays as people write them: Mon-Fri, Sun-Thu, or Mon,Tue,Sat. Raises NebbetError.

    >>> sorted(week("Sun-Thu")), sorted(week("mon, wed"))
    ([0, 1, 2, 3, 6], [0, 2])
    """
    found: set[int] = set()
    for piece in text.replace("–", "-").split(","):
        first, _, last = piece.partition("-")
        begin = _weekday(first, text)
        end = _weekday(last, text) if last.strip() else begin
        found |= {(begin + n) % 7 for n in range((end - begin) % 7 + 1)}
    return frozenset(found)


def _weekday(name: str, text: str) -> int:
    said = name.strip().casefold()
    number = next((n for n, day in enumerate(WEEKDAYS) if day.casefold().startswith(said)), None)
    if number is None or len(said) < 2:
        raise NebbetError(f"“{text}” is no working week", advice="Write Mon-Fri, or Mon,Tue,Sat")
    return number


def hours(text: str) -> tuple[time, time]:
    """The hours in which a team works as people write them. Raises NebbetError.

    >>> hours("9:00 - 17:30")
    (datetime.time(9, 0), datetime.time(17, 30))
    """
    match = _HOURS.fullmatch(text.strip())
    numbers = [int(number or 0) for number in match.groups()] if match else []
    try:
        return time(numbers[0], numbers[1]), time(numbers[2], numbers[3])
    except (IndexError, ValueError):
        raise NebbetError(f"“{text}” are no hours of a day", advice="Write 09:00-17:00") from None


def zone_of(name: str) -> ZoneInfo:
    """A time zone by its IANA name. Raises NebbetError when there is none."""
    try:
        return ZoneInfo(name)
    except (ZoneInfoNotFoundError, ValueError, OSError):
        raise NebbetError(
            f"There is no time zone “{name}”", advice="Give one such as Europe/London"
        ) from None


def on_the_wall(value: datetime, zone: str) -> datetime:
    """A moment as clocks in a time zone show it; without a zone, as it is written.

    >>> on_the_wall(datetime.fromisoformat("2026-11-25T23:30+00:00"), "Europe/Oslo")
    datetime.datetime(2026, 11, 26, 0, 30)
    """
    if value.tzinfo is None:
        return value
    return (value.astimezone(zone_of(zone)) if zone else value).replace(tzinfo=None)


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


# The library works years out in the object that it hands out: one thread at a time may ask it.
_building = RLock()


@lru_cache(maxsize=512)
def _closed_in(code: str, year: int) -> Mapping[date, str]:
    """The public holidays of one year."""
    if not code:
        return {}
    with _building:
        made = _holidays(code)
        made.get(date(year, 1, 1))  # works the year out
        return {day: name for day, name in made.items() if day.year == year}


def _holidays(code: str) -> "HolidayBase":
    """The public holidays of a calendar, in English where they have that."""
    with _building:
        return _built(code)


@lru_cache(maxsize=64)
def _built(code: str) -> "HolidayBase":
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
