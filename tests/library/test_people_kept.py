"""Two records of one person, all that is held on one, taken out for good; who may do what."""

import csv
import io
import json
import zipfile
from datetime import timedelta
from pathlib import Path

import pytest
from msgspec.structs import replace

from nebbet.core.errors import NebbetError
from nebbet.core.records import Case, Contact
from nebbet.core.records.cards import read_cards
from nebbet.core.records.kinds import Kind
from nebbet.library.entries import Registered
from nebbet.library.links import Link, put_link
from nebbet.library.merging import likely_twins, merging, telling_apart
from nebbet.library.people_pages import case_page, person_page
from nebbet.library.people_writing import Changed, undoing
from nebbet.library.register import page
from nebbet.library.register_finding import Wanted
from nebbet.library.store import Library
from nebbet.library.taking_out import held_on, take_out, write_held
from tests.conftest import NOW
from tests.library.making import client, opened

ANN = Contact("c1", "ann@x.example", first_name="Ann", last_name="Pell", household="Quay 3")
ANNE = Contact("c2", "ann@x.example", first_name="Anne", last_name="Pell", phone="1")
BO = Contact("c3", "bo@x.example", first_name="Bo", last_name="Pell", household="quay 3")
ONE = Case("k1", "LS-1", contact="c2")
BOTH = Case("k2", "LS-2", contact="c3", people=("c2",))


def letter(number: int, **about: str) -> Registered:
    return Registered(f"<{number}@x>", NOW - timedelta(days=number), "m1", **about)


@pytest.fixture
def filled(library: Library) -> Library:
    library.put(ANN, ANNE, BO, ONE, BOTH)
    library.record(
        [
            letter(1, address="ann@x.example", name="Ann Pell", contact="c1", subject="One"),
            letter(2, address="old@x.example", name="Anne Pell", contact="c2", case_number="LS-1"),
            letter(3, address="bo@x.example", name="Bo Pell", contact="c3", subject="Bo's"),
        ]
    )
    return library


def test_a_person_s_page(filled: Library) -> None:
    found = person_page(filled.people, filled.register_engine, "c1")
    assert found and found.contact == ANN
    assert [one.id for one in found.beside] == ["c3"], "of the same household, however it is spelt"
    assert [one.message_id for one in found.letters] == ["<1@x>"]
    assert [twins.other.id for twins in found.twins] == ["c2"]
    about = case_page(filled.people, filled.register_engine, "k2")
    assert about and [one.id for one in about.people] == ["c3", "c2"]
    first = case_page(filled.people, filled.register_engine, "k1")
    assert first and [one.message_id for one in first.letters] == ["<2@x>"]
    assert person_page(filled.people, filled.register_engine, "nobody") is None


def test_two_become_one_and_two_again(filled: Library) -> None:
    people, engine = filled.people, filled.register_engine
    (twins,) = likely_twins(people)
    changes = merging(people, ANN, ANNE)
    filled.change_people(changes)
    made = person_page(people, engine, "c1")
    assert made and made.contact.phone == "1" and made.contact.once == ("c2",)
    assert {case.id for case in made.cases} == {"k1", "k2"}
    assert [one.message_id for one in made.letters] == ["<1@x>", "<2@x>"]
    gone = person_page(people, engine, "c2")
    assert gone and gone.contact.id == "c1", "whoever asks for the other comes here"
    assert [one.contact.id for one in people.find_people("pell")] == [
        "c1",
        "c3",
    ] or not likely_twins(people)
    assert likely_twins(people) == []
    filled.change_people(undoing(changes))
    assert people.contacts(["c1", "c2"]) == {"c1": ANN, "c2": ANNE}
    assert people.case("k1") == ONE and people.case("k2") == BOTH
    filled.change_people(telling_apart(twins.one, twins.other))
    assert likely_twins(people) == []


