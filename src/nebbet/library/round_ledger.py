"""The ledger of rounds: what each was started with, whether its letters were released, and which
rows went, as which message, from whom. A row goes once, whoever starts its round, and on which
computer."""

import hashlib
from abc import ABC, abstractmethod
from collections.abc import Collection, Mapping
from contextlib import AbstractContextManager
from datetime import datetime
from typing import Any, Literal

import msgspec
from msgspec import Struct
from sqlalchemy import Connection, Engine, Row, cast, delete, func, select
from sqlalchemy.dialects import postgresql, sqlite
from sqlalchemy.dialects.postgresql import JSONB

from nebbet.core.errors import UNREADABLE, NebbetError
from nebbet.core.letter import Content, Letter, Passage
from nebbet.core.records import Fact
from nebbet.core.records.tables import Cell, ReadTable, TableRow
from nebbet.core.rounds import Choosing, Matches
from nebbet.core.rounds.pacing import Pace
from nebbet.core.sentences import said
from nebbet.core.values import from_json, to_json
from nebbet.library.engine import explained, reading
from nebbet.library.holdings import RoundFile
from nebbet.library.schema import round_ as round_table
from nebbet.library.schema import round_release as release_table
from nebbet.library.schema import round_row as table

_LOOKED_AT = 20  # rounds of a template, for what columns were for
_CANNOT = "The rounds cannot be read"


# How the letters of a round go: at once; when they are released; when somebody else released them.
How = Literal["go", "held", "asks"]


class Snapshot(Struct, frozen=True, omit_defaults=True):
    """What letters are made of beside a table, as it was at a moment: the template's edition, the
    facts, the passages, the files that rows name, and letters that were reworded for their row
    alone."""

    content: Content | None = None
    facts: tuple[Fact, ...] = ()
    passages: tuple[Passage, ...] = ()
    files: Mapping[str, RoundFile] = {}
    edited: Mapping[int, Letter] = {}


class Round(Struct, frozen=True):
    """A round as it was started: what it is called, who started it and when, the template with its
    edition, the table as it was then, what its columns are for, which rows were meant, and when and
    how they go."""

    id: str
    title: str
    member: str
    made: datetime
    template: str
    edition: int
    table: ReadTable
    matches: Matches = Matches()
    choosing: Choosing = Choosing()
    pace: Pace = Pace()
    how: How = "go"
    snapshot: Snapshot = Snapshot()


class _Kept(Struct, frozen=True, omit_defaults=True):
    """A round in its JSON form; the cells of its table are as values are."""

    title: str
    edition: int
    headings: tuple[str, ...]
    rows: tuple[tuple[int, tuple[object, ...]], ...]
    matches: Matches = Matches()
    choosing: Choosing = Choosing()
    pace: Pace = Pace()
    how: How = "go"
    snapshot: Snapshot = Snapshot()


class WentRow(Struct, frozen=True):
    """A row that went: the message that it went as, from whom, and when."""

    row: str
    message_id: str
    member: str
    at: datetime


class Rounding(ABC):
    """What a library does with rounds."""

    engine: Engine

    @abstractmethod
    def writing(
        self, what: str, kept: str = "Nothing was changed", *, leads: bool = True
    ) -> AbstractContextManager[Connection]:
        """One transaction, as `Library.writing`."""

    def keep_round(self, made: Round) -> None:
        """Keep a round as it is started; one that is kept already stays as it is."""
        row = {
            "id": made.id, "member": made.member, "made": made.made, "title": made.title[:200],
            "template": made.template, "data": written_round(made),
        }  # fmt: skip
        with self.writing("The round cannot be kept", leads=False) as connection:
            connection.execute(_inserting(connection)(round_table).on_conflict_do_nothing(), row)

    def release_round(self, made: Round, member: str, now: datetime) -> None:
        """Let the letters of a round go that were held. Raises NebbetError where that is another
        one's to do."""
        if made.how == "asks" and member == made.member:
            raise NebbetError(
                said("Somebody else is to look at this round before it goes"),
                kept=said("Nothing was sent"),
                advice=said("They find it in Rounds"),
            )
        row = {"id": made.id, "member": member, "at": now}
        with self.writing("The round cannot be released", leads=False) as connection:
            connection.execute(_inserting(connection)(release_table).on_conflict_do_nothing(), row)

    def claim_row(
        self, round_id: str, row: str, message_id: str, member: str, now: datetime
    ) -> str:
        """Claim a row for a message, before that is handed over; gives the Message-ID that has the
        row then: whoever was first."""
        values = {
            "id": _id(round_id, row), "round": round_id, "row": row, "message_id": message_id,
            "member": member, "at": now,
        }  # fmt: skip
        with self.writing("The row cannot be claimed", leads=False) as connection:
            connection.execute(_inserting(connection)(table).on_conflict_do_nothing(), values)
            has = select(table.c.message_id).where(table.c.id == _id(round_id, row))
            return str(connection.scalar(has) or "")

    def release_row(self, round_id: str, row: str, message_id: str) -> None:
        """Let go of a row whose message was refused: it may go as another one."""
        mine = (table.c.id == _id(round_id, row)) & (table.c.message_id == message_id)
        with self.writing("The row cannot be let go of", leads=False) as connection:
            connection.execute(delete(table).where(mine))


def name_of_round(data: bytes, sheet: str, template: str, again: str = "") -> str:
    """The name of a round: the same table, by its bytes and its sheet, with the same template is
    the same round, whoever starts it. again tells apart those that are to go anew."""
    return hashlib.sha256(data + f"{template}\n{sheet}{again}".encode()).hexdigest()[:24]


