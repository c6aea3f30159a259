"""Reading and writing the library; every write is one transaction."""

import hashlib
from collections.abc import Iterable, Mapping
from datetime import date, datetime, timedelta
from pathlib import Path
from typing import Any, TypeVar

import msgspec
from sqlalchemy import Connection, Engine, RowMapping, Table, delete, insert, select, update

from nebbet.core.body import BUILT_IN, Frame
from nebbet.core.dates import WorkingCalendar, calendar_for
from nebbet.core.errors import NebbetError
from nebbet.core.letter import Content, Passage
from nebbet.core.records import Case, Contact, Fact, Member
from nebbet.library import migrate, schema
from nebbet.library.catalogue import (
    USAGE_WEEKS,
    Catalogue,
    LibraryFile,
    Shelf,
    State,
    Template,
    Usage,
)
from nebbet.library.disk import refuse_large
from nebbet.library.engine import explained, sqlite_engine

_Record = TypeVar("_Record", Member, Contact, Case, Frame, Fact, Passage)
_RECORDS: Mapping[type, tuple[Table, str]] = {
    Member: (schema.member, "id"),
    Contact: (schema.contact, "id"),
    Case: (schema.case, "id"),
    Fact: (schema.fact, "name"),
    Passage: (schema.passage, "id"),
}


def open_library(path: Path) -> "Library":
    """Open the library file at a path, making or updating it where needed.

    Raises NebbetError when the file is no library, is newer than this Nebbet or cannot be used.
    """
    with explained(f"The library {path.name} cannot be opened", "It was not touched"):
        found = migrate.look(path)
        if found == "nothing":
            path.parent.mkdir(parents=True, exist_ok=True)
        engine = sqlite_engine(path)
        if found != "current":
            migrate.upgrade(engine)
        return Library(engine)


