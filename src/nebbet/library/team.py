"""A library on a server that may be away: reading goes on with what was read last, and what is
handed in meanwhile waits and goes up in order, once."""

from collections.abc import Callable, Collection
from datetime import datetime
from functools import partial

import msgspec
from msgspec import Struct
from sqlalchemy import Connection, Engine

from nebbet.core.errors import NebbetError
from nebbet.core.letter import Passage
from nebbet.core.records import Case, Contact, Fact, Member
from nebbet.core.records.kinds import Kind
from nebbet.library import migrate
from nebbet.library.catalogue import Catalogue
from nebbet.library.changes import EVERYTHING, NO_CHANGE, Change
from nebbet.library.disk import refuse_large
from nebbet.library.documents import WHATEVER, Seen
from nebbet.library.engine import explained, reading
from nebbet.library.entries import Registered
from nebbet.library.holdings import LibraryFile, Proposal, Role, Template
from nebbet.library.local_copy import Kept, LocalCopy
from nebbet.library.people import People
from nebbet.library.people_writing import T
from nebbet.library.postgres import (
    GONE,
    Away,
    Reason,
    away,
)
from nebbet.library.roles import role_at
from nebbet.library.rows import read_changes
from nebbet.library.server_line import QUIET, ServerLine
from nebbet.library.store import Library
from nebbet.library.waiting import (
    RECORDS,
    File,
    Put,
    Queue,
    Waiting,
    Withdrawal,
    WriteKind,
    laid_over,
    value_of,
)


class AtOpening(Struct, frozen=True):
    """What a window opens with."""

    catalogue: Catalogue
    entries: list[Registered]


