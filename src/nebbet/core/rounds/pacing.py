"""When the letters of a round go: one after the other, at some distance, in some hours of some
days."""

import re
from collections.abc import Iterator
from datetime import datetime, time, timedelta
from functools import cache

from msgspec import Struct

from nebbet.core.characters import folded
from nebbet.core.errors import NebbetError
from nebbet.core.sentences import said

_SPANS = (timedelta(minutes=1), timedelta(hours=1), timedelta(days=1))
_DAYS = 400  # that are looked through for one on which letters go
_HOURS = re.compile(r"(\d{1,2})(?:[:.](\d\d))?\s*[-–]\s*(\d{1,2})(?:[:.](\d\d))?")
_LANGUAGES = ("en", "de", "fr", "nb")  # in which days of the week are read
_SHORTEST = 2  # letters that a day of the week begins with


class Pace(Struct, frozen=True, omit_defaults=True):
    """every is the distance in seconds; letters go from one time of day until before another (the
    same for both: at any time), on weekdays by their numbers (Monday is 0)."""

    every: float = 0.0
    after: time = time()
    before: time = time()
    weekdays: frozenset[int] = frozenset(range(7))

    @property
    def is_any_time(self) -> bool:
        """Whether letters go at any hour."""
        return self.after == self.before


def read_hours(text: str) -> tuple[time, time]:
    """Hours as people write them; nothing is any hour. Raises NebbetError.

    >>> read_hours("9-17:30")
    (datetime.time(9, 0), datetime.time(17, 30))
    """
    if not text.strip():
        return time(), time()
    found = _HOURS.fullmatch(text.strip())
    try:
        if found is None:
            raise ValueError
        first, last = int(found[1]), int(found[3])
        after, before = time(first, int(found[2] or 0)), time(last % 24, int(found[4] or 0))
    except ValueError:
        raise NebbetError(
            said("“{text}” are no hours", text=text), advice=said("Write them as 9-17")
        ) from None
    if last <= 24 and (last == 24 or after < before):
        return after, (time.max if last == 24 else before)
    raise NebbetError(
        said("“{text}” ends before it begins", text=text), advice=said("Write them as 9-17")
    )


def read_days(text: str) -> frozenset[int]:
    """Days of the week as people write them, by their numbers (Monday is 0); nothing is any day.
    Raises NebbetError.

    >>> sorted(read_days("Mon-Wed, sat"))
    [0, 1, 2, 5]
    """
    found: set[int] = set()
    for part in filter(None, (one.strip() for one in re.split(r"[,;]", text))):
        ends = [_day(one.strip(), part) for one in re.split(r"[-–]", part)]
        first, last = ends[0], ends[-1]
        found.update((first + step) % 7 for step in range((last - first) % 7 + 1))
    return frozenset(found or range(7))


def _day(name: str, written: str) -> int:
    wanted = folded(name).rstrip(".")
    for full, number in _day_names():
        if len(wanted) >= _SHORTEST and full.startswith(wanted):
            return number
    raise NebbetError(
        said("“{text}” is no day of the week", text=written), advice=said("Write them as Mon-Fri")
    )


@cache
def _day_names() -> tuple[tuple[str, int], ...]:
    from babel.dates import get_day_names

    return tuple(
        (folded(name), number)
        for language in _LANGUAGES
        for number, name in get_day_names("wide", locale=language).items()
    )


def moments(first: datetime, pace: Pace) -> Iterator[datetime]:
    """When letters go, from a moment on, without end. Raises NebbetError where none ever would.

    >>> pace = Pace(3600, time(9), time(11))
    >>> made = moments(datetime(2026, 11, 27, 10, 30), pace)
    >>> [f"{next(made):%d %H:%M}" for _ in range(3)]
    ['27 10:30', '28 09:00', '28 10:00']
    """
    if not pace.weekdays:
        raise NebbetError(
            said("The letters would go on no day"), advice=said("Choose a day of the week")
        )
    at = first
    while True:
        at = _allowed(at, pace)
        yield at
        at += timedelta(seconds=max(pace.every, 0.0))


def _allowed(at: datetime, pace: Pace) -> datetime:
    """The first moment from one on at which letters go."""
    for _ in range(_DAYS):
        if at.weekday() in pace.weekdays:
            if pace.is_any_time or pace.after <= at.time() < pace.before:
                return at
            if at.time() < pace.after:
                return datetime.combine(at.date(), pace.after, at.tzinfo)
        begins = time() if pace.is_any_time else pace.after
        at = datetime.combine(at.date() + timedelta(days=1), begins, at.tzinfo)
    return at


def lasts(
    count: int, first: datetime, pace: Pace, limits: tuple[int, int, int] = (0, 0, 0)
) -> timedelta:
    """How long it takes until the last of so many letters goes; limits are how many the account
    lets go in a minute, an hour, a day (0 is any number).

    >>> lasts(101, datetime(2026, 11, 27), Pace(), (0, 50, 0))
    datetime.timedelta(seconds=7200)
    """
    made = moments(first, pace)
    last = first
    for _ in range(min(count, 1_000_000)):
        last = next(made)
    by_limits = (
        span * ((count - 1) // most) for most, span in zip(limits, _SPANS, strict=True)
        if most and count
    )  # fmt: skip
    return max(last - first, *by_limits, timedelta())
