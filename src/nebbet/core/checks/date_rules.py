"""Days that are written in a letter: a weekday that is not theirs, a promise for a day that is past
or on which nobody works."""

import re
from collections.abc import Iterator
from datetime import date
from functools import lru_cache

from babel import Locale, UnknownLocaleError
from msgspec import Struct

from nebbet.core import inline
from nebbet.core.checks.rules import Found, Rule
from nebbet.core.checks.subjects import LetterToCheck
from nebbet.core.placeholders import show
from nebbet.core.sentences import said

# Words before a day by which something is to be done or to happen; from memory, with no source.
_PROMISES = (
    r"\b(?:by|until|before|no later than|not later than|bis|spätestens|vor dem|avant|jusqu['’]au|"
    r"d['’]ici|innen|før|senest|senast|före|voor|uiterlijk|antes del|hasta el|entro il|prima del|"
    r"do dnia)\s+(?:\w+\s+){0,3}$"
)
_BEFORE = 40  # signs before a day in which such words count


class WrittenDay(Struct, frozen=True):
    """A day as a text has it: the words, the day, the weekday beside it (Monday is 0) where there
    is one, whether the year is written, and what stands before it."""

    words: str
    day: date
    weekday: int | None
    has_year: bool
    before: str


@lru_cache(maxsize=32)
def _pattern(language: str) -> tuple[re.Pattern[str], dict[str, int], dict[str, int]] | None:
    """How a language writes days, with the numbers of its months and weekdays (CLDR's names)."""
    try:
        locale = Locale.parse(language)
    except (UnknownLocaleError, ValueError):
        return None
    months: dict[str, int] = {}
    weekdays: dict[str, int] = {}
    for context in ("format", "stand-alone"):
        for width in ("wide", "abbreviated"):
            for number, name in locale.months[context][width].items():
                months[name.casefold().rstrip(".")] = number
            for number, name in locale.days[context][width].items():
                weekdays[name.casefold().rstrip(".")] = number
    names = "|".join(map(re.escape, sorted(months, key=len, reverse=True)))
    week = "|".join(map(re.escape, sorted(weekdays, key=len, reverse=True)))
    day_first = rf"(?P<d1>\d{{1,2}})(?:st|nd|rd|th|\.|er|º)?\s+(?:de\s+|of\s+)?(?P<m1>{names})\.?"
    month_first = rf"(?P<m2>{names})\.?\s+(?P<d2>\d{{1,2}})(?:st|nd|rd|th)?\b"
    pattern = (
        rf"(?<!\w)(?:(?P<week>{week})\.?,?\s+(?:den\s+|the\s+|le\s+|de\s+)?)?"
        rf"(?:{day_first}|{month_first})(?:,?\s+(?:de\s+)?(?P<year>\d{{4}}))?(?!\w)"
    )
    return re.compile(pattern, re.IGNORECASE), months, weekdays


def days_in(text: str, language: str, today: date) -> Iterator[WrittenDay]:
    """The days that a text writes in words, in a language. One without a year is the nearest.

    >>> [one.day.day for one in days_in("Monday 7 December 2026", "en_GB", date(2026, 1, 1))]
    [7]
    """
    made = _pattern(language)
    if made is None:
        return
    pattern, months, weekdays = made
    for found in pattern.finditer(text):
        month = months.get((found["m1"] or found["m2"]).casefold().rstrip("."), 0)
        number, year = int(found["d1"] or found["d2"]), found["year"]
        day = _day(int(year) if year else None, month, number, today)
        if day is None:
            continue
        week = found["week"]
        yield WrittenDay(
            found[0].strip(),
            day,
            weekdays.get(week.casefold().rstrip(".")) if week else None,
            bool(year),
            text[max(0, found.start() - _BEFORE) : found.start()],
        )


def _day(year: int | None, month: int, number: int, today: date) -> date | None:
    try:
        if year is not None:
            return date(year, month, number)
        near = [date(one, month, number) for one in (today.year - 1, today.year, today.year + 1)]
    except ValueError:
        return None
    return min(near, key=lambda day: abs((day - today).days))


@lru_cache(4096)
def _days_of_line(line: str, language: str, today: date) -> tuple[WrittenDay, ...]:
    # Several rules ask for the same days, and the letters of a round say much alike.
    return tuple(days_in(line, language, today))


def _written(at: LetterToCheck) -> Iterator[tuple[str, WrittenDay]]:
    if at.about.today is None:
        return
    texts = [("subject", inline.shown(at.letter.subject))]
    texts += [("body", text) for text in at.paragraphs]
    for part, text in texts:
        for one in _days_of_line(text, at.letter.language, at.about.today):
            yield part, one


def _weekday(at: LetterToCheck) -> Iterator[Found]:
    """A weekday that contradicts its date."""
    for part, one in _written(at):
        if one.weekday is not None and one.weekday != one.day.weekday():
            right = show(one.day, at.letter.language, "EEEE")
            sentence = said("“{words}” is a {right}", words=one.words, right=right)
            yield Found(part, sentence, one.words)


def _past(at: LetterToCheck) -> Iterator[Found]:
    """Something that is to be done by a day that is past."""
    today = at.about.today
    for part, one in _written(at):
        if today and one.day < today and re.search(_PROMISES, one.before, re.IGNORECASE):
            yield Found(part, said("“{words}” is past", words=one.words), one.words)


def _closed(at: LetterToCheck) -> Iterator[Found]:
    """Something that is promised for a day on which nobody works."""
    calendar = at.about.calendar
    for part, one in _written(at):
        reason = calendar.reason(one.day) if calendar else ""
        if reason and re.search(_PROMISES, one.before, re.IGNORECASE):
            sentence = said("“{words}” is no working day ({reason})", words=one.words,
                            reason=reason)  # fmt: skip
            yield Found(part, sentence, one.words)


DATE_RULES: tuple[Rule[LetterToCheck], ...] = (
    Rule("weekday", "doubt", _weekday),
    Rule("past", "doubt", _past),
    Rule("closed", "doubt", _closed),
)
