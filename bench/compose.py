"""Composing 500 letters with a 120 kB enclosure, against the standard library's EmailMessage.

Both make the same message: plain and formatted part, one attachment, the same headers. The
baseline builds each message from scratch, as its documentation shows.
"""

import itertools
import os
import time
from datetime import UTC, datetime
from email.message import EmailMessage
from email.policy import SMTP
from email.utils import format_datetime

from msgspec.structs import replace

from nebbet.core import body
from nebbet.core.body import Frame, render_email, render_plain
from nebbet.core.letter import Attachment, Letter
from nebbet.core.message.compose import compose
from nebbet.core.message.encoded import EncodedFiles
from nebbet.core.records import Contact, Member

LETTERS = 500
ENCLOSURE = os.urandom(120_000)
NOW = datetime(2026, 11, 25, 9, 30, tzinfo=UTC)
ME = Member("m", "Benedek", "Roy", "benedek.roy@lislesound.example")
FRAME = Frame(band="Lisle Sound Ferries", foot=("Harbour House, Marrowby",))
LETTER = Letter(
    "l",
    subject=("Your sailing from Marrowby to Quillan is cancelled",),
    body=body.read("<p>Dear passenger,</p>" + "<p>A paragraph of some length. </p>" * 12),
    attachments=(Attachment("f" * 64, ("Conditions.pdf",), "application/pdf", len(ENCLOSURE)),),
)


def letters() -> list[Letter]:
    people = (
        Contact(str(n), email=f"person{n}@post.example", first_name="Zoë", last_name=f"Nr {n}")
        for n in range(LETTERS)
    )
    return [replace(LETTER, recipient=person) for person in people]


def with_nebbet(todays: list[Letter]) -> int:
    count = itertools.count()
    files = EncodedFiles(lambda _file: ENCLOSURE)
    made = (
        compose(x, ME, now=NOW, token=lambda: f"t{next(count):08}", frame=FRAME, files=files)
        for x in todays
    )
    return sum(len(outgoing.data) for outgoing in made)


def with_email_message(todays: list[Letter]) -> int:
    size = 0
    for letter in todays:
        assert letter.recipient is not None
        message = EmailMessage(policy=SMTP)
        message["Date"] = format_datetime(NOW)
        message["From"] = f"{ME.name} <{ME.email}>"
        message["To"] = f"{letter.recipient.name} <{letter.recipient.email}>"
        message["Subject"] = str(letter.subject[0])
        message["Message-ID"] = f"<{letter.recipient.id}@lislesound.example>"
        message.set_content(render_plain(letter.body, FRAME))
        message.add_alternative(render_email(letter.body, FRAME), subtype="html")
        message.add_attachment(
            ENCLOSURE, maintype="application", subtype="pdf", filename="Conditions.pdf"
        )
        size += len(message.as_bytes())
    return size


def main() -> None:
    todays = letters()
    with_nebbet(todays[:5]), with_email_message(todays[:5])
    times = []
    for way in (with_nebbet, with_email_message):
        started = time.perf_counter()
        way(todays)
        times.append(time.perf_counter() - started)
    ours, theirs = times
    print(
        f"composing {LETTERS} letters with a 120 kB enclosure: {ours:.2f} s, "
        f"{theirs / ours:.1f} times as fast as EmailMessage for each ({theirs:.2f} s); goal 10"
    )


if __name__ == "__main__":
    main()
