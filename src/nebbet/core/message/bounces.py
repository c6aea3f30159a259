"""Messages that say what became of a letter: RFC 3464 (delivery status), RFC 3463 (its codes)."""

import re

from msgspec import Struct

from nebbet.core.message.received import header_of, parsed
from nebbet.core.sentences import said

_STATUS = re.compile(r"\b([245])\.(\d{1,3})\.(\d{1,3})\b")
_ID = re.compile(r"<[^<>\s]{1,400}>")
_ADDRESS = re.compile(r"(?:rfc822|utf-8)\s*;\s*<?([^\s<>]+@[^\s<>]+?)>?\s*$", re.IGNORECASE)
_MOST = 200  # parts and recipients that are looked at

# RFC 3463 §3.2 to §3.8, and RFC 7372 for 7.2x: subject and detail.
_WORDS = {
    "1.1": said("there is no such mailbox"),
    "1.2": said("there is no such mail domain"),
    "1.3": said("the address is not written as one"),
    "1.6": said("the mailbox has moved, and left no new address"),
    "1.10": said("the domain takes no mail"),
    "2.1": said("the mailbox is closed"),
    "2.2": said("the mailbox is full"),
    "2.3": said("the letter is larger than the mailbox takes"),
    "3.4": said("the letter is larger than the server takes"),
    "4.1": said("their server does not answer"),
    "4.4": said("it is not known where their mail goes"),
    "4.7": said("it could not be delivered in time"),
    "5.3": said("it has too many recipients"),
    "6.1": said("a part of the letter is of a kind that is not taken"),
    "7.1": said("it was refused, as their server decides"),
    "7.20": said("no signature of the sender's domain fits"),
    "7.23": said("the sender's domain does not allow this server to send"),
    "7.26": said("the sender's domain could not be made sure of"),
}


class Bounce(Struct, frozen=True):
    """A letter that came back: its Message-ID, whom it did not reach, why in words, what their
    server said, and whether it is only late so far."""

    letter: str
    address: str
    why: str
    words: str = ""
    is_late: bool = False


def explained(text: str) -> str:
    """Why a letter was refused, by the status code in a text (RFC 3463); empty where there is none
    that is known.

    >>> explained("550 5.1.1 No such user"), explained("hello")
    ('there is no such mailbox', '')
    """
    found = _STATUS.search(text)
    return _WORDS.get(f"{found[2]}.{found[3]}", "") if found else ""


def bounces_in(data: bytes) -> tuple[Bounce, ...]:
    """What a message reports of letters that were not delivered; nothing for any other message."""
    message = parsed(data)
    if message.get_content_type() != "multipart/report":
        return ()
    letter, reports = "", []
    for number, part in enumerate(message.walk()):
        if number > _MOST:
            break
        kind = part.get_content_type()
        if kind in ("message/delivery-status", "message/global-delivery-status"):
            reports += [one for one in part.walk() if one is not part]
        elif kind in ("message/rfc822", "text/rfc822-headers", "message/rfc822-headers",
                      "message/global-headers") and not letter:  # fmt: skip
            letter = _letter_of(part)
    found = (_bounce(letter, one) for one in reports[:_MOST])
    return tuple(one for one in found if one is not None)


def _letter_of(part) -> str:  # type: ignore[no-untyped-def]
    """The Message-ID of the letter that a report carries, whole or by its headers."""
    if part.get_content_type() == "message/rfc822" and part.is_multipart():
        text = header_of(part.get_payload(0), "Message-ID")
    else:
        payload = part.get_payload(decode=True)
        text = header_of(parsed(payload), "Message-ID") if isinstance(payload, bytes) else ""
    found = _ID.search(text)
    return found[0] if found else ""


def _bounce(letter: str, report) -> Bounce | None:  # type: ignore[no-untyped-def]
    """What one block of a report says; nothing where it is about no recipient, or all went well."""
    address = _ADDRESS.search(header_of(report, "Original-Recipient") or "") or _ADDRESS.search(
        header_of(report, "Final-Recipient") or ""
    )
    action = header_of(report, "Action").strip().casefold()
    if address is None or action not in ("failed", "delayed"):
        return None
    status, words = header_of(report, "Status"), header_of(report, "Diagnostic-Code")
    plain = " ".join(words.partition(";")[2].split() or words.split())[:300]
    why = explained(status) or explained(words) or said("their server did not take it")
    return Bounce(letter, address[1], why, plain, action == "delayed")
