"""Parts of a workbook that have a name: tables and ranges, as XLSX (ECMA-376 part 1, §18.2.5 and
§18.5) and ODS (ODF 1.3 part 3, §9.4.12 and §9.4.15) keep them."""

import io
import re
import zipfile
from collections.abc import Iterator
from contextlib import suppress
from html import unescape

from msgspec import Struct

_LARGEST = 100_000_000  # bytes, unpacked, of a part that is looked through
_NAME = re.compile(rb"<definedName\b([^>]*)>([^<]*)</definedName>")
_ODS = re.compile(rb"<table:(?:named-range|database-range)\b([^>]*)>")
_CELLS = re.compile(
    r"\$?(?:'((?:[^']|'')+)'|([^'!.$]+))[!.]\$?([A-Z]{1,3})\$?(\d{1,7})"
    r":(?:\$?(?:'(?:[^']|'')+'|[^'!.$:]*)\.)?\$?([A-Z]{1,3})\$?(\d{1,7})"
)


class Area(Struct, frozen=True):
    """A part of a sheet: its first and last row and column, from 0 on."""

    sheet: str
    top: int
    left: int
    bottom: int
    right: int


def areas_in(data: bytes) -> dict[str, Area]:
    """The tables and ranges of a packed workbook, by their names; those that are no cells, or
    cannot be read, are passed over."""
    found: dict[str, Area] = {}
    with (
        suppress(zipfile.BadZipFile, OSError, ValueError, NotImplementedError, RuntimeError),
        zipfile.ZipFile(io.BytesIO(data)) as packed,
    ):
        names = set(packed.namelist())
        if any(name.startswith("xl/tables/") for name in names):
            found.update(_tables(data))
        for part, read in (("xl/workbook.xml", _defined), ("content.xml", _of_ods)):
            if part in names and packed.getinfo(part).file_size <= _LARGEST:
                for name, cells in read(packed.read(part)):
                    if (area := area_of(cells)) is not None:
                        found.setdefault(name, area)
    return found


def _tables(data: bytes) -> Iterator[tuple[str, Area]]:
    import python_calamine as calamine

    with suppress(calamine.CalamineError, ValueError, OSError):
        book = calamine.load_workbook(io.BytesIO(data), load_tables=True)
        for name in book.table_names or ():
            table = book.get_table_by_name(name)
            if table.start and table.end and table.start[0] > 0:
                (top, left), (bottom, right) = table.start, table.end
                yield name, Area(table.sheet, top - 1, left, bottom, right)


def _defined(data: bytes) -> Iterator[tuple[str, str]]:
    for about, cells in _NAME.findall(data):
        name = _attribute(about, "name")
        if name and not name.startswith("_xlnm.") and _attribute(about, "hidden") != "1":
            yield name, unescape(cells.decode("utf-8", "replace"))


def _of_ods(data: bytes) -> Iterator[tuple[str, str]]:
    for about in _ODS.findall(data):
        cells = _attribute(about, "table:cell-range-address")
        name = _attribute(about, "table:name")
        cells = cells or _attribute(about, "table:target-range-address")
        if name and not name.startswith("__"):  # what a program keeps for itself
            yield name, cells


def _attribute(text: bytes, name: str) -> str:
    found = re.search(rf'(?:^|\s){name}="([^"]*)"'.encode(), text)
    return unescape(found[1].decode("utf-8", "replace")) if found else ""


def area_of(cells: str) -> Area | None:
    """The cells that an address names; nothing where it is no such.

    >>> area_of("'Other sheet'!$A$1:$B$12")
    Area(sheet='Other sheet', top=0, left=0, bottom=11, right=1)
    >>> area_of("$Data.$C$4:.$D$6").left
    2
    """
    found = _CELLS.fullmatch(cells.strip())
    if found is None:
        return None
    sheet = (found[1] or "").replace("''", "'") or found[2]
    top, bottom = int(found[4]) - 1, int(found[6]) - 1
    left, right = column_number(found[3]), column_number(found[5])
    return Area(sheet, min(top, bottom), min(left, right), max(top, bottom), max(left, right))


def column_number(letters: str) -> int:
    """Which column letters name, from 0 on.

    >>> column_number("A"), column_number("AA")
    (0, 26)
    """
    number = 0
    for letter in letters:
        number = number * 26 + ord(letter) - 64
    return number - 1
