"""Reading tables. Sources: RFC 4180 §2 (CSV); XLSX and ODS written by XlsxWriter and odfpy and read
by calamine. What most programs write is common practice, with no source."""

import csv
import io
import random
import zipfile
from contextlib import suppress
from datetime import date, datetime
from decimal import Decimal

import pytest
import xlsxwriter
from hypothesis import given
from hypothesis import strategies as st
from odf.opendocument import OpenDocumentSpreadsheet
from odf.table import Table, TableCell
from odf.table import TableRow as OdfRow
from odf.text import P

from nebbet.core.errors import NebbetError
from nebbet.core.records import tables
from nebbet.core.records.tables import ReadTable, read_table


def workbook(*rows: list[object], merged: str = "") -> bytes:
    written = io.BytesIO()
    book = xlsxwriter.Workbook(written, {"in_memory": True, "default_date_format": "d mmm yyyy"})
    sheet = book.add_worksheet("Passengers")
    for number, row in enumerate(rows):
        for column, value in enumerate(row):
            if isinstance(value, date | datetime):
                sheet.write_datetime(number, column, value)
            else:
                sheet.write(number, column, value)
    if merged:
        sheet.merge_range(merged, "Quay 3")
    book.close()
    return written.getvalue()


def sheet_of(*rows: list[str]) -> bytes:
    document = OpenDocumentSpreadsheet()
    table = Table(name="One")
    for row in rows:
        line = OdfRow()
        for text in row:
            cell = TableCell(valuetype="string")
            cell.addElement(P(text=text))
            line.addElement(cell)
        table.addElement(line)
    document.spreadsheet.addElement(table)
    written = io.BytesIO()
    document.write(written)
    return written.getvalue()


def cells(table: ReadTable) -> list[tuple[object, ...]]:
    return [row.cells for row in table.rows]


# RFC 4180 §2


@pytest.mark.parametrize(
    ("text", "rows"),
    [
        ("aaa,bbb,ccc\r\nzzz,yyy,xxx\r\n", [("zzz", "yyy", "xxx")]),  # 1
        ("aaa,bbb,ccc\r\nzzz,yyy,xxx", [("zzz", "yyy", "xxx")]),  # 2: no line end at the end
        ('aaa,bbb\r\n"zzz","yyy"\r\n', [("zzz", "yyy")]),  # 5
        ('aaa,bbb\r\n"b \r\nbb",ccc\r\n', [("b \r\nbb", "ccc")]),  # 6: a line end in a field
        ('aaa,bbb\r\n"b""bb",ccc\r\n', [('b"bb', "ccc")]),  # 7: a mark in a field
    ],
)
def test_rfc_4180(text: str, rows: list[tuple[str, ...]]) -> None:
    assert cells(read_table(text.encode())) == rows


@pytest.mark.parametrize("encoding", ["utf-8", "utf-8-sig", "cp1252", "utf-16"])
@pytest.mark.parametrize("delimiter", [",", ";", "\t", "|"])
def test_encoding_and_delimiter_are_found(encoding: str, delimiter: str) -> None:
    written = io.StringIO()
    rows = csv.writer(written, delimiter=delimiter)
    rows.writerows([["Name", "Ort"], ["Zoë Müller, jr.", "Åse"], ["Čapek" if "utf" in encoding
                   else "Léa", "Örn"]])  # fmt: skip
    table = read_table(written.getvalue().encode(encoding))
    assert table.delimiter == delimiter and table.encoding == encoding.removesuffix("-sig")
    assert cells(table)[0] == ("Zoë Müller, jr.", "Åse")


def test_a_chosen_encoding_and_delimiter_are_used() -> None:
    data = "Name;Note\nČapek;a,b\n".encode("cp1250")
    table = read_table(data, encoding="cp1250", delimiter=";")
    assert cells(table) == [("Čapek", "a,b")] and table.encoding == "cp1250"


def test_workbooks_keep_their_kinds_of_value() -> None:
    table = read_table(
        workbook(
            ["Name", "Born", "Sailing", "Fare", "Paid"],
            ["Ann", date(1980, 4, 3), datetime(2026, 12, 1, 7, 30), 12.5, True],
            ["Bo", date(1990, 1, 31), datetime(2026, 12, 2, 8, 0), 4, False],
        )
    )
    assert cells(table)[0] == (
        "Ann", date(1980, 4, 3), datetime(2026, 12, 1, 7, 30), Decimal("12.5"), True,
    )  # fmt: skip
    assert cells(table)[1][3] == Decimal(4)


