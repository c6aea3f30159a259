"""The demo's library on a real server, with people who log in."""

from collections.abc import Iterator, Mapping
from contextlib import closing, contextmanager

import psycopg
from msgspec.structs import replace

from nebbet.core.records import Member
from nebbet.library import logins
from nebbet.library.moving import copy_library
from nebbet.library.setting_up import make_ready
from nebbet.library.store import Library, open_library
from nebbet.personal.home import Home
from tests.conftest import NOW


@contextmanager
def kept(database: str, home: Home, people: Mapping[str, tuple[str, str]]) -> Iterator[Library]:
    """The library as whoever keeps it. people are members with their login and role; somebody whom
    the demo does not know is added. The logins go again."""
    with psycopg.connect(database, autocommit=True) as connection:
        before = {row[0] for row in connection.execute("SELECT rolname FROM pg_roles")}
    with closing(open_library(database)) as made:
        make_ready(made.engine)
        with closing(open_library(home.library_file)) as held:
            copy_library(held, made)
        known = made.catalogue(NOW).members
        for key, (login, role) in people.items():
            other = Member(key, "Anneli", "Brandt", f"{key}@lislesound.example")
            logins.let_in(made.engine, replace(known.get(key, other), role=role), login)
        yield made
        with psycopg.connect(database, autocommit=True) as connection:
            after = {row[0] for row in connection.execute("SELECT rolname FROM pg_roles")}
            for role in after - before:
                connection.execute(f'DROP OWNED BY "{role}"')
                connection.execute(f'DROP ROLE "{role}"')
