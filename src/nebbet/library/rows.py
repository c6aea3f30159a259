"""Reading the library's tables into what the catalogue holds."""

from collections.abc import Callable, Collection, Iterable, Iterator, Mapping
from datetime import date, datetime, time, timedelta
from typing import Any, TypeVar

import msgspec
from msgspec.structs import replace
from sqlalchemy import Connection, Integer, RowMapping, Table, cast, func, literal, select

from nebbet.core.body import BUILT_IN, Frame
from nebbet.core.checks import Grade
from nebbet.core.dates import NINE_TO_FIVE, WorkingCalendar, is_code, zone_of
from nebbet.core.errors import NebbetError
from nebbet.core.letter import Content, Passage
from nebbet.core.portions import portions
from nebbet.core.records import Case, Contact, Fact, Member
from nebbet.core.records.kinds import Kind
from nebbet.core.rounds import RoundRules
from nebbet.library import schema
from nebbet.library.catalogue import Catalogue, Unread
from nebbet.library.change_log import mark_now, since
from nebbet.library.changes import NO_CHANGE, Change
from nebbet.library.holdings import USAGE_WEEKS, LibraryFile, Proposal, Shelf, Template, Usage
from nebbet.library.reader import Reader
from nebbet.library.samples import read_samples
from nebbet.library.writes import setting

_Any = TypeVar("_Any")
Keys = Collection[str]
_Record = TypeVar("_Record", Member, Frame, Fact, Passage, Kind)
RECORDS: Mapping[type, tuple[Table, str]] = {
    Member: (schema.member, "id"),
    Contact: (schema.contact, "id"),
    Case: (schema.case, "id"),
    Fact: (schema.fact, "name"),
    Passage: (schema.passage, "id"),
    Kind: (schema.kind, "id"),
}
_FEW = 400  # samples: while there are fewer, what is new may be one
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
    hours: tuple[time, time] = NINE_TO_FIVE


def read_catalogue(connection: Connection, now: datetime) -> Catalogue:
    """Everything but the files' contents. One row that cannot be read hides no other: it is named
    in unread."""
    mark = mark_now(connection)
    reader = Reader()
    found = Catalogue(
        shelves=_shelves(connection, reader),
        templates=_templates(connection, reader),
        members=_records(Member, connection, reader),
        facts=_records(Fact, connection, reader),
        frames=_frames(connection, reader),
        passages=_records(Passage, connection, reader),
        files=read_files(connection, reader),
        words=read_words(connection, reader),
        usage=_usage(connection, now),
        calendar=_calendar(connection, reader),
        proposals=_proposals(connection, now, reader),
        editing=_editing(connection, now),
        kinds=_records(Kind, connection, reader),
        grades=read_grades(connection, reader),
        round_rules=read_round_rules(connection, reader),
        mark=mark,
    )
    found = replace(found, **read_samples(connection))
    return replace(found, unread=tuple(reader.unread))


def read_changes(
    connection: Connection, now: datetime, known: Catalogue, also: Change = NO_CHANGE
) -> tuple[Catalogue, Change]:
    """The catalogue as it is now, and what changed since the known one was read; only that is
    read, however much there is beside it, and what else is asked for."""
    mark, change = since(connection, known.mark)
    change = change.joined(also)
    if change.everything:
        return read_catalogue(connection, now), change
    editing = _editing(connection, now)
    if editing != known.editing:
        change = Change({**change.keys, "presence": frozenset({*editing, *known.editing})})
    if not change:
        return known, change
    reader = Reader()
    fresh: dict[str, Any] = {"editing": editing, "mark": mark}
    for kind, (name, read_again) in _ANEW.items():
        if change.of(kind):
            fresh[name] = read_again(connection, now, reader)
    for kind, (name, read_some) in _BY_KEY.items():
        if keys := change.of(kind):
            found = read_some(connection, reader, keys)
            fresh[name] = _with(getattr(known, name), keys, found)
    if _touches_samples(change, known):
        fresh |= read_samples(connection)
    if change.of("proposal"):
        fresh["proposals"] = _oldest_first(fresh["proposals"].values())
    if change.of("setting"):
        fresh["words"] = read_words(connection, reader)
        fresh["grades"] = read_grades(connection, reader)
        fresh["round_rules"] = read_round_rules(connection, reader)
    sent = change.of("register")
    if change.of("usage"):
        fresh["usage"] = _usage(connection, now)
    elif sent:
        used = _templates_of(connection, sent)
        fresh["usage"] = {**known.usage, **_usage(connection, now, used)}
    told = [row for row in known.unread if not _is_read_again(row, change)]
    return replace(known, **fresh, unread=(*told, *reader.unread)), change


