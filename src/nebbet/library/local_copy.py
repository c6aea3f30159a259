"""A copy of a team's library on this machine: what a window opens with, and goes on with when the
server cannot be worked with."""

import hashlib
import sqlite3
from collections.abc import Iterable, Mapping
from datetime import datetime
from pathlib import Path
from typing import Any

import msgspec
from msgspec import Struct
from sqlalchemy import (
    Column,
    Connection,
    Engine,
    LargeBinary,
    MetaData,
    String,
    Table,
    delete,
    insert,
    select,
)
from sqlalchemy.exc import DBAPIError

from nebbet.core.body import Frame
from nebbet.core.checks import Grade
from nebbet.core.dates import WorkingCalendar
from nebbet.core.errors import UNREADABLE, NebbetError
from nebbet.core.letter import Passage
from nebbet.core.portions import portions
from nebbet.core.records import Case, Contact, Fact, Member
from nebbet.core.records.kinds import Kind
from nebbet.core.rounds import RoundRules
from nebbet.library import copied_people, register, schema
from nebbet.library.catalogue import Catalogue
from nebbet.library.changes import different
from nebbet.library.copied_people import KeptPeople
from nebbet.library.disk import disk_explained
from nebbet.library.engine import explained, sqlite_engine
from nebbet.library.entries import Registered
from nebbet.library.held_fields import HeldField
from nebbet.library.holdings import LibraryFile, Proposal, Role, Shelf, Template, Usage

_CANNOT = "The copy of the library on this computer cannot be kept"
_VERSION = 3
MOST_LETTERS = 5000  # entries of the register: the newest
# The parts of a catalogue, by the kind of their values: one row for each value, or one for all.
_ROWS: dict[str, type[Any]] = {
    "templates": Template,
    "members": Member,
    "samples": Case,
    "sample_people": Contact,
    "kinds": Kind,
    "facts": Fact,
    "frames": Frame,
    "passages": Passage,
    "files": LibraryFile,
    "usage": Usage,
    "proposals": Proposal,
}
_WHOLE: dict[str, Any] = {
    "shelves": tuple[Shelf, ...],
    "words": frozenset[str],
    "calendar": WorkingCalendar,
    "held": tuple[HeldField, ...],
    "grades": dict[str, Grade],
    "round_rules": RoundRules,
    "mark": str,
}

# Tables that are asked for as the library's own, and are empty here: they are on the server alone.
_ON_SERVER = (
    schema.remark, schema.round_, schema.round_row, schema.round_release, schema.kept_round,
    schema.prompted,
)  # fmt: skip
_metadata = MetaData()
_held = Table(
    "held",
    _metadata,
    Column("kind", String, primary_key=True),
    Column("key", String, primary_key=True),
    Column("data", LargeBinary, nullable=False),
    sqlite_with_rowid=False,
)


class Kept(Struct, frozen=True):
    """The library as it was at a moment, and what the person may do in it; with the newest letters
    of the register."""

    moment: datetime
    role: Role
    catalogue: Catalogue
    entries: list[Registered] = []


class _About(Struct, frozen=True):
    place: str
    moment: datetime
    role: Role


