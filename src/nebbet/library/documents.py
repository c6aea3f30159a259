"""Records that are kept as JSON, and the states that facts, passages and frames had: what editions
are to templates."""

from datetime import datetime
from typing import Any

import msgspec
from msgspec import Struct
from sqlalchemy import Connection, Engine, Table, insert, select, update

from nebbet.core.body import Frame
from nebbet.core.letter import Passage
from nebbet.core.records import Fact
from nebbet.library import schema
from nebbet.library.engine import explained
from nebbet.library.holdings import Overtaken


class State(Struct, frozen=True):
    """One state of a fact, a passage or a frame: its number, who made it, and when."""

    number: int
    record: Fact | Passage | Frame
    author: str
    made: datetime


def put_document(connection: Connection, table: Table, key: str, value: str, record: object) -> str:
    """Keep a record in the place of an earlier one; says whether it was added, replaced or is
    unchanged."""
    data = msgspec.json.encode(record).decode()
    at = table.c[key] == value
    held = connection.scalar(select(table.c.data).where(at))
    if held is None:
        connection.execute(insert(table).values(**{key: value, "data": data}))
        return "added"
    connection.execute(update(table).where(at).values(data=data))
    return "unchanged" if held == data else "replaced"


def put_state(
    connection: Connection,
    table: Table,
    key: str,
    record: Fact | Passage | Frame,
    author: str,
    made: datetime,
    value: str = "",
    seen: Fact | Passage | Frame | None = None,
) -> None:
    """Keep a fact, a passage or a frame as `put_document`, and as one of its states. value is the
    key where the record itself does not say it. Raises Overtaken where it is not as it was seen."""
    value = value or str(getattr(record, key))
    before = connection.scalar(select(table.c.data).where(table.c[key] == value))
    if seen and before and msgspec.json.decode(before, type=type(record)) != seen:
        raise Overtaken
    put_document(connection, table, key, value, record)
    kind = type(record).__name__.lower()
    if before is not None and _last(connection, kind, value) is None:
        _keep(connection, kind, value, before, "", made)  # as it was before anybody counted
    _keep(connection, kind, value, msgspec.json.encode(record).decode(), author, made)


def _last(connection: Connection, kind: str, key: str) -> Any:
    table = schema.former.c
    same = (table.kind == kind) & (table.key == key)
    rows = select(table.number, table.data).where(same).order_by(table.number.desc()).limit(1)
    return connection.execute(rows).first()


def _keep(
    connection: Connection, kind: str, key: str, data: str, author: str, made: datetime
) -> None:
    """Keep a state, unless it is as the last one."""
    last = _last(connection, kind, key)
    if last and last.data == data:
        return
    row = {
        "kind": kind,
        "key": key,
        "number": (last.number if last else 0) + 1,
        "data": data,
        "author": author or None,
        "made": made,
    }
    connection.execute(insert(schema.former).values(row))


def states(engine: Engine, kind: type[Fact | Passage | Frame], key: str) -> list[State]:
    """The states of a fact, a passage or a frame, newest first."""
    table = schema.former.c
    same = (table.kind == kind.__name__.lower()) & (table.key == key)
    rows = select(schema.former).where(same).order_by(table.number.desc())
    with explained("The earlier states cannot be read"), engine.connect() as connection:
        return [
            State(row.number, msgspec.json.decode(row.data, type=kind), row.author or "", row.made)
            for row in connection.execute(rows)
        ]
