"""The tables of the library. Structured values are JSON by the types of the core."""

from collections.abc import Callable
from datetime import UTC, date, datetime
from typing import Any

from sqlalchemy import (
    BigInteger,
    Boolean,
    Column,
    Date,
    DateTime,
    Dialect,
    ForeignKey,
    Index,
    Integer,
    LargeBinary,
    MetaData,
    PrimaryKeyConstraint,
    String,
    Table,
    Text,
    TypeDecorator,
    text,
)
from sqlalchemy.dialects import sqlite
from sqlalchemy.types import TypeEngine


class _FileMoment(sqlite.DATETIME):
    """A moment in a file; what is none reads as nothing: the driver would let it keep everything
    else from being read."""

    def result_processor(self, dialect: Dialect, coltype: object) -> Callable[[Any], Any]:
        """As the driver reads one, or nothing."""
        return _forgiving(super().result_processor(dialect, coltype))


class _FileDay(sqlite.DATE):
    """A day in a file, read as forgivingly."""

    def result_processor(self, dialect: Dialect, coltype: object) -> Callable[[Any], Any]:
        """As the driver reads one, or nothing."""
        return _forgiving(super().result_processor(dialect, coltype))


def _forgiving(read: Callable[[Any], Any] | None) -> Callable[[Any], Any]:
    def reading(value: Any) -> Any:
        try:
            return read(value) if read else value
        except (ValueError, TypeError):
            return None

    return reading


class Moment(TypeDecorator[datetime]):
    """An aware moment, kept in UTC: SQLite would drop the zone without a word."""

    impl = DateTime(timezone=True)
    cache_ok = True

    def load_dialect_impl(self, dialect: Dialect) -> TypeEngine[Any]:
        """Read forgivingly from a file."""
        return _FileMoment() if dialect.name == "sqlite" else DateTime(timezone=True)  # type: ignore[no-untyped-call]

    def process_bind_param(self, value: datetime | None, dialect: Dialect) -> datetime | None:  # noqa: ARG002
        """Turn any aware moment into UTC."""
        return value.astimezone(UTC) if value else None

    def process_result_value(self, value: Any, dialect: Dialect) -> datetime | None:  # noqa: ARG002
        """Say again that what is kept is UTC."""
        if not isinstance(value, datetime):
            return None
        return value.replace(tzinfo=UTC) if value.tzinfo is None else value.astimezone(UTC)


class Day(TypeDecorator[date]):
    """A day, read forgivingly from a file."""

    impl = Date
    cache_ok = True

    def load_dialect_impl(self, dialect: Dialect) -> TypeEngine[Any]:
        """As the database keeps days."""
        return _FileDay() if dialect.name == "sqlite" else Date()  # type: ignore[no-untyped-call]


metadata = MetaData()
# Text in the order of its bytes: what begins in some way is found by an index then.
_Bytes = String(200).with_variant(String(200, collation="C"), "postgresql")

setting = Table(
    "setting",
    metadata,
    Column("name", String(64), primary_key=True),
    Column("value", Text, nullable=False),
)

member = Table(
    "member",
    metadata,
    Column("id", String(64), primary_key=True),
    Column("data", Text, nullable=False),
    Column("login", String(64)),
    Index("member_login", "login", unique=True),
)

shelf = Table(
    "shelf",
    metadata,
    Column("id", String(64), primary_key=True),
    Column("parent", ForeignKey("shelf.id")),
    Column("owner", ForeignKey("member.id")),
    Column("name", String(200), nullable=False),
    Column("position", Integer, nullable=False, default=0),
)

template = Table(
    "template",
    metadata,
    Column("id", String(64), primary_key=True),
    Column("shelf", ForeignKey("shelf.id"), nullable=False),
    Column("title", String(200), nullable=False),
    Column("state", String(16), nullable=False),
    Column("pinned", Boolean, nullable=False, default=False),
    Column("edition", Integer, nullable=False, default=0),
    Column("origin", String(64), nullable=False, default=""),
    Column("origin_edition", Integer, nullable=False, default=0),
)

edition = Table(
    "edition",
    metadata,
    Column("template", ForeignKey("template.id"), nullable=False),
    Column("number", Integer, nullable=False),
    Column("content", Text, nullable=False),
    Column("author", ForeignKey("member.id")),
    Column("made", Moment, nullable=False),
    Column("note", Text, nullable=False, default=""),
    PrimaryKeyConstraint("template", "number"),
)

file = Table(
    "file",
    metadata,
    Column("sha256", String(64), primary_key=True),
    Column("name", String(255), nullable=False),
    Column("media_type", String(127), nullable=False),
    Column("size", Integer, nullable=False),
    Column("data", LargeBinary, nullable=False),
    Column("valid_until", Day),
)

passage = Table(
    "passage",
    metadata,
    Column("id", String(64), primary_key=True),
    Column("data", Text, nullable=False),
)

frame = Table(
    "frame",
    metadata,
    Column("id", String(64), primary_key=True),
    Column("data", Text, nullable=False),
)