class LocalCopy:
    """A folder with the catalogue and the register in a file, and the contents of the library's
    files. Only what is another one than the last time is written, and all of that or nothing.

    place is the library's, without a password: what was kept of another one counts for nothing.
    """

    def __init__(self, folder: Path, place: str) -> None:
        self._folder, self._place = folder, place
        self._files = folder / "files"
        self._engine: Engine | None = None
        self._last: Kept | None = None  # what the file holds

    def read(self) -> Kept | None:
        """What was kept last of this library; nothing where that is not there or damaged."""
        if self._last is None and self._path.exists():
            try:
                self._last = self._read()
            except (OSError, sqlite3.Error, DBAPIError, *UNREADABLE):
                return None
        return self._last

    @property
    def _path(self) -> Path:
        return self._folder / "copy.sqlite"

    @property
    def engine(self) -> Engine:
        """The file; the register's letters are in a table as the library's own."""
        if self._engine is None:
            with disk_explained(_CANNOT):
                self._folder.mkdir(mode=0o700, parents=True, exist_ok=True)
                self._path.touch(mode=0o600)
            self._engine = sqlite_engine(self._path)
        return self._engine

    def close(self) -> None:
        """Let go of the file."""
        if self._engine:
            self._engine.dispose()
            self._engine = None

    def _read(self) -> Kept | None:
        with self.engine.connect() as connection:
            if connection.exec_driver_sql("PRAGMA user_version").scalar() != _VERSION:
                return None
            rows = connection.execute(select(_held)).all()
            letters = register.latest(connection.engine)
        about: _About | None = None
        parts: dict[str, Any] = {kind: {} for kind in _ROWS}
        for kind, key, data in rows:
            if kind == "about":
                about = msgspec.msgpack.decode(data, type=_About)
            elif kind in _WHOLE:
                parts[kind] = msgspec.msgpack.decode(data, type=_WHOLE[kind])
            elif kind in _ROWS:
                parts[kind][key] = msgspec.msgpack.decode(data, type=_ROWS[kind])
        if about is None or about.place != self._place:
            return None
        return Kept(about.moment, about.role, Catalogue(**parts), letters)

    def keep(
        self, moment: datetime, role: Role, catalogue: Catalogue, entries: list[Registered]
    ) -> None:
        """Keep the library as it is now: what is another one since it was kept last."""
        last = self.read()
        try:
            self._keep(last, Kept(moment, role, catalogue, entries))
        except NebbetError:
            if last is not None:
                raise
            self._start_anew()  # what lies there is damaged, or of another Nebbet
            self._keep(None, Kept(moment, role, catalogue, entries))

    def _start_anew(self) -> None:
        self.close()
        with disk_explained(_CANNOT):
            for path in self._folder.glob(f"{self._path.name}*"):
                path.unlink()

    def _keep(self, last: Kept | None, now: Kept) -> None:
        with explained(_CANNOT), self.engine.begin() as connection:
            if last is None:
                (self._folder / "library").unlink(missing_ok=True)  # as Nebbet 0.1 kept it
                _metadata.drop_all(connection)
                connection.exec_driver_sql("DROP TABLE IF EXISTS register_words")
                for table in (schema.register, *_ON_SERVER):
                    table.drop(connection, checkfirst=True)
                _metadata.create_all(connection)
                schema.register.create(connection)
                for table in _ON_SERVER:
                    table.create(connection)
                for statement in schema.WORDS_OF_LETTERS:
                    connection.exec_driver_sql(statement)
                copied_people.make_tables(connection)
                connection.exec_driver_sql(f"PRAGMA user_version = {_VERSION}")
            before = last or Kept(now.moment, now.role, Catalogue())
            for kind in _ROWS:
                held, wanted = getattr(before.catalogue, kind), getattr(now.catalogue, kind)
                changed, gone = different(held, wanted)
                _put(connection, kind, {key: wanted[key] for key in changed}, gone)
            for kind in _WHOLE:
                wanted = getattr(now.catalogue, kind)
                if last is None or wanted != getattr(before.catalogue, kind):
                    _put(connection, kind, {"": wanted})
            _put(connection, "about", {"": _About(self._place, now.moment, now.role)})
            known = {entry.message_id for entry in before.entries}
            _put_letters(connection, [e for e in now.entries if e.message_id not in known])
        self._last = now

    # People and cases

    def keep_people(self, reading: Connection, entries: Iterable[Registered]) -> None:
        """Copy the people and cases that changed on the server since they were copied last."""
        with explained(_CANNOT), self.engine.begin() as connection:
            kept = self._kept_people(connection)
            now = copied_people.bring_up_to_date(reading, connection, kept, entries)
            if now != kept:
                _put(connection, "people", {"": now})

    def _kept_people(self, connection: Connection) -> KeptPeople:
        data = connection.scalar(select(_held.c.data).where(_held.c.kind == "people"))
        return msgspec.msgpack.decode(data, type=KeptPeople) if data else KeptPeople()

    def put_person(self, record: Contact | Case) -> None:
        """Show somebody, or a case, that waits for the server."""
        with explained(_CANNOT), self.engine.begin() as connection:
            table = schema.contact if isinstance(record, Contact) else schema.case
            copied_people.put(connection, table, record)

    def forget_people(self) -> None:
        """Copy all people and cases anew the next time: something is not as it was shown here."""
        with explained(_CANNOT), self.engine.begin() as connection:
            _put(connection, "people", {"": KeptPeople()})

    # Files

    def missing(self, files: Iterable[str]) -> list[str]:
        """Those of the files, by SHA-256, whose contents are not kept."""
        return [file for file in files if not (self._files / file).exists()]

    def keep_file(self, data: bytes) -> str:
        """Keep the content of a file and return its SHA-256."""
        sha256 = hashlib.sha256(data).hexdigest()
        with disk_explained(_CANNOT):
            self._files.mkdir(mode=0o700, parents=True, exist_ok=True)
            _write(self._files / sha256, data)
        return sha256

    def file(self, sha256: str) -> bytes | None:
        """The content of a file, if it is kept whole."""
        try:
            data = (self._files / sha256).read_bytes()
        except OSError:
            return None
        return data if hashlib.sha256(data).hexdigest() == sha256 else None

    def forget_files(self, needed: Iterable[str]) -> None:
        """Let go of all files but those that are needed."""
        kept = set(needed)
        with disk_explained(_CANNOT):
            for path in self._files.iterdir() if self._files.exists() else ():
                if path.name not in kept:
                    path.unlink()


def _put(
    connection: Connection, kind: str, values: Mapping[str, object], gone: Iterable[str] = ()
) -> None:
    for some in portions([*values, *gone], 500):
        connection.execute(delete(_held).where(_held.c.kind == kind, _held.c.key.in_(some)))
    if values:
        rows = [
            {"kind": kind, "key": key, "data": msgspec.msgpack.encode(value)}
            for key, value in values.items()
        ]
        connection.execute(insert(_held), rows)


def _put_letters(connection: Connection, entries: list[Registered]) -> None:
    """Keep letters, and the newest ones alone."""
    table = schema.register
    if not entries:
        return
    register.enter(connection, entries)
    newest = select(table.c.sent).order_by(table.c.sent.desc()).offset(MOST_LETTERS).limit(1)
    if (oldest := connection.scalar(newest)) is not None:
        connection.execute(delete(table).where(table.c.sent <= oldest))


def _write(path: Path, data: bytes) -> None:
    part = path.with_name(f"{path.name}.part")
    part.write_bytes(data)
    part.replace(path)
