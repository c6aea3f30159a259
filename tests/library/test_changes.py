"""What changed is read again, and nothing else: following a library gives what reading it whole
does, in a file and on a server."""

from collections.abc import Callable
from datetime import timedelta

import pytest
from msgspec.structs import replace as with_
from sqlalchemy import event, text

from nebbet.core.body import Frame
from nebbet.core.letter import Content, Passage, Texts
from nebbet.core.records import Case, Contact, Fact, Member
from nebbet.library.changes import Change
from nebbet.library.entries import Registered
from nebbet.library.holdings import Shelf
from nebbet.library.store import Library
from tests.conftest import NOW

SENT = Registered("<1@x>", NOW - timedelta(days=1), "m1", "a@x.example", template="t1", edition=1)
CONTENT = Content({"en_GB": Texts("Other", "<p>Other</p>\n")})

# What is done, and the kinds that are told.
ACTS: dict[str, tuple[Callable[[Library], object], set[str]]] = {
    "contact": (lambda one: one.put(Contact("c1", "hanna@x.example")), {"contact"}),
    "case": (lambda one: one.put(Case("k1", "LS-1")), {"case", "held_field"}),
    "fact": (lambda one: one.put(Fact("fee", "4.00")), {"fact"}),
    "passage": (lambda one: one.put(Passage("p1", "Hours")), {"passage"}),
    "frame": (lambda one: one.put_frame("f1", Frame(name="Ours")), {"frame"}),
    "shelf": (lambda one: one.add_shelf(Shelf("s2", "More")), {"shelf"}),
    "template": (lambda one: one.add_template("t2", "s1", "New"), {"template"}),
    "file": (lambda one: one.put_file(b"x", "x.pdf", "application/pdf"), {"file"}),
    "word": (lambda one: one.add_word("Quillan"), {"setting"}),
    "calendar": (lambda one: one.put_calendar("GB-SCT", {}), {"setting"}),
    "letter": (lambda one: one.record([SENT]), {"register"}),
    "presence": (lambda one: one.be_present("t1", "m1", NOW), {"presence"}),
    "removed": (lambda one: (one.put(Fact("gone", "1")), one.remove_fact("gone")), {"fact"}),
    "edition": (
        lambda one: one.save_edition(
            "t1", "Hello", CONTENT, author="m1", note="", made=NOW
        ),
        {"template"},
    ),
    "member": (lambda one: one.put(Member("m2", "Tilda", "Moss", "t@x.example")), {"member"}),
}  # fmt: skip


@pytest.mark.parametrize("name", ACTS)
def test_following_gives_what_reading_whole_gives(shelved: Library, name: str) -> None:
    act, kinds = ACTS[name]
    before = shelved.catalogue(NOW)
    act(shelved)
    after, change = shelved.follow(NOW, before)
    whole = shelved.catalogue(NOW)
    assert with_(after, mark="") == with_(whole, mark="")
    assert set(change.keys) == kinds and change.touches(*kinds) and not change.everything
    for one, other in zip(_mappings(after), _mappings(whole), strict=True):
        assert list(one) == list(other)  # in the same order, too
    # What is heard twice, because it was under way meanwhile, does no harm.
    again, _change = shelved.follow(NOW, after)
    assert with_(again, mark="") == with_(whole, mark="")


def _mappings(catalogue: object) -> list[dict[str, object]]:
    return [getattr(catalogue, name) for name in ("templates", "facts", "samples", "frames")]


def test_what_did_not_change_is_the_same_object(shelved: Library) -> None:
    shelved.put(Contact("c1", "hanna@x.example"))
    before = shelved.catalogue(NOW)
    shelved.put(Fact("fee", "4.00"))
    after, _change = shelved.follow(NOW, before)
    assert after.templates is before.templates and after.samples is before.samples


def test_a_change_reads_as_much_in_a_large_library_as_in_a_small_one(shelved: Library) -> None:
    """Counted in rows that come from the database."""
    counts = []
    for number in (10, 500):
        shelved.put(*(Contact(f"c{n}", f"c{n}@x.example") for n in range(number)))
        before = shelved.catalogue(NOW)
        shelved.put(Contact("c3", f"another{number}@x.example"))
        rows: list[int] = []

        def count(_connection, cursor, *_rest, found: list[int] = rows) -> None:  # type: ignore[no-untyped-def]
            found.append(max(cursor.rowcount, 0))

        if shelved.engine.dialect.name == "postgresql":  # a file does not count what it gives
            event.listen(shelved.engine, "after_cursor_execute", count)
        _after, change = shelved.follow(NOW, before)
        if rows:
            event.remove(shelved.engine, "after_cursor_execute", count)
        assert change.of("contact") == {"c3"} and len(change.keys) == 1
        counts.append(sum(rows))
    assert counts[0] == counts[1]


def test_nothing_is_told_where_nothing_changed(library: Library) -> None:
    before = library.catalogue(NOW)
    if library.engine.dialect.name == "sqlite":
        after, change = library.follow(NOW, before)
        assert after is before and not change
    assert not Change() and Change(everything=True).touches("anything")


def test_a_log_that_does_not_reach_back_is_no_log(shelved: Library) -> None:
    before = shelved.catalogue(NOW)
    shelved.put(Fact("fee", "4.00"))
    shelved.put(Fact("toll", "2.00"))
    for mark in ("", "none", before.mark):
        with shelved.engine.begin() as connection:
            if mark == before.mark:
                connection.execute(text("DELETE FROM change WHERE key <> 'toll'"))
        after, change = shelved.follow(NOW, with_(before, mark=mark))
        assert change.everything
        assert with_(after, mark="") == with_(shelved.catalogue(NOW), mark="")
