"""Opening SQLite files the same way everywhere, and saying in plain words what went wrong."""

import sqlite3
from collections.abc import Iterator
from contextlib import contextmanager
from functools import partial
from pathlib import Path

import msgspec
from sqlalchemy import URL, Connection, Engine, create_engine, event
from sqlalchemy.engine.interfaces import DBAPIConnection
from sqlalchemy.exc import DBAPIError
from sqlalchemy.pool import ConnectionPoolEntry

from nebbet.core.errors import NebbetError
from nebbet.library import postgres
from nebbet.library.disk import disk_explained, on_network

_REASONS = {
    sqlite3.SQLITE_FULL: ("the disk is full", "Make room and try again"),
    sqlite3.SQLITE_READONLY: ("it is read-only here", "Ask for the right to write to it"),
    sqlite3.SQLITE_CANTOPEN: ("it cannot be opened", "Check that the folder is there"),
    sqlite3.SQLITE_PERM: ("access is not allowed", "Ask for the right to use it"),
    sqlite3.SQLITE_BUSY: ("another program is writing to it", "Try again in a moment"),
    sqlite3.SQLITE_LOCKED: ("another program is writing to it", "Try again in a moment"),
    sqlite3.SQLITE_CORRUPT: ("the file is damaged", "Bring it back from a backup"),
    sqlite3.SQLITE_NOTADB: ("it is not a Nebbet file", "Choose another file"),
    sqlite3.SQLITE_IOERR: ("the disk does not answer", "Check the disk and try again"),
}
_DEFAULT = ("the database gave an error", "Try again")


def sqlite_engine(path: Path, *, network: bool | None = None) -> Engine:
    """An engine on one SQLite file: foreign keys on, five seconds of patience.

    The journal is a write-ahead log, which needs memory that all who use the file share; where the
    file lies on another machine there is none, and the older journal is used (SQLite's
    documentation, "Write-Ahead Logging", §1).
    """
    engine = create_engine(
        URL.create("sqlite", database=str(path)),
        connect_args={"timeout": 5, "check_same_thread": False},
    )
    network = on_network(path) if network is None else network
    event.listen(engine, "connect", partial(_prepare, "DELETE" if network else "WAL"))
    return engine


def _prepare(journal: str, connection: DBAPIConnection, _entry: ConnectionPoolEntry) -> None:
    if isinstance(connection, sqlite3.Connection):
        # A turned bit in a text is one wrong sign, and no reason to read nothing at all.
        connection.text_factory = lambda data: data.decode("utf-8", "replace")
    cursor = connection.cursor()
    cursor.execute("PRAGMA foreign_keys = ON")
    try:
        cursor.execute(f"PRAGMA journal_mode = {journal}")
        cursor.execute("PRAGMA synchronous = FULL")
    except sqlite3.OperationalError:
        pass  # a read-only file keeps the journal it has, and reading works all the same
    cursor.close()


@contextmanager
def reading(engine: Engine) -> Iterator[Connection]:
    """A connection on which each statement stands alone: a transaction for reading would be two
    more ways to a server and back, and at this isolation promises nothing more."""
    with engine.connect() as connection:
        alone = {"isolation_level": "AUTOCOMMIT"} if engine.dialect.name == "postgresql" else {}
        yield connection.execution_options(**alone)


@contextmanager
def explained(what: str, kept: str = "Nothing was changed") -> Iterator[None]:
    """Turn an error of the database or the disk into one clear sentence that begins with what
    could not be done."""
    try:
        with disk_explained(what, kept):
            yield
    except (msgspec.MsgspecError, UnicodeError, RecursionError) as error:
        advice = "nebbet library check says which"
        raise NebbetError(f"{what}: a value in it is damaged", kept=kept, advice=advice) from error
    except (DBAPIError, sqlite3.Error) as error:
        origin = error.orig if isinstance(error, DBAPIError) else error
        if reason := postgres.reason_of(origin):
            if reason.band:
                raise postgres.away(what, reason, kept) from error
            raise NebbetError(f"{what}: {reason.what}", kept=kept, advice=reason.advice) from error
        code = getattr(origin, "sqlite_errorcode", 0) & 0xFF
        wrong, advice = _REASONS.get(code, _DEFAULT)
        raise NebbetError(f"{what}: {wrong}", kept=kept, advice=advice) from error
