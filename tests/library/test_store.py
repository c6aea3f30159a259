"""The library: what goes in comes out, editions never change, and bad files are refused whole."""

import re
from datetime import UTC, date, datetime, timedelta

import pytest
from alembic.autogenerate import compare_metadata
from alembic.migration import MigrationContext
from sqlalchemy import text
from sqlalchemy.exc import DBAPIError

from nebbet.core.body import Frame
from nebbet.core.errors import NebbetError
from nebbet.core.letter import Content, Texts
from nebbet.core.records import Case, Contact, Fact, Member
from nebbet.library import register, schema
from nebbet.library.disk import LARGEST_FILE
from nebbet.library.entries import Registered
from nebbet.library.holdings import Shelf
from nebbet.library.search import make_finder
from nebbet.library.store import Library
from tests.conftest import NOW
from tests.library.making import CONTENT, save

# Editions


def test_an_edition_comes_back_as_it_was_saved(shelved: Library) -> None:
    assert save(shelved, note="First") == 1
    found = shelved.catalogue(NOW).templates["t1"]
    assert (found.content, found.edition, found.state) == (CONTENT, 1, "in use")
    assert (found.author, found.made, found.note) == ("m1", NOW, "First")


def test_editions_are_numbered_and_kept(shelved: Library) -> None:
    other = Content(texts={"en_GB": Texts("Changed")})
    assert [save(shelved), save(shelved, other, "Hello again"), save(shelved)] == [1, 2, 3]
    kept = shelved.editions("t1")
    assert [t.edition for t in kept] == [3, 2, 1]
    assert kept[1].content == other
    assert shelved.catalogue(NOW).templates["t1"].edition == 3


@pytest.mark.parametrize("act", ["UPDATE edition SET content = '{}'", "DELETE FROM edition"])
def test_an_edition_never_changes(shelved: Library, act: str) -> None:
    save(shelved)
    with pytest.raises(DBAPIError, match="an edition never changes"), shelved.engine.begin() as c:
        c.execute(text(act))
    assert shelved.catalogue(NOW).templates["t1"].content == CONTENT


def test_a_template_is_pinned_moved_and_retired(shelved: Library) -> None:
    save(shelved)
    shelved.add_shelf(Shelf("s2", "Refunds"), 1)
    shelved.set_template("t1", pinned=True, shelf="s2", state="retired")
    found = shelved.catalogue(NOW).templates["t1"]
    assert (found.pinned, found.shelf, found.state, found.edition) == (True, "s2", "retired", 1)
    assert [s.name for s in shelved.catalogue(NOW).shelves] == ["Sailings", "Refunds"]


def test_a_draft_has_no_edition(shelved: Library) -> None:
    found = shelved.catalogue(NOW).templates["t1"]
    assert (found.state, found.edition, found.first_text) == ("draft", 0, Texts())


# Records


def test_records_come_back_and_are_replaced(
    library: Library, hanna: Contact, case: Case, me: Member
) -> None:
    fact = Fact("fee", {"money": "6.00", "currency": "GBP"}, "Fee")
    library.put(hanna, case, me, fact)
    library.put_frame("f1", Frame(band="Lisle", foot=("a", "b")))
    library.put_calendar("GB-SCT", {date(2026, 12, 24): "Closed"})
    found = library.catalogue(NOW)
    people = library.people
    assert people.contact("c1") == hanna and people.case("k1") == case
    assert found.samples == {"k1": case} and found.sample_people == {"c1": hanna}
    assert found.members == {"m1": me}
    assert found.facts == {"fee": fact}
    assert found.frame("f1").foot == ("a", "b")
    assert found.frame("gone") == Frame()
    assert found.calendar.reason(date(2026, 12, 24)) == "Closed"
    assert found.calendar.reason(date(2026, 11, 30)) == "Saint Andrew's Day"
    assert people.cases_of("c1") == [case]
    library.put(Contact("c1", email="new@host.example"))
    changed = people.contact("c1")
    assert changed and changed.email == "new@host.example"


