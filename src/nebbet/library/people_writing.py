"""Changing people and cases: one or a hundred thousand, all of them or none, and back again."""

from abc import ABC, abstractmethod
from collections.abc import Callable, Iterable, Sequence
from contextlib import AbstractContextManager
from typing import Any, TypeVar

import msgspec
from msgspec import Struct
from sqlalchemy import (
    Connection,
    Engine,
    Table,
    bindparam,
    column,
    delete,
    false,
    insert,
    select,
    text,
    update,
)
from sqlalchemy import table as table_

from nebbet.core.errors import UNREADABLE, NebbetError
from nebbet.core.portions import portions
from nebbet.core.records import Case, Contact
from nebbet.core.sentences import said
from nebbet.library import schema
from nebbet.library.columns import columns, row_of
from nebbet.library.guards import SCHEMA
from nebbet.library.held_fields import fields_of, note_fields
from nebbet.library.holdings import Overtaken, Role
from nebbet.library.people import People
from nebbet.library.people_rows import people_of, write_beside
from nebbet.library.prompts import note_prompts
from nebbet.library.schema import case_person

_AT_ONCE = 1000
_MANY = 2000  # new ones: from here on their words are entered together
Record = Contact | Case
T = TypeVar("T")
_Act = Callable[[Connection, Table, Sequence["Changed"]], None]
Progress = Callable[[int], bool]  # how many are done; says whether to go on


class Changed(Struct, frozen=True):
    """What becomes of one person or case: before is nothing for a new one, after for one that is
    taken out."""

    before: Record | None
    after: Record | None

    @property
    def record(self) -> Record:
        """What there is of it."""
        found = self.after or self.before
        assert found is not None
        return found


class Cancelled(NebbetError):
    """A person stopped what was under way."""

    def __init__(self) -> None:
        super().__init__(said("That was stopped"), kept=said("Nothing was changed"))


def undoing(changes: Iterable[Changed]) -> list[Changed]:
    """What brings everything back to what it was before."""
    return [Changed(change.after, change.before) for change in reversed([*changes])]


def _always(_count: int) -> bool:
    return True


class KeepingPeople(ABC):
    """What a library does with people and cases."""

    role: Role

    @abstractmethod
    def writing(
        self, what: str, kept: str = "Nothing was changed", *, leads: bool = True
    ) -> AbstractContextManager[Connection]:
        """One transaction, as `Library.writing`."""

    @property
    @abstractmethod
    def register_engine(self) -> Engine:
        """Where people and cases are read."""

    @property
    def people(self) -> People:
        """The people and cases."""
        return People(self.register_engine)

    def ask_people(self, read: Callable[[People], T]) -> T:
        """Read something of people and cases."""
        return read(self.people)

    def change_people(self, changes: Sequence[Changed], progress: Progress = _always) -> None:
        """Make changes to people and cases, all of them or none. progress is told how many are
        done. Raises Overtaken where one is not as it was any more, and Cancelled where progress
        says to stop."""
        with self.writing("The change cannot be kept", leads=False) as connection:
            self.make_changes(connection, changes, progress)

    def make_changes(
        self, connection: Connection, changes: Sequence[Changed], progress: Progress = _always
    ) -> None:
        """As `change_people`, inside a transaction."""
        done = 0
        for table, kind in ((schema.contact, Contact), (schema.case, Case)):
            for act, some in self._acts(connection, changes, kind):
                for portion in portions(some, _AT_ONCE):
                    act(connection, table, portion)
                    done += len(portion)
                    if not progress(done):
                        raise Cancelled

    def _acts(
        self, connection: Connection, changes: Sequence[Changed], kind: type[Record]
    ) -> list[tuple[_Act, list[Changed]]]:
        """What is done with the changes to records of a kind, in its order."""
        mine = [change for change in changes if isinstance(change.record, kind)]
        # An index of words grows fastest in the order of its rows.
        mine.sort(key=lambda change: row_of(change.record.id))
        new = [one for one in mine if one.before is None]
        many = len(new) > _MANY and connection.dialect.name == "sqlite"
        if len(new) > _MANY and connection.dialect.name == "postgresql":
            # An index of words takes very many rows together, or else in portions that each cost
            # a walk through it (PostgreSQL 16, 70.4.1: GIN fast update).
            connection.execute(text("SET LOCAL gin_pending_list_limit = '256MB'"))
        return [
            (self._take_out, [one for one in mine if one.after is None]),
            (_replace, [one for one in mine if one.before and one.after]),
            (_add_many if many else _add, new),
        ]

    def _take_out(self, connection: Connection, table: Table, changes: Sequence[Changed]) -> None:
        keys = [change.record.id for change in changes]
        _require_as_seen(connection, table, changes)
        if connection.dialect.name == "postgresql" and self.role != "lead":
            taken = text(f"SELECT {SCHEMA}.nebbet_unadd(:kind, :keys)")
            connection.execute(taken, {"kind": table.name, "keys": keys})
            return
        connection.execute(delete(table).where(table.c.id.in_(keys)))
        if table is schema.case and connection.dialect.name != "postgresql":
            connection.execute(delete(case_person).where(case_person.c.case_.in_(keys)))