def _touches_samples(change: Change, known: Catalogue) -> bool:
    return bool(
        change.of("held_field")
        or change.of("case") & known.samples.keys()
        or change.of("contact") & known.sample_people.keys()
        or (change.of("case") and len(known.samples) < _FEW)
    )


def _is_read_again(row: Unread, change: Change) -> bool:
    kind = row.table.rstrip("_")
    return row.key in change.of(kind) or (kind in _ANEW and bool(change.of(kind)))


def _with(held: Mapping[str, _Any], keys: Keys, found: Mapping[str, _Any]) -> dict[str, _Any]:
    """What was held, with the rows that are other ones now; in the order of the keys."""
    made = {**held, **found}
    for key in keys:
        if key not in found:
            made.pop(key, None)
    return dict(sorted(made.items())) if any(key not in held for key in found) else made


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
    rows = connection.execute(select(table).where(wanted))
    return _oldest_first(_proposal(row._mapping, reader) for row in rows)


def _some_proposals(connection: Connection, reader: Reader, keys: Keys) -> dict[str, Proposal]:
    table = schema.proposal
    rows = _rows(connection, select(table), table.c.id, keys)
    return _oldest_first(_proposal(row._mapping, reader) for row in rows)


def _oldest_first(found: Iterable[Proposal | None]) -> dict[str, Proposal]:
    known = [proposal for proposal in found if proposal]
    return {one.id: one for one in sorted(known, key=lambda one: (one.made, one.id))}


def _proposal(row: RowMapping, reader: Reader) -> Proposal | None:
    key = str(row["id"])
    content = reader.decoded(row["content"], Content, "proposal", key)
    if content is None:
        return None
    values = {name: row[name] for name in Proposal.__struct_fields__ if name != "content"}
    values |= {"content": content, "decider": row["decider"] or ""}
    return reader.made(Proposal, values, "proposal", key)


def read_files(
    connection: Connection, reader: Reader | None = None, keys: Keys | None = None
) -> dict[str, LibraryFile]:
    """The files without their contents, by SHA-256."""
    table, reader = schema.file.c, reader or Reader()
    columns = (table.sha256, table.name, table.media_type, table.size, table.valid_until)
    found = {
        row["sha256"]: reader.made(
            LibraryFile, {n: row[n] for n in LibraryFile.__struct_fields__}, "file", row["sha256"]
        )
        for row in (r._mapping for r in _rows(connection, select(*columns), table.sha256, keys))
    }
    return {key: file for key, file in found.items() if file}


def read_words(connection: Connection, reader: Reader | None = None) -> frozenset[str]:
    """The words that the team's spelling takes."""
    text, reader = setting(connection, "words"), reader or Reader()
    words = reader.decoded(text, frozenset[str], "setting", "words") if text else None
    return words or frozenset()


def read_grades(connection: Connection, reader: Reader | None = None) -> dict[str, Grade]:
    """The grades that a lead has given to checks, by their rules."""
    return grades_of(setting(connection, "checks"), reader)


def grades_of(text: str | None, reader: Reader | None = None) -> dict[str, Grade]:
    """The grades that a setting says; none where it says none."""
    reader = reader or Reader()
    return (reader.decoded(text, dict[str, Grade], "setting", "checks") if text else None) or {}


def read_round_rules(connection: Connection, reader: Reader | None = None) -> RoundRules:
    """What a lead allows in rounds."""
    return round_rules_of(setting(connection, "rounds"), reader)


def round_rules_of(text: str | None, reader: Reader | None = None) -> RoundRules:
    """What a setting allows in rounds; everything where it says nothing."""
    reader = reader or Reader()
    return (reader.decoded(text, RoundRules, "setting", "rounds") if text else None) or RoundRules()


def _records(
    kind: type[_Record],
    connection: Connection,
    reader: Reader,
    keys: Keys | None = None,
    table: Table | None = None,
) -> dict[str, _Record]:
    where, key = (table, "id") if table is not None else RECORDS[kind]
    query = select(where.c[key], where.c.data).order_by(where.c[key])
    rows = _rows(connection, query, where.c[key], keys)
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
    return _records(Frame, connection, reader, table=schema.frame) | BUILT_IN


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
    connection: Connection, reader: Reader, keys: Keys | None = None
) -> dict[str, Template]:
    t, e = schema.template.c, schema.edition.c
    in_use = template_query((e.template == t.id) & (e.number == t.edition)).order_by(t.id)
    found = (template_of(row._mapping, reader) for row in _rows(connection, in_use, t.id, keys))
    return {template.id: template for template in found if template}


_BESIDE = ("shelf", "title", "state", "pinned", "origin", "origin_edition")


