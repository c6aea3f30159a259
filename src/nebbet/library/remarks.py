"""What colleagues noticed of messages, and the others are to know: letters that came back, arrived
messages that somebody has taken, and which template answered what.

Nothing here says who wrote a message: an arrived one goes by a digest of its Message-ID, and of
what it said only the words are kept that templates of the team have, too.
"""

import hashlib
from abc import ABC, abstractmethod
from collections.abc import Collection, Iterable
from contextlib import AbstractContextManager
from datetime import datetime
from typing import Literal

import msgspec
from msgspec import Struct
from sqlalchemy import Connection, Engine, delete, select
from sqlalchemy.dialects import postgresql, sqlite

from nebbet.core.errors import UNREADABLE
from nebbet.core.portions import portions
from nebbet.core.ranking.suggesting import Lesson
from nebbet.library.engine import explained, reading
from nebbet.library.schema import register
from nebbet.library.schema import remark as table

Kind = Literal["back", "taken", "lesson"]
MOST_LESSONS = 3000  # the newest are kept: more tell nothing new
_AT_ONCE = 200
IS_BACK = table.c.kind == "back"
_CANNOT = "What was noticed of messages cannot be read"


class CameBack(Struct, frozen=True):
    """A letter that came back: when that was noticed, whom it did not reach, why in words, and what
    their server said."""

    at: datetime
    address: str
    why: str
    words: str = ""


class _Back(Struct, frozen=True, omit_defaults=True):
    address: str
    why: str
    words: str = ""


def digest_of(message_id: str) -> str:
    """What an arrived message goes by."""
    return hashlib.sha256(message_id.encode("utf-8", "replace")).hexdigest()


class Remarking(ABC):
    """What a library does with remarks."""

    engine: Engine

    @abstractmethod
    def writing(
        self, what: str, kept: str = "Nothing was changed", *, leads: bool = True
    ) -> AbstractContextManager[Connection]:
        """One transaction, as `Library.writing`."""

    def note_back(
        self, letter: str, address: str, why: str, words: str, member: str, now: datetime
    ) -> bool:
        """Note that a letter of the register came back; says whether that is news. member is
        whoever noticed."""
        with self.writing("That a letter came back cannot be noted", leads=False) as connection:
            known = select(register.c.message_id).where(register.c.message_id == letter)
            if connection.scalar(known) is None:
                return False
            data = _Back(address, why, words)
            return _add(connection, "back", letter, member, now, data, address.casefold())

    def take(self, message_id: str, member: str, now: datetime) -> str:
        """Take an arrived message, so that nobody else answers it; gives the member who has it
        now: whoever was first."""
        with self.writing("The message cannot be taken", leads=False) as connection:
            _add(connection, "taken", digest_of(message_id), member, now, None)
            whose = select(table.c.member).where(table.c.id == _id("taken", digest_of(message_id)))
            return str(connection.scalar(whose) or "")

    def leave(self, message_id: str, member: str) -> None:
        """Let go of a message that one has."""
        with self.writing("The message cannot be let go of", leads=False) as connection:
            key = _id("taken", digest_of(message_id))
            connection.execute(delete(table).where(table.c.id == key, table.c.member == member))

    def learn(self, message_id: str, lesson: Lesson, member: str, now: datetime) -> None:
        """Keep which template answered what; once for each message. Beyond what is of use, the
        oldest of one's own go."""
        with self.writing("What was answered cannot be kept", leads=False) as connection:
            _add(connection, "lesson", digest_of(message_id), member, now, lesson)
            newest = (
                select(table.c.id)
                .where(table.c.kind == "lesson")
                .order_by(table.c.at.desc())
                .offset(MOST_LESSONS)
            )
            old = list(connection.scalars(newest.limit(_AT_ONCE)))
            own = (table.c.id.in_(old)) & (table.c.member == member)
            connection.execute(delete(table).where(own))

    def forget(self, template: str = "") -> int:
        """Forget what was learned of a template, or of all; gives how much that was."""
        with self.writing("What was learned cannot be forgotten") as connection:
            found = select(table.c.id, table.c.data).where(table.c.kind == "lesson")
            rows = connection.execute(found).all()
            wanted = [
                row.id for row in rows
                if not template or (lesson := _lesson(row.data)) is None or lesson.key == template
            ]  # fmt: skip
            for some in portions(wanted, _AT_ONCE):
                connection.execute(delete(table).where(table.c.id.in_(some)))
            return len(wanted)


def _id(kind: Kind, *parts: str) -> str:
    return hashlib.sha256("\n".join((kind, *parts)).encode("utf-8", "replace")).hexdigest()[:48]


def _add(
    connection: Connection, kind: Kind, message: str, member: str, now: datetime,
    data: Struct | None, *more: str,
) -> bool:  # fmt: skip
    """Add a remark, unless it is there; says whether it was not."""
    made = postgresql.insert if connection.dialect.name == "postgresql" else sqlite.insert
    row = {
        "id": _id(kind, message, *more), "kind": kind, "message": message[:255], "member": member,
        "at": now, "data": msgspec.json.encode(data).decode(),
    }  # fmt: skip
    adding = made(table).on_conflict_do_nothing().returning(table.c.id)
    return connection.scalar(adding, row) is not None


def back_of(engine: Engine, letters: Collection[str]) -> dict[str, CameBack]:
    """Which of some letters came back."""
    found: dict[str, CameBack] = {}
    with explained(_CANNOT), reading(engine) as connection:
        for some in portions(list(letters), _AT_ONCE):
            wanted = select(table).where(IS_BACK, table.c.message.in_(some))
            for row in connection.execute(wanted.order_by(table.c.at)):
                if (back := came_back(row.at, row.data)) is not None:
                    found[row.message] = back
    return found


def came_back(at: datetime | None, data: str | None) -> CameBack | None:
    """What a row says of a letter that came back; nothing where it says nothing that can be
    read."""
    try:
        read = msgspec.json.decode(data or "", type=_Back)
    except UNREADABLE:
        return None
    return CameBack(at, read.address, read.why, read.words) if at else None


def taken(engine: Engine) -> dict[str, str]:
    """Which arrived messages somebody has taken: the member by the digest of the Message-ID."""
    wanted = select(table.c.message, table.c.member).where(table.c.kind == "taken")
    with explained(_CANNOT), reading(engine) as connection:
        return {row.message: row.member for row in connection.execute(wanted)}


def lessons(engine: Engine) -> tuple[Lesson, ...]:
    """What was answered with which template, the newest first."""
    wanted = select(table.c.data).where(table.c.kind == "lesson").order_by(table.c.at.desc())
    with explained(_CANNOT), reading(engine) as connection:
        rows: Iterable[str] = connection.scalars(wanted.limit(MOST_LESSONS)).all()
    return tuple(found for data in rows if (found := _lesson(data)) is not None)


def _lesson(data: str) -> Lesson | None:
    try:
        return msgspec.json.decode(data, type=Lesson)
    except UNREADABLE:
        return None
