"""When the letters of a round go: one after the other, at some distance, in some hours of some
days."""

from collections.abc import Iterator
from datetime import datetime, time, timedelta

from msgspec import Struct

from nebbet.core.errors import NebbetError
from nebbet.core.sentences import said

_DAYS = 400  # that are looked through for one on which letters go


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


def lasts(count: int, first: datetime, pace: Pace) -> timedelta:
    """How long it takes until the last of so many letters goes."""
    made = moments(first, pace)
    last = first
    for _ in range(min(count, 1_000_000)):
        last = next(made)
    return last - first