class Library:
    """One open library."""

    def __init__(self, engine: Engine) -> None:
        self.engine = engine

    def close(self) -> None:
        """Let go of the file."""
        self.engine.dispose()

    # Reading

    def catalogue(self, now: datetime) -> Catalogue:
        """Read everything but the files' contents."""
        with explained("The library cannot be read"), self.engine.connect() as connection:
            return Catalogue(
                shelves=_shelves(connection),
                templates=_templates(connection),
                members=_records(connection, Member),
                contacts=_records(connection, Contact),
                cases=_records(connection, Case),
                facts=_records(connection, Fact),
                frames=_frames(connection),
                passages=_records(connection, Passage),
                files=_files(connection),
                words=_words(connection),
                usage=_usage(connection, now),
                calendar=_calendar(connection),
            )

    def editions(self, template: str) -> list[Template]:
        """Every edition of a template, newest first, each as the template it made."""
        statement = (
            _template_query(schema.edition.c.template == schema.template.c.id)
            .where(schema.template.c.id == template)
            .order_by(schema.edition.c.number.desc())
        )
        with explained("The library cannot be read"), self.engine.connect() as connection:
            return [_template(row) for row in connection.execute(statement).mappings()]

    def file_bytes(self, sha256: str) -> bytes:
        """The content of a file. Raises NebbetError when the library does not hold it."""
        statement = select(schema.file.c.data).where(schema.file.c.sha256 == sha256)
        with explained("The file cannot be read"), self.engine.connect() as connection:
            found = connection.scalar(statement)
        if found is None:
            raise NebbetError(
                "A file is not in the library any more", advice="Attach it again, or leave it out"
            )
        return bytes(found)

    # Writing

    def put_file(self, data: bytes, name: str, media_type: str) -> str:
        """Keep a file and return its SHA-256; the same content is kept once."""
        refuse_large(name, len(data))
        sha256 = hashlib.sha256(data).hexdigest()
        row = {
            "sha256": sha256,
            "name": name[-255:],
            "media_type": media_type[:127],
            "size": len(data),
            "data": data,
        }
        with explained(f"{name} cannot be kept"), self.engine.begin() as connection:
            held = select(schema.file.c.sha256).where(schema.file.c.sha256 == sha256)
            if connection.scalar(held) is None:
                connection.execute(insert(schema.file).values(row))
        return sha256

    def put(self, *records: Member | Contact | Case | Fact | Passage) -> None:
        """Keep records, each in the place of an earlier one of the same id."""
        with explained("The change cannot be kept"), self.engine.begin() as connection:
            for record in records:
                table, key = _RECORDS[type(record)]
                _put(connection, table, key, getattr(record, key), record)

    def remove_fact(self, name: str) -> None:
        """Take a fact out of the library."""
        with explained("The fact cannot be removed"), self.engine.begin() as connection:
            connection.execute(delete(schema.fact).where(schema.fact.c.name == name))

    def remove_passage(self, passage: str) -> None:
        """Take a passage out of the library."""
        with explained("The passage cannot be removed"), self.engine.begin() as connection:
            connection.execute(delete(schema.passage).where(schema.passage.c.id == passage))

    def set_valid_until(self, file: str, day: date | None) -> None:
        """Say until when a file should go out; None is for good."""
        change = update(schema.file).where(schema.file.c.sha256 == file).values(valid_until=day)
        with explained("The file cannot be changed"), self.engine.begin() as connection:
            connection.execute(change)

    def add_word(self, word: str) -> None:
        """Let the team's spelling take a word from now on."""
        with explained("The word cannot be kept"), self.engine.begin() as connection:
            words = sorted({*_words(connection), word})
            _put_setting(connection, "words", msgspec.json.encode(words).decode())

    def put_frame(self, frame_id: str, frame: Frame) -> None:
        """Keep a frame."""
        with explained("The frame cannot be kept"), self.engine.begin() as connection:
            _put(connection, schema.frame, "id", frame_id, frame)

    def put_calendar(
        self,
        code: str,
        closed: Mapping[date, str],
        zone: str = "",
        weekdays: frozenset[int] = frozenset(range(5)),
    ) -> None:
        """Set the team's working days: a calendar code, the closure days with their names, the
        working weekdays (Monday is 0) and the time zone."""
        calendar_for(code, closed, zone, weekdays)
        value = _Calendar(code, dict(closed), weekdays, zone)
        with explained("The calendar cannot be kept"), self.engine.begin() as connection:
            _put_setting(connection, "calendar", msgspec.json.encode(value).decode())

    def remove_frame(self, frame_id: str) -> None:
        """Take a frame out of the library."""
        with explained("The frame cannot be removed"), self.engine.begin() as connection:
            connection.execute(delete(schema.frame).where(schema.frame.c.id == frame_id))

    def add_shelf(self, shelf: Shelf, position: int = 0) -> None:
        """Put up a shelf."""
        row = {"id": shelf.id, "name": shelf.name, "parent": shelf.parent or None}
        with explained("The shelf cannot be put up"), self.engine.begin() as connection:
            connection.execute(insert(schema.shelf).values(**row, position=position))

    def add_template(self, template_id: str, shelf: str, title: str) -> None:
        """Start a template, as a draft with no edition yet."""
        row = {"id": template_id, "shelf": shelf, "title": title, "state": "draft"}
        with explained("The template cannot be started"), self.engine.begin() as connection:
            connection.execute(insert(schema.template).values(**row, pinned=False, edition=0))

    def save_edition(
        self,
        template: str,
        title: str,
        content: Content,
        *,
        author: str,
        note: str,
        made: datetime,
    ) -> int:
        """Make the next edition of a template, put it in use and return its number."""
        kept = "Your text is still on the page"
        with explained("The edition cannot be saved", kept), self.engine.begin() as connection:
            last = connection.scalar(
                select(schema.edition.c.number)
                .where(schema.edition.c.template == template)
                .order_by(schema.edition.c.number.desc())
                .limit(1)
            )
            number = (last or 0) + 1
            row = {
                "template": template,
                "number": number,
                "content": msgspec.json.encode(content).decode(),
                "author": author or None,
                "made": made,
                "note": note,
            }
            connection.execute(insert(schema.edition).values(row))
            change = {"edition": number, "title": title, "state": "in use"}
            connection.execute(
                update(schema.template).where(schema.template.c.id == template).values(change)
            )
        return number

    def set_template(
        self,
        template: str,
        *,
        state: State | None = None,
        pinned: bool | None = None,
        shelf: str | None = None,
    ) -> None:
        """Change a template's state, pin or shelf; None leaves a value as it is."""
        values = {"state": state, "pinned": pinned, "shelf": shelf}
        change = {name: value for name, value in values.items() if value is not None}
        with explained("The template cannot be changed"), self.engine.begin() as connection:
            connection.execute(
                update(schema.template).where(schema.template.c.id == template).values(change)
            )


