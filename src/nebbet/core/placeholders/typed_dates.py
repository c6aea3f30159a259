"""Reading dates and times as people type them in a language."""

import re
from datetime import date, datetime, time
from functools import lru_cache
from typing import TYPE_CHECKING

from nebbet.core.dates import WEEKDAYS

if TYPE_CHECKING:
    from babel import Locale


class Unreadable(Exception):
    """Typed text that is not of its kind; says what is wrong."""


class Unclear(Unreadable):
    """Typed text that could mean several things; clearer holds texts that could not."""

    def __init__(self, problem: str, clearer: tuple[str, ...]) -> None:
        super().__init__(problem)
        self.clearer = clearer


_CLOCK = r"(?P<hour>\d{1,2})(?:[:h.](?P<minute>\d{2})|h)(?::\d{2})?"
_TIME = re.compile(_CLOCK + r"\s*(?P<half>[^\W\d_][\w.]*)?\s*(?:uhr)?", re.IGNORECASE)
_HOUR = re.compile(r"(?P<hour>\d{1,2})\s*(?P<half>[^\W\d_][\w.]*)", re.IGNORECASE)
_LAST_TIME = re.compile(
    r"(?P<time>(?:\d{1,2}[:h]|(?<=\d{4}\s)\d{1,2}\.)\d{2}(?::\d{2})?(?:\s*[ap]\.?m\.?)?)\s*(?:uhr|h)?\s*$",
    re.IGNORECASE,
)
_JOINING = re.compile(r"[\s,]*\b(?:at|um|à|kl\.?|klokken|a las|alle|om)?[\s,]*$", re.IGNORECASE)
_SIGNED = re.compile(r"(\d{4})[年년]\s*(\d{1,2})[月월]\s*(\d{1,2})[日일].*")
_ISO = re.compile(r"(\d{4})-(\d{1,2})-(\d{1,2})")
_NUMERIC = re.compile(r"(\d{1,4})\s*([./\-])\s*(\d{1,2})(?:\s*\2\s*(\d{2,4})?)?")
_TOKENS = re.compile(r"\d+|[^\W\d_]+")
_LONGEST = 60


def read_date(text: str, locale: "Locale", today: date) -> date | datetime:
    """Read a day, with its time where one is given. Without a year, the nearest such day is
    meant. Raises Unreadable, and Unclear when day and month could be swapped."""
    if len(text) > _LONGEST:
        raise Unreadable(f"“{text[:20]}…” is too long for a date")
    if clock := _LAST_TIME.search(text):
        start = _JOINING.sub("", text[: clock.start()])
        if start:
            day = _read_day(start, locale, today)
            return datetime.combine(day, read_time(clock["time"], locale))
    return _read_day(text, locale, today)


def _read_day(text: str, locale: "Locale", today: date) -> date:
    try:
        if iso := _ISO.fullmatch(text) or _SIGNED.fullmatch(text):
            return date(*(int(part) for part in iso.groups()))
        if numeric := _NUMERIC.fullmatch(text):
            return _numeric(text, numeric, locale, today)
        if (worded := _worded(text, locale, today)) is not None:
            return worded
    except ValueError:
        raise Unreadable(f"“{text}” is a day that does not exist") from None
    example = _long(today, locale)
    raise Unreadable(f"“{text}” is not a date: write it as {example}")


def _long(day: date, locale: "Locale") -> str:
    from babel.dates import format_date

    return format_date(day, "long", locale=locale)


def _numeric(text: str, match: re.Match[str], locale: "Locale", today: date) -> date:
    first, mark, second, third = match[1], match[2], match[3], match[4]
    if len(first) == 4 and third:
        return date(int(first), int(second), int(third))
    if len(first) > 2:
        raise ValueError(text)
    one, other = int(first), int(second)
    day_first = mark == "." or _day_first(locale)
    day, month = (one, other) if day_first else (other, one)
    if mark != "." and month > 12 >= day:
        meant = _long(_dated(month, day, third, today), locale)
        raise Unclear(f"“{text}” has no such month: is {meant} meant?", (meant,))
    made = _dated(day, month, third, today)
    # A dot is written between day and month only where the day comes first.
    if mark != "." and one != other and one <= 12 and other <= 12:
        swapped = _dated(month, day, third, today)
        clearer = tuple(_long(d, locale) for d in (made, swapped))
        raise Unclear(f"“{text}” could be {clearer[0]} or {clearer[1]}", clearer)
    return made


