"""A library whose server goes away and comes back."""

import tempfile
from collections.abc import Iterator
from contextlib import closing
from functools import partial
from pathlib import Path

import msgspec
import pytest
from msgspec.structs import replace
from sqlalchemy import Engine

from nebbet.core.errors import NebbetError
from nebbet.core.letter import Content, Texts
from nebbet.core.records import Case, Contact, Member
from nebbet.library import register
from nebbet.library.catalogue import Catalogue
from nebbet.library.entries import Registered
from nebbet.library.holdings import Overtaken, Proposal, Shelf
from nebbet.library.local_copy import LocalCopy
from nebbet.library.opening import open_team
from nebbet.library.postgres import GONE, Away
from nebbet.library.store import open_library
from nebbet.library.team import TeamLibrary
from nebbet.personal import tables
from nebbet.personal.waiting import WaitingWrites
from tests.conftest import NOW
from tests.library.line import Line

SENT = Registered("<1@x>", NOW, "m1", "hanna.verrell@post.example", "Hanna Verrell", title="Hello")


@pytest.fixture
def line(database: str) -> Iterator[Line]:
    with tempfile.TemporaryDirectory(prefix="nb-line") as folder:
        made = Line(database, Path(folder))
        yield made
        made.cut()


@pytest.fixture
def open_it(line: Line, own: Engine, tmp_path: Path):  # type: ignore[no-untyped-def]
    """Open the library through the line; may be called again, like a program started again."""
    opened: list[TeamLibrary] = []

    def open_now() -> TeamLibrary:
        made = open_team(line.url, None, LocalCopy(tmp_path / "copy", "here"), WaitingWrites(own))
        opened.append(made)
        return made

    yield open_now
    for library in opened:
        library.close()


@pytest.fixture
def team(open_it, me: Member) -> TeamLibrary:  # type: ignore[no-untyped-def]
    library: TeamLibrary = open_it()
    library.put(me)
    library.add_shelf(Shelf("s1", "Sailings"))
    library.add_template("t1", "s1", "Hello")
    library.put_file(b"%PDF conditions", "conditions.pdf", "application/pdf")
    content = Content({"en_GB": Texts("Hello", "<p>Good day</p>\n")})
    library.save_edition("t1", "Hello", content, author="m1", note="first", made=NOW)
    library.keep_copy(NOW, library.catalogue(NOW), [SENT])
    return library


def proposal(number: int) -> Proposal:
    content = Content({"en_GB": Texts("Hello", f"<p>Version {number}</p>\n")})
    return Proposal(f"p{number}", "t1", 1, "s1", "Hello", content, "m1", NOW, f"reason {number}")


def test_reading_goes_on_with_the_copy(team: TeamLibrary, line: Line) -> None:
    whole = team.catalogue(NOW)
    (file,) = whole.files
    line.cut()
    assert team.catalogue(NOW) == whole and team.away == GONE
    assert team.file_bytes(file) == b"%PDF conditions" and team.files() == whole.files
    assert team.read_at == NOW and register.page(team.register_engine).rows == [SENT]
    with pytest.raises(Away, match="does not answer"):
        team.editions("t1")


def test_what_needs_the_server_is_refused_at_once_and_in_words(
    team: TeamLibrary, line: Line
) -> None:
    line.cut()
    team.gone()
    with pytest.raises(Away) as refused:
        team.save_edition("t1", "Hello", Content(), author="m1", note="", made=NOW)
    assert refused.value.sentence == (
        "The edition cannot be saved: the server does not answer. Your text is still on the page. "
        "Try again when it is back."
    )
    for act in (
        partial(team.set_template, "t1", pinned=True),
        partial(team.add_shelf, Shelf("s2", "x")),
        partial(team.file_bytes, "0" * 64),
    ):
        with pytest.raises(Away):
            act()


def test_what_is_handed_in_meanwhile_goes_up_in_order_once(
    team: TeamLibrary, line: Line, hanna: Contact, case: Case, open_it
) -> None:  # type: ignore[no-untyped-def]
    line.cut()
    team.propose(proposal(1))
    assert team.away, "it was not known before"
    team.put(hanna, case)
    file = team.put_file(b"a picture", "map.png", "image/png")
    team.add_word("Marrowby")
    team.propose(proposal(2))
    team.withdraw("p1", NOW)
    assert team.count_waiting() == 7
    seen = team.catalogue(NOW)
    assert set(seen.proposals) == {"p2"} and team.people.contact("c1") == hanna
    assert seen.files[file].name == "map.png" and "Marrowby" in seen.words
    assert team.file_bytes(file) == b"a picture"
    # The program ends and is started again, still without the server.
    again = open_it()
    assert again.at_opening(NOW, "m1").catalogue == seen and again.role == "lead"
    assert not again.away, "nobody asked the server yet"
    again.meet()
    assert again.away and again.catalogue(NOW) == seen
    line.mend()
    again.back()
    assert not again.away and again.count_waiting() == 0
    now = again.catalogue(NOW)
    assert now.proposals["p1"].state == "withdrawn" and now.proposals["p2"].state == "waiting"
    assert again.people.contact("c1") == hanna and again.people.case("k1") == case
    assert now.files[file].name == "map.png" and "Marrowby" in now.words


