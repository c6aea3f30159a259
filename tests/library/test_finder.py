"""The finder follows the library record by record: it finds what one made anew finds."""

from collections.abc import Callable

import pytest
from msgspec.structs import replace

from nebbet.core.ranking import index
from nebbet.core.records import Case, Contact
from nebbet.library.catalogue import Catalogue
from nebbet.library.changes import EVERYTHING, Change, different
from nebbet.library.search import Finder, make_finder
from tests.conftest import NOW

CONTACTS = {key: Contact(key, f"{key}@x.example", "", "Ann", last) for key, last in
            (("c1", "Marlow"), ("c2", "Quill"), ("c3", "Rook"))}  # fmt: skip
CASES = {
    "k1": Case("k1", "LS-100", "lost", "Lost bag", "c1", {"bag": "red"}),
    "k2": Case("k2", "LS-200", "refund", "Refund", "c2", {"fare": "4", "rows": ["a"]}),
}
BEFORE = Catalogue(contacts=CONTACTS, cases=CASES)
WORDS = ("marlow", "quill", "rook", "ls-100", "ls-200", "ls-300", "lost", "refund", "brook", "")


def _without(key: str) -> Catalogue:
    return replace(BEFORE, cases={k: case for k, case in CASES.items() if k != key})


def _with_case(case: Case) -> Catalogue:
    return replace(BEFORE, cases={**CASES, case.id: case})


AFTER: dict[str, Catalogue] = {
    "nothing": BEFORE,
    "a contact's name": replace(
        BEFORE, contacts={**CONTACTS, "c1": replace(CONTACTS["c1"], last_name="Brook")}
    ),
    "a contact gone": replace(BEFORE, contacts={k: CONTACTS[k] for k in ("c2", "c3")}),
    "a contact more": replace(
        BEFORE, contacts={**CONTACTS, "c4": Contact("c4", "brook@x.example")}
    ),
    "a case's number": _with_case(replace(CASES["k1"], number="LS-300")),
    "a case to somebody else": _with_case(replace(CASES["k1"], contact="c3")),
    "a case to nobody": _with_case(replace(CASES["k1"], contact="")),
    "a case more": _with_case(Case("k3", "LS-300", "late", "Late", "c3", {"hours": "2"})),
    "a case gone": _without("k2"),
    "another kind and field": _with_case(replace(CASES["k1"], kind="found", fields={"box": "1"})),
}


def found(finder: Finder) -> dict[str, tuple[list[str], list[str]]]:
    return {w: (sorted(finder.contacts.find(w)), sorted(finder.cases.find(w))) for w in WORDS}


@pytest.mark.parametrize("after", AFTER.values(), ids=list(AFTER))
def test_a_change_of_people_and_cases(after: Catalogue) -> None:
    anew, known = make_finder(after, NOW), make_finder(BEFORE, NOW)
    books = {"contact": (CONTACTS, after.contacts), "case": (CASES, after.cases)}
    keys = {kind: frozenset().union(*different(*book)) for kind, book in books.items()}
    for change in (EVERYTHING, Change(keys)):
        followed = make_finder(after, NOW, known=known, change=change)
        assert found(followed) == found(anew)
        assert followed.fields == anew.fields


def test_cases_that_are_nobody_s_are_not_gathered_under_one_name() -> None:
    """There may be very many of them, and each change would go through all."""
    nobody_s = replace(BEFORE, cases={f"k{n}": Case(f"k{n}", f"LS-{n}") for n in range(3)})
    anew = make_finder(nobody_s, NOW)
    assert dict(anew.cases_of) == {}
    assert dict(make_finder(BEFORE, NOW).cases_of) == {"c1": ("k1",), "c2": ("k2",)}
    assert anew.cases.find("ls-2")[0] == "k2"


def test_one_changed_record_is_looked_at_alone(monkeypatch: pytest.MonkeyPatch) -> None:
    many = {f"k{n}": Case(f"k{n}", f"LS-{n}", "lost", "", "c1", {"bag": "x"}) for n in range(900)}
    before = replace(BEFORE, cases=many)
    known = make_finder(before, NOW)
    after = replace(before, cases={**many, "k5": replace(many["k5"], title="Umbrella")})
    indexed: list[str] = []
    read: Callable[[str], list[str]] = index.raw_words
    monkeypatch.setattr(index, "raw_words", lambda text: indexed.append(text) or read(text))  # type: ignore[func-returns-value]
    assert make_finder(after, NOW, known=known).cases.find("umbrella") == ["k5"]
    assert 0 < len(indexed) < 20, "of 900 cases, one and its contact"
