"""What a message says that a blank of its answer asks for: days, amounts, numbers, names."""

import re
from collections.abc import Iterator
from datetime import date
from functools import lru_cache
from typing import NamedTuple

from nebbet.core.checks.date_rules import days_in
from nebbet.core.checks.mentions import names_in
from nebbet.core.placeholders import Placeholder, read_typed, show
from nebbet.core.placeholders.declared import Kind
from nebbet.core.spoken import written_in

_MOST = 6  # values that are offered
_LONGEST = 20_000  # characters of a message that are looked through
_AROUND = 28  # signs on either side that say where a value stood
_SIGNS = r"£|€|\$|kr\.?|CHF|GBP|EUR|USD|NOK|SEK|DKK|PLN"
_AMOUNT = re.compile(
    rf"(?<![\w.,])(?:(?:{_SIGNS})\s?\d(?:[\d.,]*\d)?|\d[\d.,]*\s?(?:{_SIGNS}))(?!\w)"
)
_NUMBER = re.compile(r"(?<![\w.,/-])\d{1,9}(?:[.,]\d{1,4})?(?![\w/-])")
_TIME = re.compile(rf"(?<![\d£€$.,])(?:[01]?\d|2[0-3])[:.][0-5]\d(?!\d|\s?(?:{_SIGNS}))")
_PHONE = re.compile(r"(?<![\w-])\+?\d[\d ()/.-]{7,18}\d(?![\w-])")
_CODE = re.compile(r"(?<![\w@.-])[A-Z]{1,5}[- ]?\d{3,}[\w-]*")
_LINK = re.compile(r"https?://[^\s<>\"']{4,200}")


class Taken(NamedTuple):
    """A value as it would be typed, and the words round it in the message."""

    text: str
    around: str


@lru_cache(maxsize=256)
def taken_from(
    message: str, kind: Kind, currency: str, language: str, today: date
) -> tuple[Taken, ...]:
    """The values in a message that a blank of a kind could have, in the order in which they stand,
    written as the letter's language has it. Each is one that the blank takes.

    >>> [one.text for one in taken_from("I paid £64.00 on 3 May", "money", "", "en_GB",
    ...                                 date(2026, 1, 1))]
    ['£64.00']
    """
    placeholder = Placeholder("value", kind=kind, currency=currency)
    found: dict[str, Taken] = {}
    for words, typed in _candidates(message[:_LONGEST], kind, language, today):
        if typed in found or read_typed(typed, placeholder, language, today).problem:
            continue
        found[typed] = Taken(typed, _around(message, words))
        if len(found) == _MOST:
            break
    return tuple(found.values())


def _candidates(message: str, kind: Kind, language: str, today: date) -> Iterator[tuple[str, str]]:
    """The words in a message, and how they would be typed."""
    match kind:
        case "date":
            spoken = written_in(message) or language
            for day in days_in(message, spoken, today):
                yield day.words, show(day.day, language, "long")
        case "money":
            yield from _same(_AMOUNT, message)
        case "number":
            yield from _same(_NUMBER, message)
        case "time":
            yield from _same(_TIME, message)
        case "link":
            yield from _same(_LINK, message)
        case "text":
            for pattern in (_CODE, _PHONE):
                yield from _same(pattern, message)
            yield from ((name, name) for name in names_in(message) if len(name.split()) == 2)


def _same(pattern: re.Pattern[str], message: str) -> Iterator[tuple[str, str]]:
    for found in pattern.finditer(message):
        words = found[0].strip(" .,")
        yield words, words


def _around(message: str, words: str) -> str:
    """Where some words stand in a message."""
    at = message.find(words)
    start, end = max(at - _AROUND, 0), at + len(words) + _AROUND
    text = " ".join(message[start:end].split())
    return f"{'…' if start else ''}{text}{'…' if end < len(message) else ''}"
