"""Tables and ranges of workbooks: written by XlsxWriter, openpyxl and odfpy."""

import io

import pytest
import xlsxwriter
from odf.opendocument import OpenDocumentSpreadsheet
from odf.table import NamedExpressions, NamedRange, Table, TableCell, TableRow
from odf.text import P
from openpyxl import Workbook
from openpyxl.workbook.defined_name import DefinedName

from nebbet.core.records.areas import Area, area_of, areas_in
from nebbet.core.records.tables import read_table


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