def _rows(
    connection: Connection, query: Any, column: Any, keys: Keys | None, size: int = 500
) -> Iterator[Any]:
    """The rows of a query; those of some keys alone where such are given, in portions: a database
    takes only so many at once."""
    if keys is None:
        yield from connection.execute(query)
        return
    for some in portions(sorted(keys), size):
        yield from connection.execute(query.where(column.in_(some)))


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


def _templates_of(connection: Connection, sent: Keys) -> frozenset[str]:
    """The templates of some letters of the register."""
    table = schema.register.c
    return frozenset(
        row[0] for row in _rows(connection, select(table.template), table.message_id, sent)
    )


def _usage(connection: Connection, now: datetime, keys: Keys | None = None) -> dict[str, Usage]:
    table = schema.register.c
    newest = select(table.template, func.max(table.sent)).group_by(table.template)
    of_some = _rows(connection, newest, table.template, keys)
    last = {row[0]: row[1] for row in of_some if row[1] is not None}
    weeks: dict[str, list[int]] = {}
    ago = _weeks_ago(connection, now)
    since = now - timedelta(weeks=USAGE_WEEKS)
    lately = select(table.template, ago, func.count()).where(table.sent > since)
    for template, before, count in _rows(
        connection, lately.group_by(table.template, ago), table.template, keys
    ):
        if before is not None and before < USAGE_WEEKS:
            weeks.setdefault(template, [0] * USAGE_WEEKS)[-1 - max(int(before), 0)] += count
    return {t: Usage(sent, tuple(weeks.get(t, ()))) for t, sent in last.items()}


def _weeks_ago(connection: Connection, now: datetime) -> Any:
    """How many whole weeks ago a letter went, worked out by the database: it need not send them
    all."""
    sent = schema.register.c.sent
    if connection.dialect.name == "postgresql":
        return func.floor(func.extract("epoch", literal(now, schema.Moment()) - sent) / 604800)
    days = func.julianday(literal(now, schema.Moment())) - func.julianday(sent)
    return cast(days / 7, Integer)


def _calendar(connection: Connection, reader: Reader) -> WorkingCalendar:
    text = setting(connection, "calendar")
    kept = reader.decoded(text, KeptCalendar, "setting", "calendar") if text else None
    made = _made(kept or KeptCalendar())
    if made is None:
        reader.unread.append(Unread("setting", "calendar"))
    return made or WorkingCalendar()


def calendar_of(text: str | None) -> WorkingCalendar:
    """The calendar that a setting says; the plain one where it says none."""
    reader = Reader()
    kept = reader.decoded(text, KeptCalendar, "setting", "calendar") if text else None
    return _made(kept) or WorkingCalendar()


def with_word(text: str | None, word: str) -> str:
    """The words of a setting with one more."""
    held = Reader().decoded(text, frozenset[str], "setting", "words") if text else None
    return msgspec.json.encode(sorted({*(held or ()), word})).decode()


def _made(kept: KeptCalendar | None) -> WorkingCalendar | None:
    if kept is None or not is_sound(kept):
        return None
    return WorkingCalendar(kept.code, kept.closed, kept.weekdays, kept.zone, kept.hours)


def kept_calendar(calendar: WorkingCalendar) -> KeptCalendar:
    """A calendar in its JSON form."""
    closed = dict(sorted(calendar.closed.items()))
    return KeptCalendar(calendar.code, closed, calendar.weekdays, calendar.zone, calendar.hours)


def is_sound(kept: KeptCalendar) -> bool:
    """Whether a kept calendar can be counted in."""
    try:
        if kept.zone:
            zone_of(kept.zone)
    except NebbetError:
        return False
    week = bool(kept.weekdays) and kept.weekdays <= set(range(7))
    return is_code(kept.code) and week and kept.hours[0] < kept.hours[1]


# The kinds of which there may be very many are read by their keys, the others as a whole: where the
# catalogue holds them, and what reads them.
_BY_KEY: Mapping[str, tuple[str, Callable[[Connection, Reader, Keys], dict[str, Any]]]] = {
    "template": ("templates", _templates),
    "file": ("files", read_files),
    "proposal": ("proposals", _some_proposals),
}
_ANEW: Mapping[str, tuple[str, Callable[[Connection, datetime, Reader], Any]]] = {
    "shelf": ("shelves", lambda c, _now, reader: _shelves(c, reader)),
    "member": ("members", lambda c, _now, reader: _records(Member, c, reader)),
    "kind": ("kinds", lambda c, _now, reader: _records(Kind, c, reader)),
    "fact": ("facts", lambda c, _now, reader: _records(Fact, c, reader)),
    "passage": ("passages", lambda c, _now, reader: _records(Passage, c, reader)),
    "frame": ("frames", lambda c, _now, reader: _frames(c, reader)),
    "setting": ("calendar", lambda c, _now, reader: _calendar(c, reader)),
}
