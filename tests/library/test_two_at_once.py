"""Two at once, for everything that is shared: one is kept, the other is told what is there now, and
nobody who was told *kept* loses it. On both databases."""

import threading
from collections.abc import Callable, Iterator
from datetime import date
from pathlib import Path
from typing import Any, NamedTuple

import pytest

from nebbet.core.body import Frame
from nebbet.core.dates import WorkingCalendar
from nebbet.core.errors import NebbetError
from nebbet.core.letter import Content, Passage, Texts
from nebbet.core.records import Case, Contact, Fact, Member
from nebbet.library.catalogue import Catalogue
from nebbet.library.holdings import MovedOn, Overtaken, Shelf
from nebbet.library.store import Library, open_library
from nebbet.library.writes import Unmoved
from tests.conftest import NOW

RACES = 12


class Kind(NamedTuple):
    """Something that is shared: how one who saw it (in a catalogue) makes it another one, and what
    a catalogue says of it."""

    change: Callable[[Library, Catalogue, str], object]
    said: Callable[[Catalogue], Any]


class Seen:
    """A library as somebody sees it: its catalogue, a person and a case."""

    def __init__(self, library: Library) -> None:
        self._catalogue = library.catalogue(NOW)
        self.contact, self.case = library.people.contact("c1"), library.people.case("k1")

    def __getattr__(self, name: str) -> object:
        return getattr(self._catalogue, name)


def _fact(library: Library, seen: Catalogue, word: str) -> None:
    now = seen.facts.get("phone")
    library.put(Fact("phone", word), author="ottilie", made=NOW, seen=now)


def _passage(library: Library, seen: Catalogue, word: str) -> None:
    made = Passage("p1", "Bye", {"en_GB": Texts("", f"<p>{word}</p>\n")})
    library.put(made, author="ottilie", made=NOW, seen=seen.passages.get("p1"))


def _frame(library: Library, seen: Catalogue, word: str) -> None:
    library.put_frame("f1", Frame(name=word), "ottilie", NOW, seen.frames.get("f1"))


def _contact(library: Library, seen: "Seen", word: str) -> None:
    library.put(Contact("c1", first_name=word), seen=seen.contact)


def _case(library: Library, seen: "Seen", word: str) -> None:
    library.put(Case("k1", word), seen=seen.case)


def _member(library: Library, seen: Catalogue, word: str) -> None:
    made = Member("ottilie", word, "Carse", "ottilie@lislesound.example", role="lead")
    library.put(made, seen=seen.members.get("ottilie"))


def _calendar(library: Library, seen: Catalogue, word: str) -> None:
    library.put_calendar("GB", {date(2027, 1, 4): word}, seen=seen.calendar)


def _shelf(library: Library, seen: Catalogue, word: str) -> None:
    library.rename_shelf("s1", word, next(s.name for s in seen.shelves if s.id == "s1"))


def _edition(library: Library, seen: Catalogue, word: str) -> None:
    content = Content({"en_GB": Texts(word, "<p>Good day</p>\n")})
    known = seen.templates.get("t1")
    library.save_edition("t1", word, content, author="ottilie", note="", made=NOW,
                         based_on=known.edition if known else 0)  # fmt: skip


def _file(library: Library, seen: Catalogue, word: str) -> None:
    (key,) = seen.files
    day = date(2027, 1, 1 + sum(map(ord, word)) % 28)
    library.set_valid_until(key, day, seen.files[key])


KINDS = {
    "fact": Kind(_fact, lambda c: c.facts.get("phone")),
    "passage": Kind(_passage, lambda c: c.passages.get("p1")),
    "frame": Kind(_frame, lambda c: c.frames.get("f1")),
    "contact": Kind(_contact, lambda c: c.contact),
    "case": Kind(_case, lambda c: c.case),
    "member": Kind(_member, lambda c: c.members.get("ottilie")),
    "calendar": Kind(_calendar, lambda c: c.calendar),
    "shelf": Kind(_shelf, lambda c: c.shelves),
    "edition": Kind(_edition, lambda c: c.templates.get("t1")),
    "file": Kind(_file, lambda c: c.files),
}


@pytest.fixture
def both(where: Path | str) -> Iterator[list[Library]]:
    first = open_library(where)
    first.put(Member("ottilie", "Ottilie", "Carse", "ottilie@lislesound.example", role="lead"))
    first.add_shelf(Shelf("s1", "Sailings"))
    first.add_template("t1", "s1", "Hello")
    first.put_file(b"%PDF", "terms.pdf", "application/pdf")
    opened = [first, open_library(where)]
    yield opened
    for library in opened:
        library.close()


