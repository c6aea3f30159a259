"""Looking through a whole library: is everything there, and is it what it says?"""

import hashlib
from collections.abc import Iterator
from datetime import UTC, datetime
from typing import Any

import msgspec
from sqlalchemy import Connection, Table, delete, func, select, text, update

from nebbet.core.body import Frame
from nebbet.core.checks import Grade
from nebbet.core.errors import UNREADABLE
from nebbet.core.letter import Content, passages_in
from nebbet.core.letter.files import files_in
from nebbet.core.letter.signature import SIGNATURE
from nebbet.core.records import Case, Contact, Member
from nebbet.core.rounds import RoundRules
from nebbet.library import schema
from nebbet.library.catalogue import Unread
from nebbet.library.editions import add_edition
from nebbet.library.engine import explained
from nebbet.library.rows import RECORDS, KeptCalendar, read_catalogue
from nebbet.library.store import Library

_DOCUMENTS: dict[str, tuple[Table, str, type]] = {
    kind.__name__.lower(): (table, key, kind) for kind, (table, key) in RECORDS.items()
} | {"frame": (schema.frame, "id", Frame)}
_SETTINGS: dict[str, Any] = {
    "calendar": KeptCalendar,
    "words": frozenset[str],
    "checks": dict[str, Grade],
    "rounds": RoundRules,
}

_LATEST = datetime(9000, 1, 1, tzinfo=UTC)


def problems(library: Library) -> list[str]:
    """What is wrong with a library, one sentence each; nothing is changed.

    Looks at the database's own structure, the contents of files against their SHA-256, values
    against their types, and at what editions and proposals refer to.
    """
    with explained("The library cannot be checked"), library.engine.connect() as connection:
        found = [
            *_structure(connection),
            *_files(connection),
            *_documents(connection),
            *_contents(connection),
            *_in_use(connection),
        ]
        passed_over = (*read_catalogue(connection, _LATEST).unread, *_unread_people(connection))
    told = " ".join(found)
    return found + [
        f"The {row.table.rstrip('_')} {row.key} cannot be read, and is passed over"
        for row in passed_over
        if row.key not in told
    ]


def mend(library: Library, now: datetime) -> list[str]:
    """Take out what cannot be read, one sentence for each; where that is the edition in use, the
    newest one that can be read is put in use again. Raises NebbetError where one may not."""
    done: list[str] = []
    with explained("The library cannot be checked"), library.engine.connect() as connection:
        people = _unread_people(connection)
    for row in (*library.catalogue(now).unread, *people):
        with library.writing("The library cannot be mended") as connection:
            if row.table == "template":
                done.append(_bring_back(connection, row.key, now))
            elif row.table in ("member", "shelf"):
                done.append(_bare(connection, row))
            else:
                table = schema.metadata.tables[row.table]
                key = next(iter(table.primary_key))
                connection.execute(delete(table).where(key == row.key))
                done.append(f"Taken out: {row.table.rstrip('_')} {row.key}, which nobody can read")
    return done


def _unread_people(connection: Connection) -> tuple[Unread, ...]:
    """The people and cases that nobody can read, or that say that they are another one."""
    found = []
    kinds: tuple[tuple[Table, type[Contact] | type[Case]], ...] = (
        (schema.contact, Contact),
        (schema.case, Case),
    )
    for table, kind in kinds:
        rows = select(table.c.id, table.c.data).execution_options(yield_per=1000)
        for key, data in connection.execute(rows):
            try:
                is_itself = msgspec.json.decode(data, type=kind).id == key
            except UNREADABLE:
                is_itself = False
            if not is_itself:
                found.append(Unread(table.name, key))
    return tuple(found)


def _bare(connection: Connection, row: Unread) -> str:
    """What others refer to stays, with nothing but its name."""
    table = schema.metadata.tables[row.table]
    bare: dict[str, object] = {"name": row.key, "parent": None, "position": 0}
    if row.table == "member":
        bare = {"data": msgspec.json.encode(Member(row.key, "", row.key, "")).decode()}
    connection.execute(update(table).where(table.c.id == row.key).values(bare))
    return f"Only its name is left of the {row.table} {row.key}, which nobody could read"