def _inserting(connection: Connection):  # type: ignore[no-untyped-def]
    return postgresql.insert if connection.dialect.name == "postgresql" else sqlite.insert


def _id(round_id: str, row: str) -> str:
    return f"{round_id}:{row}"[:120]


class RoundHead(Struct, frozen=True):
    """A round in a list: what it is called, who started it and when, with which template, how many
    of its rows went, and whether it waits until it is released by somebody else."""

    id: str
    title: str
    member: str
    made: datetime
    template: str
    went: int = 0
    how: How = "go"
    released: bool = False


def round_heads(engine: Engine, most: int = 100) -> list[RoundHead]:
    """The rounds that were started, the newest first, without their tables."""
    is_server = engine.dialect.name == "postgresql"
    data = cast(round_table.c.data, JSONB) if is_server else round_table.c.data
    how = data.op("->>")("how").label("how")
    rows = select(func.count()).where(table.c.round == round_table.c.id).scalar_subquery()
    columns = (round_table.c[name] for name in ("id", "title", "member", "made", "template"))
    wanted = (
        select(*columns, how, rows.label("went"), release_table.c.id.label("release"))
        .join(release_table, release_table.c.id == round_table.c.id, isouter=True)
        .order_by(round_table.c.made.desc())
        .limit(most)
    )
    with explained(_CANNOT), reading(engine) as connection:
        return [
            RoundHead(row.id, row.title, row.member, row.made, row.template, row.went,
                      row.how if row.how in ("held", "asks") else "go", row.release is not None)
            for row in connection.execute(wanted)
        ]  # fmt: skip


def round_of(engine: Engine, round_id: str) -> Round | None:
    """The round of an id."""
    with explained(_CANNOT), reading(engine) as connection:
        wanted = select(round_table).where(round_table.c.id == round_id)
        row = connection.execute(wanted).first()
    return read_round(row) if row else None


def matches_before(engine: Engine, template: str, headings: Collection[str]) -> Matches:
    """What the columns were for in the last round of a template with a table of the same headings;
    empty where there was none."""
    wanted = select(round_table).where(round_table.c.template == template)
    newest = wanted.order_by(round_table.c.made.desc()).limit(_LOOKED_AT)
    with explained(_CANNOT), reading(engine) as connection:
        found = (read_round(row) for row in connection.execute(newest))
        alike = (one for one in found if one and set(one.table.headings) == set(headings))
        last = next(alike, None)
    return last.matches if last else Matches()


class _Snapshot(Struct):
    snapshot: Snapshot = Snapshot()


def snapshot_at(engine: Engine, round_id: str) -> Snapshot:
    """What the letters of a round are made of, without its table; empty where that is not to be
    had."""
    with explained(_CANNOT), reading(engine) as connection:
        data = connection.scalar(select(round_table.c.data).where(round_table.c.id == round_id))
    try:
        return msgspec.json.decode(data or "{}", type=_Snapshot).snapshot
    except UNREADABLE:
        return Snapshot()


class OfRound(Struct, frozen=True):
    """Of which round a letter is a row: what that is called, and the row's number."""

    title: str
    row: str


def round_of_letter(engine: Engine, message_id: str) -> OfRound | None:
    """The round of which a letter is a row; nothing for any other letter."""
    wanted = (
        select(round_table.c.title, table.c.row)
        .join(round_table, round_table.c.id == table.c.round)
        .where(table.c.message_id == message_id)
    )
    with explained(_CANNOT), reading(engine) as connection:
        row = connection.execute(wanted).first()
    return OfRound(row.title, row.row.removeprefix("r")) if row else None


def written_round(made: Round) -> str:
    """A round in its JSON form."""
    rows = tuple((row.number, tuple(map(to_json, row.cells))) for row in made.table.rows)
    kept = _Kept(
        made.title, made.edition, made.table.headings, rows, made.matches, made.choosing,
        made.pace, made.how, made.snapshot,
    )  # fmt: skip
    return msgspec.json.encode(kept).decode()


def read_round(row: Row[Any]) -> Round | None:
    """The round of a row of its table; nothing where it cannot be read."""
    try:
        kept = msgspec.json.decode(row.data, type=_Kept)
        rows = tuple(TableRow(number, tuple(map(_cell, cells))) for number, cells in kept.rows)
    except UNREADABLE:
        return None
    table = ReadTable(kept.headings, rows)
    return Round(
        row.id, kept.title, row.member, row.made, row.template, kept.edition, table,
        kept.matches, kept.choosing, kept.pace, kept.how, kept.snapshot,
    )  # fmt: skip


def _cell(raw: object) -> Cell:
    value = from_json(raw)
    return value if isinstance(value, Cell) else str(value)


def went(engine: Engine, round_id: str) -> dict[str, WentRow]:
    """The rows of a round that went, or may have gone, by their keys."""
    wanted = select(table).where(table.c.round == round_id)
    with explained(_CANNOT), reading(engine) as connection:
        return {
            row.row: WentRow(row.row, row.message_id, row.member, row.at)
            for row in connection.execute(wanted)
        }


class Release(Struct, frozen=True):
    """Who let the letters of a round go, and when."""

    member: str
    at: datetime


def releases(engine: Engine, round_ids: Collection[str]) -> dict[str, Release]:
    """Which of some rounds were released, by their ids."""
    wanted = select(release_table).where(release_table.c.id.in_(round_ids))
    with explained(_CANNOT), reading(engine) as connection:
        return {row.id: Release(row.member, row.at) for row in connection.execute(wanted)}
