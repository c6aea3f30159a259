"""A library on a server that may be away: reading goes on with the copy on this machine, and what
is handed in meanwhile waits and goes up in order, once."""

import threading
from collections.abc import Callable
from datetime import datetime
from functools import partial
from typing import Any, Literal, Protocol

import msgspec
from msgspec import Struct
from msgspec.structs import replace
from sqlalchemy import Engine

from nebbet.core.errors import UNREADABLE, NebbetError
from nebbet.core.letter import Passage
from nebbet.core.records import Case, Contact, Fact, Member
from nebbet.library import migrate
from nebbet.library.catalogue import Catalogue
from nebbet.library.changes import Change
from nebbet.library.disk import refuse_large
from nebbet.library.engine import explained
from nebbet.library.holdings import LibraryFile, Proposal, Role, Template
from nebbet.library.local_copy import Kept, LocalCopy
from nebbet.library.postgres import Away, postgres_engine
from nebbet.library.store import Library, open_library

WriteKind = Literal["proposal", "withdrawal", "contact", "case", "member", "file", "word"]


class Waiting(Struct, frozen=True):
    """A write that waits for the server: its place in the order, what it is, and its JSON; of a
    file also the SHA-256, under which the local copy has the content."""

    number: int
    kind: WriteKind
    data: bytes


class Queue(Protocol):
    """Where such writes wait; it outlives the program."""

    def add(self, kind: WriteKind, data: bytes) -> None:
        """Let a write wait, behind the others."""

    def waiting(self) -> list[Waiting]:
        """What waits, in order."""

    def done(self, number: int) -> None:
        """Let go of one that went up."""

    def refuse(self, number: int, words: str) -> None:
        """Set one aside that the library did not take, with the reason; it is kept."""


class _File(Struct, frozen=True):
    sha256: str
    name: str
    media_type: str
    size: int


class _Withdrawal(Struct, frozen=True):
    proposal: str
    moment: datetime


_RECORDS: dict[WriteKind, type[Contact] | type[Case] | type[Member]] = {
    "contact": Contact,
    "case": Case,
    "member": Member,
}


class TeamLibrary(Library):
    """A library on a server, the copy of it here, and what waits to go up.

    away says that the server does not answer: then nothing asks it any more until `back` is told.
    """

    def __init__(
        self, engine: Engine, role: Role, copy: LocalCopy, queue: Queue, *, away: bool = False
    ) -> None:
        super().__init__(engine, role)
        self.copy, self._queue = copy, queue
        self._away = threading.Event()
        self._kept: Kept | None = copy.read() if away else None
        if away:
            self._away.set()

    @property
    def away(self) -> bool:
        """Whether one works on the copy."""
        return self._away.is_set()

    def gone(self) -> None:
        """The server does not answer: go on with the copy."""
        if not self.away:
            self._kept = self.copy.read()
            self._away.set()

    def back(self) -> None:
        """The server answers again: hand in what waits, in order. Raises NebbetError for the first
        that the library does not take; it is set aside, and the others go up."""
        with explained("The library cannot be opened"):
            found = migrate.look_on_server(self.engine)
        if found != "current":
            raise NebbetError("The library on the server is another one now", advice="Ask a lead")
        self._away.clear()
        self._kept = None
        self.hand_in()

    @property
    def kept_at(self) -> datetime | None:
        """When the copy that one works on was made."""
        return self._kept.moment if self._kept else None

    @property
    def beside(self) -> bytes:
        """What was kept beside the catalogue."""
        return self._kept.beside if self._kept else b""

    def keep_copy(self, moment: datetime, catalogue: Catalogue, beside: bytes) -> None:
        """Bring the copy up to date, with the contents of all files."""
        if self.away:
            return
        self.copy.keep(moment, self.role, catalogue, beside)
        for file in self.copy.missing(catalogue.files):
            try:
                data = super().file_bytes(file)
            except Away:
                raise
            except NebbetError:
                continue  # one that is damaged keeps no other from being kept
            self.copy.keep_file(data)
        waiting = _with(Catalogue(), self._queue.waiting()).files
        self.copy.forget_files({*catalogue.files, *waiting})

    def count_waiting(self) -> int:
        """How many writes wait for the server."""
        return len(self._queue.waiting())

    # Reading

    def catalogue(self, now: datetime) -> Catalogue:
        """The library as it is, or as the copy and what waits have it."""
        if not self.away:
            try:
                return super().catalogue(now)
            except Away:
                self.gone()
        return self._as_kept()

    def follow(self, now: datetime, known: Catalogue) -> tuple[Catalogue, Change]:
        """The library as it is, or as the copy and what waits have it, and what changed."""
        if not self.away:
            try:
                return super().follow(now, known)
            except Away:
                self.gone()
        found = self._as_kept()
        return found, Change(everything=found != known)

    def _as_kept(self) -> Catalogue:
        if self._kept is None:
            raise Away("The library cannot be read: the server does not answer")
        return _with(self._kept.catalogue, self._queue.waiting())

    def editions(self, template: str) -> list[Template]:
        """Every edition of a template, newest first; only the server has them."""
        self.check_reach("The editions cannot be read")
        return super().editions(template)

    def files(self) -> dict[str, LibraryFile]:
        """The files without their contents, by SHA-256."""
        if self.away and self._kept:
            return dict(_with(self._kept.catalogue, self._queue.waiting()).files)
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
        later = msgspec.json.encode(_Withdrawal(proposal, moment))
        act = super().withdraw
        self._now_or_later(lambda: act(proposal, moment), "withdrawal", later)

    def put(
        self, *records: Member | Contact | Case | Fact | Passage, author: str = "",
        made: datetime | None = None, seen: Fact | Passage | None = None,
    ) -> None:  # fmt: skip
        """Keep records; contacts, cases and one's own profile can wait."""
        act = super().put
        kinds = {kind: name for name, kind in _RECORDS.items()}
        if any(type(record) not in kinds for record in records):
            self.check_reach("The change cannot be kept")
            act(*records, author=author, made=made, seen=seen)
            return
        for record in records:
            kind = kinds[type(record)]  # type: ignore[index]
            self._now_or_later(partial(act, record), kind, msgspec.json.encode(record))

    def put_file(self, data: bytes, name: str, media_type: str) -> str:
        """Keep a file and return its SHA-256."""
        refuse_large(name, len(data))
        act = super().put_file
        sha256 = self.copy.keep_file(data)
        file = _File(sha256, name[-255:], media_type[:127], len(data))
        self._now_or_later(lambda: act(data, name, media_type), "file", msgspec.json.encode(file))
        return sha256

    def add_word(self, word: str) -> None:
        """Let the team's spelling take a word from now on."""
        act = super().add_word
        self._now_or_later(lambda: act(word), "word", msgspec.json.encode(word))

    def _now_or_later(self, act: Callable[[], object], kind: WriteKind, later: bytes) -> None:
        if not self.away:
            try:
                act()
                return
            except Away:
                self.gone()
        self._queue.add(kind, later)

    def check_reach(self, what: str, kept: str = "") -> None:
        """Raise Away, at once, for what cannot be done without the server."""
        if self.away:
            raise Away(f"{what}: the server does not answer", kept=kept)

    def hand_in(self) -> None:
        """Hand in what waits, as `back` does."""
        refusal: NebbetError | None = None
        for item in self._queue.waiting():
            try:
                self._do(item)
            except Away:
                self.gone()
                raise
            except NebbetError as error:
                self._queue.refuse(item.number, error.sentence)
                refusal = refusal or error
            else:
                self._queue.done(item.number)
        if refusal:
            raise refusal

    def _do(self, item: Waiting) -> None:
        """Do a write that waited. One that was done before the program was killed changes nothing
        when it is done again."""
        match _value(item):
            case Proposal() as proposal:
                self.propose_once(proposal)
            case _Withdrawal() as found:
                super().withdraw(found.proposal, found.moment)
            case str() as word:
                super().add_word(word)
            case _File() as file:
                data = self.copy.file(file.sha256)
                if data is not None:
                    super().put_file(data, file.name, file.media_type)
            case record:
                super().put(record)


