"""Reading the library's tables into what the catalogue holds."""

from collections.abc import Iterable, Mapping
from datetime import date, datetime, timedelta
from typing import Any, TypeVar

import msgspec
from sqlalchemy import Connection, RowMapping, Table, func, select

from nebbet.core.body import BUILT_IN, Frame
from nebbet.core.dates import WorkingCalendar
from nebbet.core.letter import Content, Passage
from nebbet.core.records import Case, Contact, Fact, Member
from nebbet.library import schema
from nebbet.library.catalogue import (
    USAGE_WEEKS,
    Catalogue,
    LibraryFile,
    Proposal,
    Shelf,
    Template,
    Usage,
)

_Record = TypeVar("_Record", Member, Contact, Case, Frame, Fact, Passage)
RECORDS: Mapping[type, tuple[Table, str]] = {
    Member: (schema.member, "id"),
    Contact: (schema.contact, "id"),
    Case: (schema.case, "id"),
    Fact: (schema.fact, "name"),
    Passage: (schema.passage, "id"),
}
# How long a proposal that was decided on is still told.
TOLD_FOR = timedelta(days=90)
# How long somebody who is not heard of any more counts as editing.
PRESENT_FOR = timedelta(seconds=90)


class KeptCalendar(msgspec.Struct, frozen=True):
    """The JSON form of the team's calendar."""

    code: str = ""
    closed: dict[date, str] = msgspec.field(default_factory=dict)
    weekdays: frozenset[int] = frozenset(range(5))
    zone: str = ""


def read_catalogue(
    connection: Connection, now: datetime, known: Catalogue | None = None
) -> Catalogue:
    """Everything but the files' contents. Texts that a known catalogue holds are not read again:
    an edition never changes."""
    return Catalogue(
        shelves=_shelves(connection),
        templates=_templates(connection, known.templates if known else {}),
        members=_records(connection, Member),
        contacts=_records(connection, Contact),
        cases=_records(connection, Case),
        facts=_records(connection, Fact),
        frames=_frames(connection),
        passages=_records(connection, Passage),
        files=read_files(connection),
        words=read_words(connection),
        usage=_usage(connection, now),
        calendar=_calendar(connection),
        proposals=_proposals(connection, now),
        editing=_editing(connection, now),
    )


def _editing(connection: Connection, now: datetime) -> dict[str, tuple[str, ...]]:
    """Who was heard of at a template's editor not long ago."""
    table = schema.presence.c
    lately = select(table.template, table.member).where(table.seen >= now - PRESENT_FOR)
    found: dict[str, tuple[str, ...]] = {}
    for template, member in connection.execute(lately.order_by(table.template, table.member)):
        found[template] = (*found.get(template, ()), member)
    return found


def _proposals(connection: Connection, now: datetime) -> dict[str, Proposal]:
    """What waits, and what was decided not long ago; oldest first."""
    table = schema.proposal
    wanted = (table.c.state == "waiting") | (table.c.decided >= now - TOLD_FOR)
    rows = connection.execute(select(table).where(wanted).order_by(table.c.made, table.c.id))
    return {row["id"]: _proposal(row) for row in rows.mappings()}


def _proposal(row: RowMapping) -> Proposal:
    values = {name: row[name] for name in Proposal.__struct_fields__ if name != "content"}
    content = msgspec.json.decode(row["content"], type=Content)
    return Proposal(content=content, **values | {"decider": row["decider"] or ""})


def _setting(connection: Connection, name: str) -> str | None:
    statement = select(schema.setting.c.value).where(schema.setting.c.name == name)
    return connection.scalar(statement)


def read_files(connection: Connection) -> dict[str, LibraryFile]:
    """The files without their contents, by SHA-256."""
    table = schema.file.c
    rows = connection.execute(
        select(table.sha256, table.name, table.media_type, table.size, table.valid_until)
    )
    return {row[0]: LibraryFile(*row[1:]) for row in rows}


def read_words(connection: Connection) -> frozenset[str]:
    """The words that the team's spelling takes."""
    text = _setting(connection, "words")
    return msgspec.json.decode(text, type=frozenset[str]) if text else frozenset()


def _decoded(rows: Iterable[tuple[str, str]], kind: type[_Record]) -> dict[str, _Record]:
    return {key: msgspec.json.decode(data, type=kind) for key, data in rows}


