"""The people and cases in the local copy: all of a team that has not too many, else those that
letters went to."""

from collections.abc import Collection, Iterable
from typing import Any

import msgspec
from msgspec import Struct
from sqlalchemy import Connection, Table, delete, func, select
from sqlalchemy.dialects import sqlite

from nebbet.core.errors import UNREADABLE
from nebbet.core.records import Case, Contact
from nebbet.library import change_log, schema
from nebbet.library.changes import Change
from nebbet.library.columns import columns
from nebbet.library.entries import Registered
from nebbet.library.people_rows import write_beside

MOST = 20_000  # people, or cases: of a larger team, a computer keeps only what its letters need
_AT_ONCE = 500
_TABLES: tuple[tuple[Table, type[Contact] | type[Case], str], ...] = (
    (schema.contact, Contact, "contact"),
    (schema.case, Case, "case"),
)


class KeptPeople(Struct, frozen=True):
    """Where the log of changes stood when people were copied last, and whether all were."""

    mark: str = ""
    whole: bool = False


def make_tables(connection: Connection) -> None:
    """Make the tables of people and cases in a copy; what was there is gone."""
    for name in schema.FOUND_IN:
        connection.exec_driver_sql(f"DROP TABLE IF EXISTS {name}_words")
    for table in (schema.case_person, schema.held_field, schema.contact, schema.case):
        table.drop(connection, checkfirst=True)
        table.create(connection)
    for name in schema.FOUND_IN:
        for statement in schema.words_of(name):
            connection.exec_driver_sql(statement)


def bring_up_to_date(
    reading: Connection, writing: Connection, kept: KeptPeople, entries: Iterable[Registered]
) -> KeptPeople:
    """Copy what changed since people were copied last. entries are the letters whose people and
    cases are copied in any case."""
    if kept.mark:
        mark, change = change_log.since(reading, kept.mark)
    else:
        mark, change = change_log.mark_now(reading), Change(everything=True)
    if change.everything:
        whole = all(
            (reading.scalar(select(func.count()).select_from(table)) or 0) <= MOST
            for table, _kind, _name in _TABLES
        )
        for table, kind, _name in _TABLES:
            if whole:
                _copy_all(reading, writing, table, kind)
        kept = KeptPeople(mark, whole)
    else:
        for table, kind, name in _TABLES:
            keys = change.of(name)
            if not kept.whole:
                keys &= _there(writing, table, keys)
            _copy_some(reading, writing, table, kind, keys)
    if not kept.whole:
        _copy_written_to(reading, writing, entries)
    return KeptPeople(mark, kept.whole)


def _copy_all(
    reading: Connection, writing: Connection, table: Table, kind: type[Contact] | type[Case]
) -> None:
    """Copy every record, page by page, and let go of those that are not there any more."""
    last, seen = "", set[str]()
    while True:
        some = select(table.c.id, table.c.data).where(table.c.id > last)
        rows = reading.execute(some.order_by(table.c.id).limit(_AT_ONCE)).all()
        if not rows:
            break
        last = rows[-1].id
        seen |= {row.id for row in rows}
        _put_rows(writing, table, kind, rows)
    _forget(writing, table, set(writing.scalars(select(table.c.id))) - seen)


def _copy_some(
    reading: Connection,
    writing: Connection,
    table: Table,
    kind: type[Contact] | type[Case],
    keys: Collection[str],
) -> None:
    """Copy some records, or let go of them where they are gone."""
    wanted = sorted(keys)
    for start in range(0, len(wanted), _AT_ONCE):
        some = wanted[start : start + _AT_ONCE]
        rows = reading.execute(select(table.c.id, table.c.data).where(table.c.id.in_(some))).all()
        _put_rows(writing, table, kind, rows)
        _forget(writing, table, set(some) - {row.id for row in rows})


def _copy_written_to(
    reading: Connection, writing: Connection, entries: Iterable[Registered]
) -> None:
    """Copy the people that letters went to, and their cases."""
    people = {entry.contact for entry in entries if entry.contact}
    new = people - _there(writing, schema.contact, people)
    _copy_some(reading, writing, schema.contact, Contact, new)
    of = schema.case_person.c
    wanted = sorted(new)
    for start in range(0, len(wanted), _AT_ONCE):
        theirs = select(of.case_).where(of.contact.in_(wanted[start : start + _AT_ONCE]))
        cases = set(reading.scalars(theirs))
        _copy_some(reading, writing, schema.case, Case, cases)


def _there(connection: Connection, table: Table, keys: Collection[str]) -> set[str]:
    """Those of some keys that are there."""
    found: set[str] = set()
    wanted = sorted(keys)
    for start in range(0, len(wanted), _AT_ONCE):
        some = table.c.id.in_(wanted[start : start + _AT_ONCE])
        found |= set(connection.scalars(select(table.c.id).where(some)))
    return found


def _put_rows(
    writing: Connection, table: Table, kind: type[Contact] | type[Case], rows: Iterable[Any]
) -> None:
    for row in rows:
        try:
            record = msgspec.json.decode(row.data, type=kind)
        except UNREADABLE:
            continue
        put(writing, table, record, row.data)


def put(writing: Connection, table: Table, record: Contact | Case, data: str = "") -> None:
    """Put one record into a copy."""
    row = {"id": record.id, "data": data or msgspec.json.encode(record).decode()}
    row |= columns(record)  # type: ignore[arg-type]
    made = sqlite.insert(table).values(row)
    others = {name: value for name, value in row.items() if name != "id"}
    writing.execute(made.on_conflict_do_update(index_elements=["id"], set_=others))
    write_beside(writing, record)


def _forget(writing: Connection, table: Table, keys: Collection[str]) -> None:
    wanted = sorted(keys)
    for start in range(0, len(wanted), _AT_ONCE):
        some = wanted[start : start + _AT_ONCE]
        writing.execute(delete(table).where(table.c.id.in_(some)))
        if table is schema.case:
            writing.execute(delete(schema.case_person).where(schema.case_person.c.case_.in_(some)))
