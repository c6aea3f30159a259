"""How likely two records are of one person. What counts how much is our own; that one letter or two
may differ is Jaro and Winkler's measure, from RapidFuzz."""

import pytest
from msgspec.structs import replace

from nebbet.core.records import Contact
from nebbet.core.records.likeness import LIKELY, likeness, merged, twins_of

ANN = Contact("1", "ann@x.example", first_name="Ann", last_name="Pell", organisation="Quay Ltd")


@pytest.mark.parametrize(
    "other",
    [
        Contact("2", "ann@x.example", first_name="Ann", last_name="Pell"),
        Contact("2", "ANN@X.EXAMPLE"),
        Contact("2", "a@home.example", addresses=("ann@x.example",), last_name="Pell"),
        Contact("2", "ann@x.example", first_name="A.", last_name="Pell"),
        Contact("2", "p@y.example", first_name="Ann", last_name="Pell", organisation="quay ltd"),
        Contact("2", "", first_name="Pell", last_name="Ann"),
    ],
)
def test_these_may_be_one(other: Contact) -> None:
    assert likeness(ANN, other)[0] >= LIKELY


@pytest.mark.parametrize(
    "other",
    [
        Contact("2", "ann@x.example", first_name="Bartholomew", last_name="Quill"),  # a household
        Contact("2", "bo@x.example", first_name="Bo", last_name="Pell", organisation="Quay Ltd"),
        Contact("2", "q@y.example", first_name="Anton", last_name="Pelham"),
        Contact("2", "", organisation="Quay Ltd"),
        Contact("2"),
    ],
)
def test_these_are_two(other: Contact) -> None:
    assert likeness(ANN, other)[0] < LIKELY


def test_what_somebody_decided_stands() -> None:
    other = Contact("2", "ann@x.example", first_name="Ann", last_name="Pell", apart=("1",))
    assert twins_of(ANN, [other]) == []
    assert twins_of(ANN, [Contact("3", "ann@x.example", same_as="1")]) == []


def test_one_of_two_has_what_both_said() -> None:
    other = Contact("2", "ann.pell@y.example", "Dr", "Anne", "Pell", phone="1", notes="Kind",
                    more={"season": "2026", "desk": "4"})  # fmt: skip
    kept = Contact("1", "ann@x.example", first_name="Ann", notes="Patient", more={"desk": "2"})
    made = merged(kept, other)
    assert (made.id, made.title, made.first_name, made.last_name) == ("1", "Dr", "Ann", "Pell")
    assert made.addresses == ("ann.pell@y.example",) and made.phone == "1"
    assert made.more == {"desk": "2", "season": "2026"} and made.notes == "Patient\n\nKind"
    assert made.once == ("2",)


def test_what_the_other_says_better_is_taken_from_it() -> None:
    other = Contact("2", "new@x.example", "Dr", "Anne", "Pell-Marsh", phone="2",
                    more={"season": "2026", "desk": "4"})  # fmt: skip
    kept = Contact("1", "old@x.example", "Ms", "Ann", "Pell", phone="1", more={"desk": "2"})
    made = merged(kept, other, ("name", "email", "phone", "more.desk"))
    assert (made.title, made.first_name, made.last_name) == ("Ms", "Anne", "Pell-Marsh")
    assert made.email == "new@x.example" and made.addresses == ("old@x.example",)
    assert made.phone == "2" and made.kept == ("TEL:1",)
    assert made.more == {"desk": "4", "season": "2026"}
    assert merged(kept, Contact("2"), ("name", "phone")) == replace(kept, once=("2",))
