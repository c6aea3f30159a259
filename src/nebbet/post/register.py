"""The register: what went out, when, from whom, to whom, with which template, about what."""

from datetime import datetime

from msgspec import Struct
from msgspec.structs import asdict
from sqlalchemy import insert, select

from nebbet.core.ranking import Entry
from nebbet.library import Library
from nebbet.library.engine import explained
from nebbet.library.schema import register as table


class Registered(Struct, frozen=True):
    """One entry. sender is a member's id; title the template's title when it went."""

    message_id: str
    sent: datetime
    sender: str
    address: str
    name: str = ""
    contact: str = ""
    case_number: str = ""
    template: str = ""
    edition: int = 0
    title: str = ""
    subject: str = ""


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


def find_entries(registered: list[Registered]) -> list[Entry]:
    """What register entries are found by: person, case, template, subject."""
    return [
        Entry(r.message_id, (f"{r.name} {r.address}", r.case_number, r.title, r.subject))
        for r in registered
    ]
