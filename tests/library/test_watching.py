"""Changes by others arrive by themselves, from a file and from a server."""

import threading
from collections.abc import Iterator
from pathlib import Path

import psycopg
import pytest

from nebbet.library.holdings import Shelf
from nebbet.library.store import Library, open_library
from nebbet.library.watching import Watched, Watcher

PATIENCE = 10.0  # seconds


class Ear:
    """Hears of changes, in another thread."""

    def __init__(self) -> None:
        self._heard = threading.Semaphore(0)

    def hear(self) -> None:
        self._heard.release()

    def heard(self) -> bool:
        return self._heard.acquire(timeout=PATIENCE)

    def forget(self) -> None:
        while self._heard.acquire(timeout=0.6):
            pass


@pytest.fixture
def ear(library: Library) -> Iterator[Ear]:
    made = Ear()
    watcher = Watcher(library.engine, Watched(made.hear), pause=0.1)
    watcher.start()
    made.forget()
    yield made
    watcher.stop()
    assert not watcher.is_alive()


def test_a_change_by_somebody_else_is_heard(where: Path | str, library: Library, ear: Ear) -> None:
    other = open_library(where)
    other.add_shelf(Shelf("s1", "Sailings"))
    assert ear.heard()
    ear.forget()
    other.put_file(b"x", "x.txt", "text/plain")
    assert ear.heard()
    other.close()


def test_after_an_outage_of_the_server_it_listens_again(database: str) -> None:
    library, ear = open_library(database), Ear()
    watcher = Watcher(library.engine, Watched(ear.hear), pause=0.1)
    watcher.start()
    ear.forget()
    with psycopg.connect(database, autocommit=True) as connection:
        connection.execute(
            "SELECT pg_terminate_backend(pid) FROM pg_stat_activity "
            "WHERE datname = current_database() AND pid <> pg_backend_pid()"
        )
    assert ear.heard(), "it looks again, for something may have been missed"
    ear.forget()
    library.add_shelf(Shelf("s1", "Sailings"))
    assert ear.heard()
    watcher.stop()
    library.close()
