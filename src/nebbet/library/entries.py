"""Entries of the register, and what they are found by."""

import re
from datetime import datetime

from msgspec import Struct

from nebbet.core.characters import folded
from nebbet.core.letter import Letter
from nebbet.core.message.outgoing import Outgoing
from nebbet.core.ranking import Entry
from nebbet.core.records import Contact, Member

_GAPS = re.compile(r"[\W_]+")


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


def entry_for(letter: Letter, sender: Member, outgoing: Outgoing, sent: datetime) -> Registered:
    """The entry of a letter that goes out; the letter has a recipient, or it could not go."""
    recipient = letter.recipient or Contact("")
    return Registered(
        message_id=outgoing.message_id,
        sent=sent,
        sender=sender.id,
        address=recipient.email,
        name=recipient.name,
        contact=recipient.id,
        case_number=letter.case.number if letter.case else "",
        template=letter.template,
        edition=letter.edition,
        title=letter.title,
        subject=outgoing.subject,
    )


def found_by(entry: Registered) -> str:
    """The words that a database finds an entry by, without case and accents."""
    texts = (entry.name, entry.address, entry.case_number, entry.title, entry.subject)
    return _GAPS.sub(" ", folded(" ".join(texts))).strip()


def find_entries(registered: list[Registered]) -> list[Entry]:
    """What register entries are found by: person, case, template, subject."""
    return [
        Entry(r.message_id, (f"{r.name} {r.address}", r.case_number, r.title, r.subject))
        for r in registered
    ]
