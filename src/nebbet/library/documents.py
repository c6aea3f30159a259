"""Records that are kept as JSON, and the states that facts, passages and frames had: what editions
are to templates."""

from datetime import datetime
from typing import Any

import msgspec
from msgspec import Struct
from sqlalchemy import Connection, Engine, Table, delete, insert, select, update
from sqlalchemy.dialects import postgresql, sqlite

from nebbet.core.body import Frame, read, render_plain
from nebbet.core.errors import UNREADABLE, shortened
from nebbet.core.letter import Passage
from nebbet.core.records import Case, Contact, Fact, Member
from nebbet.library import schema
from nebbet.library.columns import columns
from nebbet.library.engine import explained
from nebbet.library.holdings import Overtaken
from nebbet.library.people_rows import write_beside
from nebbet.library.writes import must_change


class State(Struct, frozen=True):
    """One state of a fact, a passage or a frame: its number, who made it, and when."""

    number: int
    record: Fact | Passage | Frame
    author: str
    made: datetime


class _Any:
    """Stands for whatever is there: it is not compared with what anybody saw."""


WHATEVER = _Any()
Seen = object  # a record, None where there was none, or WHATEVER


def put_document(
    connection: Connection,
    table: Table,
    key: str,
    value: str,
    record: object,
    seen: Seen = WHATEVER,
) -> str:
    """Keep a record in the place of an earlier one; says whether it was added, replaced or is
    unchanged. Raises Overtaken where it is not as it was seen: the row says so itself, as it is
    when it is written to."""
    held = _held(connection, table, key, value, type(record), seen, record)
    return _write(connection, table, key, value, record, held)


def _write(
    connection: Connection, table: Table, key: str, value: str, record: object, held: str | None
) -> str:
    data = msgspec.json.encode(record).decode()
    row = {"data": data} | (columns(record) if isinstance(record, Contact | Case) else {})
    if held is None:
        made = postgresql.insert if connection.dialect.name == "postgresql" else sqlite.insert
        new = made(table).values({key: value, **row}).on_conflict_do_nothing()
        if connection.scalar(new.returning(table.c[key])) is None:
            raise _overtaken(connection, table, key, value, type(record))
    else:
        at = (table.c[key] == value) & (table.c.data == held)
        if not connection.execute(update(table).where(at).values(row)).rowcount:
            raise _overtaken(connection, table, key, value, type(record))
    if isinstance(record, Contact | Case):
        write_beside(connection, record)
    if held is None:
        return "added"
    return "unchanged" if held == data else "replaced"


def remove_document(
    connection: Connection, table: Table, key: str, value: str, kind: type, seen: Seen = WHATEVER
) -> None:
    """Take a record out. Raises Overtaken where it is not as it was seen, and Unmoved where it is
    not there."""
    held = _held(connection, table, key, value, kind, seen)
    at = (table.c[key] == value) & (table.c.data == held)
    must_change(connection, delete(table).where(at))


def _held(
    connection: Connection,
    table: Table,
    key: str,
    value: str,
    kind: type,
    seen: Seen,
    wanted: object = WHATEVER,
) -> str | None:
    """What a row holds now. Raises Overtaken where that is neither what was seen nor what is wanted
    already."""
    held: str | None = connection.scalar(select(table.c.data).where(table.c[key] == value))
    now = None if held is None else _read(held, kind)
    if seen is not WHATEVER and now not in (seen, wanted):
        raise _overtaken(connection, table, key, value, kind)
    return held


def _read(data: str, kind: type) -> object:
    """A record of its JSON; what nobody can read is like nothing anybody saw."""
    try:
        return msgspec.json.decode(data, type=kind)
    except UNREADABLE:
        return data


def _overtaken(connection: Connection, table: Table, key: str, value: str, kind: type) -> Overtaken:
    held = connection.scalar(select(table.c.data).where(table.c[key] == value))
    now = None if held is None else _read(held, kind)
    return Overtaken(now, _shown(now))


def _shown(record: object) -> str:
    """What can be said of a record in a few words."""
    match record:
        case Fact():
            return str(record.value)
        case Passage():
            text = next(iter(record.texts.values()), None)
            return shortened(render_plain(read(text.body)).strip())[:120] if text else record.title
        case Case():
            return str(record.title)
        case Frame() | Contact() | Member():
            return record.name
    return ""


def put_state(
    connection: Connection,
    table: Table,
    key: str,
    record: Fact | Passage | Frame,
    author: str,
    made: datetime,
    value: str = "",
    seen: Seen = WHATEVER,
) -> None:
    """Keep a fact, a passage or a frame as `put_document`, and as one of its states. value is the
    key where the record itself does not say it. Raises Overtaken where it is not as it was seen."""
    value = value or str(getattr(record, key))
    before = _held(connection, table, key, value, type(record), seen, record)
    _write(connection, table, key, value, record, before)
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
