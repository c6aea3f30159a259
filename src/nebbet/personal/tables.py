"""The person's own file and its tables."""

from pathlib import Path

from sqlalchemy import (
    Column,
    Engine,
    Float,
    Index,
    Integer,
    LargeBinary,
    MetaData,
    String,
    Table,
    Text,
    text,
)

from nebbet.core.errors import NebbetError
from nebbet.library.disk import close_to_others
from nebbet.library.engine import explained, sqlite_engine

VERSION = 2  # 2: the bytes of a letter on its way lie beside what is said of it

metadata = MetaData()

letter_table = Table(
    "letter",
    metadata,
    Column("id", String(64), primary_key=True),
    Column("changed", Float, nullable=False),
    Column("data", LargeBinary, nullable=False),
)

draft_table = Table(
    "draft",
    metadata,
    Column("template", String(64), primary_key=True),
    Column("data", LargeBinary, nullable=False),
)

answer_table = Table(
    "answer",
    metadata,
    Column("template", String(64), primary_key=True),
    Column("name", String(120), primary_key=True),
    Column("text", Text, nullable=False),
)

waiting_table = Table(
    "waiting",
    metadata,
    Column("number", Integer, primary_key=True, autoincrement=True),
    Column("kind", String(16), nullable=False),
    Column("data", LargeBinary, nullable=False),
    Column("refused", Text, nullable=False, default=""),
    sqlite_autoincrement=True,
)

pin_table = Table("pin", metadata, Column("template", String(64), primary_key=True))

# Files of the library that came with a letter of one's own: the team's list need not show them.
letter_file_table = Table("letter_file", metadata, Column("sha256", String(64), primary_key=True))

outbox_table = Table(
    "outbox",
    metadata,
    Column("id", String(64), primary_key=True),
    Column("message_id", String(255), nullable=False),
    Column("state", String(16), nullable=False),
    Column("due", Float, nullable=False),
    Column("attempts", Integer, nullable=False, default=0),
    Column("words", Text, nullable=False, default=""),
    Column("item", LargeBinary, nullable=False),
    Column("data", LargeBinary),
    Index("outbox_state", "state"),
    Index("outbox_message", "message_id"),
)


# When letters went by which account, for as long as its limits ask; at is in seconds since 1970.
passed_table = Table(
    "passed",
    metadata,
    Column("number", Integer, primary_key=True),
    Column("account", String(320), nullable=False),
    Column("at", Float, nullable=False),
    Index("passed_account", "account", "at"),
)

# What letters said that went from here, by their Message-ID; sent is in seconds since 1970.
went_table = Table(
    "went",
    metadata,
    Column("message_id", String(255), primary_key=True),
    Column("sent", Float, nullable=False),
    Column("data", LargeBinary, nullable=False),
)


arrived_table = Table(
    "arrived",
    metadata,
    Column("key", String(900), primary_key=True),
    Column("account", String(320), nullable=False),
    Column("folder", String(500), nullable=False),
    Column("uid", Integer, nullable=False),
    Column("came", Float, nullable=False),
    Column("flags", Text, nullable=False, default=""),
    Column("data", LargeBinary, nullable=False),
    Column("message", LargeBinary),
    Index("arrived_came", "came"),
    Index("arrived_place", "account", "folder", "uid"),
)

arrived_folder_table = Table(
    "arrived_folder",
    metadata,
    Column("account", String(320), primary_key=True),
    Column("folder", String(500), primary_key=True),
    Column("validity", Integer, nullable=False),
    Column("change", Integer, nullable=False),
)


def open_personal(path: Path) -> Engine:
    """Open or make the personal file. Raises NebbetError when that cannot be."""
    kept = "It was not touched"
    with explained(f"The file {path.name} with your letters cannot be opened", kept):
        path.parent.mkdir(mode=0o700, parents=True, exist_ok=True)
        path.touch(mode=0o600)
        close_to_others(path)  # also what an earlier Nebbet made
        engine = sqlite_engine(path)
        with engine.begin() as connection:
            version = connection.scalar(text("PRAGMA user_version")) or 0
            if version > VERSION:
                raise NebbetError(
                    f"The file {path.name} was made by a newer Nebbet",
                    kept=kept,
                    advice="Update Nebbet on this computer",
                )
            metadata.create_all(connection)
            if version == 1:
                connection.execute(text("ALTER TABLE outbox ADD COLUMN data BLOB"))
            connection.execute(text(f"PRAGMA user_version = {VERSION}"))
        return engine
