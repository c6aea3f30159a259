"""Tables kept elsewhere: read again, marked, never written to; a broken one changes nothing."""

import sqlite3
from contextlib import closing
from datetime import timedelta
from pathlib import Path

import psycopg
import pytest
from msgspec.structs import replace
from sqlalchemy import make_url

from nebbet.core.errors import NebbetError
from nebbet.core.records import Case, Contact
from nebbet.library.import_files import How
from nebbet.library.link_reading import read_due, read_link, read_place
from nebbet.library.links import (
    Link,
    LinkResult,
    check_link,
    due,
    links_of,
    put_link,
    remove_link,
)
from nebbet.library.store import Library, open_library
from tests.conftest import NOW

PEOPLE = How(matches={"Name": "name", "Mail": "email", "Season": "+"})
ROWS = ["Key,Name,Mail,Season", "7,Ann Pell,ann@x.example,2026", "8,Bo Quill,bo@x.example,",
        "9,Cy Rook,,2025"]  # fmt: skip


def link(library: Library, path: Path, **about: object) -> Link:
    made = Link("crm", "CRM", str(path), "Key", how=PEOPLE)
    made = replace(made, **about)
    put_link(library, made)
    return made


def written(path: Path, *rows: str) -> Path:
    path.write_text("\n".join(rows), "utf-8")
    return path


def read(library: Library, later: int = 0) -> LinkResult:
    one = links_of(library)["crm"]
    return read_link(library, library.catalogue(NOW), one, NOW + timedelta(minutes=later))


@pytest.fixture
def path(tmp_path: Path) -> Path:
    return tmp_path / "team" / "library.sqlite"


@pytest.fixture
def table(tmp_path: Path) -> Path:
    return written(tmp_path / "crm.csv", *ROWS)


def test_people_come_change_and_are_marked_gone(library: Library, table: Path) -> None:
    link(library, table)
    result = read(library)
    assert (result.rows, result.new, result.gone, result.failed) == (3, 3, 0, "")
    ann = library.people.contact("crm/7")
    assert ann and ann.source == "crm" and ann.name == "Ann Pell"
    assert ann.more == {"season": "2026"}
    library.put(replace(ann, filed=True))  # what is said here stays when it is read again
    written(table, ROWS[0], "7,Ann Pell,ann@y.example,2026", ROWS[2])
    result = read(library, 1)
    assert (result.changed, result.gone) == (1, 1)
    ann, cy = library.people.contact("crm/7"), library.people.contact("crm/9")
    assert ann and ann.email == "ann@y.example" and ann.filed
    assert cy and cy.gone and cy.name == "Cy Rook", "marked, not taken out"
    written(table, *ROWS)
    assert read(library, 2).changed == 2
    cy = library.people.contact("crm/9")
    assert cy and not cy.gone
    assert read(library, 3).changed == 0


@pytest.mark.parametrize(
    ("rows", "why"),
    [
        (["Key,Name", "7,Ann Pell"], "no column “Mail” any more"),
        (["Name,Mail,Season", "Ann Pell,a@x.example,"], "no column “Key” any more"),
        (ROWS[:2], "looks half-written"),
        ([ROWS[0]], "looks half-written"),
        ([""], "The table is empty"),
        (["\x00\x01"], "The file is no table"),
    ],
)
def test_a_broken_table_changes_nothing_and_says_why(
    library: Library, table: Path, rows: list[str], why: str
) -> None:
    link(library, table)
    read(library)
    before = library.people.from_source("crm")
    written(table, *rows)
    result = read(library, 1)
    assert why in result.failed and result.read == NOW, "when it was read well last"
    assert library.people.from_source("crm") == before
    table.unlink()
    assert "cannot be read" in read(library, 2).failed
    written(table, *ROWS)
    assert read(library, 3).failed == ""


def test_a_row_that_cannot_be_read_makes_nobody_gone(library: Library, table: Path) -> None:
    link(library, table)
    read(library)
    written(table, ROWS[0], "7,Ann Pell,nix,2026", ROWS[2], ROWS[3], "7,Twice,t@x.example,", ",X,,")
    result = read(library, 1)
    assert result.gone == 0 and len(result.refused) == 2
    assert result.refused[0] == "row 2: “nix” is not a mail address"
    ann = library.people.contact("crm/7")
    assert ann and ann.name == "Twice", "the first row of a key that can be read"


def test_cases_find_their_people(library: Library, table: Path) -> None:
    library.put(Contact("c1", "ann@x.example", first_name="Ann"))
    written(table, "Key,Ref,Who,Fare", "1,LS-1,ann@x.example,4", "2,LS-2,eve@x.example,5")
    how = How(False, {"Ref": "number", "Who": "contact", "Fare": "+"}, "refund")
    link(library, table, how=how)
    assert read(library).new == 2
    one, two = library.people.numbered("LS-1"), library.people.numbered("LS-2")
    assert one and one.case.contact == "c1" and one.case.kind == "refund"
    assert two and two.contact and two.contact.email == "eve@x.example"
    assert read(library, 1).changed == 0, "and eve is still the same person"
    case = library.people.case("crm/1")
    assert isinstance(case, Case) and case.source == "crm"


