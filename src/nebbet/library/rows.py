"""Reading the library's tables into what the catalogue holds."""

from collections.abc import Iterable, Mapping
from datetime import date, datetime, timedelta
from typing import Any, TypeVar

import msgspec
from sqlalchemy import Connection, RowMapping, Table, func, select

from nebbet.core.body import BUILT_IN, Frame
from nebbet.core.dates import WorkingCalendar, is_code, zone_of
from nebbet.core.errors import UNREADABLE, NebbetError
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
    Unread,
    Usage,
)

_Any = TypeVar("_Any")
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


class Reader:
    """Reads rows that others may have written: what cannot be read is passed over and named."""

    def __init__(self) -> None:
        self.unread: list[Unread] = []

    def decoded(self, text: object, kind: type[_Any], table: str, key: str) -> _Any | None:
        """A value of its JSON; None where it is none."""
        try:
            return msgspec.json.decode(str(text), type=kind)
        except UNREADABLE:
            self.unread.append(Unread(table, key))
            return None

    def made(
        self, kind: type[_Any], values: Mapping[str, Any], table: str, key: str
    ) -> _Any | None:
        """A struct of the columns of a row; None where one of them is none of its kind."""
        try:
            return msgspec.convert(dict(values), kind)
        except UNREADABLE:
            self.unread.append(Unread(table, key))
            return None


def read_catalogue(
    connection: Connection, now: datetime, known: Catalogue | None = None
) -> Catalogue:
    """Everything but the files' contents. Texts that a known catalogue holds are not read again:
    an edition never changes. One row that cannot be read hides no other: it is named in unread."""
    reader = Reader()
    found = Catalogue(
        shelves=_shelves(connection, reader),
        templates=_templates(connection, known.templates if known else {}, reader),
        members=_records(connection, Member, reader),
        contacts=_records(connection, Contact, reader),
        cases=_records(connection, Case, reader),
        facts=_records(connection, Fact, reader),
        frames=_frames(connection, reader),
        passages=_records(connection, Passage, reader),
        files=read_files(connection, reader),
        words=read_words(connection, reader),
        usage=_usage(connection, now),
        calendar=_calendar(connection, reader),
        proposals=_proposals(connection, now, reader),
        editing=_editing(connection, now),
    )
    return msgspec.structs.replace(found, unread=tuple(reader.unread))


def _editing(connection: Connection, now: datetime) -> dict[str, tuple[str, ...]]:
    """Who was heard of at a template's editor not long ago."""
    table = schema.presence.c
    lately = select(table.template, table.member).where(table.seen >= now - PRESENT_FOR)
    found: dict[str, tuple[str, ...]] = {}
    for template, member in connection.execute(lately.order_by(table.template, table.member)):
        found[template] = (*found.get(template, ()), member)
    return found


def _proposals(connection: Connection, now: datetime, reader: Reader) -> dict[str, Proposal]:
    """What waits, and what was decided not long ago; oldest first."""
    table = schema.proposal
    wanted = (table.c.state == "waiting") | (table.c.decided >= now - TOLD_FOR)
    rows = connection.execute(select(table).where(wanted).order_by(table.c.made, table.c.id))
    found = (_proposal(row, reader) for row in rows.mappings())
    return {proposal.id: proposal for proposal in found if proposal}


def _proposal(row: RowMapping, reader: Reader) -> Proposal | None:
    key = str(row["id"])
    content = reader.decoded(row["content"], Content, "proposal", key)
    if content is None:
        return None
    values = {name: row[name] for name in Proposal.__struct_fields__ if name != "content"}
    values |= {"content": content, "decider": row["decider"] or ""}
    return reader.made(Proposal, values, "proposal", key)


def _setting(connection: Connection, name: str) -> str | None:
    statement = select(schema.setting.c.value).where(schema.setting.c.name == name)
    return connection.scalar(statement)


def read_files(connection: Connection, reader: Reader | None = None) -> dict[str, LibraryFile]:
    """The files without their contents, by SHA-256."""
    table, reader = schema.file.c, reader or Reader()
    columns = (table.sha256, table.name, table.media_type, table.size, table.valid_until)
    found = {
        row["sha256"]: reader.made(
            LibraryFile, {n: row[n] for n in LibraryFile.__struct_fields__}, "file", row["sha256"]
        )
        for row in connection.execute(select(*columns)).mappings()
    }
    return {key: file for key, file in found.items() if file}


def read_words(connection: Connection, reader: Reader | None = None) -> frozenset[str]:
    """The words that the team's spelling takes."""
    text, reader = _setting(connection, "words"), reader or Reader()
    words = reader.decoded(text, frozenset[str], "setting", "words") if text else None
    return words or frozenset()


