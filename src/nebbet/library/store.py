"""Reading and writing the library; every write is one transaction."""

import hashlib
from collections.abc import Collection, Iterator
from contextlib import contextmanager
from datetime import UTC, date, datetime
from pathlib import Path

from sqlalchemy import ColumnElement, Connection, Engine, insert, select, update
from sqlalchemy.dialects import postgresql, sqlite

from nebbet.core.body import Frame
from nebbet.core.characters import whole
from nebbet.core.errors import NebbetError
from nebbet.core.letter import Content, Passage
from nebbet.core.records import Case, Contact, Fact, Member
from nebbet.core.records.kinds import Kind
from nebbet.library import migrate, register, schema
from nebbet.library.arranging import Arranging
from nebbet.library.catalogue import Catalogue
from nebbet.library.changes import NO_CHANGE, Change
from nebbet.library.disk import on_network, refuse_large
from nebbet.library.documents import (
    WHATEVER,
    Seen,
    put_document,
    put_state,
    remove_document,
)
from nebbet.library.editions import add_edition
from nebbet.library.engine import explained, reading, sqlite_engine
from nebbet.library.entries import Registered
from nebbet.library.holdings import LibraryFile, Overtaken, Role, Template
from nebbet.library.people_writing import KeepingPeople
from nebbet.library.postgres import OLDER, away, postgres_engine, shown_url
from nebbet.library.prompts import Prompting
from nebbet.library.proposals import Proposing
from nebbet.library.reader import Reader
from nebbet.library.remarks import Remarking
from nebbet.library.roles import role_in
from nebbet.library.round_kept import KeepingRounds
from nebbet.library.round_ledger import Rounding
from nebbet.library.rows import (
    RECORDS,
    read_catalogue,
    read_changes,
    read_files,
    template_of,
    template_query,
)
from nebbet.library.server_line import ServerLine
from nebbet.library.team_settings import SettingUp
from nebbet.library.writes import must_be_as

_LONG_AGO = datetime(1970, 1, 2, tzinfo=UTC)  # when somebody was seen who has left


def open_library(
    where: Path | str, role: Role | None = None, line: ServerLine | None = None
) -> "Library":
    """Open the library in a file, or on a PostgreSQL server by its URL, making or updating it where
    needed. role is what the person may do in it; the library itself says, if none is given. With a
    line, for somebody at a keyboard, nothing is made on a server.

    Raises NebbetError when it is no library, is newer than this Nebbet or cannot be used.
    """
    where = where.absolute() if isinstance(where, Path) else where
    named = where.name if isinstance(where, Path) else shown_url(where)
    with explained(f"The library {named} cannot be opened", "It was not touched"):
        if isinstance(where, Path):
            found = migrate.look(where)
            if found == "nothing":
                where.parent.mkdir(mode=0o700, parents=True, exist_ok=True)
            if found == "older":
                migrate.back_up(where)
            engine = sqlite_engine(where)
        else:
            found = None
            engine = postgres_engine(where, line)
        try:
            if line:
                with engine.connect() as connection:
                    migrate.require_current(connection)
            else:
                _bring_up_to_date(engine, found or migrate.look_on_server(engine))
            return Library(engine, role or role_in(engine))
        except Exception:
            engine.dispose()
            raise


def _bring_up_to_date(engine: Engine, found: migrate.Found) -> None:
    if found == "older" and engine.dialect.name == "postgresql":
        # Others are at work on it, and it is backed up first: that is an act of its own.
        raise away("The library cannot be opened", OLDER)
    if found != "current":
        migrate.upgrade(engine)