def race(both: list[Library], kind: Kind, words: tuple[str, str]) -> list[NebbetError | None]:
    """Let both change it at once, after both saw the same; what each was told."""
    seen = Seen(both[0])
    start, told = threading.Barrier(2), dict[int, NebbetError | None]()

    def act(number: int) -> None:
        start.wait()
        try:
            kind.change(both[number], seen, words[number])
        except NebbetError as error:
            told[number] = error
        else:
            told[number] = None

    threads = [threading.Thread(target=act, args=(number,)) for number in (0, 1)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    return [told[0], told[1]]


@pytest.mark.parametrize("name", KINDS)
def test_one_is_kept_and_the_other_is_told(both: list[Library], name: str) -> None:
    kind = KINDS[name]
    for number in range(RACES):
        words = (f"one {number}", f"two {number} and more")
        before = kind.said(Seen(both[0]))
        told = race(both, kind, words)
        assert sorted(error is None for error in told) == [False, True], told
        lost = told[0] or told[1]
        assert isinstance(lost, Overtaken | MovedOn), lost
        won = 0 if told[0] is None else 1
        now = kind.said(Seen(both[1]))
        assert now != before and (name == "file" or words[won] in repr(now))
        if isinstance(lost, Overtaken) and lost.now is not None:
            assert "Somebody changed this meanwhile" in lost.sentence


@pytest.mark.parametrize("name", ["fact", "passage", "contact"])
def test_whoever_was_told_keeps_it_by_what_was_told(both: list[Library], name: str) -> None:
    kind = KINDS[name]
    seen = Seen(both[0])
    kind.change(both[0], seen, "first")
    with pytest.raises(Overtaken) as told:
        kind.change(both[1], seen, "second")
    assert told.value.now == kind.said(Seen(both[1]))
    kind.change(both[1], Seen(both[1]), "second")
    assert "second" in repr(kind.said(Seen(both[0])))


def test_words_of_all_are_kept(both: list[Library]) -> None:
    wrong: list[NebbetError] = []

    def add(library: Library, whose: str) -> None:
        try:
            for number in range(20):
                library.add_word(f"{whose}{number}")
        except NebbetError as error:
            wrong.append(error)

    threads = [threading.Thread(target=add, args=pair) for pair in zip(both, "ab", strict=True)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert not wrong
    assert both[0].catalogue(NOW).words == {f"{w}{n}" for w in "ab" for n in range(20)}


def test_what_was_taken_out_meanwhile_is_said(both: list[Library]) -> None:
    _fact(both[0], Catalogue(), "01632 960 140")
    seen = Seen(both[0])
    both[1].remove_fact("phone", seen.facts["phone"])
    with pytest.raises(Overtaken, match="Somebody took this out meanwhile") as told:
        _fact(both[0], seen, "01632 960 141")
    assert told.value.now is None
    with pytest.raises(Overtaken):
        both[0].remove_fact("phone", seen.facts["phone"])
    _fact(both[0], Catalogue(), "01632 960 141")
    changed = Fact("phone", "01632 960 142")
    both[1].put(changed)
    with pytest.raises(Overtaken, match="01632 960 142"):
        both[0].remove_fact("phone", Fact("phone", "01632 960 141"))
    assert Seen(both[0]).facts["phone"] == changed


def test_shelves_ordered_by_two(both: list[Library]) -> None:
    both[0].add_shelf(Shelf("s2", "Claims"), 1)
    seen = Seen(both[0]).shelves
    both[0].order_shelves(reversed(seen), seen)
    with pytest.raises(Overtaken):
        both[1].order_shelves(seen, seen)
    assert [shelf.id for shelf in Seen(both[1]).shelves] == ["s2", "s1"]


def test_a_template_that_somebody_retired_or_moved_meanwhile(both: list[Library]) -> None:
    both[0].add_shelf(Shelf("s2", "Claims"), 1)
    both[0].add_shelf(Shelf("s3", "Freight"), 2)
    _edition(both[0], Seen(both[0]), "first")
    seen = Seen(both[0]).templates["t1"]
    both[0].set_template("t1", state="retired", seen=[seen])
    both[1].set_template("t1", state="retired", seen=[seen])  # they wanted the same
    with pytest.raises(Overtaken, match="it says “retired” now") as told:
        both[1].set_template("t1", state="draft", seen=[seen])
    assert "It was left as it is now" in told.value.sentence
    both[0].set_template("t1", shelf="s2", seen=[seen])
    with pytest.raises(Overtaken):
        both[1].set_template("t1", shelf="s3", seen=[seen])
    both[1].set_template("t1", pinned=True, seen=[seen])  # nobody touched that
    now = Seen(both[0]).templates["t1"]
    assert (now.state, now.shelf, now.pinned) == ("retired", "s2", True)


def test_an_act_that_changed_nothing_says_so(both: list[Library]) -> None:
    library = both[0]
    for act in (
        lambda: library.set_template("nowhere", state="retired"),
        lambda: library.set_origin("nowhere", "t1", 1),
        lambda: library.remove_passage("nothing"),
        lambda: library.remove_frame("nothing"),
        lambda: library.remove_fact("nothing"),
        lambda: library.remove_shelf("nowhere"),
        lambda: library.rename_shelf("nowhere", "Here"),
        lambda: library.set_valid_until("0" * 64, date(2027, 1, 1)),
    ):
        with pytest.raises(Unmoved, match="Nothing was changed"):
            act()


def test_the_calendar_that_was_seen(both: list[Library]) -> None:
    assert Seen(both[0]).calendar == WorkingCalendar()
    both[0].put_calendar("GB", {}, seen=WorkingCalendar())
    with pytest.raises(Overtaken):
        both[1].put_calendar("DE", {}, seen=WorkingCalendar())
    assert Seen(both[1]).calendar.code == "GB"