def _records(
    connection: Connection, kind: type[_Record], reader: Reader, table: Table | None = None
) -> dict[str, _Record]:
    where, key = (table, "id") if table is not None else RECORDS[kind]
    rows = connection.execute(select(where.c[key], where.c.data).order_by(where.c[key]))
    found = {str(at): reader.decoded(data, kind, where.name, str(at)) for at, data in rows}
    kept: dict[str, _Record] = {}
    for at, record in found.items():
        if record is not None and getattr(record, key, at) != at and not isinstance(record, Frame):
            reader.unread.append(Unread(where.name, at))  # it says that it is another one
        elif record is not None:
            kept[at] = record
    return kept


def _frames(connection: Connection, reader: Reader) -> dict[str, Frame]:
    """The team's frames, then those that are built in."""
    return _records(connection, Frame, reader, schema.frame) | BUILT_IN


def _shelves(connection: Connection, reader: Reader) -> tuple[Shelf, ...]:
    table = schema.shelf
    rows = connection.execute(select(table).order_by(table.c.position, table.c.name)).mappings()
    made = (
        reader.made(
            Shelf,
            {n: row[n] or "" for n in ("id", "name", "parent", "owner")},
            "shelf",
            str(row["id"]),
        )
        for row in rows
    )
    return tuple(shelf for shelf in made if shelf)


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


def _templates(
    connection: Connection, known: Mapping[str, Template], reader: Reader
) -> dict[str, Template]:
    t, e = schema.template, schema.edition
    beside = connection.execute(select(t.c.id, t.c.edition, *(t.c[n] for n in _BESIDE)))
    # Plain tuples: there may be many thousand.
    rows = sorted((tuple(row) for row in beside), key=lambda row: str(row[0]))
    found = {
        key: again
        for key, edition, *values in rows
        if (held := known.get(key)) and held.edition == edition
        if (again := _again(held, values, reader))
    }
    missing = [row[0] for row in rows if row[0] not in found]
    in_use = template_query((e.c.template == t.c.id) & (e.c.number == t.c.edition))
    wholes = [in_use] if len(missing) == len(rows) else _of_some(in_use, missing)
    for statement in wholes:
        for row in connection.execute(statement).mappings():
            made = template_of(row, reader)
            if made:
                found[made.id] = made
    return {row[0]: found[row[0]] for row in rows if row[0] in found}


_BESIDE = ("shelf", "title", "state", "pinned", "origin", "origin_edition")


def _again(held: Template, values: list[Any], reader: Reader) -> Template | None:
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
    now = msgspec.structs.asdict(held) | dict(zip(_BESIDE, values, strict=True))
    return reader.made(Template, now, "template", held.id)


def _of_some(query: Any, keys: list[str], size: int = 500) -> Iterable[Any]:
    """The query for some templates, in portions: a database takes only so many keys at once."""
    for start in range(0, len(keys), size):
        yield query.where(schema.template.c.id.in_(keys[start : start + size]))


def template_of(row: RowMapping, reader: Reader) -> Template | None:
    """A template of a row of `template_query`; None where the row cannot be read."""
    text, key = row["content"], str(row["id"])
    content = reader.decoded(text, Content, "template", key) if text else Content()
    if content is None or not content.texts:
        return None
    values = {name: row[name] for name in ("id", *_BESIDE, "made")} | {
        "pinned": bool(row["pinned"]),
        "edition": row["number"] or 0,
        "content": content,
        "author": row["author"] or "",
        "note": row["note"] or "",
    }
    return reader.made(Template, values, "template", key)


def _usage(connection: Connection, now: datetime) -> dict[str, Usage]:
    table = schema.register.c
    newest = select(table.template, func.max(table.sent)).group_by(table.template)
    last = {row[0]: row[1] for row in connection.execute(newest) if row[1] is not None}
    weeks: dict[str, list[int]] = {}
    since = now - timedelta(weeks=USAGE_WEEKS)
    lately = select(table.template, table.sent).where(table.sent > since)
    for template, sent in connection.execute(lately):
        if sent is None:
            continue
        ago = max((now - sent) // timedelta(weeks=1), 0)
        if ago < USAGE_WEEKS:
            weeks.setdefault(template, [0] * USAGE_WEEKS)[-1 - ago] += 1
    return {t: Usage(sent, tuple(weeks.get(t, ()))) for t, sent in last.items()}


def _calendar(connection: Connection, reader: Reader) -> WorkingCalendar:
    text = _setting(connection, "calendar")
    kept = reader.decoded(text, KeptCalendar, "setting", "calendar") if text else None
    kept = kept or KeptCalendar()
    try:
        if kept.zone:
            zone_of(kept.zone)
        if is_code(kept.code) and kept.weekdays and kept.weekdays <= set(range(7)):
            return WorkingCalendar(kept.code, kept.closed, kept.weekdays, kept.zone)
    except NebbetError:
        pass
    reader.unread.append(Unread("setting", "calendar"))
    return WorkingCalendar()