class _Calendar(msgspec.Struct, frozen=True):
    """The JSON form of the team's calendar."""

    code: str = ""
    closed: dict[date, str] = msgspec.field(default_factory=dict)
    weekdays: frozenset[int] = frozenset(range(5))
    zone: str = ""


def _put(connection: Connection, table: Table, key: str, value: str, record: object) -> None:
    data = msgspec.json.encode(record).decode()
    changed = connection.execute(update(table).where(table.c[key] == value).values(data=data))
    if not changed.rowcount:
        connection.execute(insert(table).values(**{key: value, "data": data}))


def _put_setting(connection: Connection, name: str, value: str) -> None:
    connection.execute(delete(schema.setting).where(schema.setting.c.name == name))
    connection.execute(insert(schema.setting).values(name=name, value=value))


def _setting(connection: Connection, name: str) -> str | None:
    statement = select(schema.setting.c.value).where(schema.setting.c.name == name)
    return connection.scalar(statement)


def _files(connection: Connection) -> dict[str, LibraryFile]:
    table = schema.file.c
    rows = connection.execute(
        select(table.sha256, table.name, table.media_type, table.size, table.valid_until)
    )
    return {row[0]: LibraryFile(*row[1:]) for row in rows}


def _words(connection: Connection) -> frozenset[str]:
    text = _setting(connection, "words")
    return msgspec.json.decode(text, type=frozenset[str]) if text else frozenset()


def _decoded(rows: Iterable[tuple[str, str]], kind: type[_Record]) -> dict[str, _Record]:
    return {key: msgspec.json.decode(data, type=kind) for key, data in rows}


def _records(connection: Connection, kind: type[_Record]) -> dict[str, _Record]:
    table, key = _RECORDS[kind]
    rows = connection.execute(select(table.c[key], table.c.data).order_by(table.c[key]))
    return _decoded(((row[0], row[1]) for row in rows), kind)


def _frames(connection: Connection) -> dict[str, Frame]:
    rows = connection.execute(select(schema.frame.c.id, schema.frame.c.data))
    """The team's frames, then those that are built in."""
    return _decoded(((row[0], row[1]) for row in rows), Frame) | BUILT_IN


def _shelves(connection: Connection) -> tuple[Shelf, ...]:
    table = schema.shelf
    rows = connection.execute(select(table).order_by(table.c.position, table.c.name)).mappings()
    return tuple(Shelf(row["id"], row["name"], row["parent"] or "") for row in rows)


def _template_query(joined: Any) -> Any:
    return select(
        schema.template,
        schema.edition.c.number,
        schema.edition.c.content,
        schema.edition.c.author,
        schema.edition.c.made,
        schema.edition.c.note,
    ).select_from(schema.template.outerjoin(schema.edition, joined))


def _templates(connection: Connection) -> dict[str, Template]:
    t, e = schema.template, schema.edition
    in_use = (e.c.template == t.c.id) & (e.c.number == t.c.edition)
    rows = connection.execute(_template_query(in_use)).mappings()
    return {row["id"]: _template(row) for row in rows}


def _template(row: RowMapping) -> Template:
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
    )


def _usage(connection: Connection, now: datetime) -> dict[str, Usage]:
    table = schema.register
    rows = connection.execute(select(table.c.template, table.c.sent).order_by(table.c.sent))
    last: dict[str, datetime] = {}
    weeks: dict[str, list[int]] = {}
    for template, sent in rows:
        last[template] = sent
        ago = max((now - sent) // timedelta(weeks=1), 0)
        if ago < USAGE_WEEKS:
            weeks.setdefault(template, [0] * USAGE_WEEKS)[-1 - ago] += 1
    return {t: Usage(sent, tuple(weeks.get(t, ()))) for t, sent in last.items()}


def _calendar(connection: Connection) -> WorkingCalendar:
    text = _setting(connection, "calendar")
    kept = msgspec.json.decode(text, type=_Calendar) if text else _Calendar()
    return WorkingCalendar(kept.code, kept.closed, kept.weekdays, kept.zone)