class Library(
    Proposing, Arranging, KeepingPeople, SettingUp, Remarking, Rounding, KeepingRounds, Prompting
):
    """One open library, and what the person at the keyboard may do in it."""

    def __init__(self, engine: Engine, role: Role = "lead") -> None:
        self.engine = engine
        self.role: Role = role

    @property
    def on_network(self) -> bool:
        """Whether it is a file that lies on another machine."""
        url = self.engine.url
        return url.get_backend_name() == "sqlite" and on_network(Path(url.database or ""))

    def close(self) -> None:
        """Let go of the file, or of the server."""
        self.engine.dispose()

    @contextmanager
    def writing(
        self, what: str, kept: str = "Nothing was changed", *, leads: bool = True
    ) -> Iterator[Connection]:
        """One transaction; what says what cannot be done when it fails. leads says that only a lead
        may do it. Raises NebbetError where the role does not allow it."""
        self.check_reach(what, kept)
        if self.role == "reader":
            raise NebbetError(
                f"{what}: it is read-only here",
                kept=kept,
                advice="Ask for the right to write to it",
            )
        if leads and self.role != "lead":
            raise NebbetError(
                f"{what}: that is for a lead to do", kept=kept, advice="Propose it instead"
            )
        with explained(what, kept), self.engine.begin() as connection:
            yield connection

    def check_reach(self, what: str, kept: str = "") -> None:
        """Raise NebbetError where a library is known to be out of reach."""

    # Reading

    def catalogue(self, now: datetime) -> Catalogue:
        """Read everything but the files' contents."""
        with explained("The library cannot be read"), reading(self.engine) as connection:
            return read_catalogue(connection, now)

    def follow(
        self, now: datetime, known: Catalogue, also: Change = NO_CHANGE
    ) -> tuple[Catalogue, Change]:
        """The library as it is now, and what changed since a known catalogue was read; also is what
        is to be read again whether it changed or not."""
        with explained("The library cannot be read"), reading(self.engine) as connection:
            return read_changes(connection, now, known, also)

    def editions(self, template: str) -> list[Template]:
        """Every edition of a template, newest first, each as the template it made."""
        statement = (
            template_query(schema.edition.c.template == schema.template.c.id)
            .where(schema.template.c.id == template)
            .order_by(schema.edition.c.number.desc())
        )
        with explained("The library cannot be read"), self.engine.connect() as connection:
            made = (template_of(row, Reader()) for row in connection.execute(statement).mappings())
            return [template for template in made if template]

    def files(self) -> dict[str, LibraryFile]:
        """The files without their contents, by SHA-256."""
        with explained("The library cannot be read"), self.engine.connect() as connection:
            return read_files(connection)

    def file_bytes(self, sha256: str) -> bytes:
        """The content of a file. Raises NebbetError when the library does not hold it."""
        statement = select(schema.file.c.data).where(schema.file.c.sha256 == sha256)
        with explained("The file cannot be read"), self.engine.connect() as connection:
            found = connection.scalar(statement)
        if found is not None and hashlib.sha256(found).hexdigest() != sha256:
            raise NebbetError(
                "A file in the library is not what it was when it came in",
                kept="It was not used",
                advice="Tell a lead: nebbet library check says which",
            )
        if found is None:
            raise NebbetError(
                "A file is not in the library any more", advice="Attach it again, or leave it out"
            )
        return bytes(found)

    # The register

    @property
    def register_engine(self) -> Engine:
        """Where the register, people and cases are read."""
        return self.engine

    def latest_letters(self, member: str) -> list[Registered]:
        """The newest letters, and the newest of a member, newest first."""
        return register.latest(self.register_engine, member)

    def letters_like(
        self, listed: list[Registered], messages: Collection[str], member: str
    ) -> list[Registered]:
        """The newest letters as they were listed, with some that were entered since."""
        return register.with_letters(self.engine, listed, messages, member)

    def record(self, entries: Collection[Registered]) -> None:
        """Enter letters that went out into the register; one that is entered already stays as it
        is."""
        with explained("The register cannot be written"), self.engine.begin() as connection:
            register.enter(connection, entries)

    # Writing

    def put_file(self, data: bytes, name: str, media_type: str) -> str:
        """Keep a file and return its SHA-256; the same content is kept once."""
        with self.writing(f"{name} cannot be kept", leads=False) as connection:
            return keep_file(connection, data, name, media_type)

    def put(
        self,
        *records: Member | Contact | Case | Fact | Passage | Kind,
        author: str = "",
        made: datetime | None = None,
        seen: Seen = WHATEVER,
    ) -> None:
        """Keep records, each in the place of an earlier one of the same id. With author and moment
        a fact or passage is kept as one of its states, too. seen is what it was when it was shown,
        None for one that is new. Raises Overtaken when it is another one by now."""
        leads = any(is_for_leads(record) for record in records)
        with self.writing("The change cannot be kept", leads=leads) as connection:
            for record in records:
                table, key = RECORDS[type(record)]
                if made and isinstance(record, Fact | Passage):
                    put_state(connection, table, key, record, author, made, seen=seen)
                else:
                    put_document(connection, table, key, getattr(record, key), record, seen)

    def remove_fact(self, name: str, seen: Seen = WHATEVER) -> None:
        """Take a fact out of the library, as it was seen."""
        with self.writing("The fact cannot be removed") as connection:
            remove_document(connection, schema.fact, "name", name, Fact, seen)

    def remove_kind(self, kind: str, seen: Seen = WHATEVER) -> None:
        """Take a kind of case out of the library, as it was seen; its cases stay."""
        with self.writing("The kind cannot be removed") as connection:
            remove_document(connection, schema.kind, "id", kind, Kind, seen)

    def remove_passage(self, passage: str, seen: Seen = WHATEVER) -> None:
        """Take a passage out of the library, as it was seen."""
        with self.writing("The passage cannot be removed") as connection:
            remove_document(connection, schema.passage, "id", passage, Passage, seen)

    def set_valid_until(self, file: str, day: date | None, seen: Seen = WHATEVER) -> None:
        """Say until when a file should go out; None is for good. seen is the file as it was
        shown."""
        with self.writing("The file cannot be changed") as connection:
            held = read_files(connection, keys=[file]).get(file)
            if seen is not WHATEVER and held != seen:
                raise Overtaken(
                    held, held.valid_until.isoformat() if held and held.valid_until else ""
                )
            table = schema.file.c
            until = held.valid_until if held else None
            at = (table.sha256 == file) & table.valid_until.is_not_distinct_from(until)
            change = update(schema.file).where(at).values(valid_until=day)
            must_be_as(
                connection, change, held, lambda: read_files(connection, keys=[file]).get(file)
            )

    def be_present(self, template: str, member: str, moment: datetime) -> None:
        """Let others see that a member has a template open in the editor."""
        at = _at_editor(template, member)
        with self.writing("The team cannot be told", leads=False) as connection:
            seen = update(schema.presence).where(at).values(seen=moment)
            if not connection.execute(seen).rowcount:
                row = {"template": template, "member": member, "seen": moment}
                connection.execute(insert(schema.presence).values(row))

    def be_gone(self, template: str, member: str) -> None:
        """Let others see that a member has left a template."""
        with self.writing("The team cannot be told", leads=False) as connection:
            gone = update(schema.presence).where(_at_editor(template, member))
            connection.execute(gone.values(seen=_LONG_AGO))

    def put_frame(
        self,
        frame_id: str,
        frame: Frame,
        author: str = "",
        made: datetime | None = None,
        seen: Seen = WHATEVER,
    ) -> None:
        """Keep a frame; with author and moment as one of its states, and as `put`."""
        with self.writing("The frame cannot be kept") as connection:
            if made:
                table = schema.frame
                put_state(connection, table, "id", frame, author, made, frame_id, seen)
            else:
                put_document(connection, schema.frame, "id", frame_id, frame, seen)

    def remove_frame(self, frame_id: str, seen: Seen = WHATEVER) -> None:
        """Take a frame out of the library, as it was seen."""
        with self.writing("The frame cannot be removed") as connection:
            remove_document(connection, schema.frame, "id", frame_id, Frame, seen)

    def add_template(self, template_id: str, shelf: str, title: str) -> None:
        """Start a template, as a draft with no edition yet."""
        row = {"id": template_id, "shelf": shelf, "title": title, "state": "draft"}
        with self.writing("The template cannot be started", leads=False) as connection:
            self.may_fill(connection, shelf)
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
        based_on: int | None = None,
    ) -> int:
        """Make the next edition of a template, put it in use and return its number. based_on is
        the edition that the text was written after, where that matters.

        Raises MovedOn when somebody made another one meanwhile, and NebbetError otherwise.
        """
        kept = "Your text is still on the page"
        with self.writing("The edition cannot be saved", kept, leads=False) as connection:
            self.may_change(connection, template)
            return add_edition(
                connection,
                template,
                title,
                content,
                author=author,
                note=note,
                made=made,
                based_on=based_on,
            )


def _at_editor(template: str, member: str) -> ColumnElement[bool]:
    table = schema.presence.c
    return (table.template == template) & (table.member == member)


def is_for_leads(record: object) -> bool:
    """Whether only a lead may keep a record: contacts, cases and one's own profile are free."""
    if isinstance(record, Member):
        return record.role == "lead"
    return not isinstance(record, Contact | Case)


def keep_file(connection: Connection, data: bytes, name: str, media_type: str) -> str:
    """Keep a file inside a transaction and return its SHA-256; the same content is kept once."""
    refuse_large(name, len(data))
    sha256 = hashlib.sha256(data).hexdigest()
    row = {
        "sha256": sha256,
        "name": whole(name)[-255:],
        "media_type": media_type[:127],
        "size": len(data),
        "data": data,
    }
    # One that somebody else has for themselves is not seen, and is there all the same.
    made = postgresql.insert if connection.dialect.name == "postgresql" else sqlite.insert
    connection.execute(made(schema.file).values(row).on_conflict_do_nothing())
    return sha256
