"""Which rows of a table are meant: by their places, by words, by a condition, each address once."""

import re
from collections.abc import Callable, Iterable, Mapping, Sequence
from datetime import date, datetime
from typing import Literal

from msgspec import Struct

from nebbet.core import sums
from nebbet.core.dates import WorkingCalendar
from nebbet.core.errors import NebbetError
from nebbet.core.ranking.words import wanted_words
from nebbet.core.records import fold
from nebbet.core.records.incoming import amount
from nebbet.core.records.tables import Cell, ReadTable, TableRow
from nebbet.core.rounds.rows import RowSaid
from nebbet.core.sentences import said
from nebbet.core.values import Value

# What becomes of an address that several rows have: it is asked about, or one of them goes.
Twice = Literal["ask", "first", "last"]
_NUMBER = re.compile(r"[-+]?(?:0|[1-9][\d\s'\u2019\u00a0\u202f]*)(?:[.,]\d+)*%?")
_RANGE = re.compile(r"(\d+)(?:\s*[-–]\s*(\d+)?)?")


class Choosing(Struct, frozen=True, omit_defaults=True):
    """Which rows: by their places among the rows (1 is the first below the headings), as `1-20,
    35`; with all of some words; for which a condition over the headings holds; without those that
    were taken out by hand, by their numbers in the file. twice says which of several rows with one
    address go."""

    places: str = ""
    words: str = ""
    when: str = ""
    out: frozenset[int] = frozenset()
    twice: Twice = "ask"


def read_ranges(text: str, count: int) -> frozenset[int]:
    """Places as people write them; those beyond the last are none. Raises NebbetError.

    >>> sorted(read_ranges("1-3, 7, 9-", 10))
    [1, 2, 3, 7, 9, 10]
    """
    found: set[int] = set()
    for part in filter(None, (one.strip() for one in re.split(r"[,;]", text))):
        read = _RANGE.fullmatch(part)
        if read is None:
            raise NebbetError(
                said("“{text}” names no rows", text=part),
                advice=said("Write them as 1-20, 35"),
            )
        first = int(read[1])
        alone = not re.search(r"[-–]", part)
        last = first if alone else min(int(read[2]) if read[2] else count, count)
        found.update(range(max(first, 1), min(last, count) + 1))
    return frozenset(found)


def chosen(
    table: ReadTable, choosing: Choosing, today: date, calendar: WorkingCalendar
) -> list[TableRow]:
    """The rows that are meant, in their order. Raises NebbetError where what was written makes no
    sense."""
    places = read_ranges(choosing.places, len(table.rows)) if choosing.places.strip() else None
    words = wanted_words(choosing.words)
    holds = _condition(table, choosing.when, today, calendar) if choosing.when.strip() else None
    return [
        row
        for place, row in enumerate(table.rows, 1)
        if (places is None or place in places)
        and row.number not in choosing.out
        and (not words or _has(row, words))
        and (holds is None or holds(row))
    ]


def _has(row: TableRow, words: Sequence[str]) -> bool:
    there = wanted_words(" ".join(str(cell) for cell in row.cells))
    return all(any(one.startswith(word) for one in there) for word in words)


def _condition(
    table: ReadTable, text: str, today: date, calendar: WorkingCalendar
) -> Callable[[TableRow], bool]:
    """A condition in the language of parts of a template, over the headings."""
    try:
        part = sums.read(text)
    except NebbetError as error:
        raise NebbetError(
            said("The condition “{text}” cannot be read: {why}", text=text, why=error.what),
            advice=said("Write it as: passengers >= 2"),
        ) from None
    at = {fold(heading): index for index, heading in enumerate(table.headings)}
    unknown = next((name for name in sums.names(part) if fold(name) not in at), None)
    if unknown:
        raise NebbetError(
            said("The table has no column “{name}”", name=unknown),
            advice=said("Name columns by their headings"),
        )

    def holds(row: TableRow) -> bool:
        def value(name: str) -> Value:
            cell = row.cells[at[fold(name)]]
            if cell == "":
                raise sums.NoValue(said("The cell is empty"))
            return _value(cell)

        try:
            return sums.holds(part, sums.Scope(value, today, calendar))
        except sums.SumError:
            return False  # what cannot be compared does not fit

    return holds


def _value(cell: Cell) -> Value:
    """A cell as conditions compare it: a text that is a number counts as one, unless it begins with
    a nought as numbers of cases do."""
    if isinstance(cell, datetime):
        return cell.date()
    if isinstance(cell, str) and _NUMBER.fullmatch(cell):
        return amount(cell)
    return cell


def doubles(rows: Iterable[RowSaid], *, last: bool = False) -> Mapping[int, int]:
    """The rows that go to somebody to whom an earlier one goes already, by their numbers, with the
    number of the first such one; with last, those to whom a later one goes, with the last."""
    goes: dict[str, int] = {}
    found: dict[int, int] = {}
    for row in reversed([*rows]) if last else rows:
        key = row.to[0].key if row.to else ""
        if key and key in goes:
            found[row.number] = goes[key]
        elif key:
            goes[key] = row.number
    return found