fact = Table(
    "fact",
    metadata,
    Column("name", String(64), primary_key=True),
    Column("data", Text, nullable=False),
)

proposal = Table(
    "proposal",
    metadata,
    Column("id", String(64), primary_key=True),
    Column("template", String(64), nullable=False),
    Column("base", Integer, nullable=False),
    Column("shelf", ForeignKey("shelf.id"), nullable=False),
    Column("title", String(200), nullable=False),
    Column("content", Text, nullable=False),
    Column("author", ForeignKey("member.id"), nullable=False),
    Column("made", Moment, nullable=False),
    Column("reason", Text, nullable=False),
    Column("state", String(16), nullable=False),
    Column("answer", Text, nullable=False, default=""),
    Column("decider", ForeignKey("member.id")),
    Column("decided", Moment),
    Index("proposal_state", "state"),
)

# Every state that a fact, a passage or a frame had; a row never changes.
former = Table(
    "former",
    metadata,
    Column("kind", String(16), nullable=False),
    Column("key", String(64), nullable=False),
    Column("number", Integer, nullable=False),
    Column("data", Text, nullable=False),
    Column("author", ForeignKey("member.id")),
    Column("made", Moment, nullable=False),
    PrimaryKeyConstraint("kind", "key", "number"),
)

# Who has a template open in the editor, and when that was last heard of.
presence = Table(
    "presence",
    metadata,
    Column("template", String(64), nullable=False),
    Column("member", ForeignKey("member.id"), nullable=False),
    Column("seen", Moment, nullable=False),
    PrimaryKeyConstraint("template", "member"),
)

# What a record is found and put in order by stands beside it, made of it by `columns`. rowno
# numbers it for the index of words: a file has no other number that stays.
contact = Table(
    "contact",
    metadata,
    Column("id", String(64), primary_key=True),
    Column("data", Text, nullable=False),
    Column("rowno", BigInteger, nullable=False, server_default="0"),
    Column("sort", _Bytes, nullable=False, server_default=""),
    Column("address", String(320), nullable=False, server_default=""),
    Column("household", String(200), nullable=False, server_default=""),
    Column("organisation", String(200), nullable=False, server_default=""),
    Column("source", String(64), nullable=False, server_default=""),
    Column("filed", Boolean, nullable=False, server_default=text("false")),
    Column("words", Text, nullable=False, server_default=""),
    Column("near", Text, nullable=False, server_default=""),
    Index("contact_rowno", "rowno"),
    Index("contact_sort", "sort", "id"),
    Index("contact_address", "address"),
    Index("contact_household", "household"),
    Index("contact_organisation", "organisation"),
    Index("contact_source", "source"),
)

case = Table(
    "case_",
    metadata,
    Column("id", String(64), primary_key=True),
    Column("data", Text, nullable=False),
    Column("rowno", BigInteger, nullable=False, server_default="0"),
    Column("number", _Bytes, nullable=False, server_default=""),
    Column("kind", String(200), nullable=False, server_default=""),
    Column("contact", String(64), nullable=False, server_default=""),
    Column("source", String(64), nullable=False, server_default=""),
    Column("filed", Boolean, nullable=False, server_default=text("false")),
    Column("words", Text, nullable=False, server_default=""),
    Column("near", Text, nullable=False, server_default=""),
    Index("case_rowno", "rowno"),
    Index("case_number", "number", "id"),
    Index("case_kind", "kind", "id"),
    Index("case_source", "source"),
)

# Who is in which case: its contact, and everybody else.
case_person = Table(
    "case_person",
    metadata,
    Column("case_", String(64), nullable=False),
    Column("contact", String(64), nullable=False),
    PrimaryKeyConstraint("case_", "contact"),
    Index("case_person_contact", "contact", "case_"),
)

# Which fields records have: those of people, and those of each kind of case; a kind itself has a
# row without a field.
held_field = Table(
    "held_field",
    metadata,
    Column("id", String(255), primary_key=True),
    Column("whose", String(200), nullable=False),
    Column("name", String(200), nullable=False),
    Column("kind", String(16), nullable=False),
)

# The kinds of case, and of all people, as a lead sets them.
kind = Table(
    "kind",
    metadata,
    Column("id", String(64), primary_key=True),
    Column("data", Text, nullable=False),
)

# Tables kept elsewhere that are read again, as a lead sets them, and what came of that last.
linked = Table(
    "linked",
    metadata,
    Column("id", String(64), primary_key=True),
    Column("data", Text, nullable=False),
    Column("result", Text, nullable=False, server_default=""),
)

# What colleagues noticed of messages; message is a Message-ID, or the digest of one.
remark = Table(
    "remark",
    metadata,
    Column("id", String(64), primary_key=True),
    Column("kind", String(16), nullable=False),
    Column("message", String(255), nullable=False),
    Column("member", String(64), nullable=False),
    Column("at", Moment, nullable=False),
    Column("data", Text, nullable=False),
    Index("remark_message", "kind", "message"),
    Index("remark_at", "kind", "at"),
)

