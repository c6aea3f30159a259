"""The demo's arrived messages, laid into mailboxes."""

import email.policy
import mailbox
from collections.abc import Iterable, Mapping
from datetime import datetime, timedelta
from email.message import EmailMessage
from email.utils import format_datetime
from pathlib import Path

from nebbet.core.records import Contact
from nebbet.standin.messages import DemoMessage, read_messages
from nebbet.standin.team import CLAIMS

_READ = 30  # the newest ones are new, the others have been read
_FORM = "Name: see above\nWhat was damaged: as described\nSigned\n"


def fill_inbox(
    mail: Path,
    users: Iterable[str],
    people: Mapping[str, Contact],
    now: datetime,
    claims: str = "",
) -> None:
    """Lay the messages into the mailboxes of some users, as they came; people are those on file.
    Where there is a mailbox for claims, by its user, what is about one lies there alone."""
    found = sorted(read_messages(), key=lambda one: one.hours)
    made = [(one, message_of(number, one, people, now)) for number, one in enumerate(found)]
    apart = [one for one in found if claims and one.answer.startswith("claim-")]
    for user in filter(None, (*users, claims)):
        box = mailbox.Maildir(mail / user, create=True)
        for number, (one, message) in enumerate(made):
            if (one in apart) != (user == claims):
                continue
            copy = mailbox.MaildirMessage(message.as_bytes(policy=email.policy.SMTP))
            copy.set_subdir("cur" if number >= _READ else "new")
            copy.set_flags("S" if number >= _READ else "")
            copy.set_date((now - timedelta(hours=one.hours)).timestamp())
            box.add(copy)


def message_of(
    number: int, one: DemoMessage, people: Mapping[str, Contact], now: datetime
) -> EmailMessage:
    """A message as it would have come."""
    person = people.get(one.sender)
    address = person.email if person else one.sender
    made = EmailMessage()
    made["From"] = f"{person.name} <{address}>" if person else address
    about_claim = one.answer.startswith("claim-")
    made["To"] = CLAIMS if about_claim else "Lisle Sound Ferries <bookings@lislesound.example>"
    made["Subject"] = one.subject
    made["Date"] = format_datetime(now - timedelta(hours=one.hours))
    made["Message-ID"] = f"<arrived{number:03}@{address.partition('@')[2]}>"
    made.set_content(f"{one.words}\n")
    if one.answer == "claim-received":
        made.add_attachment(_FORM.encode(), "text", "plain", filename="claim form.txt")
    return made
