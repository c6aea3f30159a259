"""The register: what went out, when, from whom, to whom, with which template, about what. It may
hold a million letters: it is read by page, and found in by the database."""

from collections.abc import Collection, Iterable
from datetime import datetime
from typing import Any

from msgspec import Struct
from msgspec.structs import asdict
from sqlalchemy import Connection, Engine, func, literal_column, select, tuple_
from sqlalchemy.dialects import postgresql, sqlite

from nebbet.library.engine import explained, reading
from nebbet.library.entries import Registered, found_by
from nebbet.library.register_finding import CANNOT, Wanted, narrowed
from nebbet.library.remarks import IS_BACK, CameBack, came_back
from nebbet.library.schema import register as table
from nebbet.library.schema import remark as returned

LATEST = 2000  # letters of all that a window holds: what somebody looks for without going far
_OWN = 500  # and of the person's own, where others write more
PAGE = 200
EVERY = Wanted()
_NAMES = Registered.__struct_fields__
_COLUMNS = [table.c[name] for name in _NAMES]


class Page(Struct, frozen=True):
    """Some letters, newest first; found says how many there are in all that have the words, of how
    many the register holds, back which of them came back."""

    rows: list[Registered] = []
    found: int = 0
    of: int = 0
    back: dict[str, CameBack] = {}


def enter(connection: Connection, entries: Iterable[Registered]) -> None:
    """Enter letters that went out, inside a transaction; a message that is entered already stays as
    it is."""
    rows = [asdict(entry) | {"words": found_by(entry)} for entry in entries]
    made = postgresql.insert if connection.dialect.name == "postgresql" else sqlite.insert
    if rows:
        connection.execute(made(table).on_conflict_do_nothing(), rows)


def page(
    engine: Engine, wanted: Wanted = EVERY, after: Registered | None = None, size: int = PAGE
) -> Page:
    """The newest letters of those that are wanted; after is the last one that is shown already, and
    then only the rows are read."""
    if wanted.is_nothing:
        return Page()
    rows = (
        select(*_COLUMNS, returned.c.at, returned.c.data)
        .outerjoin(returned, (returned.c.message == table.c.message_id) & IS_BACK)
        .order_by(table.c.sent.desc(), table.c.message_id.desc())
        .limit(size)
    )
    if after is not None:
        at = tuple_(table.c.sent, table.c.message_id)
        rows = rows.where(at < tuple_(after.sent, after.message_id))
    with explained(CANNOT), reading(engine) as connection:
        read = connection.execute(narrowed(rows, wanted, engine)).mappings().all()
        by_id = {row["message_id"]: row for row in read}  # one may have come back from several
        found = [Registered(**{n: row[n] for n in _NAMES}) for row in by_id.values()]
        known = ((key, came_back(row["at"], row["data"])) for key, row in by_id.items())
        back = {key: one for key, one in known if one is not None}
        if after is not None:
            return Page(found, back=back)
        every = select(func.count()).select_from(table)
        of = connection.scalar(every) or 0
        count = of if wanted.is_all else connection.scalar(narrowed(every, wanted, engine))
        return Page(found, count or 0, of, back)


def latest(engine: Engine, member: str = "") -> list[Registered]:
    """The newest letters, and the newest ones of a member, newest first."""
    newest = select(*_COLUMNS).order_by(table.c.sent.desc())
    with explained(CANNOT), reading(engine) as connection:
        rows = list(connection.execute(newest.limit(LATEST)).mappings())
        if member:
            mine = newest.where(table.c.sender == member).limit(_OWN)
            rows += connection.execute(mine).mappings()
    return _in_order((Registered(**row) for row in rows), member)


def with_letters(
    engine: Engine, listed: list[Registered], messages: Collection[str], member: str = ""
) -> list[Registered]:
    """The newest letters as they were listed, with some that were entered since."""
    some = select(*_COLUMNS).where(table.c.message_id.in_(list(messages)))
    with explained(CANNOT), reading(engine) as connection:
        found = [Registered(**row) for row in connection.execute(some).mappings()]
    return _in_order((*found, *listed), member)


def _in_order(entries: Iterable[Registered], member: str) -> list[Registered]:
    by_key: dict[str, Registered] = {}
    for entry in entries:
        by_key.setdefault(entry.message_id, entry)
    ordered = sorted(by_key.values(), key=_sent, reverse=True)
    own = [entry for entry in ordered[LATEST:] if entry.sender == member]
    return ordered[:LATEST] + own[:_OWN]


def _sent(entry: Registered) -> datetime:
    return entry.sent


def letters_of(
    engine: Engine, contacts: Collection[str], addresses: Collection[str], most: int = PAGE
) -> list[Registered]:
    """The letters to somebody, newest first: by the ids they have or had, and their addresses."""
    spelt = {form for address in addresses for form in (address, address.casefold())}
    halves = [
        select(*_COLUMNS).where(column.in_(wanted)).order_by(table.c.sent.desc()).limit(most)
        for column, wanted in ((table.c.contact, contacts), (table.c.address, spelt))
        if wanted
    ]
    found: dict[str, Registered] = {}
    with explained(CANNOT), reading(engine) as connection:
        for half in halves:
            for row in connection.execute(half).mappings():
                found.setdefault(row["message_id"], Registered(**row))
    return sorted(found.values(), key=_sent, reverse=True)[:most]


def letters_about(engine: Engine, number: str, most: int = PAGE) -> list[Registered]:
    """The letters about a case, newest first."""
    wanted = select(*_COLUMNS).where(table.c.case_number == number)
    newest = wanted.order_by(table.c.sent.desc()).limit(most)
    with explained(CANNOT), reading(engine) as connection:
        return [Registered(**row) for row in connection.execute(newest).mappings()]


def count_by(engine: Engine, column: str, **where: str) -> dict[Any, int]:
    """How many letters there are by a column, of those in which other columns have some values."""
    by = table.c[column]
    counted = select(by, func.count(literal_column("*"))).group_by(by)
    for name, value in where.items():
        counted = counted.where(table.c[name] == value)
    with explained(CANNOT), reading(engine) as connection:
        return {row[0]: row[1] for row in connection.execute(counted)}
