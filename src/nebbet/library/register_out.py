"""The register written into a table for other programs."""

import csv
import io
from collections.abc import Iterator, Mapping
from pathlib import Path

from sqlalchemy import Engine

from nebbet.core.errors import NebbetError
from nebbet.core.records.cells import harmless
from nebbet.core.sentences import said
from nebbet.library.disk import write_file
from nebbet.library.entries import Registered
from nebbet.library.register import page
from nebbet.library.register_finding import Wanted

_HEADINGS = ("Sent", "To", "Address", "Case", "Template", "Edition", "Subject", "From", "Message")
_AT_ONCE = 2000
MOST_ROWS = 1_048_575  # below the headings of a sheet (ISO/IEC 29500-1 §18.3.1.73)


def write_register(
    engine: Engine, wanted: Wanted, path: Path, names: Mapping[str, str], *, overwrite: bool = True
) -> int:
    """Write the letters that are wanted, newest first, into a CSV or XLSX file, wholly or not
    at all, and return how many there are. names are those of the members by their ids.

    Raises NebbetError where the file cannot be written, or a sheet cannot hold them all.
    """
    rows = (_cells(one, names) for one in _all(engine, wanted))
    if path.suffix.casefold() == ".xlsx":
        data, count = _sheet(rows)
    else:
        data, count = _text(rows)
    write_file(path, data, overwrite=overwrite)
    return count


def _all(engine: Engine, wanted: Wanted) -> Iterator[Registered]:
    last: Registered | None = None
    while True:
        rows = page(engine, wanted, last, _AT_ONCE).rows
        yield from rows
        if len(rows) < _AT_ONCE:
            return
        last = rows[-1]


def _cells(one: Registered, names: Mapping[str, str]) -> list[str]:
    return [
        one.sent.astimezone().strftime("%Y-%m-%d %H:%M"),
        *map(harmless, (one.name, one.address, one.case_number, one.title)),
        str(one.edition or ""),
        *map(harmless, (one.subject, names.get(one.sender, one.sender), one.message_id)),
    ]


def _text(rows: Iterator[list[str]]) -> tuple[bytes, int]:
    written, count = io.StringIO(newline=""), 0
    out = csv.writer(written)
    out.writerow(_HEADINGS)
    for row in rows:
        out.writerow(row)
        count += 1
    return written.getvalue().encode("utf-8-sig"), count


def _sheet(rows: Iterator[list[str]]) -> tuple[bytes, int]:
    import xlsxwriter

    written, count = io.BytesIO(), 0
    book = xlsxwriter.Workbook(written, {"in_memory": True, "constant_memory": True})
    sheet = book.add_worksheet("Register")
    for number, row in enumerate(_with_headings(rows)):
        if number > MOST_ROWS:
            raise NebbetError(
                said("A sheet holds {most} rows, and there are more", most=f"{MOST_ROWS:,}"),
                kept=said("Nothing was written"),
                advice=said("Find fewer, or write a CSV file"),
            )
        for column, cell in enumerate(row):
            sheet.write_string(number, column, cell)
        count = number
    sheet.freeze_panes(1, 0)
    book.close()
    return written.getvalue(), count


def _with_headings(rows: Iterator[list[str]]) -> Iterator[list[str]]:
    yield [*_HEADINGS]
    yield from rows
