"""Reading dates and times as people type them in a language."""

import re
from calendar import monthrange
from collections.abc import Iterator, Mapping
from datetime import date, datetime, time, timedelta
from functools import lru_cache
from itertools import pairwise
from typing import TYPE_CHECKING

from nebbet.core.dates import WEEKDAYS
from nebbet.core.placeholders.formats import show

if TYPE_CHECKING:
    from babel import Locale


class Unreadable(Exception):
    """Typed text that is not of its kind; says what is wrong."""


class Unclear(Unreadable):
    """Typed text that could mean several things; clearer holds texts that could not."""

    def __init__(self, problem: str, clearer: tuple[str, ...]) -> None:
        super().__init__(problem)
        self.clearer = clearer


# Times of day that have a name; from memory.
NAMED_TIMES = {
    "noon": time(12), "midday": time(12), "midnight": time(0), "mittag": time(12),
    "mittags": time(12), "mitternacht": time(0), "midi": time(12), "minuit": time(0),
}  # fmt: skip
_CLOCK = r"(?P<hour>\d{1,2})(?:[:h.](?P<minute>\d{2})|h)(?::\d{2})?"
_TIME = re.compile(_CLOCK + r"\s*(?P<half>[^\W\d_][\w.]*)?\s*(?:uhr)?", re.IGNORECASE)
_HOUR = re.compile(r"(?P<hour>\d{1,2})\s*(?P<half>[^\W\d_][\w.]*)", re.IGNORECASE)
_LAST_TIME = re.compile(
    r"(?P<time>(?:\d{1,2}[:h]|(?<=\d{4}\s)\d{1,2}\.)\d{2}(?::\d{2})?(?:\s*[ap]\.?m\.?)?"
    rf"|\d{{1,2}}\s*[ap]\.?m\b\.?|\b(?:{'|'.join(NAMED_TIMES)}))\s*(?:uhr|h)?\s*$",
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
    if not _ISO.fullmatch(text) and (own := _written_so(text, locale)) is not None:
        return own
    if clock := _LAST_TIME.search(text):
        start = _JOINING.sub("", text[: clock.start()])
        if start:
            day = _read_day(start, locale, today)
            return datetime.combine(day, read_time(clock["time"], locale))
    return _read_day(text, locale, today)


def _written_so(text: str, locale: "Locale") -> date | datetime | None:
    """The day, or the moment, that Nebbet writes so in that language; None where there is none.
    Whatever a letter shows can be typed, in every language that CLDR knows."""
    numbers = [int(number) for number in _NUMBERS.findall(text)]
    years = {number for number in numbers if 1000 <= number <= 9999}
    days = {number for number in numbers if 1 <= number <= 31}
    if not years or not days or len(numbers) > 6:
        return None
    wanted = _comparable(text)
    for made in _days_of(years, days):
        written = _written_days(made, str(locale))
        if wanted in written:
            return made
        for style in _STYLES:
            for at in _times_of(numbers) if len(numbers) > 2 else ():
                moment = datetime.combine(made, at)
                if _comparable(show(moment, str(locale), style)) == wanted:
                    return moment
    return None


_STYLES = ("long", "full", "medium")
_NUMBERS = re.compile(r"\d{1,4}")
_UNSEEN = re.compile("[\\s\u061c\u200e\u200f]+")


def _comparable(text: str) -> str:
    return _UNSEEN.sub(" ", text).strip().casefold()


@lru_cache(4096)
def _written_days(day: date, language: str) -> tuple[str, ...]:
    """A day in every way that it is written; the rows of a table have many of the same year."""
    return tuple(_comparable(show(day, language, style)) for style in _STYLES)


def _days_of(years: set[int], days: set[int]) -> Iterator[date]:
    for year in years:
        for month in range(1, 13):
            for day in days:
                if day <= monthrange(year, month)[1]:
                    yield date(year, month, day)


def _times_of(numbers: list[int]) -> Iterator[time]:
    """The times of day that two neighbouring numbers can mean."""
    for hour, minute in pairwise(numbers):
        if hour <= 23 and minute <= 59:
            yield time(hour, minute)
            if hour <= 12:
                yield time(hour % 12 + 12, minute)


def _read_day(text: str, locale: "Locale", today: date) -> date:
    try:
        if iso := _ISO.fullmatch(text) or _SIGNED.fullmatch(text):
            return date(*(int(part) for part in iso.groups()))
        if numeric := _NUMERIC.fullmatch(text):
            return _numeric(text, numeric, locale, today)
        for reading in (_spoken, _worded):
            if (found := reading(text, locale, today)) is not None:
                return found
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


# How far a day that has a name lies from today; from memory.
_NAMED_DAYS = {
    "today": 0, "tomorrow": 1, "the day after tomorrow": 2, "yesterday": -1,
    "heute": 0, "morgen": 1, "übermorgen": 2, "gestern": -1,
    "aujourd'hui": 0, "aujourd’hui": 0, "demain": 1, "après-demain": 2, "hier": -1,
    "i dag": 0, "i morgen": 1, "i overmorgen": 2, "i går": -1, "idag": 0, "imorgon": 1,
    "i morgon": 1, "igår": -1, "hoy": 0, "mañana": 1, "ayer": -1, "oggi": 0, "domani": 1,
    "ieri": -1, "vandaag": 0, "overmorgen": 2, "gisteren": -1, "dzisiaj": 0, "dziś": 0,
    "jutro": 1, "wczoraj": -1, "hoje": 0, "amanhã": 1, "ontem": -1, "tänään": 0, "huomenna": 1,
}  # fmt: skip


def _spoken(text: str, locale: "Locale", today: date) -> date | None:
    """A day by its name: tomorrow, Friday, next Friday."""
    said = " ".join(text.split()).casefold()
    if said in _NAMED_DAYS:
        return today + timedelta(_NAMED_DAYS[said])
    weekdays = _names(locale)[1]
    is_next = said.startswith("next ")
    number = _among(_key(said.removeprefix("next ").removeprefix("on ")), weekdays)
    if number is None:
        return None
    ahead = (number - today.weekday()) % 7
    if is_next or ahead:
        return today + timedelta(ahead or 7)
    clearer = tuple(_long(day, locale) for day in (today, today + timedelta(7)))
    raise Unclear(f"“{text}” could be {clearer[0]} or {clearer[1]}", clearer)


def _among(word: str, names: Mapping[str, int]) -> int | None:
    """The number of a name, also by a beginning of three letters or more that no other has."""
    if word in names:
        return names[word]
    found = {n for name, n in names.items() if len(word) >= _SHORTEST and name.startswith(word)}
    return found.pop() if len(found) == 1 else None


_SHORTEST = 3


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
        elif month is None and (named := _among(key, months)) is not None:
            month = named
        elif weekday is None and (named := _among(key, weekdays)) is not None:
            weekday = named
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
    if (own := _time_written_so(said, locale)) is not None:
        return own
    if said.casefold() in NAMED_TIMES:
        return NAMED_TIMES[said.casefold()]
    match = (_TIME.fullmatch(said) or _HOUR.fullmatch(said)) if len(said) < 20 else None
    if match:
        hour, minute = int(match["hour"]), int(match.groupdict().get("minute") or 0)
        half = (match["half"] or "").casefold().replace(".", "")
        hour = _in_half(hour, half, locale)
        if 0 <= hour < 24 and minute < 60:
            return time(hour, minute)
    raise Unreadable(f"“{text}” is not a time: write it as 16:30")


def _time_written_so(text: str, locale: "Locale") -> time | None:
    """The time of day that Nebbet writes so in that language."""
    numbers = [int(number) for number in _NUMBERS.findall(text)]
    wanted = _comparable(text)
    for at in _times_of(numbers) if len(numbers) == 2 else ():
        if _comparable(show(at, str(locale))) == wanted:
            return at
    return None


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