def test_all_that_is_held_is_written_into_open_formats(filled: Library, tmp_path: Path) -> None:
    file = filled.put_file(b"a scan", "=scan.pdf", "application/pdf")
    filled.put(replace(ONE, files=(file,)))
    filled.record([letter(4, address="ann@x.example", contact="c2", subject="=1+1")])
    held = held_on(filled, "c2")
    assert held and [case.id for case in held.own] == ["k1"]
    assert [case.id for case in held.shared] == ["k2"]
    path = tmp_path / "anne.zip"
    write_held(filled, held, path, NOW, {"m1": "Mo Carse"})
    with zipfile.ZipFile(path) as packed:
        assert packed.testzip() is None
        (card,) = read_cards(packed.read("person.vcf").decode())
        assert card.contact and card.contact.name == "Anne Pell"
        assert {c["id"] for c in json.loads(packed.read("cases.json"))} == {"k1", "k2"}
        rows = list(csv.DictReader(io.StringIO(packed.read("letters.csv").decode("utf-8-sig"))))
        assert {row["subject"] for row in rows} >= {"'=1+1"}, "OWASP, CSV Injection"
        assert {row["sender"] for row in rows} == {"Mo Carse"}
        (kept,) = [name for name in packed.namelist() if name.startswith("files/")]
        assert packed.read(kept) == b"a scan"
        assert "Anne Pell" in packed.read("README.txt").decode()


def test_somebody_is_taken_out_and_the_register_keeps_that_a_letter_went(filled: Library) -> None:
    held = held_on(filled, "c2")
    assert held
    take_out(filled, held)
    people = filled.people
    assert people.contact("c2") is None and people.case("k1") is None
    left = people.case("k2")
    assert left and left.people == () and left.contact == "c3"
    assert people.find_people("anne") == [] or people.find_people("anne")[0].contact.id == "c1"
    entries = {one.message_id: one for one in page(filled.register_engine).rows}
    assert set(entries) == {"<1@x>", "<2@x>", "<3@x>"}
    bare = entries["<2@x>"]
    assert (bare.name, bare.address, bare.contact, bare.subject) == ("", "", "", "")
    assert bare.case_number == "LS-1" and bare.sender == "m1"
    assert page(filled.register_engine, Wanted("anne")).found == 0, "and nothing finds her"
    assert entries["<3@x>"].name == "Bo Pell"


def test_a_colleague_adds_changes_and_takes_back_and_a_lead_sets_kinds_and_links(team: str) -> None:
    colleague, lead = opened(team, "saoirse"), opened(team, "ottilie")
    try:
        changes = [Changed(None, ANN), Changed(None, ONE)]
        colleague.change_people(changes)
        colleague.put(replace(ANN, title="Dr"), seen=ANN)
        assert lead.people.contact("c1") == replace(ANN, title="Dr")
        assert [case.id for case in lead.people.cases_of("c2")] == ["k1"]
        colleague.put(ANN)
        colleague.change_people(undoing(changes))
        assert lead.people.contact("c1") is None and lead.people.case("k1") is None
        kind, link = Kind("refund", "refund"), Link("crm", "CRM", "/x.csv", "id")
        for act in (lambda: colleague.put(kind), lambda: put_link(colleague, link)):
            with pytest.raises(NebbetError, match="for a lead to do"):
                act()
        lead.put(kind)
        put_link(lead, link)
        lead.put(ANN)
        with pytest.raises(NebbetError, match="for a lead to do"):
            held = held_on(colleague, "c1")
            assert held
            take_out(colleague, held)
    finally:
        colleague.close()
        lead.close()


@pytest.mark.parametrize(
    "statement",
    [
        "INSERT INTO kind (id, data) VALUES ('x', '{}')",
        "INSERT INTO linked (id, data) VALUES ('x', '{}')",
        "UPDATE linked SET data = '{}'",
        "DELETE FROM contact",
        "DELETE FROM case_",
        "DELETE FROM case_person",
        "INSERT INTO case_person VALUES ('k', 'c')",
        "UPDATE register SET name = ''",
        "SELECT nebbet.nebbet_bare('<1@x>', '')",
    ],
)
def test_the_server_itself_holds_that(team: str, statement: str) -> None:
    import psycopg

    with client(team, "ivo") as connection:
        connection.execute("SET search_path = nebbet")
        with pytest.raises(psycopg.errors.InsufficientPrivilege):
            connection.execute(statement)
