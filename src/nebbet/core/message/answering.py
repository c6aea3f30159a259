"""Answering a message: whom the answer goes to, how it hangs on what it answers, what it quotes.

RFC 5322 §3.6.2 to §3.6.5 (originator and identification fields, Re:), RFC 2369 §3.4 (List-Post),
RFC 3676 §4.5 (quoting).
"""

import re
from collections.abc import Collection, Iterable, Iterator
from datetime import datetime
from email.utils import parsedate_to_datetime
from typing import TYPE_CHECKING

from msgspec import Struct

from nebbet.core import addresses
from nebbet.core.addresses import Address
from nebbet.core.body import Body, from_text, read_foreign
from nebbet.core.message.received import Received, header_of, parsed

if TYPE_CHECKING:
    from email.message import EmailMessage

_ID = re.compile(r"<[^<>\s]{1,400}>")
# What programs of several languages put before the subject of an answer, or of what is handed on;
# common ones, from memory, no source. RFC 5322 §3.6.5 knows "Re: " alone.
_BEFORE = re.compile(
    r"\s*(?:(?:re|aw|antw|sv|vs|ref|rv|odp|ynt|fw|fwd|wg|tr|i|vb|vl|enc)\s*(?:\[\d+\]|\(\d+\))?"
    r"\s*[::]\s*)+",
    re.IGNORECASE,
)
_MOST_REFERENCES = 30  # of a long thread the first and the last ones say where it belongs
_MOST_QUOTED = 60_000  # characters of somebody else's words
_POST = re.compile(r"<mailto:([^>?]+)", re.IGNORECASE)


class Arrived(Struct, frozen=True):
    """What is to be known of a message that arrived: its Message-ID, those of what it answers, the
    oldest first, who wrote it, where answers are to go, whom else it went to, where a mailing list
    takes messages, its subject, and when it was written, where that can be read."""

    message_id: str = ""
    references: tuple[str, ...] = ()
    sender: Address = Address("", "")
    reply_to: tuple[Address, ...] = ()
    to: tuple[Address, ...] = ()
    cc: tuple[Address, ...] = ()
    list_post: str = ""
    subject: str = ""
    written: datetime | None = None


def arrived(data: bytes) -> Arrived:
    """Read the fields of a message, or of its headers alone. Raises NebbetError for one that
    nothing can be read of."""
    return fields_of(parsed(data))


def fields_of(message: "EmailMessage") -> Arrived:
    """The fields of a parsed message."""
    senders = _people(message, "From")
    post = _POST.search(header_of(message, "List-Post"))
    return Arrived(
        message_id=next(iter(_ids(header_of(message, "Message-ID"))), ""),
        references=_thread(message),
        sender=senders[0] if senders else Address("", ""),
        reply_to=_people(message, "Reply-To"),
        to=_people(message, "To"),
        cc=_people(message, "Cc"),
        list_post=post[1].strip() if post else "",
        subject=" ".join(header_of(message, "Subject").split()),
        written=_moment(header_of(message, "Date")),
    )


def _ids(text: str) -> list[str]:
    return _ID.findall(text)


def _thread(message: "EmailMessage") -> tuple[str, ...]:
    """What a message hangs on: its References, or, where it has none, its In-Reply-To if that names
    one message (RFC 5322 §3.6.4)."""
    found = list(dict.fromkeys(_ids(header_of(message, "References"))))
    answered = _ids(header_of(message, "In-Reply-To"))
    if not found:
        return tuple(answered) if len(answered) == 1 else ()
    return tuple(found)


def _people(message: "EmailMessage", name: str) -> tuple[Address, ...]:
    found, _problems = addresses.read(header_of(message, name))
    return tuple(found)


def _moment(text: str) -> datetime | None:
    try:
        found = parsedate_to_datetime(text)
    except (ValueError, TypeError, IndexError, OverflowError):
        return None
    return found if found.tzinfo else None


# Answers


