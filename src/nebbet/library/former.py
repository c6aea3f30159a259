"""The states that facts, passages and frames had, as editions are those of templates."""

from datetime import datetime
from typing import TypeVar

import msgspec
from msgspec import Struct
from sqlalchemy import Connection, Engine, insert, select

from nebbet.core.body import Frame
from nebbet.core.letter import Passage
from nebbet.core.records import Fact
from nebbet.library import schema
from nebbet.library.engine import explained

_Shared = TypeVar("_Shared", Fact, Passage, Frame)


class State(Struct, frozen=True):
    """One state of a fact, a passage or a frame: its number, who made it, and when."""

    number: int
    record: Fact | Passage | Frame
    author: str
    made: datetime


def keep_state(
    connection: Connection, key: str, record: Fact | Passage | Frame, author: str, made: datetime
) -> None:
    """Keep a state inside a transaction, unless it is as the last one."""
    table, kind = schema.former.c, type(record).__name__.lower()
    same = (table.kind == kind) & (table.key == key)
    rows = select(table.number, table.data).where(same).order_by(table.number.desc()).limit(1)
    last = connection.execute(rows).first()
    data = msgspec.json.encode(record).decode()
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


def states(engine: Engine, kind: type[_Shared], key: str) -> list[State]:
    """The states of a fact, a passage or a frame, newest first."""
    table = schema.former.c
    same = (table.kind == kind.__name__.lower()) & (table.key == key)
    rows = select(schema.former).where(same).order_by(table.number.desc())
    with explained("The earlier states cannot be read"), engine.connect() as connection:
        return [
            State(row.number, msgspec.json.decode(row.data, type=kind), row.author or "", row.made)
            for row in connection.execute(rows)
        ]
