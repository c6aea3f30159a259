"""Making a library, bringing an older one up to date, and refusing what is not one."""

import sqlite3
from collections.abc import Iterator
from contextlib import closing, contextmanager
from pathlib import Path
from typing import Literal

from sqlalchemy import Connection, Engine, inspect, text

from nebbet.core.errors import NebbetError
from nebbet.library import schema
from nebbet.library.guards import SCHEMA
from nebbet.library.postgres import NEWER, NO_LIBRARY, OLDER, away

NEWEST = "0011"
REVISIONS = ("0001", "0002", "0003", "0004", "0005", "0006", "0007", "0008", "0009", "0010", NEWEST)
_MAGIC = b"SQLite format 3\x00"

Found = Literal["nothing", "current", "older"]


def look(path: Path) -> Found:
    """Say what lies at a path without touching it.

    Raises NebbetError for a file that is no library, or one that a newer Nebbet made.
    """
    if not path.exists() or path.stat().st_size == 0:
        return "nothing"
    with path.open("rb") as opened:
        if opened.read(len(_MAGIC)) != _MAGIC:
            raise _no_library(path)
    revision = _revision(path)
    if revision is None:
        raise _no_library(path)
    return _judged(revision, path.name)


def look_on_server(engine: Engine) -> Found:
    """Say what is in a database on a server without touching it.

    Raises NebbetError for a database that holds something else, or a library of a newer Nebbet.
    """
    found = inspect(engine)
    tables = found.get_table_names(schema=SCHEMA) if found.has_schema(SCHEMA) else []
    where = SCHEMA if tables else "public"
    tables = tables or found.get_table_names(schema="public")
    if not tables:
        return "nothing"
    name = engine.url.database or ""
    if "alembic_version" not in tables or "edition" not in tables:
        raise NebbetError(
            f"The database {name} holds something else than a Nebbet library",
            kept="It was not touched",
            advice="Choose an empty database for the library",
        )
    with engine.connect() as connection:
        revision = connection.scalar(text(f"SELECT version_num FROM {where}.alembic_version"))
    return _judged(str(revision), name)


def require_current(connection: Connection) -> None:
    """Raise Away unless the database holds a library that this Nebbet can work with."""
    there = "SELECT to_regclass('nebbet.alembic_version') IS NOT NULL"
    if not connection.scalar(text(there)):
        raise away("The library cannot be opened", NO_LIBRARY)
    revision = connection.scalar(text("SELECT version_num FROM nebbet.alembic_version"))
    if revision != NEWEST:
        raise away("The library cannot be opened", OLDER if revision in REVISIONS else NEWER)


def _judged(revision: str, name: str) -> Found:
    if revision not in REVISIONS:
        raise NebbetError(
            f"The library {name} was made by a newer Nebbet",
            kept="It was not touched",
            advice="Update Nebbet on this computer",
        )
    return "current" if revision == NEWEST else "older"


def back_up(path: Path) -> Path:
    """Copy a library file beside itself before it is brought up to date, and return the copy's
    path. The copy is whole or not there at all."""
    copy = path.with_name(f"{path.name}.before-{NEWEST}")
    whole = path.with_name(f"{copy.name}.part")
    whole.unlink(missing_ok=True)
    with (
        closing(sqlite3.connect(f"{path.as_uri()}?mode=ro", uri=True)) as held,
        closing(sqlite3.connect(whole)) as made,
    ):
        held.backup(made)
    whole.replace(copy)
    return copy


def _no_library(path: Path) -> NebbetError:
    return NebbetError(
        f"{path.name} is not a Nebbet library",
        kept="The file was not touched",
        advice="Choose another file, or a new name to start a library",
    )


def _revision(path: Path) -> str | None:
    with closing(sqlite3.connect(f"{path.as_uri()}?mode=ro", uri=True)) as connection:
        try:
            row = connection.execute("SELECT version_num FROM alembic_version").fetchone()
        except sqlite3.DatabaseError:
            return None
    return str(row[0]) if row else None


def schema_of(connection: Connection) -> str | None:
    """Where a library's tables lie: in a schema of their own, but for the oldest on a server."""
    if connection.dialect.name != "postgresql":
        return None
    own = connection.scalar(text("SELECT to_regclass('nebbet.alembic_version') IS NOT NULL"))
    return SCHEMA if own else "public"


def revision_on(connection: Connection) -> str:
    """Which revision a library is of."""
    schema = schema_of(connection)
    table = f"{schema}.alembic_version" if schema else "alembic_version"
    return str(connection.scalar(text(f"SELECT version_num FROM {table}")))


def upgrade(engine: Engine, to: str = NEWEST) -> None:
    """Bring the library behind an engine to the newest schema, or another one, wholly or not at
    all; does nothing when it is there."""
    with engine.connect() as connection, _whole(connection):
        upgrade_in(connection, to)


def upgrade_in(connection: Connection, to: str = NEWEST) -> None:
    """As `upgrade`, inside a transaction. Clients that are open on a server hear of it, and go on
    with their copies."""
    from alembic import command
    from alembic.config import Config

    config = Config()
    config.set_main_option("script_location", "nebbet.library:migrations")
    on_server = connection.dialect.name == "postgresql"
    if on_server:
        _own_schema(connection)
    config.attributes["connection"] = connection
    command.upgrade(config, to)
    if on_server:
        connection.execute(
            text(f"INSERT INTO {SCHEMA}.change (kind, key) VALUES ('library', :made)"),
            {"made": NEWEST},
        )
        connection.execute(text("SELECT pg_notify('nebbet', '')"))


def _own_schema(connection: Connection) -> None:
    """Everything lies in a schema of Nebbet's own; what an older library has elsewhere moves
    there. In the one that everybody shares, others might put something in its way."""
    connection.execute(text(f"CREATE SCHEMA IF NOT EXISTS {SCHEMA}"))
    connection.execute(text(f"REVOKE ALL ON SCHEMA {SCHEMA} FROM PUBLIC"))
    found = inspect(connection).get_table_names(schema="public")
    if "alembic_version" not in found or "edition" not in found:
        return
    for table in ("alembic_version", *schema.metadata.tables):
        if table in found:
            connection.execute(text(f"ALTER TABLE public.{table} SET SCHEMA {SCHEMA}"))
    functions = connection.execute(
        text(
            "SELECT p.oid::regprocedure::text FROM pg_catalog.pg_proc p "
            "JOIN pg_catalog.pg_namespace n ON n.oid = p.pronamespace "
            "WHERE n.nspname = 'public' AND p.proname LIKE 'nebbet\\_%'".replace("::", "\\:\\:")
        )
    )
    for (function,) in functions.all():
        name = function.removeprefix("public.")
        connection.execute(text(f"ALTER FUNCTION public.{name} SET SCHEMA {SCHEMA}"))


@contextmanager
def _whole(connection: Connection) -> Iterator[None]:
    """One transaction for all that changes the tables, too. SQLite's driver would end it before
    each of these by itself: killed in between, half a migration would be left."""
    raw = connection.connection.dbapi_connection
    if isinstance(raw, sqlite3.Connection):
        held, raw.isolation_level = raw.isolation_level, None
        try:
            connection.exec_driver_sql("BEGIN IMMEDIATE")
            yield
            connection.commit()
        finally:
            connection.rollback()
            raw.isolation_level = held
    else:
        yield
        connection.commit()
