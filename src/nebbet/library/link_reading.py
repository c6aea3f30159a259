"""Reading tables that are kept elsewhere, and what they would do to the people and cases here."""

from collections.abc import Callable, Iterator
from datetime import date, datetime, time
from decimal import Decimal
from pathlib import Path

from msgspec import Struct
from msgspec.structs import replace
from sqlalchemy import Connection, create_engine, make_url, text
from sqlalchemy.exc import SQLAlchemyError

from nebbet.core.errors import NebbetError
from nebbet.core.records import fold
from nebbet.core.records.incoming import Incoming, Reading, cases_in, people_in
from nebbet.core.records.tables import (
    LARGEST,
    MOST_ROWS,
    Cell,
    ReadTable,
    TableRow,
    read_table,
)
from nebbet.core.sentences import said
from nebbet.library.catalogue import Catalogue
from nebbet.library.disk import read_file
from nebbet.library.import_files import kind_for
from nebbet.library.importing import Who, with_people
from nebbet.library.links import (
    KEPT,
    Link,
    Linked,
    LinkResult,
    claim,
    due,
    keep_result,
    links_of,
)
from nebbet.library.people import People
from nebbet.library.people_writing import Changed, Record
from nebbet.library.store import Library

_FEWEST = 0.5  # of the rows that were there: with fewer, a table is taken for half-written


# Reading what is there


def read_place(link: Link, password: str = "") -> ReadTable:
    """The table as it is now. Raises NebbetError where it cannot be read."""
    if link.is_database:
        return _asked(link, password)
    path = Path(link.place)
    data = read_file(path, said("The linked table {name}", name=path.name), largest=LARGEST)
    return read_table(data, sheet=link.sheet)


def _asked(link: Link, password: str) -> ReadTable:
    """What a database answers, on a connection that cannot write."""
    try:
        url = make_url(link.place)
        url = url.set(password=password) if password else url
        engine = create_engine(url)
    except (SQLAlchemyError, ImportError, ValueError) as error:
        raise NebbetError(
            said("The address of the database cannot be used"),
            kept=KEPT,
            advice=said("Write it as postgresql://login@host/name, or sqlite:///path"),
        ) from error
    try:
        with engine.connect() as connection:
            _only_read(connection)
            found = connection.execute(text(link.query.replace(":", "\\:")))
            headings = tuple(found.keys())
            rows = tuple(
                TableRow(number, tuple(map(_cell, row)))
                for number, row in enumerate(found.fetchmany(MOST_ROWS), 1)
            )
    except SQLAlchemyError as error:
        reason = str(getattr(error, "orig", None) or error).splitlines()[0][:200]
        raise NebbetError(
            said("The database does not answer the query: {reason}", reason=reason),
            kept=KEPT,
            advice=said("Look at the query and at the right to read"),
        ) from error
    finally:
        engine.dispose()
    return ReadTable(headings, rows)


def _only_read(connection: Connection) -> None:
    if connection.dialect.name == "postgresql":
        connection.execute(text("SET TRANSACTION READ ONLY"))
        connection.execute(text("SET LOCAL statement_timeout = '60s'"))
    elif connection.dialect.name == "sqlite":
        connection.execute(text("PRAGMA query_only = ON"))


def _cell(value: object) -> Cell:
    match value:
        case None:
            return ""
        case bool() | Decimal() | date() | datetime() | time():
            return value
        case int() | float():
            return Decimal(str(value))
    return str(value)


# What it would do


class LinkPlan(Struct, frozen=True):
    """What reading a table would do: the changes, and what came of it."""

    changes: tuple[Changed, ...]
    result: LinkResult


