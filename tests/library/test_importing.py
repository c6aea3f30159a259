"""From a file to people and cases: what every row would do, done and undone, in a file and on a
server alike."""

import itertools
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest
from msgspec.structs import replace

from nebbet.core.errors import NebbetError
from nebbet.core.records import Case, Contact
from nebbet.core.records.kinds import PEOPLE, Kind, RecordField
from nebbet.library.holdings import Overtaken
from nebbet.library.import_files import (
    How,
    looks_like_cases,
    planned,
    proposed,
    read_import,
)
from nebbet.library.importing import Plan
from nebbet.library.people_writing import Cancelled, Changed, undoing
from nebbet.library.store import Library
from tests.conftest import NOW

ANN = Contact("c1", "ann@x.example", "Ms", "Ann", "Pell", notes="Patient",
              addresses=("ann@home.example",))  # fmt: skip
BO = Contact("c2", "", "", "Bo", "Quill", "Harbour Ltd")
CY = Contact("c3", "cy@x.example", "", "Cy", "Rook", source="crm")


@pytest.fixture
def filled(library: Library) -> Library:
    library.put(ANN, BO, CY, Case("k1", "LS-1", "refund", "Refund", "c1", {"fare": "4"}))
    return library


@pytest.fixture
def token() -> Iterator[Callable[[], str]]:
    numbers = itertools.count(1)
    yield lambda: f"n{next(numbers)}"


def written(folder: Path, *lines: str) -> Path:
    path = folder / "rows.csv"
    path.write_text("\n".join(lines), "utf-8")
    return path


def plan(library: Library, path: Path, token: Callable[[], str], how: How | None = None) -> Plan:
    file, catalogue = read_import(path), library.catalogue(NOW)
    if file.table is not None:
        how = how or How(people=not looks_like_cases(file.table))
        how = proposed(catalogue, file.table, how)
    return planned(library.people, catalogue, file, how or How(), token)


def told(found: Plan) -> list[str]:
    return [row.state for row in found.rows]


def test_rows_of_people(filled: Library, tmp_path: Path, token: Callable[[], str]) -> None:
    path = written(
        tmp_path,
        "First name,Last name,Email,Phone,Company,Season",
        "Ann,Pell,ANN@x.example,01632 1,,2026",  # changed
        "Ann,,ann@home.example,,,",  # the same person, by another address of hers: doubled?
        "Bo,Quill,,01632 2,Harbour Ltd,",  # known by the name that only one has
        "Cy,Rook,cy@x.example,01632 3,,",  # comes from a linked table
        "Di,Swan,di@x.example,,,",  # new
        "Di,Swan,DI@x.example,,,",  # doubled
        "Ed,,nix,,,",  # refused
    )
    found = plan(filled, path, token)
    assert told(found) == ["changed", "same", "changed", "refused", "new", "doubled", "refused"]
    assert "linked table" in found.rows[3].reason and found.rows[5].reason == "the same as row 6"
    filled.change_people(found.changes())
    ann, bo = filled.people.contact("c1"), filled.people.contact("c2")
    assert ann and ann.phone == "01632 1" and ann.notes == "Patient" and ann.more["season"]
    assert ann.addresses == ("ann@home.example",) and ann.email == "ann@x.example"
    assert bo and bo.phone == "01632 2"
    assert [one.contact.email for one in filled.people.find_people("swan")] == ["di@x.example"]
    assert told(plan(filled, path, token))[:5] == ["same", "same", "same", "refused", "same"]
    # One step undoes all of it.
    filled.change_people(undoing(found.changes()))
    assert filled.people.contact("c1") == ANN and filled.people.contact("c2") == BO
    assert filled.people.find_people("swan") == []


def test_a_name_that_several_have_is_not_guessed(
    filled: Library, tmp_path: Path, token: Callable[[], str]
) -> None:
    filled.put(Contact("c4", "b@y.example", first_name="Bo", last_name="Quill"))
    found = plan(filled, written(tmp_path, "Name,Phone", "Bo Quill,1"), token)
    assert told(found) == ["doubled"] and found.rows[0].reason.startswith("2 people have this")


