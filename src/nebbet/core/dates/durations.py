"""ISO 8601 durations: years, months, weeks, days, hours and minutes."""

import re
from typing import TYPE_CHECKING

from nebbet.core.dates.rules import amount

if TYPE_CHECKING:
    from dateutil.relativedelta import relativedelta

# ISO 8601 §4.4.3; seconds and fractions are left out: no promise to a customer holds them.
DURATION = re.compile(
    r"P(?=[\dT])(?:(?P<years>\d{1,4})Y)?(?:(?P<months>\d{1,4})M)?(?:(?P<weeks>\d{1,4})W)?"
    r"(?:(?P<days>\d{1,4})D)?(?:T(?:(?P<hours>\d{1,4})H)?(?:(?P<minutes>\d{1,4})M)?)?",
    re.IGNORECASE,
)


def _parts(text: str) -> dict[str, int]:
    match = DURATION.fullmatch(text)
    return {name: int(n) for name, n in match.groupdict().items() if n} if match else {}


def has_clock(text: str) -> bool:
    """Whether a duration holds hours or minutes."""
    return bool(_parts(text).keys() & {"hours", "minutes"})


def calendar_part(text: str) -> "relativedelta":
    """The years, months, weeks and days of a duration."""
    from dateutil.relativedelta import relativedelta

    parts = _parts(text)
    years, months, weeks, days = (
        parts.get(name, 0) for name in ("years", "months", "weeks", "days")
    )
    return relativedelta(years=years, months=months, weeks=weeks, days=days)


def minutes(text: str) -> int:
    """The hours and minutes of a duration, in minutes."""
    parts = _parts(text)
    return parts.get("hours", 0) * 60 + parts.get("minutes", 0)


def spoken(text: str) -> str:
    """A duration in words.

    >>> spoken("P1M10D")
    '1 month and 10 days'
    """
    words = [amount(count, name.removesuffix("s")) for name, count in _parts(text).items()]
    return " and ".join(filter(None, (", ".join(words[:-1]), *words[-1:])))
