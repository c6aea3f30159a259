"""Tables and ranges of workbooks: written by XlsxWriter, openpyxl and odfpy."""

import io
from decimal import Decimal

import pytest
import xlsxwriter
from odf.opendocument import OpenDocumentSpreadsheet
from odf.table import NamedExpressions, NamedRange, Table, TableCell, TableRow
from odf.text import P
from openpyxl import Workbook
from openpyxl.workbook.defined_name import DefinedName

from nebbet.core.placeholders import Placeholder
from nebbet.core.records.areas import Area, area_of, areas_in
from nebbet.core.records.seen import looks_of
from nebbet.core.records.tables import read_table
from nebbet.core.rounds import typed


def xlsx() -> bytes:
    made = io.BytesIO()
    book = xlsxwriter.Workbook(made, {"in_memory": True})
    sheet = book.add_worksheet("O'Hara & Co")
    sheet.write_column(2, 1, ["x", "y", "z", "below"])
    sheet.add_table(2, 1, 4, 1, {"name": "Three", "columns": [{"header": "Mail"}]})
    sheet.write_column(3, 1, ["a@b.example", "c@d.example"])
    book.define_name("Sums", "=1+2")
    book.define_name("Two", "='O''Hara & Co'!$B$3:$B$4")
    book.close()
    return made.getvalue()


def test_tables_and_ranges_of_xlsx() -> None:
    found = areas_in(xlsx())
    assert found == {
        "Three": Area("O'Hara & Co", 2, 1, 4, 1), "Two": Area("O'Hara & Co", 2, 1, 3, 1)
    }  # fmt: skip
    read = read_table(xlsx(), sheet="Two")
    assert (read.headings, [row.number for row in read.rows]) == (("Mail",), [4])
    assert read.sheets == ("O'Hara & Co", "Three", "Two")
    assert len(read_table(xlsx(), sheet="gone since").rows) == 3, "then the sheet, as if none"


def test_a_name_of_openpyxl() -> None:
    book = Workbook()
    book.active.title = "Data"
    for line in (("note", ""), ("Mail", "No"), ("a@b.example", 7)):
        book.active.append(line)
    book.defined_names["List"] = DefinedName("List", attr_text="Data!$A$2:$B$3")
    made = io.BytesIO()
    book.save(made)
    assert read_table(made.getvalue(), sheet="List").headings == ("Mail", "No")


def test_a_name_of_ods() -> None:
    book = OpenDocumentSpreadsheet()
    sheet = Table(name="Data")
    for line in (["note"], ["Mail"], ["a@b.example"], ["total"]):
        row = TableRow()
        for text in line:
            cell = TableCell(valuetype="string")
            cell.addElement(P(text=text))
            row.addElement(cell)
        sheet.addElement(row)
    book.spreadsheet.addElement(sheet)
    names = NamedExpressions()
    names.addElement(NamedRange(
        name="List", cellrangeaddress="$Data.$A$2:.$A$3", basecelladdress="$Data.$A$1"
    ))  # fmt: skip
    book.spreadsheet.addElement(names)
    made = io.BytesIO()
    book.write(made)
    read = read_table(made.getvalue(), sheet="List")
    assert (read.headings, len(read.rows)) == (("Mail",), 1)


@pytest.mark.parametrize("text", ["1+2", "#REF!", "Data!$A:$B", "Data!$A$1", "", "'x'!A1:"])
def test_what_is_no_cells_is_passed_over(text: str) -> None:
    assert area_of(text) is None


def test_what_is_no_workbook_has_none() -> None:
    assert areas_in(b"PK\x03\x04 nothing") == {}


# How numbers are seen


def seen_in_xlsx() -> bytes:
    made = io.BytesIO()
    book = xlsxwriter.Workbook(made, {"in_memory": True})
    sheet = book.add_worksheet("Rates & more")
    looks = {
        "Rate": (0.255, "0.0%"), "Whole": (0.5, "0%"), "Post": (742, "00000"), "Plain": (3, ""),
        "Money": (12.5, "#,##0.00 €"), "Words": (7, '0" percent %"'),
    }  # fmt: skip
    for column, (name, (value, code)) in enumerate(looks.items()):
        sheet.write(0, column, name)
        sheet.write(1, column, value, book.add_format({"num_format": code} if code else {}))
    book.close()
    return made.getvalue()


def test_percentages_and_noughts_of_xlsx_are_as_seen() -> None:
    (row,) = read_table(seen_in_xlsx()).rows
    assert row.cells == ("25.5%", "50%", "00742", Decimal(3), Decimal("12.5"), Decimal(7))


def test_percentages_and_noughts_of_ods_are_as_seen() -> None:
    book = OpenDocumentSpreadsheet()
    sheet = Table(name="Data")
    for line in ([("string", "Rate"), ("string", "Rate too"), ("string", "Post")],
                 [("percentage", "0.075", 2), ("float", "742")]):  # fmt: skip
        row = TableRow()
        for kind, text, *again in line:
            more = {} if kind == "string" else {"value": text}
            if again:
                more["numbercolumnsrepeated"] = again[0]
            cell = TableCell(valuetype=kind, **more)
            cell.addElement(P(text="00742" if text == "742" else text))
            row.addElement(cell)
        sheet.addElement(row)
    book.spreadsheet.addElement(sheet)
    made = io.BytesIO()
    book.write(made)
    (read,) = read_table(made.getvalue()).rows
    assert read.cells == ("7.5%", "7.5%", "00742")


def test_a_percentage_is_a_number_where_one_is_wanted() -> None:
    assert typed("25.5%", Placeholder("x", kind="number"), "en") == "0.2550"
    assert typed("25.5%", Placeholder("x"), "en") == "25.5%"


def test_what_is_no_workbook_looks_like_nothing() -> None:
    assert looks_of(b"PK\x03\x04 nothing", "x") == {} == looks_of(b"", "x")
