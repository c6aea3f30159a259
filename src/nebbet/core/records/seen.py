"""How numbers of a workbook are seen where that is no number's own look: percentages, and numbers
with noughts before them. XLSX: ECMA-376 part 1, §18.8.30 (formats) and §18.3.1.4 (cells); ODS: ODF
1.3 part 3, §19.387 and §19.385 (kinds of value, and what is repeated)."""

import io
import re
import zipfile
from collections.abc import Callable, Iterator, Mapping
from contextlib import suppress
from decimal import Decimal
from itertools import islice, product
from typing import Any

from nebbet.core.records.areas import column_number

_LARGEST = 100_000_000  # bytes, unpacked, of a part that is looked through
_PERCENT_IDS = {"9", "10"}  # formats that every workbook has
_MAIN = "{http://schemas.openxmlformats.org/spreadsheetml/2006/main}"
_REL = "{http://schemas.openxmlformats.org/officeDocument/2006/relationships}id"
_OFFICE = "{urn:oasis:names:tc:opendocument:xmlns:office:1.0}"
_TABLE = "{urn:oasis:names:tc:opendocument:xmlns:table:1.0}"
_CELL = re.compile(rb"<c\b([^>]*)>")
_PLACE = re.compile(rb'\br="([A-Z]{1,3})(\d{1,7})"')
_STYLE = re.compile(rb'\bs="(\d{1,6})"')
_NOUGHTS = re.compile(rb">0\d+</text:p>")
_MOST = 1_000_000  # cells that are looked at
_MOST_REPEATED = 1000  # cells that one of a file stands for: more are an empty margin

Look = Callable[[Decimal], str]
Places = Mapping[tuple[int, int], Look]  # by row and column, from 0 on


def percent(value: Decimal) -> str:
    """A part of one as it is seen.

    >>> percent(Decimal("0.255"))
    '25.5%'
    """
    return f"{(value * 100).normalize():f}%"


def with_noughts(width: int) -> Look:
    """A whole number with noughts before it, up to a width.

    >>> with_noughts(5)(Decimal(742))
    '00742'
    """
    return lambda value: f"{int(value):0{width}d}" if value == int(value) else f"{value:f}"


def looks_of(data: bytes, sheet: str) -> Places:
    """How the numbers of a sheet are seen that look otherwise than numbers do; nothing for what
    cannot be read."""
    with (
        suppress(zipfile.BadZipFile, OSError, ValueError, KeyError, RuntimeError, SyntaxError),
        zipfile.ZipFile(io.BytesIO(data)) as packed,
    ):
        names = set(packed.namelist())
        if "xl/workbook.xml" in names:
            return dict(islice(_of_xlsx(packed, sheet), _MOST))
        if "content.xml" in names and packed.getinfo("content.xml").file_size <= _LARGEST:
            return dict(islice(_of_ods(packed.read("content.xml"), sheet), _MOST))
    return {}


def _parsed(data: bytes) -> Any:
    from lxml import etree

    return etree.fromstring(data, etree.XMLParser(resolve_entities=False, no_network=True))


def _of_xlsx(packed: zipfile.ZipFile, sheet: str) -> Iterator[tuple[tuple[int, int], Look]]:
    if packed.getinfo("xl/styles.xml").file_size > _LARGEST:
        return
    styles = _styles(_parsed(packed.read("xl/styles.xml")))
    part = _part_of(packed, sheet) if styles else ""
    if not part or packed.getinfo(part).file_size > _LARGEST:
        return
    for about in _CELL.findall(packed.read(part)):
        style = _STYLE.search(about)
        if style and (look := styles.get(int(style[1]))) and (place := _PLACE.search(about)):
            yield (int(place[2]) - 1, column_number(place[1].decode())), look


def _styles(root: Any) -> dict[int, Look]:
    """The styles of cells whose numbers look otherwise, by their numbers."""
    codes = {one.get("numFmtId"): one.get("formatCode", "") for one in root.iter(f"{_MAIN}numFmt")}
    found: dict[int, Look] = {}
    formats = root.find(f"{_MAIN}cellXfs")
    for number, one in enumerate(formats if formats is not None else ()):
        code = codes.get(one.get("numFmtId"), "")
        plain = re.sub(r'"[^"]*"|\\.|\[[^\]]*\]', "", code).partition(";")[0]
        if one.get("numFmtId") in _PERCENT_IDS or "%" in plain:
            found[number] = percent
        elif re.fullmatch(r"0{2,}", plain):
            found[number] = with_noughts(len(plain))
    return found


def _part_of(packed: zipfile.ZipFile, sheet: str) -> str:
    """Which part of an XLSX file a sheet is."""
    book = _parsed(packed.read("xl/workbook.xml"))
    ids = {one.get("name"): one.get(_REL) for one in book.iter(f"{_MAIN}sheet")}
    ways = _parsed(packed.read("xl/_rels/workbook.xml.rels"))
    target = next((one.get("Target") for one in ways if one.get("Id") == ids.get(sheet)), "")
    return target.removeprefix("/") if target.startswith("/") else f"xl/{target}" if target else ""


def _of_ods(data: bytes, sheet: str) -> Iterator[tuple[tuple[int, int], Look]]:
    if b'value-type="percentage"' not in data and not _NOUGHTS.search(data):
        return
    tables = _parsed(data).iter(f"{_TABLE}table")
    lines = (
        line for table in tables if table.get(f"{_TABLE}name") == sheet
        for line in table.iter(f"{_TABLE}table-row")
    )  # fmt: skip
    row = 0
    for line in lines:
        again, column = _repeated(line, "rows"), 0
        for cell in line:
            many = _repeated(cell, "columns")
            if look := _look_of(cell):
                down, right = (range(min(one, _MOST_REPEATED)) for one in (again, many))
                yield from (((row + y, column + x), look) for y, x in product(down, right))
            column += many
        row += again


def _repeated(element: Any, what: str) -> int:
    return int(element.get(f"{_TABLE}number-{what}-repeated") or 1)


def _look_of(cell: Any) -> Look | None:
    kind = cell.get(f"{_OFFICE}value-type")
    if kind == "percentage":
        return percent
    text = "".join(cell.itertext()).strip()
    if kind == "float" and re.fullmatch(r"0\d+", text):
        return with_noughts(len(text))
    return None
