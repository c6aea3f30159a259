"""Copying a library from a file to a server, and back: every row as it is."""

from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from itertools import islice
from typing import Any

from sqlalchemy import Connection, Engine, Row, Table, func, insert, select, text

from nebbet.core.errors import NebbetError
from nebbet.library import schema
from nebbet.library.engine import explained
from nebbet.library.guards import SCHEMA
from nebbet.library.holdings import parents_first
from nebbet.library.roles import has_function
from nebbet.library.setting_up import mend_roles
from nebbet.library.store import Library

_AT_ONCE = 200
_FILES_AT_ONCE = 4  # each may have 20 MB
_CANNOT, _KEPT = "The library cannot be copied", "Nothing was copied"


def copy_library(source: Library, target: Library, *, without_hidden: bool = False) -> int:
    """Copy everything into an empty library, all of it or nothing, and return how many rows.
    without_hidden leaves out what the login may not see in the source.

    Raises NebbetError when the other library holds something already, or when there is something
    that the login may not see and nobody said to leave it out.
    """
    with whole(source.engine) as reading, target.writing(_CANNOT, _KEPT) as writing:
        unseen = hidden(reading)
        if unseen and not without_hidden:
            raise NebbetError(
                f"Others have {unseen} rows on their private shelves that this login does not see",
                kept=_KEPT,
                advice="Copy as whoever keeps the server, or say --without-hidden",
            )
        if any(_count(writing, table) for table in schema.metadata.sorted_tables):
            raise NebbetError(
                "The other library is not empty", kept=_KEPT, advice="Choose an empty one"
            )
        return copy_rows(reading, writing)


@contextmanager
def whole(engine: Engine) -> Iterator[Connection]:
    """A connection that reads a library as it is at one moment, whatever others do meanwhile."""
    with explained(_CANNOT, _KEPT), engine.connect() as connection:
        if connection.dialect.name == "postgresql":
            connection.execution_options(isolation_level="REPEATABLE READ")
        else:
            connection.exec_driver_sql("BEGIN")
        yield connection


def hidden(connection: Connection) -> int:
    """How many rows of a library its reader does not see."""
    if connection.dialect.name != "postgresql" or not has_function(connection, "nebbet_hidden"):
        return 0
    return int(connection.scalar(text(f"SELECT {SCHEMA}.nebbet_hidden()")) or 0)


def copy_rows(reading: Connection, writing: Connection) -> int:
    """Copy all rows between two connections, and return how many. On a server they come as they
    are: nothing that happens to new ones happens to them; then everybody gets their rights."""
    tables = schema.metadata.sorted_tables
    on_server = writing.dialect.name == "postgresql"
    if on_server:
        _triggers(writing, "DISABLE")
    count = sum(_copy(reading, writing, table) for table in tables)
    if on_server:
        _triggers(writing, "ENABLE")
        if has_function(writing, "nebbet_leads"):
            mend_roles(writing)
    return count


def _triggers(connection: Connection, act: str) -> None:
    for table in schema.metadata.sorted_tables:
        connection.execute(text(f"ALTER TABLE {SCHEMA}.{table.name} {act} TRIGGER USER"))


def counts(connection: Connection) -> dict[str, int]:
    """How many rows each table of a library has."""
    return {table.name: _count(connection, table) for table in schema.metadata.sorted_tables}


def _count(connection: Connection, table: Table) -> int:
    return connection.scalar(select(func.count()).select_from(table)) or 0


def _copy(reading: Connection, writing: Connection, table: Table) -> int:
    rows = reading.execution_options(yield_per=_AT_ONCE).execute(select(table))
    found: Iterable[Row[Any]] = rows
    if table is schema.shelf:
        found = parents_first(rows.all())
    copied = 0
    for some in _chunks(found, _FILES_AT_ONCE if table is schema.file else _AT_ONCE):
        writing.execute(insert(table), [dict(row._mapping) for row in some])
        copied += len(some)
    return copied


def _chunks(rows: Iterable[Row[Any]], size: int) -> Iterator[list[Row[Any]]]:
    left = iter(rows)
    while some := list(islice(left, size)):
        yield some
