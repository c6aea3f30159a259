"""A round written back into a copy of its table, with two columns more: where each row stands, and
when it went or why not."""

import csv
import io
from collections.abc import Iterable, Iterator, Mapping, Sequence
from datetime import date, datetime, time
from decimal import Decimal
from pathlib import Path
from typing import TYPE_CHECKING

from nebbet.core.records.cells import harmless
from nebbet.core.records.tables import Cell, ReadTable, TableRow
from nebbet.core.sentences import said
from nebbet.library.disk import write_file

if TYPE_CHECKING:
    from odf.table import TableCell

MORE = (said("State of the letter"), said("When, or why not"))


def write_round(
    table: ReadTable,
    rows: Sequence[TableRow],
    told: Mapping[int, tuple[str, str]],
    path: Path,
    *,
    overwrite: bool = False,
) -> int:
    """Write rows with what is told of each, by their numbers, into a CSV, XLSX or ODS file, wholly
    or not at all; gives how many. Numbers and days stay such in a workbook, and nothing in it is
    run."""
    made = ([*row.cells, *told.get(row.number, ("", ""))] for row in rows)
    write_file(path, table_bytes(path, [*table.headings, *MORE], made), overwrite=overwrite)
    return len(rows)


def table_bytes(path: Path, headings: Sequence[str], rows: Iterable[Sequence[Cell]]) -> bytes:
    """A table as the file of a name holds it: a workbook, or CSV."""
    match path.suffix.casefold():
        case ".xlsx":
            return _sheet(headings, rows)
        case ".ods":
            return _open_sheet(headings, rows)
    return _text(headings, rows)


def _text(headings: Sequence[str], rows: Iterable[Sequence[Cell]]) -> bytes:
    written = io.StringIO(newline="")
    writer = csv.writer(written)
    writer.writerow([harmless(one) for one in headings])
    for row in rows:
        writer.writerow(list(_plain(row)))
    return b"\xef\xbb\xbf" + written.getvalue().encode("utf-8", "replace")  # as workbooks expect


def _plain(row: Sequence[Cell]) -> Iterator[str]:
    for cell in row:
        if isinstance(cell, datetime):
            yield f"{cell:%Y-%m-%d %H:%M}"
        elif isinstance(cell, Decimal):
            yield format(cell, "f")
        else:
            yield harmless(cell) if isinstance(cell, str) else str(cell)


def _sheet(headings: Sequence[str], rows: Iterable[Sequence[Cell]]) -> bytes:
    import xlsxwriter

    made = io.BytesIO()
    book = xlsxwriter.Workbook(
        made,
        {"in_memory": True, "strings_to_formulas": False, "strings_to_urls": False,
         "strings_to_numbers": False, "default_date_format": "yyyy-mm-dd"},
    )  # fmt: skip
    sheet = book.add_worksheet()
    styles = {
        datetime: book.add_format({"num_format": "yyyy-mm-dd hh:mm"}),
        date: book.add_format({"num_format": "yyyy-mm-dd"}),
        time: book.add_format({"num_format": "hh:mm"}),
    }
    bold = book.add_format({"bold": True})
    for column, heading in enumerate(headings):
        sheet.write_string(0, column, heading, bold)
    for number, row in enumerate(rows, 1):
        for column, cell in enumerate(row):
            if isinstance(cell, bool):
                sheet.write_boolean(number, column, cell)
            elif isinstance(cell, Decimal):
                sheet.write_number(number, column, float(cell))
            elif isinstance(cell, datetime | date | time):
                sheet.write_datetime(number, column, cell, styles[type(cell)])
            elif cell:
                sheet.write_string(number, column, cell)
    sheet.freeze_panes(1, 0)
    book.close()
    return made.getvalue()


def _open_sheet(headings: Sequence[str], rows: Iterable[Sequence[Cell]]) -> bytes:
    from odf.opendocument import OpenDocumentSpreadsheet
    from odf.table import Table, TableRow

    book = OpenDocumentSpreadsheet()
    sheet = Table(name=said("Rows"))
    book.spreadsheet.addElement(sheet)
    for cells in (headings, *rows):
        line = TableRow()
        sheet.addElement(line)
        for cell in cells:
            line.addElement(_open_cell(cell))
    made = io.BytesIO()
    book.write(made)
    return made.getvalue()


def _open_cell(cell: Cell) -> "TableCell":
    """A cell with its value and as it is seen (ODF 1.3 part 3, §19.385 to §19.397)."""
    from odf.table import TableCell
    from odf.text import P

    match cell:
        case bool():
            made = TableCell(valuetype="boolean", booleanvalue=str(cell).lower())
        case Decimal():
            made = TableCell(valuetype="float", value=format(cell, "f"))
        case datetime() | date():
            made = TableCell(valuetype="date", datevalue=cell.isoformat())
        case time():
            made = TableCell(valuetype="time", timevalue=f"{cell:PT%HH%MM%SS}")
        case _:
            made = TableCell(valuetype="string")
    shown = cell if isinstance(cell, str) else next(_plain([cell]))
    for line in shown.splitlines():
        made.addElement(P(text="".join(sign for sign in line if sign.isprintable())))
    return made
