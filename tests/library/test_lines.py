"""A line to the server that stalls, is slow, drops, or leads where nobody lets one in."""

import tempfile
import threading
import time
from collections.abc import Callable, Iterator
from functools import partial
from pathlib import Path

import psycopg
import pytest
from msgspec.structs import replace
from sqlalchemy import Engine, make_url

from nebbet.core.errors import NebbetError
from nebbet.core.letter import Content, Texts
from nebbet.core.records import Fact, Member
from nebbet.library import bounded, logins, register
from nebbet.library.holdings import Proposal, Shelf
from nebbet.library.local_copy import LocalCopy
from nebbet.library.opening import open_team
from nebbet.library.postgres import GONE, NEWER, NO_LIBRARY, NOT_A_MEMBER, Away, Reason
from nebbet.library.store import open_library
from nebbet.library.team import TeamLibrary
from nebbet.library.watching import Watched, Watcher
from nebbet.personal.waiting import WaitingWrites
from tests.conftest import NOW
from tests.library.conftest import in_database
from tests.library.line import Line
from tests.library.test_team_library import SENT

SOON = 5.0  # seconds in which somebody is told that a line is dead


@pytest.fixture
def folder() -> Iterator[Path]:
    with tempfile.TemporaryDirectory(prefix="nb-line") as made:
        yield Path(made)


@pytest.fixture
def opened(own: Engine, tmp_path: Path) -> Iterator[Callable[[str], TeamLibrary]]:
    """Opens a library by its URL, like a program started again."""
    libraries: list[TeamLibrary] = []

    def open_now(url: str) -> TeamLibrary:
        made = open_team(url, None, LocalCopy(tmp_path / "copy", "here"), WaitingWrites(own))
        libraries.append(made)
        return made

    yield open_now
    for library in libraries:
        library.close()


@pytest.fixture
def line(team: str, folder: Path) -> Iterator[Line]:
    made = Line(in_database(team, make_url(team).database or "", "nb_ottilie"), folder)
    yield made
    made.cut()


@pytest.fixture
def lead(opened: Callable[[str], TeamLibrary], line: Line) -> TeamLibrary:
    """The library of a lead, with a copy here."""
    library = opened(line.url)
    library.keep_copy(NOW, library.catalogue(NOW), [SENT])
    return library


class Watch:
    """A watcher that follows a library, as the window has it."""

    def __init__(self, library: TeamLibrary) -> None:
        self.told: list[Reason | None] = []
        self._heard = threading.Condition()
        self.asleep = False
        self.watcher = Watcher(
            library.engine,
            Watched(lambda: None, partial(self._reached, library), lambda: library.losses,
                    asleep=lambda: self.asleep, idle=library.rest),
            pause=0.2,
        )  # fmt: skip
        self.watcher.start()

    def _reached(self, library: TeamLibrary, reason: Reason | None) -> None:
        if reason is not None and not library.away:
            library.gone(reason)
        with self._heard:
            self.told.append(reason)
            self._heard.notify_all()

    def until(self, reason: Reason | None, seconds: float = SOON) -> None:
        with self._heard:
            assert self._heard.wait_for(lambda: self.told and self.told[-1] == reason, seconds)


@pytest.fixture
def watch(lead: TeamLibrary) -> Iterator[Watch]:
    made = Watch(lead)
    made.until(None)
    yield made
    made.watcher.stop()


def test_a_stalled_line_is_away_within_five_seconds_and_ends_what_waits(
    lead: TeamLibrary, line: Line, watch: Watch
) -> None:
    line.stall()
    told: list[Exception] = []

    def write() -> None:
        try:
            lead.put(Fact("phone", "1"), seen=None)
        except Away as error:
            told.append(error)

    writing = threading.Thread(target=write)
    begun = time.monotonic()
    writing.start()
    watch.until(GONE)
    writing.join(1.0)
    assert not writing.is_alive() and told, "what waited was told at once"
    assert time.monotonic() - begun < SOON + 1
    assert lead.away == GONE
    line.mend()
    watch.until(None, 2 * SOON)
    lead.back()
    assert not lead.away and lead.catalogue(NOW).facts == {}


def test_without_anybody_watching_a_call_ends_by_itself(lead: TeamLibrary, line: Line) -> None:
    lead.line.quiet = 0.5
    line.stall()
    with pytest.raises(Away, match="the server does not answer"):
        lead.put(Fact("phone", "1"))
    line.mend()


def test_what_can_wait_waits_and_is_done_once(lead: TeamLibrary, line: Line, watch: Watch) -> None:
    line.stall()
    content = Content({"en_GB": Texts("Hello", "<p>Good day</p>\n")})
    lead.propose(Proposal("p1", "t1", 1, "s1", "Hello", content, "ottilie", NOW, "why"))
    assert lead.away and lead.count_waiting() == 1
    line.mend()
    watch.until(None, 2 * SOON)
    lead.back()
    assert list(lead.catalogue(NOW).proposals) == ["p1"] and lead.count_waiting() == 0


