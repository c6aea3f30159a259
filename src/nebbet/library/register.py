"""The register: what went out, when, from whom, to whom, with which template, about what."""

from collections.abc import Collection

from msgspec.structs import asdict
from sqlalchemy import insert, select

from nebbet.library.engine import explained
from nebbet.library.entries import Registered
from nebbet.library.schema import register as table
from nebbet.library.store import Library

MOST = 5000  # entries: the newest


def record(library: Library, *entries: Registered) -> None:
    """Enter letters that went out; a message that is entered already stays as it is."""
    with explained("The register cannot be written"), library.engine.begin() as connection:
        for entry in entries:
            known = select(table.c.message_id).where(table.c.message_id == entry.message_id)
            if connection.scalar(known) is None:
                connection.execute(insert(table).values(asdict(entry)))


def entries(library: Library, limit: int = MOST) -> list[Registered]:
    """The register, newest first."""
    statement = select(table).order_by(table.c.sent.desc()).limit(limit)
    with explained("The register cannot be read"), library.engine.connect() as connection:
        return [Registered(**row) for row in connection.execute(statement).mappings()]


def with_entries(
    library: Library, listed: list[Registered], messages: Collection[str]
) -> list[Registered]:
    """The register as it was listed, with some letters that were entered since."""
    statement = select(table).where(table.c.message_id.in_(list(messages)))
    with explained("The register cannot be read"), library.engine.connect() as connection:
        found = [Registered(**row) for row in connection.execute(statement).mappings()]
    rest = [entry for entry in listed if entry.message_id not in messages]
    return sorted([*found, *rest], key=lambda entry: entry.sent, reverse=True)[:MOST]
