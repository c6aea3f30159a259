"""Filling the placeholders of a free text from a set of named values."""

import html
from collections.abc import Mapping
from functools import lru_cache

from msgspec import Struct

from nebbet.core import inline
from nebbet.core.errors import NebbetError
from nebbet.core.inline import ESCAPED, Line, Slot
from nebbet.core.placeholders import modifiers
from nebbet.core.placeholders.names import did_you_mean, nearest
from nebbet.core.records import fold
from nebbet.core.values import Value

MOST_PROBLEMS = 100


class Problem(Struct, frozen=True):
    """Something that kept a place from being filled: where, in the text, and why.

    line and column count from 1. name is the placeholder's, nearest the closest name that has a
    value. mistyped says that the braces themselves are wrong.
    """

    line: int
    column: int
    sentence: str
    name: str = ""
    nearest: str | None = None
    mistyped: bool = False


class Filled(Struct, frozen=True):
    """The filled text and what could not be filled; such places keep what stands there."""

    text: str
    problems: tuple[Problem, ...] = ()


def fill(
    text: str, values: Mapping[str, Value], language: str = "en_GB", *, as_html: bool = False
) -> Filled:
    r"""Fill every occurrence of every known name; values are escaped for HTML on request.

    A value that itself holds {{other}} is not filled again. \{{ writes the braces themselves.

    >>> fill("Hello {{First Name|upper}}", {"first_name": "Ana"}).text
    'Hello ANA'
    """
    line = inline.parse(text)
    done, failed = _fill(line, values, language, as_html=as_html)
    problems = _typos(text)
    if failed:
        problems += _placed(line, failed, values)
    problems.sort(key=lambda problem: (problem.line, problem.column))
    return Filled(done, tuple(problems[:MOST_PROBLEMS]))


def fill_line(
    line: Line, values: Mapping[str, Value], language: str = "en_GB", *, as_html: bool = False
) -> str:
    """Fill a text that is parsed already, as many times as one likes; a place that cannot be
    filled keeps its braces."""
    return _fill(line, values, language, as_html=as_html)[0]


def _fill(
    line: Line, values: Mapping[str, Value], language: str, *, as_html: bool
) -> tuple[str, dict[int, str]]:
    """The filled text, and what kept the parts of the line at some places from being filled."""
    by_name = {fold(name): value for name, value in values.items()}
    parts: list[str] = []
    failed: dict[int, str] = {}
    for index, part in enumerate(line):
        if isinstance(part, str):
            parts.append(part.replace(ESCAPED, "{{") if "\\" in part else part)
            continue
        try:
            parts.append(_written(part, by_name, language, as_html=as_html))
        except (NebbetError, KeyError) as error:
            failed[index] = error.what if isinstance(error, NebbetError) else ""
            parts.append(inline.source((part,)))
    return "".join(parts), failed


def _written(slot: Slot, by_name: Mapping[str, Value], language: str, *, as_html: bool) -> str:
    """The text of one place. Raises KeyError when there is no value for it."""
    value = by_name.get(fold(slot.name), "")
    kind = value.__class__
    if kind in (str, tuple) and not value:
        instead = modifiers.read(slot.modifiers).instead
        if instead is not None:
            return instead
        value = by_name[fold(slot.name)]
    if kind is str and not slot.modifiers:
        text = str(value)
    else:
        kinds = tuple(map(type, value)) if isinstance(value, tuple) else ()
        text = _formatted(value, slot.modifiers, language, kinds)
    return html.escape(text) if as_html else text


@lru_cache(maxsize=4096, typed=True)
def _formatted(value: Value, written: str, language: str, _kinds: tuple[type, ...]) -> str:
    """A value as its place writes it; the kinds are those of a list's items, for equality does
    not tell them apart."""
    return modifiers.write(value, written, language)


def _placed(line: Line, failed: Mapping[int, str], values: Mapping[str, Value]) -> list[Problem]:
    """The problems with their places; a name that is unknown many times is told once."""
    problems: list[Problem] = []
    told: set[str] = set()
    row, column = 1, 1
    for index, part in enumerate(line):
        if index in failed and isinstance(part, Slot) and len(told) < MOST_PROBLEMS:
            key = failed[index] or fold(part.name)
            if key not in told:
                told.add(key)
                problems.append(_problem(part, failed[index], row, column, values))
        row, column = _after(inline.source((part,)), row, column)
    return problems


def _problem(
    slot: Slot, reason: str, row: int, column: int, values: Mapping[str, Value]
) -> Problem:
    if reason:
        said = f"{{{{{slot.inner}}}}}: {reason}"
        return Problem(row, column, said, slot.name)
    close = nearest(slot.name, values)
    said = f"no value for “{slot.name}”" + did_you_mean(close)
    return Problem(row, column, said, slot.name, close)


def _after(text: str, row: int, column: int) -> tuple[int, int]:
    breaks = text.count("\n")
    if breaks:
        return row + breaks, len(text) - text.rfind("\n")
    return row, column + len(text)


def _typos(text: str) -> list[Problem]:
    found = []
    for typo in inline.typos(text):
        row = text.count("\n", 0, typo.place) + 1
        column = typo.place - text.rfind("\n", 0, typo.place)
        found.append(Problem(row, column, typo.sentence, mistyped=True))
    return found