def references_for(message: Arrived) -> tuple[str, ...]:
    """The References of an answer: those of what it answers, and that itself (RFC 5322 §3.6.4).

    >>> references_for(Arrived("<b@x>", ("<a@x>",)))
    ('<a@x>', '<b@x>')
    """
    found = [*message.references, *filter(None, [message.message_id])]
    if len(found) > _MOST_REFERENCES:
        found = [found[0], *found[1 - _MOST_REFERENCES :]]
    return tuple(dict.fromkeys(found))


def bare_subject(subject: str) -> str:
    """A subject without what programs put before it.

    >>> bare_subject("AW: Re[2]: Fwd: My booking"), bare_subject("Resort: full")
    ('My booking', 'Resort: full')
    """
    found = _BEFORE.match(subject)
    return (subject[found.end() :] if found else subject).strip()


def reply_subject(subject: str) -> str:
    """The subject of an answer, with one "Re:".

    >>> reply_subject("RE: re: Hello"), reply_subject("")
    ('Re: Hello', '')
    """
    bare = bare_subject(subject)
    return f"Re: {bare}" if bare else ""


def forward_subject(subject: str) -> str:
    """The subject of a message that is handed on.

    >>> forward_subject("Re: Hello")
    'Fwd: Hello'
    """
    bare = bare_subject(subject)
    return f"Fwd: {bare}" if bare else ""


class Recipients(Struct, frozen=True):
    """Whom an answer goes to, the first one first, and who gets a copy."""

    to: tuple[Address, ...] = ()
    cc: tuple[Address, ...] = ()


def answer_to(message: Arrived, own: Collection[str], *, all_of_them: bool = False) -> Recipients:
    """Whom an answer goes to: where answers are wished (RFC 5322 §3.6.2), else to its sender. For
    all: the others it went to get a copy. One's own addresses are left out; of a message of one's
    own an answer goes to whom that went to.

    An answer to a message of a mailing list goes to its writer, unless it is for all: then also to
    where the list takes messages.
    """
    mine = {one.casefold() for one in own}
    is_own = message.sender.spec.casefold() in mine
    listed = message.list_post.casefold()
    wished = [one for one in message.reply_to if one.spec.casefold() != listed]
    first = message.to if is_own else wished or (message.sender,)
    to = tuple(_without(first, mine))
    if not all_of_them:
        return Recipients(to)
    others = [*message.to, *message.cc]
    if listed:
        others = [Address("", message.list_post), *others]
    taken = mine | {one.spec.casefold() for one in to}
    return Recipients(to, tuple(_without(others, taken)))


def _without(found: Iterable[Address], left_out: Collection[str]) -> Iterator[Address]:
    seen = set(left_out)
    for one in found:
        key = one.spec.casefold()
        if key and key not in seen:
            seen.add(key)
            yield one


# What is quoted


def words_of(received: Received) -> Body:
    """What a message says, as a text."""
    if received.plain.strip():
        return from_text(received.plain[:_MOST_QUOTED])
    return read_foreign(received.html[: 4 * _MOST_QUOTED])


def asked_in(fields: Arrived, received: Received) -> str:
    """What somebody asks in a message: its subject, and what it says in their own words."""
    return f"{fields.subject}\n{own_words(received)}"


def own_words(received: Received) -> str:
    """What whoever wrote a message says in it themselves, in plain words: without what they quote,
    and without the line that leads to that."""
    text = received.plain
    if not text.strip():
        from nebbet.core.body import render_plain

        text = render_plain(read_foreign(received.html[: 4 * _MOST_QUOTED]))
    lines: list[str] = []
    for line in text.replace("\r\n", "\n").split("\n"):
        if _PARTING.match(line):
            break
        if line.startswith(">"):
            if lines and lines[-1].rstrip().endswith((":", "…")):
                lines.pop()
            continue
        lines.append(line)
    return "\n".join(lines).strip()


# Lines below which programs put the message that is answered; from memory, no source.
_PARTING = re.compile(
    r"\s*(?:-{2,}\s*(?:original message|ursprüngliche nachricht|message d'origine|opprinnelig "
    r"melding|forwarded message)\b|_{10,}\s*$|from:\s.+@|von:\s.+@|de\s?:\s.+@|fra:\s.+@)",
    re.IGNORECASE,
)