def plan_link(
    people: People, catalogue: Catalogue, linked: Linked, table: ReadTable, now: datetime
) -> LinkPlan:
    """What a table as it is now would do. Raises NebbetError where it looks half-written: without
    its columns, or with far fewer rows than there were."""
    link, last = linked.link, linked.result
    index = _key_column(link, table)
    held = {_key_of(record): record for record in people.from_source(link.id)}
    there = [record for record in held.values() if not record.gone]
    if last is not None and len(table.rows) < len(there) * _FEWEST:
        raise NebbetError(
            said("The table has {now} rows, and had {before}: it looks half-written",
                 now=len(table.rows), before=len(there)),
            kept=KEPT,
            advice=said("If it is meant to be so, keep the link anew"),
        )  # fmt: skip
    changes, refused, seen = list[Changed](), list[str](), set[str]()
    new = changed = 0
    rows = [*_rows(catalogue, link, table)]
    who = Who(people, {word for row in rows for word in (row.whose, *row.people)},
              lambda: f"{link.id}/+{len(who.new)}-{now:%Y%m%d%H%M%S}"[:64])  # fmt: skip
    for row, cells in zip(rows, table.rows, strict=True):
        key = str(cells.cells[index]).strip()
        if not key or key in seen or row.record is None:
            why = row.refused or (said("its key is there twice") if key else said("it has no key"))
            refused.append(said("row {number}: {why}", number=row.number, why=why))
            continue
        seen.add(key)
        before = held.get(key)
        made = _made(link, key, before, with_people(row, who))
        if before is None:
            new += 1
            changes.append(Changed(None, made))
        elif made != before:
            changed += 1
            changes.append(Changed(before, made))
    changes = [*(Changed(None, one) for one in who.new.values()), *changes]
    lost = [record for key, record in held.items() if key not in seen and not record.gone]
    if refused:
        lost = []  # a row that cannot be read may be the one that seems to be gone
    changes += [Changed(record, replace(record, gone=True)) for record in lost]
    result = LinkResult(
        now, len(table.rows), new, changed, len(lost), tuple(refused[:20]), read=now
    )
    return LinkPlan(tuple(changes), result)


def _key_column(link: Link, table: ReadTable) -> int:
    names = [fold(heading) for heading in table.headings]
    missing = [heading for heading in (link.key, *link.how.matches) if fold(heading) not in names]
    if missing:
        raise NebbetError(
            said("The table has no column “{name}” any more", name=missing[0]),
            kept=KEPT,
            advice=said("Give it back its column, or match the columns of the link anew"),
        )
    return names.index(fold(link.key))


def _rows(catalogue: Catalogue, link: Link, table: ReadTable) -> Iterator[Incoming]:
    how = link.how
    held = {fold(heading): heading for heading in table.headings}
    matches = {held[fold(h)]: key for h, key in how.matches.items() if fold(h) in held}
    how_read = Reading(matches, kind_for(catalogue, how), how.kind, how.day_first)
    return people_in(table, how_read) if how.people else cases_in(table, how_read)


def _made(link: Link, key: str, before: Record | None, record: Record) -> Record:
    """A record as its row says it, with what is said of it here and in no row."""
    own = f"{link.id}/{key}"[:64]
    stays = {name: getattr(before, name) for name in _STAYS if hasattr(before, name)}
    return replace(record, id=before.id if before else own, source=link.id, **stays)


_STAYS = ("filed", "same_as", "once", "apart", "files")


def _key_of(record: Record) -> str:
    return record.id.partition("/")[2]


# Doing it


def read_link(
    library: Library, catalogue: Catalogue, linked: Linked, now: datetime, password: str = ""
) -> LinkResult:
    """Read one table again, keep what came of it, and return that. A table that cannot be read
    changes nothing."""
    if not claim(library, linked, now):
        return linked.result or LinkResult(now)
    try:
        table = read_place(linked.link, password)
        plan = plan_link(library.people, catalogue, linked, table, now)
        library.change_people(plan.changes)
        result = plan.result
    except NebbetError as error:
        last = linked.result
        result = replace(last or LinkResult(now), moment=now, failed=error.sentence)
    keep_result(library, linked.link.id, result)
    return result


Passwords = Callable[[str], str]


def may_be_read(one: Linked, library: Library) -> bool:
    """Whether it is for this computer to read a table: a file that does not lie here is for
    whoever has it, and its lack is told to a lead alone."""
    if one.link.is_database or library.role == "lead":
        return True
    return Path(one.link.place).exists()


def read_due(
    library: Library, catalogue: Catalogue, now: datetime, password: Passwords
) -> dict[str, LinkResult]:
    """Read again, one after the other, the tables for which it is time: what came of each."""
    wanted = [one for one in due(links_of(library), now) if may_be_read(one, library)]
    return {
        one.link.id: read_link(library, catalogue, one, now, password(one.link.place))
        for one in wanted
    }