# Rounds as they were started, and the rows of each that went: each as one message.
round_ = Table(
    "round",
    metadata,
    Column("id", String(64), primary_key=True),
    Column("member", String(64), nullable=False),
    Column("made", Moment, nullable=False),
    Column("title", String(200), nullable=False),
    Column("template", String(64), nullable=False),
    Column("data", Text, nullable=False),
    Index("round_made", "made"),
)

round_row = Table(
    "round_row",
    metadata,
    Column("id", String(120), primary_key=True),
    Column("round", String(64), nullable=False),
    Column("row", String(40), nullable=False),
    Column("message_id", String(255), nullable=False),
    Column("member", String(64), nullable=False),
    Column("at", Moment, nullable=False),
    Index("round_row_round", "round"),
    Index("round_row_message", "message_id"),
)

# The rounds whose letters were held and released, and by whom.
round_release = Table(
    "round_release",
    metadata,
    Column("id", String(64), primary_key=True),
    Column("member", String(64), nullable=False),
    Column("at", Moment, nullable=False),
)

# What a round is made of, kept under a name, to be run again with another table.
kept_round = Table(
    "kept_round",
    metadata,
    Column("id", String(64), primary_key=True),
    Column("member", String(64), nullable=False),
    Column("data", Text, nullable=False),
)

# Letters that are offered since a case changed, until somebody answers.
prompted = Table(
    "prompted",
    metadata,
    Column("id", String(140), primary_key=True),
    Column("case_", String(64), nullable=False),
    Column("template", String(64), nullable=False),
    Column("at", Moment, nullable=False),
    Column("state", String(16), nullable=False),
    Column("member", String(64), nullable=False, server_default=""),
    Index("prompted_state", "state", "at"),
)

register = Table(
    "register",
    metadata,
    Column("message_id", String(255), primary_key=True),
    Column("sent", Moment, nullable=False),
    Column("sender", String(64), nullable=False),
    Column("contact", String(64), nullable=False, default=""),
    Column("name", String(200), nullable=False, default=""),
    Column("address", String(320), nullable=False),
    Column("case_number", String(64), nullable=False, default=""),
    Column("template", String(64), nullable=False, default=""),
    Column("edition", Integer, nullable=False, default=0),
    Column("title", String(200), nullable=False, default=""),
    Column("subject", Text, nullable=False, default=""),
    # What the letter is found by: its texts as words without case and accents.
    Column("words", Text, nullable=False, default="", server_default=""),
    Index("register_sent", "sent"),
    Index("register_template", "template", "sent"),
    Index("register_sender", "sender", "sent"),
    Index("register_contact", "contact", "sent"),
    Index("register_address", "address", "sent"),
    Index("register_case", "case_number", "sent"),
)
# In a file the words have an index of their own (SQLite's documentation, "FTS5 Extension"); on a
# server PostgreSQL's text search has one.
WORDS_OF_LETTERS = (
    "CREATE VIRTUAL TABLE IF NOT EXISTS register_words USING fts5(words, message_id UNINDEXED, "
    "prefix = '2 3', tokenize = 'unicode61 remove_diacritics 0')",
    "CREATE TRIGGER IF NOT EXISTS register_words_in AFTER INSERT ON register BEGIN INSERT INTO "
    "register_words (words, message_id) VALUES (NEW.words, NEW.message_id); END",
    "CREATE TRIGGER IF NOT EXISTS register_words_out AFTER DELETE ON register BEGIN DELETE FROM "
    "register_words WHERE message_id = OLD.message_id; END",
)


def words_of(table: str) -> tuple[str, ...]:
    """What gives a table of people or cases its index of words in a file: of whole words, and of
    words as they are with a mistake in them."""
    index, columns = f"{table}_words", "rowid, words, near"
    gone = "'delete', OLD.rowno, OLD.words, OLD.near"
    out = f"INSERT INTO {index} ({index}, {columns}) VALUES ({gone})"
    put = f"INSERT INTO {index} ({columns}) VALUES (NEW.rowno, NEW.words, NEW.near)"
    changes = f"UPDATE OF rowno, words, near ON {table}"
    return (
        f"CREATE VIRTUAL TABLE IF NOT EXISTS {index} USING fts5(words, near, content = '{table}', "
        "content_rowid = 'rowno', detail = 'column', tokenize = 'unicode61 remove_diacritics 0')",
        f"CREATE TRIGGER IF NOT EXISTS {index}_in AFTER INSERT ON {table} BEGIN {put}; END",
        f"CREATE TRIGGER IF NOT EXISTS {index}_out AFTER DELETE ON {table} BEGIN {out}; END",
        f"CREATE TRIGGER IF NOT EXISTS {index}_change AFTER {changes} BEGIN {out}; {put}; END",
    )


FOUND_IN = ("contact", "case_")


def is_index(table: str) -> bool:
    """Whether a table of a file is one that its index of words is made of."""
    return any(table.startswith(f"{name}_words") for name in ("register", *FOUND_IN))