class TeamLibrary(Library):
    """A library on a server, the copy of it here, and what waits to go up.

    away says why the server cannot be worked with, if so: then nothing asks it any more until
    `back` is told. What was read last stays what one works on.
    """

    def __init__(
        self,
        engine: Engine,
        role: Role,
        copy: LocalCopy,
        queue: Queue,
        line: ServerLine,
        *,
        fixed_role: bool = False,
        kept: Kept | None = None,
    ) -> None:
        super().__init__(engine, role)
        self.copy, self._queue, self.line = copy, queue, line
        self._fixed_role, self._told_role = fixed_role, role
        self._kept = kept
        self.read_at = kept.moment if kept else None
        self._away: Reason | None = None
        self.losses = 0  # how often it went away
        self.password_ends: datetime | None = None  # where it is one to begin with
        self._met = False  # whether the server was asked which library it has
        self._laid: dict[int, Change] = {}  # what waits and is shown as if it were there

    @property
    def away(self) -> Reason | None:
        """Why the server cannot be worked with; nothing where it can."""
        return self._away

    def gone(self, reason: Reason = GONE) -> None:
        """The server cannot be worked with: what waits for its answer waits no longer."""
        self._away = reason
        self.losses += 1
        self.line.quiet = 0.0

    def back(self) -> None:
        """The server answers again: hand in what waits, in order. Raises NebbetError for the first
        that the library does not take; it is set aside, and the others go up."""
        self.line.quiet, self._met, self._away = QUIET, False, None
        self.engine.pool.dispose()  # what was connected before is not to be trusted
        self.meet()
        if self.away:
            raise away("The library cannot be opened", self.away)
        self.hand_in()

    def meet(self) -> None:
        """Ask the server which library it has, and as what one is let in."""
        try:
            with explained("The library cannot be opened"), reading(self.engine) as connection:
                self._meet(connection)
        except Away as error:
            self.gone(error.reason)

    def hurry(self, seconds: float) -> None:
        """The program ends: nothing is waited for longer than that."""
        self.line.quiet = min(self.line.quiet, seconds)

    def close(self) -> None:
        """Let go of the server and of the copy."""
        super().close()
        self.copy.close()

    def rest(self) -> None:
        """Give back a connection that nobody uses."""
        from nebbet.library.bounded import let_go

        let_go(self.engine, self.line)

    @property
    def register_engine(self) -> Engine:
        """Where the register, people and cases are read: on the server, or what the copy has."""
        return self.copy.engine if self.away and self.copy.read() else self.engine

    def ask_people(self, read: Callable[[People], T]) -> T:
        """Read something of people and cases; from the copy where the server does not answer."""
        try:
            return super().ask_people(read)
        except Away as error:
            if not self.away:
                self.gone(error.reason)
            if not self.copy.read():
                raise
            return super().ask_people(read)

    def _meet(self, connection: Connection) -> None:
        """See what is there, and as what one is let in. Raises Away where that cannot be worked
        with."""
        role = role_at(connection)
        if not self._fixed_role:
            self.role = role
        if not self._met:
            migrate.require_current(connection)
            from nebbet.library.logins import ends

            self.password_ends = ends(connection)
        self._met = True

    def keep_copy(self, moment: datetime, catalogue: Catalogue, entries: list[Registered]) -> None:
        """Bring the copy up to date, with the contents of all files."""
        if self.away or not self._met:
            return
        self.copy.keep(moment, self.role, catalogue, entries)
        with explained("The library cannot be read"), reading(self.engine) as connection:
            self.copy.keep_people(connection, entries)
        for file in self.copy.missing(catalogue.files):
            try:
                data = super().file_bytes(file)
            except Away:
                raise
            except NebbetError:
                continue  # one that is damaged keeps no other from being kept
            self.copy.keep_file(data)
        waiting, _change = laid_over(Catalogue(), self._queue.waiting())
        self.copy.forget_files({*catalogue.files, *waiting.files})

    def count_waiting(self) -> int:
        """How many writes wait for the server."""
        return len(self._queue.waiting())

    # Reading

    def at_opening(self, now: datetime, member: str) -> AtOpening:
        """What a window opens with: the copy, if there is one, for no server is asked then; what
        changed since is found by `follow`."""
        kept, self._kept = self._kept, None
        if kept is None and self.away:
            return AtOpening(Catalogue(), [])
        if kept is None:
            return AtOpening(self.catalogue(now), self.latest_letters(member))
        return AtOpening(self._overlaid(kept.catalogue)[0], kept.entries)

    def catalogue(self, now: datetime) -> Catalogue:
        """The library as it is, or as the copy and what waits have it."""
        if not self.away:
            try:
                found = super().catalogue(now)
            except Away as error:
                self.gone(error.reason)
            else:
                self.read_at, self._told_role = now, self.role
                return found
        kept = self.copy.read()
        if kept is None:
            raise away("The library cannot be read", self.away or GONE)
        return laid_over(kept.catalogue, self._queue.waiting())[0]

    def follow(
        self, now: datetime, known: Catalogue, also: Change = NO_CHANGE
    ) -> tuple[Catalogue, Change]:
        """The library as it is, or as it was known and what waits has it, and what changed."""
        if not self.away:
            try:
                return self._read_on(now, known, also)
            except Away as error:
                self.gone(error.reason)
        return self._overlaid(known)

    def _read_on(self, now: datetime, known: Catalogue, also: Change) -> tuple[Catalogue, Change]:
        laid = dict(self._laid)
        with explained("The library cannot be read"), reading(self.engine) as connection:
            self._meet(connection)
            for shown in laid.values():
                also = also.joined(shown)
            found, change = read_changes(connection, now, known, also)
            if change.of("library"):
                self._met = False  # it was brought up to date: for this Nebbet?
                self._meet(connection)
        for number in laid:
            self._laid.pop(number, None)
        self.read_at = now
        told, self._told_role = self._told_role, self.role
        return found, change if told == self.role else EVERYTHING

    def latest_letters(self, member: str) -> list[Registered]:
        """The newest letters; those of the copy where the server cannot be worked with."""
        try:
            return super().latest_letters(member)
        except Away as error:
            self.gone(error.reason)
            kept = self.copy.read()
            return kept.entries if kept else []

    def letters_like(
        self, listed: list[Registered], messages: Collection[str], member: str
    ) -> list[Registered]:
        """The newest letters as they were listed, with some that were entered since; as they were
        where the server cannot be worked with."""
        try:
            return super().letters_like(listed, messages, member)
        except Away as error:
            self.gone(error.reason)
            return listed

    def _overlaid(self, known: Catalogue) -> tuple[Catalogue, Change]:
        new = [item for item in self._queue.waiting() if item.number not in self._laid]
        found, change = laid_over(known, new)
        for item in new:
            if item.kind in ("contact", "case"):
                self._show_person(item)
        self._laid |= {item.number: laid_over(Catalogue(), [item])[1] for item in new}
        return found, change

    def _show_person(self, item: Waiting) -> None:
        """Let somebody, or a case, that waits for the server be read meanwhile."""
        try:
            found = value_of(item)
        except NebbetError:
            return  # told when it is handed in
        if isinstance(found, Put) and isinstance(found.record, Contact | Case) and self.copy.read():
            self.copy.put_person(found.record)

    def editions(self, template: str) -> list[Template]:
        """Every edition of a template, newest first; only the server has them."""
        self.check_reach("The editions cannot be read")
        return super().editions(template)

    def files(self) -> dict[str, LibraryFile]:
        """The files without their contents, by SHA-256."""
        kept = self.copy.read() if self.away else None
        if kept:
            return dict(laid_over(kept.catalogue, self._queue.waiting())[0].files)
        return super().files()

    def file_bytes(self, sha256: str) -> bytes:
        """The content of a file: from the copy where it is there, for it never changes."""
        kept = self.copy.file(sha256)
        if kept is not None:
            return kept
        self.check_reach("The file cannot be read")
        return super().file_bytes(sha256)

    # Writing that can wait

    def propose(self, proposal: Proposal) -> None:
        """Let a proposal wait for a lead."""
        later = msgspec.json.encode(proposal)
        self._now_or_later(lambda: super(TeamLibrary, self).propose(proposal), "proposal", later)

    def withdraw(self, proposal: str, moment: datetime) -> None:
        """Take one's own proposal back."""
        later = msgspec.json.encode(Withdrawal(proposal, moment))
        act = super().withdraw
        self._now_or_later(lambda: act(proposal, moment), "withdrawal", later)

    def put(
        self, *records: Member | Contact | Case | Fact | Passage | Kind, author: str = "",
        made: datetime | None = None, seen: Seen = WHATEVER,
    ) -> None:  # fmt: skip
        """Keep records; contacts, cases and one's own profile can wait."""
        act = super().put
        kinds = {kind: name for name, kind in RECORDS.items()}
        if any(type(record) not in kinds for record in records):
            self.check_reach("The change cannot be kept")
            act(*records, author=author, made=made, seen=seen)
            return
        for record in records:
            kind = kinds[type(record)]  # type: ignore[index]
            is_compared = seen is not WHATEVER
            later = Put(record, seen if is_compared else None, is_compared)  # type: ignore[arg-type]
            at_once = self._now_or_later(
                partial(act, record, seen=seen), kind, msgspec.json.encode(later)
            )
            if not at_once and isinstance(record, Contact | Case):
                self._show_person(self._queue.waiting()[-1])

    def put_file(self, data: bytes, name: str, media_type: str) -> str:
        """Keep a file and return its SHA-256."""
        refuse_large(name, len(data))
        act = super().put_file
        sha256 = self.copy.keep_file(data)
        file = File(sha256, name[-255:], media_type[:127], len(data))
        self._now_or_later(lambda: act(data, name, media_type), "file", msgspec.json.encode(file))
        return sha256

    def add_word(self, word: str) -> None:
        """Let the team's spelling take a word from now on."""
        act = super().add_word
        self._now_or_later(lambda: act(word), "word", msgspec.json.encode(word))

    def _now_or_later(self, act: Callable[[], object], kind: WriteKind, later: bytes) -> bool:
        """Do what can be done now, else let it wait; says whether it was done."""
        if not self.away:
            try:
                act()
                return True
            except Away as error:
                self.gone(error.reason)
        self._queue.add(kind, later)
        return False

    def check_reach(self, what: str, kept: str = "") -> None:
        """Raise Away, at once, for what cannot be done without the server."""
        if self.away:
            raise away(what, self.away, kept)

    def record(self, entries: Collection[Registered]) -> None:
        """Enter letters that went out into the register."""
        self.check_reach("The register cannot be written")
        try:
            super().record(entries)
        except Away as error:
            self.gone(error.reason)
            raise

    def hand_in(self) -> None:
        """Hand in what waits, as `back` does."""
        refusal: NebbetError | None = None
        for item in self._queue.waiting():
            try:
                self._do(item)
            except Away as error:
                self.gone(error.reason)
                raise
            except NebbetError as error:
                self._queue.refuse(item.number, error.sentence)
                if item.kind in ("contact", "case") and self.copy.read():
                    self.copy.forget_people()
                refusal = refusal or error
            else:
                self._queue.done(item.number)
        if refusal:
            raise refusal

    def _do(self, item: Waiting) -> None:
        """Do a write that waited. One that was done before the program was killed changes nothing
        when it is done again."""
        match value_of(item):
            case Proposal() as proposal:
                self.propose_once(proposal)
            case Withdrawal() as found:
                super().withdraw(found.proposal, found.moment)
            case str() as word:
                super().add_word(word)
            case File() as file:
                data = self.copy.file(file.sha256)
                if data is not None:
                    super().put_file(data, file.name, file.media_type)
            case Put() as found:
                super().put(found.record, seen=found.seen if found.is_compared else WHATEVER)