def _bring_back(connection: Connection, template: str, now: datetime) -> str:
    """Put the newest edition that can be read in use again."""
    table, edition = schema.template, schema.edition.c
    rows = select(edition.number, edition.content).where(edition.template == template)
    for number, text_ in connection.execute(rows.order_by(edition.number.desc())).all():
        if _unreadable(text_, Content):
            continue
        title = connection.scalar(select(table.c.title).where(table.c.id == template)) or template
        note = f"Edition {number} again: a later one cannot be read"
        content = msgspec.json.decode(text_, type=Content)
        add_edition(
            connection, template, str(title), content, author="", note=note, made=now, based_on=None
        )
        return f"Template {template}: edition {number} is in use again"
    retired = {"state": "retired", "edition": 0}
    connection.execute(update(table).where(table.c.id == template).values(retired))
    return f"Template {template}: no edition of it can be read; it is retired"


def _structure(connection: Connection) -> Iterator[str]:
    if connection.dialect.name != "sqlite":
        return  # a server keeps its references by itself
    for (said,) in connection.execute(text("PRAGMA integrity_check")):
        if said != "ok":
            yield f"The file is damaged: {said}"
    for table, row, other, _ in connection.execute(text("PRAGMA foreign_key_check")):
        yield f"A row of {table} ({row}) refers to a {other} that is not there"


def _files(connection: Connection) -> Iterator[str]:
    table = schema.file
    names = connection.execute(select(table.c.sha256, table.c.name, table.c.size)).all()
    for sha256, name, size in names:  # one after the other: together they may not fit into memory
        data = connection.scalar(select(table.c.data).where(table.c.sha256 == sha256)) or b""
        if hashlib.sha256(data).hexdigest() != sha256 or len(data) != size:
            yield f"The file {name} is not what it was when it came in"


def _documents(connection: Connection) -> Iterator[str]:
    for name, (table, key, kind) in _DOCUMENTS.items():
        for at, data in connection.execute(select(table.c[key], table.c.data)):
            if said := _unreadable(data, kind):
                yield f"The {name} {at} cannot be read: {said}"
    kinds = {name: kind for name, (_table, _key, kind) in _DOCUMENTS.items()}
    former = schema.former.c
    for name, at, number, data in connection.execute(
        select(former.kind, former.key, former.number, former.data)
    ):
        if said := _unreadable(data, kinds.get(name, object)):
            yield f"State {number} of the {name} {at} cannot be read: {said}"
    for at, data in connection.execute(select(schema.setting)):
        if at in _SETTINGS and (said := _unreadable(data, _SETTINGS[at])):
            yield f"The setting {at} cannot be read: {said}"


def _unreadable(data: str, kind: Any) -> str:
    try:
        msgspec.json.decode(data, type=kind)
    except UNREADABLE as error:
        return str(error)
    return ""


def _contents(connection: Connection) -> Iterator[str]:
    files = set(connection.scalars(select(schema.file.c.sha256)))
    passages = set(connection.scalars(select(schema.passage.c.id)))
    edition, proposal = schema.edition.c, schema.proposal.c
    waiting = select(proposal.title, proposal.content).where(proposal.state == "waiting")
    rows = [
        *((f"Edition {n} of {t}", c) for t, n, c in connection.execute(
            select(edition.template, edition.number, edition.content))),
        *((f"The proposal for {title}", c) for title, c in connection.execute(waiting)),
    ]  # fmt: skip
    newest = set(_newest(connection))
    for what, data in rows:
        if said := _unreadable(data, Content):
            yield f"{what} cannot be read: {said}"
            continue
        content = msgspec.json.decode(data, type=Content)
        for file in sorted(files_in(content) - files):
            yield f"{what} needs a file that is not there ({file[:12]}…)"
        for passage in (
            sorted({*passages_in(content)} - passages - {SIGNATURE}) if what in newest else ()
        ):
            yield f"{what} includes a passage that is not there ({passage})"


def _newest(connection: Connection) -> Iterator[str]:
    """The editions in use: an old one may speak of a passage that has gone since."""
    table = schema.template.c
    for template, number in connection.execute(select(table.id, table.edition)):
        yield f"Edition {number} of {template}"


def _in_use(connection: Connection) -> Iterator[str]:
    t, e = schema.template.c, schema.edition.c
    last = select(e.template, func.max(e.number).label("last")).group_by(e.template).subquery()
    rows = connection.execute(
        select(t.id, t.state, t.edition, last.c.last).select_from(
            schema.template.outerjoin(last, last.c.template == t.id)
        )
    )
    for template, state, edition, newest in rows:
        if (newest or 0) != edition:
            yield f"The template {template} says edition {edition}, but the newest is {newest}"
        if state == "in use" and not edition:
            yield f"The template {template} is in use without an edition"