def _records(connection: Connection, kind: type[_Record]) -> dict[str, _Record]:
    table, key = RECORDS[kind]
    rows = connection.execute(select(table.c[key], table.c.data).order_by(table.c[key]))
    return _decoded(((row[0], row[1]) for row in rows), kind)


def _frames(connection: Connection) -> dict[str, Frame]:
    rows = connection.execute(select(schema.frame.c.id, schema.frame.c.data))
    """The team's frames, then those that are built in."""
    return _decoded(((row[0], row[1]) for row in rows), Frame) | BUILT_IN


def _shelves(connection: Connection) -> tuple[Shelf, ...]:
    table = schema.shelf
    rows = connection.execute(select(table).order_by(table.c.position, table.c.name)).mappings()
    return tuple(
        Shelf(row["id"], row["name"], row["parent"] or "", row["owner"] or "") for row in rows
    )


def template_query(joined: Any) -> Any:
    """Templates, each with the edition that the condition joins to it."""
    return select(
        schema.template,
        schema.edition.c.number,
        schema.edition.c.content,
        schema.edition.c.author,
        schema.edition.c.made,
        schema.edition.c.note,
    ).select_from(schema.template.outerjoin(schema.edition, joined))


def _templates(connection: Connection, known: Mapping[str, Template]) -> dict[str, Template]:
    t, e = schema.template, schema.edition
    beside = connection.execute(select(t.c.id, t.c.edition, *(t.c[n] for n in _BESIDE)))
    rows = sorted(tuple(row) for row in beside)  # plain tuples: there may be many thousand
    found = {
        key: _again(held, values)
        for key, edition, *values in rows
        if (held := known.get(key)) and held.edition == edition
    }
    missing = [row[0] for row in rows if row[0] not in found]
    in_use = template_query((e.c.template == t.c.id) & (e.c.number == t.c.edition))
    wholes = [in_use] if len(missing) == len(rows) else _of_some(in_use, missing)
    for statement in wholes:
        for row in connection.execute(statement).mappings():
            found[row["id"]] = template_of(row)
    return {row[0]: found[row[0]] for row in rows if row[0] in found}


_BESIDE = ("shelf", "title", "state", "pinned", "origin", "origin_edition")


def _again(held: Template, values: list[Any]) -> Template:
    """A template that is known, with what may be another now beside its edition."""
    shelf, title, state, pinned, origin, number = values
    if (
        held.shelf == shelf
        and held.title == title
        and held.state == state
        and held.pinned == pinned
        and held.origin == origin
        and held.origin_edition == number
    ):
        return held
    return msgspec.structs.replace(held, **dict(zip(_BESIDE, values, strict=True)))


def _of_some(query: Any, keys: list[str], size: int = 500) -> Iterable[Any]:
    """The query for some templates, in portions: a database takes only so many keys at once."""
    for start in range(0, len(keys), size):
        yield query.where(schema.template.c.id.in_(keys[start : start + size]))


def template_of(row: RowMapping) -> Template:
    """A template of a row of `template_query`."""
    content = row["content"]
    return Template(
        id=row["id"],
        shelf=row["shelf"],
        title=row["title"],
        state=row["state"],
        pinned=row["pinned"],
        edition=row["number"] or 0,
        content=msgspec.json.decode(content, type=Content) if content else Content(),
        author=row["author"] or "",
        made=row["made"],
        note=row["note"] or "",
        origin=row["origin"],
        origin_edition=row["origin_edition"],
    )


def _usage(connection: Connection, now: datetime) -> dict[str, Usage]:
    table = schema.register.c
    newest = select(table.template, func.max(table.sent)).group_by(table.template)
    last = {row[0]: row[1] for row in connection.execute(newest)}
    weeks: dict[str, list[int]] = {}
    since = now - timedelta(weeks=USAGE_WEEKS)
    lately = select(table.template, table.sent).where(table.sent > since)
    for template, sent in connection.execute(lately):
        ago = max((now - sent) // timedelta(weeks=1), 0)
        if ago < USAGE_WEEKS:
            weeks.setdefault(template, [0] * USAGE_WEEKS)[-1 - ago] += 1
    return {t: Usage(sent, tuple(weeks.get(t, ()))) for t, sent in last.items()}


def _calendar(connection: Connection) -> WorkingCalendar:
    text = _setting(connection, "calendar")
    kept = msgspec.json.decode(text, type=KeptCalendar) if text else KeptCalendar()
    return WorkingCalendar(kept.code, kept.closed, kept.weekdays, kept.zone)
