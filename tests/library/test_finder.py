"""People and cases are found by the database, in a file and on a server alike."""

from collections.abc import Callable

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from msgspec.structs import replace
from rapidfuzz.distance import OSA

from nebbet.core.records import Case, Contact
from nebbet.library.columns import near_keys
from nebbet.library.fields import fields_in
from nebbet.library.people import People
from nebbet.library.store import Library
from tests.conftest import NOW

ANN = Contact("c1", "ann.marlow@x.example", "Ms", "Ann", "Marlow", addresses=("a@home.example",))
QUILL = Contact("c2", "quill@x.example", "", "Bo", "Quill", "Harbour Ltd", household="Quay 3")
ROOK = Contact("c3", "rook@x.example", "", "Zoë", "Rook", "Harbour Ltd", household="Quay 3")
LOST = Case("k1", "LS-100", "lost", "Red bag", "c1", {"bag": "red"})
REFUND = Case("k2", "LS-200", "refund", "Refund", "c2", {"fare": "4", "rows": ["a"]}, ("c3",))


@pytest.fixture
def filled(library: Library) -> Library:
    library.put(ANN, QUILL, ROOK, LOST, REFUND)
    return library


def people(found: People, words: str) -> list[str]:
    return [one.contact.id for one in found.find_people(words)]


def cases(found: People, words: str) -> list[str]:
    return [one.case.id for one in found.find_cases(words)]


@pytest.mark.parametrize(
    ("words", "who"),
    [
        ("marlow", ["c1"]),
        ("ann mar", ["c1"]),
        ("MARLWO", ["c1"]),  # two letters changed places
        ("marlov", ["c1"]),
        ("zoe", ["c3"]),
        ("harbour", ["c2", "c3"]),
        ("a@home.example", ["c1"]),
        ("LS-100", ["c1"]),
        ("ls200", ["c2", "c3"]),
        ("xylophone", []),
        ("…", []),
        ("", ["c1", "c2", "c3"]),
    ],
)
def test_people_are_found_by_what_is_known_of_them(
    filled: Library, words: str, who: list[str]
) -> None:
    assert sorted(people(filled.people, words)) == who


@pytest.mark.parametrize(
    ("words", "which"),
    [("ls 100", "k1"), ("100", "k1"), ("red", "k1"), ("quill", "k2"), ("refnud", "k2")],
)
def test_cases_are_found(filled: Library, words: str, which: str) -> None:
    assert cases(filled.people, words)[0] == which


def test_a_person_brings_their_only_case_and_a_case_its_contact(filled: Library) -> None:
    filled.put(Case("k3", "LS-300", contact="c2"))
    found = {one.contact.id: one.case for one in filled.people.find_people("")}
    assert found == {"c1": LOST, "c2": None, "c3": REFUND}
    matter = filled.people.numbered("ls-200")
    assert matter and matter.contact == QUILL
    assert [case.id for case in filled.people.cases_of("c3")] == ["k2"]
    assert filled.people.beside(QUILL) == [ROOK]


def test_an_address_is_found_in_whatever_case(filled: Library) -> None:
    for address in ("ANN.Marlow@x.example", "A@home.example"):
        person = filled.people.addressed(address)
        assert person and person.contact == ANN
    assert filled.people.addressed("nobody@x.example") is None
    assert filled.people.addressed("") is None


CHANGES: dict[str, Callable[[Library], None]] = {
    "another name": lambda library: library.put(replace(ANN, last_name="Ashgrove")),
    "another number": lambda library: library.put(replace(LOST, number="LS-300")),
    "to somebody else": lambda library: library.put(replace(LOST, contact="c3")),
    "to nobody": lambda library: library.put(replace(LOST, contact="")),
    "filed away": lambda library: library.put(replace(ANN, filed=True)),
}


@pytest.mark.parametrize("change", CHANGES.values(), ids=list(CHANGES))
def test_what_changed_is_found_as_it_is_now(filled: Library, change: Callable) -> None:  # type: ignore[type-arg]
    """The index of words follows the rows: what is found afterwards says it still."""
    change(filled)
    for words in ("marlow", "ashgrove", "ls 100", "ls 300"):
        for one in filled.people.find_people(words):
            own = [case.number for case in filled.people.cases_of(one.contact.id)]
            said = f"{one.contact.name} {one.contact.email} {' '.join(own)}".casefold()
            assert all(word in said.replace("-", " ") for word in words.split()), words
        for matter in filled.people.find_cases(words):
            who = matter.contact.name if matter.contact else ""
            said = f"{matter.case.number} {who}".casefold().replace("-", " ")
            assert all(word in said for word in words.split()), words


def test_pages_follow_each_other_without_a_gap(library: Library) -> None:
    library.put(*(Contact(f"c{n:03}", last_name=f"Name {n % 7}") for n in range(50)))
    library.put(*(Case(f"k{n:03}", f"LS-{n % 7}") for n in range(50)))
    whole = library.people.people_page(size=100)
    assert whole.of == len(whole.rows) == 50
    seen, last = [], None
    while rows := library.people.people_page(last, size=8).rows:
        seen += rows
        last = rows[-1]
    assert seen == whole.rows
    numbers, at = [], None
    while matters := library.people.case_page(at, size=8).rows:
        numbers += [one.case.id for one in matters]
        at = matters[-1].case
    assert numbers == [one.case.id for one in library.people.case_page(size=100).rows]


def test_the_fields_that_records_have_are_known_without_reading_them(filled: Library) -> None:
    found = fields_in(filled.catalogue(NOW))
    assert found.cases == ("bag", "fare", "rows") and found.lists == ("rows",)
    assert found.kinds == ("lost", "refund")
    before = filled.catalogue(NOW)
    filled.put(Case("k4", "LS-4", "lost", fields={"weight": 4}))
    after, change = filled.follow(NOW, before)
    assert change.of("held_field") and "weight" in fields_in(after).cases


@settings(suppress_health_check=list(HealthCheck), max_examples=200, deadline=None)
@given(st.text("abcdefgh", min_size=4, max_size=9), st.text("abcdefgh", min_size=4, max_size=9))
def test_one_mistake_in_the_beginning_of_a_word_is_forgiven(word: str, other: str) -> None:
    """Against the distance with transpositions of RapidFuzz."""
    start, near = word[:6], other[:6]
    if len(word) == len(other) and OSA.distance(start, near) <= 1:
        assert near_keys(word) & near_keys(other)
    if OSA.distance(start, near) > 2:
        assert not near_keys(word) & near_keys(other)
