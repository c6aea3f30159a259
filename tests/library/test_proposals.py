"""Proposals and editions made by several: on either kind of library, nothing is lost or doubled."""

from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from datetime import timedelta
from pathlib import Path

import pytest
from msgspec.structs import replace

from nebbet.core.errors import NebbetError
from nebbet.core.letter import Content, Texts
from nebbet.core.records import Member
from nebbet.library.holdings import MovedOn, Proposal
from nebbet.library.store import Library, open_library
from tests.conftest import NOW
from tests.library.test_store import CONTENT, save

BETTER = Content({"en_GB": Texts("Better", "<p>b</p>\n")})
IVO = Member("ivo", "Ivo", "Lindqvist", "i@lisle.example")


@pytest.fixture
def asked(shelved: Library) -> Proposal:
    shelved.put(IVO)
    save(shelved)
    made = Proposal("p1", "t1", 1, "s1", "Hello", BETTER, "ivo", NOW, "shorter")
    shelved.propose(made)
    return made


def test_a_proposal_waits_and_is_put_in_use(shelved: Library, asked: Proposal) -> None:
    assert shelved.catalogue(NOW).proposals == {"p1": asked}
    later = NOW + timedelta(hours=1)
    number = shelved.accept(asked, BETTER, "Hello", "thanks", "m1", later, based_on=1)
    found = shelved.catalogue(NOW)
    template = found.templates["t1"]
    assert (number, template.edition, template.content) == (2, 2, BETTER)
    assert (template.author, template.note) == ("ivo", "shorter (thanks)")
    told = replace(asked, state="accepted", answer="thanks", decider="m1", decided=later)
    assert found.proposals == {"p1": told}
    assert shelved.catalogue(NOW + timedelta(days=100)).proposals == {}


def test_a_proposal_is_declined_with_a_word_or_taken_back(
    shelved: Library, asked: Proposal
) -> None:
    shelved.propose(replace(asked, id="p2"))
    shelved.decline("p1", "The old wording is the law's", "m1", NOW)
    shelved.withdraw("p2", NOW)
    found = shelved.catalogue(NOW).proposals
    assert [(p.state, p.answer) for p in found.values()] == [
        ("declined", "The old wording is the law's"), ("withdrawn", "")
    ]  # fmt: skip
    assert shelved.catalogue(NOW).templates["t1"].edition == 1


def test_a_proposal_is_decided_once(shelved: Library, asked: Proposal) -> None:
    shelved.decline("p1", "", "m1", NOW)
    acts: list[Callable[[], object]] = [
        lambda: shelved.accept(asked, BETTER, "Hello", "", "m1", NOW, based_on=1),
        lambda: shelved.decline("p1", "", "m1", NOW),
        lambda: shelved.withdraw("p1", NOW),
    ]
    for act in acts:
        with pytest.raises(NebbetError, match="does not wait any more"):
            act()
    assert shelved.catalogue(NOW).templates["t1"].edition == 1


def test_accepting_over_a_newer_edition_changes_nothing(shelved: Library, asked: Proposal) -> None:
    save(shelved, CONTENT, "Newer")
    with pytest.raises(MovedOn) as caught:
        shelved.accept(asked, BETTER, "Hello", "", "m1", NOW, based_on=1)
    assert caught.value.number == 2
    found = shelved.catalogue(NOW)
    assert found.proposals["p1"].state == "waiting" and found.templates["t1"].edition == 2


def test_a_proposal_for_a_new_template_starts_it(shelved: Library, asked: Proposal) -> None:
    new = replace(asked, id="p3", template="t9", base=0, title="New one")
    shelved.propose(new)
    assert shelved.accept(new, BETTER, "New one", "", "m1", NOW, based_on=0) == 1
    assert shelved.catalogue(NOW).templates["t9"].title == "New one"


def test_whoever_saves_second_is_told(shelved: Library) -> None:
    save(shelved)
    first = shelved.save_edition(
        "t1", "A", BETTER, author="m1", note="", made=NOW, based_on=1
    )  # fmt: skip
    assert first == 2
    with pytest.raises(MovedOn, match="Somebody put edition 2 in use meanwhile"):
        shelved.save_edition("t1", "B", CONTENT, author="m1", note="", made=NOW, based_on=1)
    assert [t.content for t in shelved.editions("t1")] == [BETTER, CONTENT]


def test_editions_made_at_once_are_all_kept(where: Path | str, shelved: Library) -> None:
    """Eight connections at once: each number once, nothing lost."""

    def make(number: int) -> int:
        library = open_library(where)
        texts = Content({"en_GB": Texts(f"by {number}")})
        made = library.save_edition(
            "t1", "Hello", texts, author="m1", note=str(number), made=NOW
        )  # fmt: skip
        library.close()
        return made

    with ThreadPoolExecutor(8) as pool:
        numbers = list(pool.map(make, range(24)))
    assert sorted(numbers) == list(range(1, 25))
    kept = shelved.editions("t1")
    assert {t.note for t in kept} == {str(n) for n in range(24)}
    assert shelved.catalogue(NOW).templates["t1"].edition == 24
