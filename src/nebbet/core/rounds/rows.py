"""What a row of a table says for its letter: to whom, with what, in which words."""

import re
from collections.abc import Mapping
from contextlib import suppress
from datetime import date, datetime, time
from decimal import Decimal, InvalidOperation

from msgspec import Struct

from nebbet.core import addresses, inline
from nebbet.core.addresses import Address
from nebbet.core.inline import Slot
from nebbet.core.placeholders import Placeholder
from nebbet.core.placeholders.formats import language_of
from nebbet.core.records import fold
from nebbet.core.records.incoming import amount, day_of
from nebbet.core.records.tables import Cell, ReadTable, TableRow
from nebbet.core.rounds.matching import Matches
from nebbet.core.sentences import said

_LINES = ("also", "cc", "bcc", "from")
_ONES = ("name", "title", "first_name", "last_name", "language", "case")
_NUMBER = re.compile(r"[-+]?\d[\d\s.,'\u2019\u00a0\u202f]*%?")
_DAY = re.compile(r"\d{1,4}[/.\-]\d{1,2}[/.\-]\d{1,4}")
_LOOKED_AT = 200  # rows that are looked through
_ISO = "%Y-%m-%d"


class RowSaid(Struct, frozen=True):
    """A row: its number in the file; whom its letter goes to, the first of them being the one it is
    written to; the further lines of addresses; what is said of the person, the language and the
    case's number; the names of files; and what is answered, by the names of placeholders. problems
    are sentences on what cannot be read."""

    number: int
    to: tuple[Address, ...] = ()
    lines: Mapping[str, tuple[Address, ...]] = {}
    about: Mapping[str, str] = {}
    files: tuple[str, ...] = ()
    answers: Mapping[str, Cell] = {}
    problems: tuple[str, ...] = ()

    @property
    def key(self) -> str:
        """What the row is known by in its round: its number."""
        return key_of(self.number)


def key_of(number: int) -> str:
    """What a row is known by, by its number.

    >>> key_of(7)
    'r7'
    """
    return f"r{number}"


def said_by(row: TableRow, table: ReadTable, matches: Matches) -> RowSaid:
    """What a row says. An empty cell says nothing."""
    cells = dict(zip(table.headings, row.cells, strict=True))
    problems: list[str] = []
    to = _addresses(_put_together(cells, matches), problems)
    lines = {part: _addresses(_joined(cells, matches, part), problems) for part in _LINES}
    answers = {
        name: _clear(cells[heading], matches.day_first.get(heading))
        for heading, name in matches.values.items()
        if cells.get(heading, "") != ""
    }
    return RowSaid(
        row.number,
        to,
        {part: found for part, found in lines.items() if found},
        {one: text for one in _ONES if (text := _joined(cells, matches, one))},
        _files(_joined(cells, matches, "files", "; ")),
        answers,
        tuple(problems),
    )


def _joined(cells: Mapping[str, Cell], matches: Matches, role: str, sign: str = ", ") -> str:
    """What the cells of a role say, together."""
    texts = (_plain(cells.get(heading, "")) for heading in matches.headings(role))
    return sign.join(filter(None, texts))


def _put_together(cells: Mapping[str, Cell], matches: Matches) -> str:
    """The addresses that a letter goes to: whole ones, or parts of several columns."""
    if not matches.address:
        return _joined(cells, matches, "to")
    known = {fold(heading): _plain(cell) for heading, cell in cells.items()}
    parts = [
        known.get(fold(one.name), "") if isinstance(one, Slot) else one
        for one in inline.parse(matches.address)
    ]
    needed = [fold(one.name) for one in inline.parse(matches.address) if isinstance(one, Slot)]
    return "".join(parts) if all(known.get(name) for name in needed) else ""


def _addresses(text: str, problems: list[str]) -> tuple[Address, ...]:
    """The addresses of a cell, with commas, semicolons or lines between them."""
    found, wrong = addresses.read(re.sub(r"[;\r\n]+", ",", text).strip(" ,"))
    problems += [
        said("“{text}” is not a mail address: {reason}", text=one.text, reason=one.reason)
        for one in wrong
    ]
    return found


def _files(text: str) -> tuple[str, ...]:
    return tuple(dict.fromkeys(filter(None, (one.strip() for one in re.split(r"[;\r\n]", text)))))


def _plain(cell: Cell) -> str:
    """A cell as it is seen."""
    match cell:
        case bool():
            return "yes" if cell else "no"
        case datetime():
            return f"{cell:%Y-%m-%d %H:%M}"
        case date():
            return f"{cell:{_ISO}}"
        case time():
            return f"{cell:%H:%M}"
        case Decimal():
            return format(cell, "f")
    return cell


def _clear(cell: Cell, day_first: bool | None) -> Cell:
    """A cell whose days are read as its column's are, where that was said."""
    if day_first is None or not isinstance(cell, str) or not _DAY.match(cell):
        return cell
    try:
        return day_of(cell, day_first=day_first)
    except (ValueError, OverflowError):
        return cell


def has_days(table: ReadTable) -> bool:
    """Whether a table has days that are written with numbers alone: such as could be others."""
    cells = (cell for row in table.rows[:_LOOKED_AT] for cell in row.cells)
    return any(isinstance(cell, str) and bool(_DAY.match(cell)) for cell in cells)


def typed(cell: Cell, placeholder: Placeholder | None, language: str) -> str:
    """A cell as a person would type it for a placeholder, in the language of the letter, so that it
    is read as no other value: a number with the language's own sign, a day as ISO 8601 has it.

    >>> typed(Decimal("12.345"), Placeholder("x", kind="number"), "de")
    '12,3450'
    """
    kind = placeholder.kind if placeholder else "text"
    if kind in ("number", "money"):
        if isinstance(cell, str) and _NUMBER.fullmatch(cell):
            with suppress(InvalidOperation):
                cell = amount(cell)
        if isinstance(cell, Decimal):
            return _number(cell, language)
    return _plain(cell)


def _number(value: Decimal, language: str) -> str:
    """A number without groups. Three digits behind the sign could be a group elsewhere: a nought
    more is clear."""
    from babel.numbers import get_decimal_symbol

    whole, _sign, behind = format(value, "f").partition(".")
    if not behind:
        return whole
    behind += "0" if len(behind) == 3 else ""
    return f"{whole}{get_decimal_symbol(language_of(language))}{behind}"
