"""Reading tables: CSV in any encoding and with any delimiter, XLSX, ODS and XLS.

Common practice: the first row that holds something has the headings.
"""

import csv
import io
import struct
import zipfile
from collections import Counter
from collections.abc import Iterable, Iterator, Sequence
from datetime import date, datetime, time, timedelta
from decimal import Decimal
from typing import Any

from msgspec import Struct

from nebbet.core.errors import NebbetError
from nebbet.core.records.areas import areas_in
from nebbet.core.records.seen import Look, looks_of
from nebbet.core.sentences import counted, said

Cell = str | bool | Decimal | date | datetime | time
MOST_ROWS, MOST_COLUMNS = 250_000, 300
LARGEST = 200_000_000  # bytes of a file
_LARGEST_UNPACKED = 2_000_000_000  # bytes of what a packed one holds
_LONGEST_CELL = 20_000  # signs
KINDS = "*.csv *.tsv *.txt *.xlsx *.xlsm *.xls *.ods"  # of files that hold tables
DELIMITERS = (",", ";", "\t", "|")
DELIMITER_NAMES = {",": "comma", ";": "semicolon", "\t": "tab", "|": "bar"}
ENCODINGS = ("utf-8", "cp1252", "utf-16", "cp1250", "iso-8859-15", "mac_roman", "cp437", "cp1251")
_MARKS = ((b"\xef\xbb\xbf", "utf-8-sig"), (b"\xff\xfe", "utf-16"), (b"\xfe\xff", "utf-16"))
_PRINTED = "€£§°´«»“”„‘’‚–—…·×²½\u00a0"  # signs beside letters that tables have
# How encrypted workbooks say so: ODF 1.3 part 2 §3.4.1; [MS-OFFCRYPTO] §2.3.4.4.
_LOCKED, _LOCKED_OLD = b"encryption-data", "EncryptedPackage".encode("utf-16-le")
_LOOKED_AT = 100  # records of a text, for its delimiter
_BOOKS = (b"PK\x03\x04", b"\xd0\xcf\x11\xe0")  # how packed and how old workbooks begin


class TableRow(Struct, frozen=True):
    """A row as it lies in its file: its number there (the first is 1) and its cells, one for each
    heading; an empty cell is an empty text."""

    number: int
    cells: tuple[Cell, ...]


class ReadTable(Struct, frozen=True):
    """A table that was read: its headings, no two the same, and the rows below them.

    sheets are the names of all there are in its file, and of the tables and ranges in them, sheet
    the one that was read. encoding and delimiter are of a text, as they were found or given. told
    are sentences on what was made of it.
    """

    headings: tuple[str, ...]
    rows: tuple[TableRow, ...]
    sheets: tuple[str, ...] = ()
    sheet: str = ""
    encoding: str = ""
    delimiter: str = ""
    told: tuple[str, ...] = ()

    @property
    def shape(self) -> str:
        """What is the same for tables of one shape: their headings."""
        return "\n".join(sorted(heading.casefold() for heading in self.headings))

    def column(self, index: int) -> Iterator[Cell]:
        """The cells of a column that hold something."""
        return (row.cells[index] for row in self.rows if row.cells[index] != "")