def test_a_dropped_connection_is_no_outage(lead: TeamLibrary, line: Line) -> None:
    for _ in range(3):
        line.drop()
        lead.line.used -= 60
        for record in list(lead.engine.pool._pool.queue):  # type: ignore[attr-defined]
            record.info["used"] -= 60.0
        assert lead.catalogue(NOW).templates
    assert not lead.away


def test_a_listening_line_that_ends_is_made_again_before_anybody_is_told(
    lead: TeamLibrary, line: Line, watch: Watch
) -> None:
    """As after a night in which the machine slept."""
    time.sleep(2.0)  # until it has answered once
    line.drop()
    watch.until(None)
    end = time.monotonic() + SOON
    while len(watch.told) < 2:
        assert time.monotonic() < end
        time.sleep(0.05)
    assert watch.told == [None, None] and not lead.away


def test_a_window_opens_with_its_copy_and_reads_what_changed(
    lead: TeamLibrary, line: Line, team: str, opened: Callable[[str], TeamLibrary]
) -> None:
    lead.close()
    other = open_library(team)
    other.put(Fact("phone", "01632 960 140"))
    line.delay = 0.075
    begun, line.trips = time.monotonic(), 0
    again = opened(line.url)
    opening = again.at_opening(NOW, "ottilie")
    assert line.trips == 0 and opening.entries == [SENT]
    found, change = again.follow(NOW, opening.catalogue)
    assert found.facts["phone"].value == "01632 960 140" and change.of("fact") == {"phone"}
    assert not change.everything
    # Connecting, what the driver asks once, what is there, what changed, the fact, the usage.
    assert line.trips <= 16, line.trips
    assert time.monotonic() - begun < 3
    other.close()


def test_how_many_ways_to_the_server_and_back_an_act_takes(lead: TeamLibrary, line: Line) -> None:
    """At 150 ms a way, a second has six."""
    content = Content({"en_GB": Texts("Hello", "<p>Good day</p>\n")})
    for most, act in (
        (4, lambda: lead.propose(
            Proposal("p1", "t1", 1, "s1", "Hello", content, "ottilie", NOW, "why"))),
        (4, lambda: lead.record([replace(SENT, sender="ottilie")])),
        (6, lambda: lead.put(Fact("phone", "1"), author="ottilie", made=NOW, seen=None)),
        (3, lambda: register.page(lead.register_engine)),
    ):  # fmt: skip
        line.trips = 0
        act()
        assert line.trips <= most, (most, line.trips)
    known = lead.catalogue(NOW)
    line.trips = 0
    assert not lead.follow(NOW, known)[1]
    assert line.trips <= 5, line.trips


def test_a_slow_line_that_stalls_now_and_then_is_no_outage(
    lead: TeamLibrary, line: Line, watch: Watch
) -> None:
    line.delay, line.stalls = 0.075, 0.01
    for number in range(3):
        lead.add_word(f"word{number}")
    assert not lead.away and len(lead.catalogue(NOW).words) == 3


def test_a_window_holds_one_connection_and_a_sleeping_one_none(
    lead: TeamLibrary, team: str, watch: Watch, monkeypatch: pytest.MonkeyPatch
) -> None:
    def connections() -> int:
        with psycopg.connect(team, autocommit=True) as asking:
            row = asking.execute(
                "SELECT count(*) FROM pg_stat_activity WHERE usename = 'nb_ottilie'"
            ).fetchone()
            assert row is not None
            return int(row[0])

    def until(count: int) -> None:
        end = time.monotonic() + SOON
        while connections() != count:
            assert time.monotonic() < end, connections()
            time.sleep(0.05)

    lead.catalogue(NOW)
    assert connections() == 2
    lead.line.used -= bounded.IDLE + 1
    until(1)
    watch.asleep = True
    until(0)
    watch.asleep = False
    watch.until(None)
    until(1)


def broken(url: str, **parts: object) -> str:
    return make_url(url).set(**parts).render_as_string(hide_password=False)  # type: ignore[arg-type]


@pytest.mark.parametrize(
    ("why", "words"),
    [
        ({"database": "nowhere"}, "there is no such database"),
        ({"username": "stranger"}, "the server knows no such login"),
        ({"port": 1}, "the server does not answer"),
    ],
)
def test_each_reason_has_its_own_words_and_the_copy_is_there(
    lead: TeamLibrary, line: Line, opened: Callable[[str], TeamLibrary],
    why: dict[str, object], words: str,
) -> None:  # fmt: skip
    lead.close()
    again = opened(broken(line.url, **why))
    opening = again.at_opening(NOW, "ottilie")
    assert opening.catalogue.templates
    found, change = again.follow(NOW, opening.catalogue)
    assert found == opening.catalogue and not change
    assert again.away and again.away.what.startswith(words)
    with pytest.raises(Away, match=words):
        again.set_template("t1", pinned=True)


def test_no_connection_left(
    lead: TeamLibrary, line: Line, team: str, opened: Callable[[str], TeamLibrary]
) -> None:
    lead.close()
    with psycopg.connect(team, autocommit=True) as keeper:
        keeper.execute("ALTER ROLE nb_ottilie CONNECTION LIMIT 0")
        again = opened(line.url)
        again.follow(NOW, again.at_opening(NOW, "ottilie").catalogue)
        assert again.away and again.away.band == "Server full"
        keeper.execute("ALTER ROLE nb_ottilie CONNECTION LIMIT -1")
    again.back()
    assert not again.away