def _add(connection: Connection, table: Table, changes: Sequence[Changed]) -> None:
    records = [change.record for change in changes]
    rows = [_row(record) for record in records]
    connection.execute(insert(table), rows)
    note_fields(connection, (found for one in records for found in fields_of(one)))
    people = [row for one in records if isinstance(one, Case) for row in people_of(one)]
    if people and connection.dialect.name != "postgresql":
        connection.execute(insert(case_person), people)


def _add_many(connection: Connection, table: Table, changes: Sequence[Changed]) -> None:
    """Add very many to a file: their words go into the index together. In a trigger each row would
    be written to it by itself, which takes ten times as long."""
    # The driver begins a transaction with the first statement that writes rows, and not with one
    # that takes a trigger down: that would stay down whatever happens then.
    connection.execute(delete(table).where(false()))
    entering = f"{table.name}_words_in"
    made = connection.scalar(text("SELECT sql FROM sqlite_master WHERE name = :name"),
                             {"name": entering})  # fmt: skip
    connection.exec_driver_sql(f"DROP TRIGGER {entering}")
    _add(connection, table, changes)
    keys = [row_of(change.record.id) for change in changes]
    some = select(table.c.rowno, table.c.words, table.c.near).where(table.c.rowno.in_(keys))
    index = table_(f"{table.name}_words", column("rowid"), column("words"), column("near"))
    connection.execute(
        insert(index).from_select(["rowid", "words", "near"], some.order_by(table.c.rowno))
    )
    connection.exec_driver_sql(made)


def _replace(connection: Connection, table: Table, changes: Sequence[Changed]) -> None:
    held = _require_as_seen(connection, table, changes)
    rows = [_row(change.record) | {"at": change.record.id, "held": held[change.record.id]}
            for change in changes]  # fmt: skip
    values: dict[str, Any] = {
        name: bindparam(name) for name in rows[0] if name not in ("id", "at", "held")
    }
    same = (table.c.id == bindparam("at")) & (table.c.data == bindparam("held"))
    connection.execute(update(table).where(same).values(values), rows)
    for change in changes:
        write_beside(connection, change.record)
    if table is schema.case:
        note_prompts(connection, [
            (change.before, change.after) for change in changes
            if isinstance(change.before, Case) and isinstance(change.after, Case)
        ])  # fmt: skip


def _require_as_seen(
    connection: Connection, table: Table, changes: Sequence[Changed]
) -> dict[str, str]:
    """What the rows of some records hold. Raises Overtaken where one is another one than before."""
    keys = [change.record.id for change in changes]
    rows = connection.execute(select(table.c.id, table.c.data).where(table.c.id.in_(keys)))
    held: dict[str, str] = {row.id: row.data for row in rows}
    for change in changes:
        now = _read(held.get(change.record.id), type(change.record))
        if now != change.before:
            name = change.record.name if isinstance(change.record, Contact) else ""
            raise Overtaken(
                now,
                name or getattr(change.record, "number", ""),
                kept="Nothing was changed",
                advice="Look at it as it is now",
            )
    return held


def _read(data: str | None, kind: type[Any]) -> object:
    try:
        return msgspec.json.decode(data, type=kind) if data is not None else None
    except UNREADABLE:
        return data


def _row(record: Record) -> dict[str, Any]:
    data = msgspec.json.encode(record).decode()
    return {"id": record.id, "data": data} | columns(record)