def test_a_calendar_that_does_not_exist_is_refused(library: Library) -> None:
    with pytest.raises(NebbetError, match="There is no calendar"):
        library.put_calendar("XX-NOPE", {})


def test_everything_is_found_by_what_people_know(
    shelved: Library, hanna: Contact, case: Case
) -> None:
    save(shelved)
    shelved.put(hanna, case)
    catalogue = shelved.catalogue(NOW)
    finder = make_finder(catalogue, NOW)
    assert finder.templates.find("hello") == finder.templates.find("salut") == ["t1"]
    people = shelved.people
    for words in (case.number, hanna.name):
        assert [one.contact for one in people.find_people(words)] == [hanna]
    for words in (hanna.name, case.title):
        assert [one.case for one in people.find_cases(words)] == [case]


# Files


def test_the_same_content_is_kept_once(library: Library) -> None:
    one = library.put_file(b"abc", "a.txt", "text/plain")
    two = library.put_file(b"abc", "b.txt", "text/plain")
    assert one == two
    assert one == "ba7816bf8f01cfea414140de5dae2223b00361a396177a9cb410ff61f20015ad"  # FIPS 180-2
    assert library.file_bytes(one) == b"abc"
    assert list(library.catalogue(NOW).files) == [one]


def test_a_file_that_is_not_there(library: Library) -> None:
    with pytest.raises(NebbetError, match="is not in the library any more"):
        library.file_bytes("0" * 64)


def test_a_large_file_is_refused_in_one_sentence(library: Library) -> None:
    with pytest.raises(NebbetError) as caught:
        library.put_file(bytes(LARGEST_FILE * 2), "film.mp4", "video/mp4")
    assert caught.value.sentence == (
        "film.mp4 has 40 MB; a file may have at most 20 MB. It was not added. "
        "Make it smaller, or put a link to it in the text."
    )
    assert library.catalogue(NOW).files == {}


# Use


def test_uses_are_counted_by_week(shelved: Library) -> None:
    entries = [
        Registered(f"<{n}@x>", NOW - timedelta(days=days), "m1", "a@b.example", template="t1")
        for n, days in enumerate((0, 1, 8, 400))
    ]
    shelved.record([*entries, entries[0]])
    usage = shelved.catalogue(NOW).usage_of("t1")
    assert usage.last == NOW
    assert usage.weeks[-2:] == (1, 2)
    assert sum(usage.weeks) == 3
    assert shelved.catalogue(NOW).usage_of("other").last is None
    assert [e.message_id for e in register.latest(shelved.engine)] == [
        "<0@x>",
        "<1@x>",
        "<2@x>",
        "<3@x>",
    ]


def test_moments_keep_their_zone(shelved: Library) -> None:
    from zoneinfo import ZoneInfo

    made = datetime(2026, 7, 1, 12, 0, tzinfo=ZoneInfo("Europe/London"))
    shelved.save_edition("t1", "Hello", CONTENT, author="", note="", made=made)
    found = shelved.catalogue(NOW).templates["t1"].made
    assert found == made
    assert found is not None
    assert found.tzinfo == UTC


_OWN = re.compile("register_words|(contact|case_)_(words|near)")


# Reflecting a constraint that is NOT VALID makes the two libraries warn about each other.
@pytest.mark.filterwarnings("ignore:Can't validate argument")
def test_the_migrations_make_what_the_code_expects(library: Library) -> None:
    """Reference: Alembic's own comparison of the tables made with the tables declared."""
    with library.engine.connect() as connection:
        # The log of changes and the indexes of words are the database's own.
        def ours(name: str | None, *_: object) -> bool:
            return name != "change" and not _OWN.match(str(name))

        opts = {"compare_type": True, "include_name": ours}
        context = MigrationContext.configure(connection, opts=opts)
        assert compare_metadata(context, schema.metadata) == []