def test_another_edition_of_the_library_on_the_server(
    lead: TeamLibrary, line: Line, team: str, opened: Callable[[str], TeamLibrary]
) -> None:
    for change, reason in (
        ("UPDATE nebbet.alembic_version SET version_num = '9999'", NEWER),
        ("ALTER SCHEMA nebbet RENAME TO elsewhere", NO_LIBRARY),
    ):
        lead.close()
        with psycopg.connect(team, autocommit=True) as keeper:
            keeper.execute(change)
        again = opened(line.url)
        again.follow(NOW, again.at_opening(NOW, "ottilie").catalogue)
        assert again.away == reason


def test_a_role_that_changes_or_ends_while_a_window_is_open(lead: TeamLibrary, team: str) -> None:
    keeper = open_library(team)
    known = lead.catalogue(NOW)
    assert lead.role == "lead"
    logins.enrol(keeper.engine, "ottilie", "nb_ottilie", "colleague")
    known, change = lead.follow(NOW, known)
    assert lead.role == "colleague" and change.everything
    logins.let_go(keeper.engine, "ottilie")
    found, _change = lead.follow(NOW, known)
    assert lead.away == NOT_A_MEMBER and found.templates == known.templates
    logins.enrol(keeper.engine, "ottilie", "nb_ottilie", "lead")
    lead.back()
    assert lead.follow(NOW, known)[1].everything and lead.role == "lead"
    keeper.close()


def test_what_is_shown_while_away_is_the_library_again_when_it_is_back(
    lead: TeamLibrary, line: Line
) -> None:
    known = lead.catalogue(NOW)
    line.cut()
    lead.add_word("Quillan")
    shown, change = lead.follow(NOW, known)
    assert shown.words == {"Quillan"} and change.of("setting") == {"words"}
    assert lead.follow(NOW, shown)[1] == type(change)(), "nothing is told twice"
    me = Member("ottilie", "Ottilie", "Carse", "o.carse@lislesound.example", role="lead")
    lead.put(me, seen=known.members["ottilie"])
    shown, change = lead.follow(NOW, shown)
    assert shown.members["ottilie"] == me
    line.mend()
    lead.back()
    found, _change = lead.follow(NOW, shown)
    assert found.words == {"Quillan"} and found.members["ottilie"] == me
    assert found == lead.catalogue(NOW)
    assert lead.follow(NOW, found) == (found, type(change)())


def test_a_copy_of_a_database_that_was_brought_back_is_read_anew(
    lead: TeamLibrary, server: str, team: str, tmp_path: Path
) -> None:
    """After a restore another database has another log: a mark of the old one says nothing."""
    known = lead.catalogue(NOW)
    lead.close()
    with psycopg.connect(server, autocommit=True) as keeper:
        database = make_url(team).database
        keeper.execute(
            "SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE datname = %s", [database]
        )
        keeper.execute(f"CREATE DATABASE restored TEMPLATE {database}")
    other = open_library(in_database(server, "restored"))
    other.add_shelf(Shelf("s9", "Since"), 9)
    found, change = other.follow(NOW, known)
    assert change.everything and any(shelf.id == "s9" for shelf in found.shelves)
    other.close()
    with psycopg.connect(server, autocommit=True) as keeper:
        keeper.execute("DROP DATABASE restored WITH (FORCE)")


def test_a_window_that_is_open_hears_that_the_library_was_brought_up_to_date(
    lead: TeamLibrary, team: str
) -> None:
    known = lead.catalogue(NOW)
    known, _change = lead.follow(NOW, known)
    with psycopg.connect(team, autocommit=True) as keeper:
        keeper.execute("UPDATE nebbet.alembic_version SET version_num = '9999'")
        keeper.execute("INSERT INTO nebbet.change (kind, key) VALUES ('library', '9999')")
    found, _change = lead.follow(NOW, known)
    assert lead.away == NEWER and found.templates == known.templates
    with pytest.raises(Away, match="Update Nebbet on this computer"):
        lead.set_template("t1", pinned=True)


def test_an_act_that_one_may_not_do_any_more_is_not_told_as_done(
    lead: TeamLibrary, team: str
) -> None:
    """The server finds no row to change where its policies do not let one."""
    seen = lead.catalogue(NOW).templates["t1"]
    keeper = open_library(team)
    logins.enrol(keeper.engine, "ottilie", "nb_ottilie", "colleague")
    for act in (
        lambda: lead.set_template("t1", state="retired", seen=[seen]),
        lambda: lead.rename_shelf("s1", "Elsewhere", "Sailings"),
        lambda: lead.set_origin("t1", "", 0),
        lambda: lead.remove_shelf("s1"),
    ):
        with pytest.raises(NebbetError, match=r"Nothing was changed|your role|on this shelf"):
            act()
    assert keeper.catalogue(NOW).templates["t1"] == seen
    keeper.close()
