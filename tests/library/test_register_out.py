"""The register as a table. Sources: RFC 4180 read by the standard library; XLSX read by calamine;
what programs would run as a formula, OWASP "CSV Injection"."""

import csv
import io
from datetime import timedelta
from pathlib import Path

import pytest
from python_calamine import CalamineWorkbook

from nebbet.core.errors import NebbetError
from nebbet.library import register_out
from nebbet.library.entries import Registered
from nebbet.library.register_finding import Wanted
from nebbet.library.register_out import write_register
from nebbet.library.store import Library
from tests.conftest import NOW


@pytest.fixture
def filled(library: Library) -> Library:
    subjects = ["=1+1", "+44", "-x", "@cmd", "\ttab", "Plain, “quoted”\nline", "Refund"]
    library.record(
        [
            Registered(f"<{n}@x>", NOW - timedelta(days=n), "m1", "a@x.example", "Ann Pell",
                       subject=subject)
            for n, subject in enumerate(subjects)
        ]
    )  # fmt: skip
    return library


@pytest.mark.parametrize("kind", ["csv", "xlsx"])
def test_what_is_found_is_written_and_nothing_of_it_runs(
    filled: Library, tmp_path: Path, kind: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(register_out, "_AT_ONCE", 3)  # several pages
    path = tmp_path / f"register.{kind}"
    assert write_register(filled.register_engine, Wanted(), path, {"m1": "Mo Carse"}) == 7
    if kind == "csv":
        rows = list(csv.reader(io.StringIO(path.read_bytes().decode("utf-8-sig"), newline="")))
    else:
        rows = CalamineWorkbook.from_path(str(path)).get_sheet_by_index(0).to_python()
    assert rows[0][0] == "Sent" and len(rows) == 8
    said = [str(row[6]) for row in rows[1:]]
    assert said[:5] == ["'=1+1", "'+44", "'-x", "'@cmd", "'\ttab"]
    assert said[5].split() == ["Plain,", "“quoted”", "line"] and said[6] == "Refund"
    assert {row[7] for row in rows[1:]} == {"Mo Carse"}
    assert write_register(filled.register_engine, Wanted("refund"), path, {}) == 1


def test_a_sheet_that_cannot_hold_them_says_so(
    filled: Library, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(register_out, "MOST_ROWS", 3)
    path = tmp_path / "register.xlsx"
    with pytest.raises(NebbetError, match="write a CSV file"):
        write_register(filled.register_engine, Wanted(), path, {})
    assert not path.exists()


def test_where_nothing_can_be_written_nothing_is(filled: Library, tmp_path: Path) -> None:
    with pytest.raises(NebbetError, match="cannot be written"):
        write_register(filled.register_engine, Wanted(), tmp_path / "no" / "folder.csv", {})
