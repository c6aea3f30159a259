"""The register: what went out, when, from whom, to whom, with which template, about what."""

from msgspec.structs import asdict
from sqlalchemy import insert, select

from nebbet.library.engine import explained
from nebbet.library.entries import Registered
from nebbet.library.schema import register as table
from nebbet.library.store import Library


def record(library: Library, *entries: Registered) -> None:
    """Enter letters that went out; a message that is entered already stays as it is."""
    with explained("The register cannot be written"), library.engine.begin() as connection:
        for entry in entries:
            known = select(table.c.message_id).where(table.c.message_id == entry.message_id)
            if connection.scalar(known) is None:
                connection.execute(insert(table).values(asdict(entry)))


def entries(library: Library, limit: int = 5000) -> list[Registered]:
    """The register, newest first."""
    statement = select(table).order_by(table.c.sent.desc()).limit(limit)
    with explained("The register cannot be read"), library.engine.connect() as connection:
        return [Registered(**row) for row in connection.execute(statement).mappings()]