def test_killed_between_doing_and_forgetting_nothing_is_done_twice(
    team: TeamLibrary, line: Line, own: Engine, open_it, monkeypatch: pytest.MonkeyPatch
) -> None:  # type: ignore[no-untyped-def]
    line.cut()
    team.propose(proposal(1))
    team.add_word("Quillan")

    def killed(_queue: WaitingWrites, _number: int) -> None:
        raise KeyboardInterrupt

    line.mend()
    with monkeypatch.context() as patched:
        patched.setattr(WaitingWrites, "done", killed)
        with pytest.raises(KeyboardInterrupt):
            team.back()
    again = open_it()
    assert list(again.catalogue(NOW).proposals) == ["p1"] and again.count_waiting() == 2
    again.hand_in()
    assert list(again.catalogue(NOW).proposals) == ["p1"] and again.count_waiting() == 0
    assert "Quillan" in again.catalogue(NOW).words


def test_what_the_library_does_not_take_is_set_aside_and_the_rest_goes_up(
    team: TeamLibrary, line: Line, own: Engine
) -> None:
    line.cut()
    stranger = Proposal("px", "t1", 1, "nowhere", "X", Content(), "m1", NOW)
    team.propose(stranger)
    team.propose(proposal(2))
    line.mend()
    with pytest.raises(NebbetError, match="The proposal cannot be made"):
        team.back()
    assert list(team.catalogue(NOW).proposals) == ["p2"] and not team.away
    with own.connect() as connection:
        (row,) = connection.execute(tables.waiting_table.select())
    assert row.kind == "proposal" and "cannot be made" in row.refused


def test_what_an_earlier_nebbet_let_wait_goes_up(
    team: TeamLibrary, line: Line, hanna: Contact, own: Engine
) -> None:
    """It was the record alone, with nothing to compare it with."""
    line.cut()
    team.gone()
    WaitingWrites(own).add("contact", msgspec.json.encode(hanna))
    team.follow(NOW, Catalogue())
    assert team.people.contact("c1") == hanna
    line.mend()
    team.back()
    assert team.people.contact("c1") == hanna


def test_somebody_who_was_quicker_meanwhile_is_not_written_over(
    team: TeamLibrary, line: Line, hanna: Contact, database: str
) -> None:
    team.put(hanna, seen=None)
    line.cut()
    team.gone()
    team.put(replace(hanna, first_name="Johanna"), seen=hanna)
    with closing(open_library(database)) as other:
        other.put(replace(hanna, title="Dr"), seen=hanna)
    line.mend()
    with pytest.raises(Overtaken):
        team.back()
    now = team.people.contact("c1")
    assert now and now.title == "Dr" and team.count_waiting() == 0


def test_away_again_in_the_middle_goes_on_later(team: TeamLibrary, line: Line) -> None:
    line.cut()
    team.propose(proposal(1))
    with pytest.raises(Away):
        team.back()
    assert team.away and team.count_waiting() == 1
    line.mend()
    team.back()
    assert list(team.catalogue(NOW).proposals) == ["p1"]


def test_without_a_copy_or_with_a_damaged_one_it_is_said(
    team: TeamLibrary, line: Line, open_it, tmp_path: Path
) -> None:  # type: ignore[no-untyped-def]
    line.cut()
    team.close()
    kept = tmp_path / "copy" / "copy.sqlite"
    whole = kept.read_bytes()
    for damaged in (whole[: len(whole) // 2], b"", b"\x93\x01", b"garbage" * 1000):
        kept.write_bytes(damaged)
        opened = open_it()
        assert opened.away == GONE and opened.at_opening(NOW, "m1").catalogue == Catalogue()
        with pytest.raises(Away, match="cannot be read: the server does not answer"):
            opened.catalogue(NOW)
        opened.close()
    kept.write_bytes(whole)
    assert open_it().at_opening(NOW, "m1").entries == [SENT]
    assert LocalCopy(tmp_path / "copy", "elsewhere").read() is None, "another library's copy"


def test_a_damaged_file_is_not_used_and_old_ones_go(team: TeamLibrary, tmp_path: Path) -> None:
    (file,) = team.catalogue(NOW).files
    path = tmp_path / "copy" / "files" / file
    path.write_bytes(b"damaged")
    assert team.file_bytes(file) == b"%PDF conditions"
    (path.parent / ("e" * 64)).write_bytes(b"old")
    team.keep_copy(NOW, team.catalogue(NOW), [])
    assert [p.name for p in path.parent.iterdir()] == [file]


def test_a_full_disk_under_the_copy_is_one_sentence(tmp_path: Path, team: TeamLibrary) -> None:
    (tmp_path / "blocked").write_text("a file where a folder should be")
    copy = LocalCopy(tmp_path / "blocked", "here")
    with pytest.raises(NebbetError, match="The copy of the library on this computer cannot"):
        copy.keep(NOW, "lead", team.catalogue(NOW), [])


def test_others_see_what_came_up(team: TeamLibrary, line: Line, database: str) -> None:
    line.cut()
    team.propose(proposal(1))
    line.mend()
    team.back()
    other = open_library(database)
    assert other.catalogue(NOW).proposals["p1"].reason == "reason 1"
    other.close()