_Value = Proposal | _Withdrawal | _File | Contact | Case | Member | str
_KINDS: dict[WriteKind, type[Any]] = {
    **_RECORDS, "proposal": Proposal, "withdrawal": _Withdrawal, "word": str, "file": _File,
}  # fmt: skip


def _value(item: Waiting) -> _Value:
    """What waits, read. Raises NebbetError where a disk has damaged it."""
    try:
        found: _Value = msgspec.json.decode(item.data, type=_KINDS[item.kind])
    except UNREADABLE:
        raise NebbetError(
            "Something that waited for the server cannot be read any more",
            kept="It stays in your own file",
            advice="Look whether what you did last is there, and do it again",
        ) from None
    return found


def _with(catalogue: Catalogue, waiting: list[Waiting]) -> Catalogue:
    """A catalogue as it will be once what waits has gone up."""
    proposals, contacts = dict(catalogue.proposals), dict(catalogue.contacts)
    cases, members, files = dict(catalogue.cases), dict(catalogue.members), dict(catalogue.files)
    words = set(catalogue.words)
    for item in waiting:
        try:
            value = _value(item)
        except NebbetError:
            continue  # told when it is handed in
        match value:
            case Proposal():
                proposals[value.id] = value
            case _Withdrawal():
                proposals.pop(value.proposal, None)
            case str():
                words.add(value)
            case _File():
                files[value.sha256] = LibraryFile(value.name, value.media_type, value.size)
            case Contact():
                contacts[value.id] = value
            case Case():
                cases[value.id] = value
            case Member():
                members[value.id] = value
    return replace(
        catalogue,
        proposals=proposals,
        contacts=contacts,
        cases=cases,
        members=members,
        files=files,
        words=frozenset(words),
        editing={},
        mark="",  # the server's log says nothing of what waits
    )


def open_team(url: str, role: Role | None, copy: LocalCopy, queue: Queue) -> TeamLibrary:
    """Open a library on a server, or the copy of it where the server does not answer.

    Raises NebbetError where there is no copy either.
    """
    try:
        opened = open_library(url, role)
    except Away:
        kept = copy.read()
        if kept is None:
            raise
        return TeamLibrary(postgres_engine(url), role or kept.role, copy, queue, away=True)
    return TeamLibrary(opened.engine, opened.role, copy, queue)