def read_table(
    data: bytes, *, sheet: str = "", encoding: str = "", delimiter: str = ""
) -> ReadTable:
    """A table of the bytes of a file. Raises NebbetError with one sentence where it is none."""
    if len(data) > LARGEST:
        raise refused(said("The table is larger than {most} MB", most=LARGEST // 1_000_000))
    if data.startswith(_BOOKS):
        return _read_book(data, sheet)
    return _read_text(data, encoding, delimiter)


def refused(what: str, advice: str = "") -> NebbetError:
    """Why a table is not read."""
    return NebbetError(what, kept=said("Nothing was read"), advice=advice)


# Workbooks


def _read_book(data: bytes, sheet: str) -> ReadTable:
    import python_calamine

    if data.startswith(b"PK"):
        _require_sane(data)
    elif _LOCKED_OLD in data:
        raise _locked()
    try:
        book = python_calamine.CalamineWorkbook.from_filelike(io.BytesIO(data))
        names = tuple(book.sheet_names)
    except (python_calamine.CalamineError, OSError, ValueError) as error:
        raise refused(
            said("The table cannot be read: it is no workbook, or damaged"),
            said("Open it where it was made and save it again"),
        ) from error
    areas = areas_in(data) if data.startswith(b"PK") else {}
    areas = {name: area for name, area in areas.items() if area.sheet in names}
    area = areas.get(sheet) if sheet not in names else None
    chosen = sheet if sheet in names or area else _fullest(book, names)
    try:
        found = book.get_sheet_by_name(area.sheet if area else chosen)
        if found.height > MOST_ROWS:
            raise _too_long(found.height)
        rows = found.to_python(skip_empty_area=False)
        merged = found.merged_cell_ranges or []
    except (python_calamine.CalamineError, ValueError) as error:
        raise refused(said("The sheet “{sheet}” cannot be read", sheet=chosen)) from error
    looks = looks_of(data, area.sheet if area else chosen) if data.startswith(b"PK") else {}
    for (at, column), look in looks.items():
        if at < len(rows) and column < len(rows[at]):
            rows[at][column] = _as_seen(rows[at][column], look)
    told = []
    if merged:
        _spread(rows, merged)
        told.append(
            counted(
                "1 merged cell counts for each cell it covers",
                "{count} merged cells count for each cell they cover",
                count=len(merged),
            )
        )
    first, last = (area.top, area.bottom + 1) if area else (0, len(rows))
    columns = slice(area.left, area.right + 1) if area else slice(None)
    numbered = (
        (number, [_cell(one) for one in row[columns]])
        for number, row in enumerate(rows[first:last], first + 1)
    )
    every = (*names, *(name for name in areas if name not in names))
    return _table(numbered, told, sheets=every, sheet=chosen)


def _require_sane(data: bytes) -> None:
    """Raise NebbetError for a packed file that would unpack to more than any table has."""
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as packed:
            size = sum(one.file_size for one in packed.infolist())
            about = "META-INF/manifest.xml"
            locked = about in packed.namelist() and _LOCKED in packed.read(about)
    except (zipfile.BadZipFile, OSError, ValueError, NotImplementedError, RuntimeError, EOFError,
            struct.error):  # fmt: skip
        raise refused(
            said("The table cannot be read: it is damaged"),
            said("Open it where it was made and save it again"),
        ) from None
    if size > _LARGEST_UNPACKED:
        raise refused(said("The table is far larger than it looks"))
    if locked:
        raise _locked()


def _locked() -> NebbetError:
    return refused(
        said("The table is protected by a password"),
        said("Save it without one, and choose it again"),
    )


def _fullest(book: Any, names: Sequence[str]) -> str:
    """The first sheet that holds something."""
    for name in names:
        try:
            if book.get_sheet_by_name(name).height:
                return name
        except Exception:
            continue
    raise refused(said("The table is empty"))


def _spread(rows: list[list[Any]], merged: Iterable[tuple[Any, Any]]) -> None:
    """Let a merged cell's value stand in each of the cells that it covers."""
    for (top, left), (bottom, right) in merged:
        value = rows[top][left] if top < len(rows) and left < len(rows[top]) else ""
        for row in range(top, min(bottom + 1, len(rows))):
            for column in range(left, min(right + 1, len(rows[row]))):
                rows[row][column] = value


def _cell(raw: object) -> Cell:
    """A value of a workbook."""
    match raw:
        case bool() | datetime() | date() | time():
            return _without_midnight(raw)
        case int() | float():
            number = Decimal(repr(raw))
            return number.to_integral_value() if number == number.to_integral_value() else number
        case timedelta():
            return str(raw)
        case _:
            return str(raw if raw is not None else "").strip()[:_LONGEST_CELL]


def _as_seen(raw: Any, look: Look) -> Any:
    """A number as its format shows it."""
    plain = isinstance(raw, int | float) and not isinstance(raw, bool)
    return look(Decimal(repr(raw))) if plain else raw


def _without_midnight(raw: bool | datetime | date | time) -> Cell:
    """A moment at midnight is how workbooks write a day."""
    if isinstance(raw, datetime):
        raw = raw.replace(microsecond=0)
        return raw.date() if raw.time() == time() else raw
    return raw


# Texts


def _read_text(data: bytes, encoding: str, delimiter: str) -> ReadTable:
    text, used = decoded(data, encoding)
    if "\x00" in text:
        raise _no_table()
    if delimiter not in DELIMITERS:
        delimiter = _delimiter(text)
    # A field as long as the file is one whose quotation mark was never closed.
    limit = csv.field_size_limit(LARGEST)
    try:
        rows = csv.reader(io.StringIO(text, newline=""), delimiter=delimiter, strict=False)
        numbered = ((rows.line_num, list(map(_text_cell, row))) for row in _limited(rows))
        return _table(numbered, [], encoding=used, delimiter=delimiter)
    except csv.Error as error:
        raise _no_table() from error
    finally:
        csv.field_size_limit(limit)


def _no_table() -> NebbetError:
    return refused(said("The file is no table"), said("Choose a CSV, XLSX or ODS file"))


def _text_cell(text: str) -> str:
    return text.strip()[:_LONGEST_CELL]


def _limited(rows: Iterable[list[str]]) -> Iterator[list[str]]:
    for number, row in enumerate(rows):
        if number > MOST_ROWS:
            raise _too_long(number)
        yield row


def _too_long(rows: int) -> NebbetError:
    return refused(
        said("The table has {rows} rows; at most {most} are read at once", rows=rows,
             most=MOST_ROWS),
        said("Split it, or link it as a database"),
    )  # fmt: skip


def decoded(data: bytes, encoding: str = "") -> tuple[str, str]:
    """The text of some bytes, and the encoding that was used: the one given, that of their mark,
    UTF-8 where they are that, else the likeliest."""
    marked = [name for mark, name in _MARKS if data.startswith(mark)]
    encoding = encoding or next(iter(marked), "")
    try:
        if encoding:
            return data.decode(encoding, "replace"), encoding.removesuffix("-sig")
        return data.decode("utf-8"), "utf-8"
    except LookupError:
        return data.decode("utf-8", "replace"), "utf-8"
    except UnicodeDecodeError:
        found = _likeliest(data[:200_000])
        return data.decode(found, "replace"), found


def _likeliest(data: bytes) -> str:
    plain = data.decode("cp1252", "replace")
    if all(sign.isalpha() or sign in _PRINTED for sign in plain if not sign.isascii()):
        return "cp1252"  # what most programs write, and every sign makes sense in it
    from charset_normalizer import from_bytes

    found = from_bytes(data, cp_isolation=[name for name in ENCODINGS if name != "utf-8"]).best()
    return found.encoding if found else "cp1252"


def _delimiter(text: str) -> str:
    """What stands between the cells: what gives most records the same number of cells."""
    beginning = "\n".join(text.splitlines()[:_LOOKED_AT])
    best, most = ",", (0.0, 0)
    for one in DELIMITERS:
        try:
            widths = [len(row) for row in csv.reader(io.StringIO(beginning), delimiter=one) if row]
        except csv.Error:
            continue
        if not widths:
            continue
        width, times = Counter(widths).most_common(1)[0]
        if width > 1 and (times / len(widths), width) > most:
            best, most = one, (times / len(widths), width)
    return best


# Both


def _table(
    numbered: Iterable[tuple[int, Sequence[Cell]]], told: list[str], **about: Any
) -> ReadTable:
    """A table of numbered rows: the first that holds something has the headings."""
    rows = iter(numbered)
    first: Sequence[Cell] = next(
        (cells for _number, cells in rows if any(cell != "" for cell in cells)), ()
    )
    if not first:
        raise refused(said("The table is empty"))
    if len(first) > MOST_COLUMNS:
        raise refused(said("The table has more than {most} columns", most=MOST_COLUMNS))
    below = [(number, cells) for number, cells in rows if any(cell != "" for cell in cells)]
    width = max([len(first), *(min(len(cells), MOST_COLUMNS) for _number, cells in below)])
    filled = [
        index
        for index in range(width)
        if any(index < len(cells) and cells[index] != "" for _number, cells in below)
        or (index < len(first) and first[index] != "" and not below)
    ]
    empty = sum(cell != "" for cell in first) - sum(
        index < len(first) and first[index] != "" for index in filled
    )
    if empty:
        told.append(counted("1 column is empty", "{count} columns are empty", count=empty))
    names, doubled = _headings(first, filled)
    if doubled:
        told.append(
            counted("1 heading was there twice", "{count} headings were there twice", count=doubled)
        )
    made = tuple(
        TableRow(number, tuple(cells[i] if i < len(cells) else "" for i in filled))
        for number, cells in below
    )
    return ReadTable(names, made, told=tuple(told), **about)


def _headings(first: Sequence[Cell], filled: Sequence[int]) -> tuple[tuple[str, ...], int]:
    """The headings of the columns that hold something, each once; and how many were there twice."""
    names: list[str] = []
    doubled = 0
    for index in filled:
        name = str(first[index]).strip() if index < len(first) else ""
        name = " ".join(name.split())[:200] or said("Column {number}", number=index + 1)
        base, again = name, 2
        while name.casefold() in {one.casefold() for one in names}:
            name = f"{base} ({again})"
            again += 1
        doubled += name != base
        names.append(name)
    return tuple(names), doubled