def test_a_formula_counts_as_what_it_gave() -> None:
    written = io.BytesIO()
    book = xlsxwriter.Workbook(written, {"in_memory": True})
    sheet = book.add_worksheet()
    sheet.write_row(0, 0, ["Name", "Sum"])
    sheet.write(1, 0, "Ann")
    sheet.write_formula(1, 1, "=1+1", None, 2)
    book.close()
    assert cells(read_table(written.getvalue())) == [("Ann", Decimal(2))]


def test_a_merged_cell_counts_for_each_it_covers_and_that_is_told() -> None:
    table = read_table(
        workbook(["Name", "Home"], ["Ann", ""], ["Bo", ""], ["Cy", "x"], merged="B2:B3")
    )
    assert cells(table) == [("Ann", "Quay 3"), ("Bo", "Quay 3"), ("Cy", "x")]
    assert table.told == ("1 merged cell counts for each cell it covers",)


def test_empty_columns_go_doubled_headings_are_told_apart_and_nameless_ones_have_a_number() -> None:
    table = read_table(b"\n\nName,,Name,Empty,\nAnn,x,Pell,,last\n")
    assert table.headings == ("Name", "Column 2", "Name (2)", "Column 5")
    assert cells(table) == [("Ann", "x", "Pell", "last")]
    assert table.told == ("1 column is empty", "1 heading was there twice")
    assert table.rows[0].number == 4, "as it lies in the file"


def test_an_ods_is_read() -> None:
    table = read_table(sheet_of(["Name", "Ort"], ["Zoë", "Åse"]))
    assert cells(table) == [("Zoë", "Åse")] and table.sheet == "One"


def protected() -> bytes:
    """An ODS whose manifest says that it is encrypted (ODF 1.3 part 2, §3.4.1)."""
    written = io.BytesIO()
    with (
        zipfile.ZipFile(io.BytesIO(sheet_of(["a"], ["b"]))) as plain,
        zipfile.ZipFile(written, "w") as made,
    ):
        for name in plain.namelist():
            data = plain.read(name)
            if name == "META-INF/manifest.xml":
                entry = b'manifest:full-path="content.xml"'
                assert entry in data
                start = data.index(b"<manifest:file-entry", data.rindex(b"<", 0, data.index(entry)))
                end = data.index(b"/>", start)
                inside = (
                    b"><manifest:encryption-data></manifest:encryption-data></manifest:file-entry>"
                )
                data = data[:end] + inside + data[end + 2 :]
            made.writestr(name, data)
    return written.getvalue()


@pytest.mark.parametrize(
    ("data", "what"),
    [
        (b"", "The table is empty"),
        (b"\r\n,,\r\n", "The table is empty"),
        (b"PK\x03\x04 cut off", "it is damaged"),
        (b"\xd0\xcf\x11\xe0 cut off", "it is no workbook, or damaged"),
        (b"\x00\x01\x02\x03", "The file is no table"),
        (protected(), "protected by a password"),
        (b"\xd0\xcf\x11\xe0" + "EncryptedPackage".encode("utf-16-le"), "protected by a password"),
        (workbook(["Name"] * 301), "more than 300 columns"),
    ],
)
def test_what_is_no_table_gets_one_sentence(data: bytes, what: str) -> None:
    with pytest.raises(NebbetError, match=what) as told:
        read_table(data)
    assert "Nothing was read" in told.value.sentence


def test_a_million_rows_are_refused_with_what_to_do() -> None:
    with pytest.raises(NebbetError, match="at most 250000 are read at once") as told:
        read_table(b"a,b\n" + b"1,2\n" * 1_000_000)
    assert "Split it" in told.value.sentence


def test_a_packed_file_that_would_unpack_without_end_is_refused(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    monkeypatch.setattr(tables, "_LARGEST_UNPACKED", 1000)
    with pytest.raises(NebbetError, match="far larger than it looks"):
        read_table(workbook(["Name"], ["Ann"]))


@given(st.binary(max_size=400))
def test_no_bytes_get_anything_but_a_table_or_a_sentence(data: bytes) -> None:
    with suppress(NebbetError):
        read_table(data)


def test_damaged_workbooks_get_a_sentence() -> None:
    whole, chance = workbook(["Name", "Sum"], ["Ann", 1]), random.Random(1)
    for _ in range(60):
        data = bytearray(whole)
        for _flip in range(chance.randrange(1, 8)):
            data[chance.randrange(len(data))] ^= 1 << chance.randrange(8)
        with suppress(NebbetError):
            read_table(bytes(data))