def test_only_what_is_due_is_read_and_by_one_alone(library: Library, table: Path) -> None:
    link(library, table, minutes=15)
    catalogue = library.catalogue(NOW)
    assert set(read_due(library, catalogue, NOW, lambda _place: "")) == {"crm"}
    assert read_due(library, catalogue, NOW + timedelta(minutes=5), lambda _place: "") == {}
    later = NOW + timedelta(minutes=16)
    seen = links_of(library)
    assert [one.link.id for one in due(seen, later)] == ["crm"]
    assert read_link(library, catalogue, seen["crm"], later).rows == 3
    # Another window had the same thought, and what it saw is not as it was any more.
    written(table, *ROWS, "10,Di Swan,,")
    assert read_link(library, catalogue, seen["crm"], later).new == 3, "as it was: not read again"
    assert library.people.contact("crm/10") is None


def test_a_link_is_taken_down_and_its_people_are_the_team_s(library: Library, table: Path) -> None:
    made = link(library, table)
    read(library)
    remove_link(library, "crm", made)
    ann = library.people.contact("crm/7")
    assert links_of(library) == {} and ann and ann.source == ""
    library.change_people([])


def test_a_file_that_lies_elsewhere_is_for_whoever_has_it(team: str, tmp_path: Path) -> None:
    from tests.library.making import opened

    lead, colleague = opened(team, "ottilie"), opened(team, "ivo")
    try:
        link(lead, tmp_path / "not here.csv")
        assert read_due(colleague, colleague.catalogue(NOW), NOW, lambda _p: "") == {}
        written(tmp_path / "not here.csv", *ROWS)
        told = read_due(colleague, colleague.catalogue(NOW), NOW, lambda _p: "")
        assert told["crm"].new == 3, "a colleague's window may read it"
    finally:
        lead.close()
        colleague.close()


# Databases


@pytest.fixture
def other(tmp_path: Path) -> Path:
    path = tmp_path / "crm.sqlite"
    with closing(sqlite3.connect(path)) as connection:
        connection.execute("CREATE TABLE p (key INTEGER, name TEXT, mail TEXT)")
        connection.execute("INSERT INTO p VALUES (7, 'Ann Pell', 'ann@x.example')")
        connection.commit()
    return path


def test_a_database_is_asked_and_cannot_be_written_to(
    path: Path, other: Path, server: str, database: str
) -> None:
    how = How(matches={"name": "name", "mail": "email"})
    with closing(open_library(path)) as library:
        asked = Link("crm", "CRM", f"sqlite:///{other}", "key", "SELECT * FROM p", how=how)
        put_link(library, asked)
        assert read(library).new == 1
        for query in ("WITH x AS (SELECT 1) DELETE FROM p", "SELECT no_such FROM p", "SELECT '"):
            with pytest.raises(NebbetError, match="does not answer the query"):
                read_place(replace(asked, query=query))
    with closing(sqlite3.connect(other)) as connection:
        assert connection.execute("SELECT count(*) FROM p").fetchone() == (1,)
    with psycopg.connect(database, autocommit=True) as made:
        made.execute("CREATE TABLE p (key int, name text, mail text, born date, fare numeric)")
        made.execute("INSERT INTO p VALUES (7, 'Ann', 'a@x.example', '1980-04-03', 4.50)")
    url = make_url(database).set(drivername="postgresql+psycopg").render_as_string(False)
    asked = Link("crm", "CRM", url, "key", "SELECT key, name, mail, born, fare FROM p WHERE "
                 "mail LIKE '%:%' OR key > 0", how=how)  # fmt: skip
    (row,) = read_place(asked).rows
    assert [str(cell) for cell in row.cells] == ["7", "Ann", "a@x.example", "1980-04-03", "4.50"]
    with pytest.raises(NebbetError, match="read-only"):
        read_place(replace(asked, query="WITH d AS (DELETE FROM p RETURNING 1) SELECT * FROM d"))


@pytest.mark.parametrize(
    "wrong",
    [
        Link("x", "", "/a.csv", "k"),
        Link("x", "X", "", "k"),
        Link("x", "X", "/a.csv", ""),
        Link("x", "X", "sqlite:///a", "k", "DELETE FROM p"),
        Link("x", "X", "sqlite:///a", "k"),
    ],
)
def test_what_cannot_work_is_refused(wrong: Link) -> None:
    with pytest.raises(NebbetError, match="Nothing was changed"):
        check_link(wrong)
    with pytest.raises(NebbetError):
        read_place(replace(wrong, place="nosuch://x/y", query="SELECT 1"))