def test_rows_of_cases_find_their_people(
    filled: Library, tmp_path: Path, token: Callable[[], str]
) -> None:
    kind = Kind("refund", "refund", (RecordField("fare", "money"), RecordField("sailing", "date")))
    filled.put(kind)
    path = written(
        tmp_path,
        "Booking;Customer;Fare;Sailing;Ship",
        "LS-1;ann@home.example;12,50;3.4.2026;Lisle",  # changed, and still Ann's
        "LS-2;Quill, Bo;8;25.4.2026;",  # new, by a name
        "LS-3;eve@x.example;9;;",  # new, of somebody who is new, too
        "LS-4;Nobody There;9;;",
        "ls 2;;;;",
    )
    found = plan(filled, path, token, How(people=False, kind="refund"))
    assert told(found) == ["changed", "new", "new", "new", "doubled"]
    assert len(found.beside) == 1 and "nobody is called" in found.rows[3].reason
    filled.change_people(found.changes())
    people = filled.people
    one, two, three = (people.numbered(f"LS-{n}") for n in (1, 2, 3))
    assert one and one.case.contact == "c1" and one.case.title == "Refund"
    assert one.case.fields["fare"] == {"money": "12.50", "currency": "GBP"}
    assert one.case.fields["sailing"] == {"date": "2026-04-03"}
    assert two and two.contact == BO
    assert three and three.contact and three.contact.email == "eve@x.example"
    assert [case.number for case in people.cases_of("c2")] == ["LS-2"]
    filled.change_people(undoing(found.changes()))
    assert people.numbered("LS-2") is None and people.cases_of("c2") == []


def test_cards_come_in(filled: Library, tmp_path: Path, token: Callable[[], str]) -> None:
    path = tmp_path / "people.vcf"
    path.write_text(
        "BEGIN:VCARD\nVERSION:4.0\nFN:Ann Pell\nEMAIL:ann@x.example\nTEL:1\nTZ:1\nEND:VCARD\n"
        "BEGIN:VCARD\nVERSION:3.0\nFN:Fay Wren\nEND:VCARD\nBEGIN:VCARD\nEND:VCARD\n"
    )
    found = plan(filled, path, token)
    assert told(found) == ["changed", "new", "refused"]
    filled.change_people(found.changes())
    ann = filled.people.contact("c1")
    assert ann and ann.phone == "1" and ann.kept == ("TZ:1",)


def test_columns_that_are_fields_of_the_team(
    filled: Library, tmp_path: Path, token: Callable[[], str]
) -> None:
    filled.put(Kind(PEOPLE, "People", (RecordField("born", "date", "Birthday"),)))
    found = plan(
        filled, written(tmp_path, "Name,Email,Birthday", "A B,a@b.example,1.2.1990"), token
    )
    record = found.rows[0].record
    assert isinstance(record, Contact) and record.more == {"born": {"date": "1990-02-01"}}


def test_stopped_in_the_middle_nothing_is_changed(library: Library) -> None:
    changes = [Changed(None, Contact(f"c{n}", f"{n}@x.example")) for n in range(2500)]
    seen: list[int] = []

    def stop(count: int) -> bool:
        seen.append(count)
        return count < 2000

    with pytest.raises(Cancelled):
        library.change_people(changes, stop)
    assert seen == [1000, 2000] and library.people.people_page().of == 0
    library.change_people(changes)
    assert library.people.people_page().of == 2500
    assert [p.contact.id for p in library.people.find_people("2499")] == ["c2499"]
    library.put(Contact("c1", "other@x.example"))  # the index goes on by itself
    assert library.people.find_people("other")[0].contact.id == "c1"


def test_what_somebody_changed_meanwhile_is_not_written_over(
    filled: Library, tmp_path: Path, token: Callable[[], str]
) -> None:
    found = plan(filled, written(tmp_path, "Email,Phone", "ann@x.example,1", "z@x.example,"), token)
    filled.put(replace(ANN, title="Dr"))
    with pytest.raises(Overtaken):
        filled.change_people(found.changes())
    assert filled.people.find_people("z@x.example") == [], "all of it or nothing"


def test_a_file_that_is_none_gets_one_sentence(tmp_path: Path) -> None:
    for name, data in (("a.csv", b""), ("b.xlsx", b"PK\x03\x04"), ("c.vcf", b"hello")):
        path = tmp_path / name
        path.write_bytes(data)
        with pytest.raises(NebbetError, match="Nothing was read"):
            read_import(path)
    with pytest.raises(NebbetError, match="cannot be read"):
        read_import(tmp_path / "not there.csv")