def _dated(day: int, month: int, year: str | None, today: date) -> date:
    if year:
        number = int(year)
        if len(year) <= 2:
            number += 2000 if number < 70 else 1900
        return date(number, month, day)
    return _nearest(day, month, today)


def _nearest(day: int, month: int, today: date) -> date:
    """Such a day in the year that brings it nearest to today."""
    found = []
    for year in range(today.year - 4, today.year + 5):  # 29 February needs the wider reach
        try:
            found.append(date(year, month, day))
        except ValueError:
            continue
    if not found:
        raise ValueError(day)
    return min(found, key=lambda made: abs(made - today))


def _day_first(locale: "Locale") -> bool:
    pattern = str(locale.date_formats["short"].pattern)
    return pattern.find("d") < pattern.find("M")


def _worded(text: str, locale: "Locale", today: date) -> date | None:
    """A day whose month is written in letters; a weekday beside it has to be the right one."""
    months, weekdays = _names(locale)
    day = year = month = weekday = None
    for token in _TOKENS.findall(text):
        key = _key(token)
        if token.isdecimal():
            if day is None and len(token) <= 2:
                day = int(token)
            elif year is None and len(token) in (2, 4):
                year = token
            else:
                return None
        elif key in months and month is None:
            month = months[key]
        elif key in weekdays and weekday is None:
            weekday = weekdays[key]
        elif key not in _FILLERS:
            return None
    if day is None or month is None:
        return None
    made = _dated(day, month, year, today)
    if weekday is not None and made.weekday() != weekday:
        name = WEEKDAYS[made.weekday()]
        raise Unreadable(f"{_long(made, locale)} is a {name}, not what “{text}” says")
    return made


_FILLERS = {
    "the",
    "of",
    "st",
    "nd",
    "rd",
    "th",
    "de",
    "den",
    "der",
    "le",
    "er",
    "il",
    "el",
    "del",
    "feira",
}


def _key(word: str) -> str:
    return word.casefold().rstrip(".")


@lru_cache(maxsize=64)
def _names(locale: "Locale") -> tuple[dict[str, int], dict[str, int]]:
    """Month and weekday names of a language, and the English ones, by folded name."""
    from babel.dates import get_day_names, get_month_names

    months: dict[str, int] = {}
    weekdays: dict[str, int] = {}
    for code in ("en_GB", str(locale)):
        for context in ("format", "stand-alone"):
            for width in ("abbreviated", "wide"):
                for number, name in get_month_names(width, context, code).items():
                    months[_key(name)] = number
                for number, name in get_day_names(width, context, code).items():
                    weekdays[_key(name)] = weekdays[_key(name.split("-")[0])] = number
    return months, weekdays


def read_time(text: str, locale: "Locale") -> time:
    """Read a time of day: 16:30, 16.30, 4:30 pm, 16h30. Raises Unreadable."""
    said = text.strip()
    match = (_TIME.fullmatch(said) or _HOUR.fullmatch(said)) if len(said) < 20 else None
    if match:
        hour, minute = int(match["hour"]), int(match.groupdict().get("minute") or 0)
        half = (match["half"] or "").casefold().replace(".", "")
        hour = _in_half(hour, half, locale)
        if 0 <= hour < 24 and minute < 60:
            return time(hour, minute)
    raise Unreadable(f"“{text}” is not a time: write it as 16:30")


def _in_half(hour: int, half: str, locale: "Locale") -> int:
    """The hour of a clock that begins anew at noon; -1 for what is no half of a day."""
    if not half or half in ("h", "uhr"):
        return hour
    from babel.dates import get_period_names

    names = get_period_names("abbreviated", locale=locale)
    own = {_key(names.get(key, "")).replace(".", ""): key for key in ("am", "pm")}
    which = {"am": "am", "pm": "pm"}.get(half) or own.get(half)
    if which is None or not 1 <= hour <= 12:
        return -1
    return hour % 12 + (12 if which == "pm" else 0)
