"""A library in one file: everything in it, who may log in as what, and proof that it is whole.

The file is a zip of open formats: manifest.json says what is in it, library.sqlite is the library
itself, as any SQLite reads it. It does not depend on the version of the server it came from, nor on
that server's own tools being installed.
"""

import errno
import hashlib
import os
import shutil
import sqlite3
import tempfile
import zipfile
from collections.abc import Iterator, Mapping
from contextlib import closing, contextmanager
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import msgspec
from msgspec import Struct
from sqlalchemy import (
    Column,
    Connection,
    Engine,
    Inspector,
    MetaData,
    Table,
    insert,
    inspect,
    select,
    text,
)

from nebbet.core.errors import UNREADABLE, NebbetError
from nebbet.core.records import Member
from nebbet.library import migrate, schema
from nebbet.library.disk import disk_explained
from nebbet.library.engine import explained, sqlite_engine
from nebbet.library.groups import is_role, literal, quoted, run
from nebbet.library.moving import copy_rows, counts, hidden, whole
from nebbet.library.postgres import postgres_engine
from nebbet.library.setting_up import mend_roles, require_rights
from nebbet.library.store import Library, open_library

_KEPT = "Nothing was written"
_FORMAT = 1
_PART = 1 << 20  # bytes read at once
_LONGEST_MANIFEST = 50_000_000  # bytes: the logins of a large team are a few thousand lines


class Login(Struct, frozen=True):
    """Who may log in to the server, under which login, as what. verifier is what the server keeps
    of the password, where whoever made the backup may read that."""

    member: str
    login: str
    role: str
    verifier: str = ""


class Manifest(Struct, frozen=True):
    """What a backup says of itself; rows are counted by table."""

    made: datetime
    revision: str
    rows: dict[str, int]
    sha256: str
    logins: list[Login] = []
    format: int = _FORMAT


def back_up(engine: Engine, path: Path, made: datetime) -> Manifest:
    """Write a library into one file, read it back, and return what is in it. It is written as it
    is: one of an earlier Nebbet, too.

    Raises NebbetError where that cannot be, where the login does not see everything, or where what
    was read back is not what was written; there is no file then.
    """
    with _folder() as folder:
        file = folder / "library.sqlite"
        with whole(engine) as reading:
            revision = migrate.revision_on(reading)
            if unseen := hidden(reading):
                raise NebbetError(
                    f"This login does not see {unseen} rows on others' private shelves",
                    kept=_KEPT,
                    advice="Make backups as whoever keeps the server",
                )
            rows = _copy_as_it_is(reading, file, revision)
            manifest = Manifest(made, revision, rows, _sha256(file), _logins(reading))
        part = path.with_name(f"{path.name}.part")
        with disk_explained(f"The backup {path.name} cannot be written", _KEPT):
            path.parent.mkdir(parents=True, exist_ok=True)
            _pack(part, manifest, file)
        try:
            with opened(part):
                pass
        except NebbetError:
            part.unlink()
            raise
        part.replace(path)
        return manifest


def _copy_as_it_is(reading: Connection, file: Path, revision: str) -> dict[str, int]:
    """Copy all rows into a new file of the same revision; how many each table has."""
    target = sqlite_engine(file)
    migrate.upgrade(target, revision)
    rows: dict[str, int] = {}
    schema_name, looking = migrate.schema_of(reading), inspect(reading)
    with target.connect() as writing:
        writing.exec_driver_sql("PRAGMA foreign_keys = OFF")  # a shelf may come before its parent
        made = inspect(writing)
        for name in {*looking.get_table_names(schema=schema_name)} & {*made.get_table_names()}:
            if name not in _NOT_COPIED and not schema.is_index(name):
                held = _columns(looking, name, schema_name)
                rows[name] = _copy_table(reading, writing, held, _columns(made, name))
        writing.commit()
    target.dispose()
    return rows


_NOT_COPIED = ("alembic_version", "change")  # the new file's own


def _columns(looking: Inspector, name: str, schema_name: str | None = None) -> Table:
    """A table with nothing but its columns."""
    columns = looking.get_columns(name, schema=schema_name)
    found = (Column(column["name"], column["type"]) for column in columns)
    return Table(name, MetaData(), *found, schema=schema_name)


def _copy_table(reading: Connection, writing: Connection, held: Table, made: Table) -> int:
    columns = [column for column in held.columns if column.name in made.columns]
    at_once = 4 if any(column.name == "data" and held.name == "file" for column in columns) else 500
    found = reading.execution_options(yield_per=at_once).execute(select(*columns))
    count = 0
    for some in found.partitions(at_once):
        writing.execute(insert(made), [_in_utc(row._asdict()) for row in some])
        count += len(some)
    return count


def _in_utc(row: Mapping[str, Any]) -> dict[str, Any]:
    """A row with its moments in UTC, as files keep them."""
    return {
        name: value.astimezone(UTC) if isinstance(value, datetime) and value.tzinfo else value
        for name, value in row.items()
    }


def _pack(part: Path, manifest: Manifest, file: Path) -> None:
    part.unlink(missing_ok=True)
    part.touch(mode=0o600)
    with zipfile.ZipFile(part, "w", zipfile.ZIP_DEFLATED) as packed:
        packed.writestr("manifest.json", msgspec.json.format(msgspec.json.encode(manifest)))
        packed.write(file, "library.sqlite")
    with part.open("rb") as written:
        os.fsync(written.fileno())


