"""Entries of the register, and what they are found by."""

from datetime import datetime

from msgspec import Struct

from nebbet.core.ranking import Entry


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


def find_entries(registered: list[Registered]) -> list[Entry]:
    """What register entries are found by: person, case, template, subject."""
    return [
        Entry(r.message_id, (f"{r.name} {r.address}", r.case_number, r.title, r.subject))
        for r in registered
    ]
