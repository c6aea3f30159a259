"""Copying a library from a file to a server, and back: every row as it is."""

from collections.abc import Iterable, Iterator
from itertools import islice
from typing import Any

from sqlalchemy import Connection, Row, Table, func, insert, select

from nebbet.core.errors import NebbetError
from nebbet.library import schema
from nebbet.library.engine import explained
from nebbet.library.holdings import parents_first
from nebbet.library.store import Library

_AT_ONCE = 200
_FILES_AT_ONCE = 4  # each may have 20 MB


def copy_library(source: Library, target: Library) -> int:
    """Copy everything into an empty library, all of it or nothing, and return how many rows.

    Raises NebbetError when the other library holds something already.
    """
    kept = "Nothing was copied"
    with (
        explained("The library cannot be copied", kept),
        source.engine.connect() as reading,
        target.writing("The library cannot be copied", kept) as writing,
    ):
        if any(_count(writing, table) for table in schema.metadata.sorted_tables):
            raise NebbetError(
                "The other library is not empty", kept=kept, advice="Choose an empty one"
            )
        return sum(_copy(reading, writing, table) for table in schema.metadata.sorted_tables)


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