def _logins(connection: Connection) -> list[Login]:
    if connection.dialect.name != "postgresql":
        return []
    super_user = connection.scalar(
        text("SELECT rolsuper FROM pg_catalog.pg_roles WHERE rolname = session_user")
    )
    kept = "SELECT rolname, rolpassword FROM pg_catalog.pg_authid WHERE rolpassword IS NOT NULL"
    verifiers = {row[0]: row[1] for row in connection.execute(text(kept))} if super_user else {}
    table = schema.member.c
    found = []
    rows = select(table.id, table.data, table.login).where(table.login.is_not(None))
    for key, data, login in connection.execute(rows):
        try:
            role = msgspec.json.decode(data, type=Member).role
        except UNREADABLE:
            role = "colleague"
        found.append(Login(key, login, role, verifiers.get(login, "")))
    return found


@contextmanager
def opened(path: Path) -> Iterator[tuple[Manifest, Library]]:
    """A backup, read and checked: what it says of itself, and the library in it. Raises NebbetError
    where it is none, or not whole."""
    with _folder() as folder:
        file = folder / "library.sqlite"
        try:
            with (
                disk_explained(f"The backup {path.name} cannot be read"),
                zipfile.ZipFile(path) as packed,
            ):
                _must_have_room(packed, folder)
                manifest = msgspec.json.decode(packed.read("manifest.json"), type=Manifest)
                with packed.open("library.sqlite") as inside, file.open("wb") as out:
                    shutil.copyfileobj(inside, out, _PART)
        except (zipfile.BadZipFile, KeyError, EOFError, NotImplementedError, *UNREADABLE):
            raise _damaged(path) from None
        if manifest.format > _FORMAT or manifest.revision not in migrate.REVISIONS:
            raise NebbetError(
                f"The backup {path.name} was made by a newer Nebbet",
                kept="It was not touched",
                advice="Update Nebbet on this computer",
            )
        if _sha256(file) != manifest.sha256 or not _is_sound(file):
            raise _damaged(path)
        with closing(open_library(file)) as library:
            with library.engine.connect() as connection:
                now = counts(connection)
            if any(now.get(name) != count for name, count in manifest.rows.items()):
                raise _damaged(path)
            yield manifest, library


def _must_have_room(packed: zipfile.ZipFile, folder: Path) -> None:
    """Raise OSError where what the zip says of itself cannot be unpacked here, before anything
    is."""
    said = packed.getinfo("manifest.json").file_size
    if said > _LONGEST_MANIFEST:
        raise zipfile.BadZipFile
    if packed.getinfo("library.sqlite").file_size > shutil.disk_usage(folder).free:
        raise OSError(errno.ENOSPC, os.strerror(errno.ENOSPC))


def restore(path: Path, where: Path | str) -> tuple[int, list[str]]:
    """Bring a backup back into a new file or an empty database, all of it or nothing; how many rows
    that was, and what else was done, in sentences."""
    kept = "Nothing was brought back"
    with opened(path) as (manifest, library), whole(library.engine) as reading:
        if isinstance(where, Path):
            if where.exists():
                raise NebbetError(
                    f"There is a file {where.name} already", kept=kept, advice="Choose a new name"
                )
            with closing(open_library(where)) as made, made.engine.begin() as writing:
                return copy_rows(reading, writing), []
        engine = postgres_engine(where)
        try:
            require_rights(engine)
            if migrate.look_on_server(engine) != "nothing":
                raise NebbetError(
                    "There is a library in this database already",
                    kept=kept,
                    advice="Choose an empty database",
                )
            with explained("The backup cannot be brought back", kept), engine.connect() as writing:
                migrate.upgrade_in(writing)
                count = copy_rows(reading, writing)
                done = _mend(writing, manifest)
                writing.commit()
                return count, done
        finally:
            engine.dispose()


def _mend(connection: Connection, manifest: Manifest) -> list[str]:
    """Make the logins that the server does not have, with their passwords where these are known."""
    made = []
    for login in manifest.logins:
        if is_role(connection, login.login):
            continue
        known = f" PASSWORD {literal(login.verifier)}" if login.verifier else ""
        run(connection, f"CREATE ROLE {quoted(login.login)} LOGIN{known}")
        words = "with the password it had" if known else "without a password: give it one"
        made.append(f"The login {login.login} was made, {words}")
    return [*made, *mend_roles(connection)]


def keep_newest(folder: Path, most: int) -> list[Path]:
    """Take away all backups in a folder but the newest; those that went."""
    with disk_explained("Old backups cannot be taken away"):
        held = sorted(folder.glob(f"*{ENDING}"), key=lambda path: path.stat().st_mtime)
        gone = held[: max(len(held) - most, 0)]
        for path in gone:
            path.unlink()
    return gone


ENDING = ".nebbet-backup"


@contextmanager
def _folder() -> Iterator[Path]:
    with (
        disk_explained("There is no room for what is written on the way", _KEPT),
        tempfile.TemporaryDirectory(prefix="nebbet-") as folder,
    ):
        yield Path(folder)


def _sha256(path: Path) -> str:
    with path.open("rb") as opened_file:
        return hashlib.file_digest(opened_file, "sha256").hexdigest()


def _is_sound(path: Path) -> bool:
    try:
        with closing(sqlite3.connect(path)) as connection:
            return bool(connection.execute("PRAGMA integrity_check").fetchone() == ("ok",))
    except sqlite3.Error:
        return False


def _damaged(path: Path) -> NebbetError:
    return NebbetError(
        f"{path.name} is not a whole backup of a library",
        kept="It was not touched",
        advice="Take another one",
    )
