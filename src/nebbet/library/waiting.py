"""What was handed in while the library's server could not be worked with, and waits for it."""

from collections.abc import Iterable
from datetime import datetime
from typing import Any, Literal, Protocol

import msgspec
from msgspec import Raw, Struct
from msgspec.structs import replace

from nebbet.core.errors import UNREADABLE, NebbetError
from nebbet.core.records import Case, Contact, Member
from nebbet.library.catalogue import Catalogue
from nebbet.library.changes import Change
from nebbet.library.holdings import LibraryFile, Proposal

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


class File(Struct, frozen=True):
    """A file that waits; its content lies in the local copy."""

    sha256: str
    name: str
    media_type: str
    size: int


class Withdrawal(Struct, frozen=True):
    """A proposal that its author takes back."""

    proposal: str
    moment: datetime


RECORDS: dict[WriteKind, type[Contact] | type[Case] | type[Member]] = {
    "contact": Contact,
    "case": Case,
    "member": Member,
}


class Put(Struct, frozen=True):
    """A record that waits, and what it was when it was shown, where that is compared."""

    record: Contact | Case | Member
    seen: Contact | Case | Member | None = None
    is_compared: bool = False


class _Put(Struct, frozen=True):
    record: Raw
    seen: Raw = Raw(b"null")
    is_compared: bool = False


_KINDS: dict[WriteKind, type[Any]] = {
    "proposal": Proposal, "withdrawal": Withdrawal, "word": str, "file": File,
}  # fmt: skip
Value = Proposal | Withdrawal | File | Put | str


def value_of(item: Waiting) -> Value:
    """What waits, read. Raises NebbetError where a disk has damaged it."""
    try:
        found = _decoded(item)
    except UNREADABLE:
        raise NebbetError(
            "Something that waited for the server cannot be read any more",
            kept="It stays in your own file",
            advice="Look whether what you did last is there, and do it again",
        ) from None
    return found


def _decoded(item: Waiting) -> Value:
    if kind := RECORDS.get(item.kind):
        try:
            put = msgspec.json.decode(item.data, type=_Put)
        except msgspec.ValidationError:  # as Nebbet 0.1 let it wait: the record alone
            return Put(msgspec.json.decode(item.data, type=kind))
        seen = msgspec.json.decode(put.seen, type=kind | None)
        return Put(msgspec.json.decode(put.record, type=kind), seen, put.is_compared)
    found: Value = msgspec.json.decode(item.data, type=_KINDS[item.kind])
    return found


def laid_over(catalogue: Catalogue, waiting: Iterable[Waiting]) -> tuple[Catalogue, Change]:
    """A catalogue as it will be once what waits has gone up, and what of it is another one."""
    parts: dict[str, dict[str, Any]] = {}
    keys: dict[str, set[str]] = {}
    words = set(catalogue.words)

    def put(kind: str, part: str, key: str, value: object) -> None:
        held = parts.setdefault(part, dict(getattr(catalogue, part)))
        keys.setdefault(kind, set()).add(key)
        if value is None:
            held.pop(key, None)
        else:
            held[key] = value

    for item in waiting:
        try:
            value = value_of(item)
        except NebbetError:
            continue  # told when it is handed in
        match value:
            case Proposal():
                put("proposal", "proposals", value.id, value)
            case Withdrawal():
                put("proposal", "proposals", value.proposal, None)
            case str():
                words.add(value)
                keys.setdefault("setting", set()).add("words")
            case File():
                put("file", "files", value.sha256,
                    LibraryFile(value.name, value.media_type, value.size))  # fmt: skip
            case Put(record) if item.kind == "member":
                put(item.kind, f"{item.kind}s", record.id, record)
            case Put(record):  # shown by the local copy
                keys.setdefault(item.kind, set()).add(record.id)
    change = Change({kind: frozenset(found) for kind, found in keys.items()})
    if not change:
        return catalogue, change
    return replace(catalogue, words=frozenset(words), **parts), change
