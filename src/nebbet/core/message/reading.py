"""Reading a message back, for showing it."""

from typing import TYPE_CHECKING

from msgspec import Struct

if TYPE_CHECKING:
    from email.message import EmailMessage


class Received(Struct, frozen=True):
    """What a person sees of a message; attachments are (name, bytes) pairs, pictures are the
    parts that the HTML shows, by their Content-ID (RFC 2392)."""

    date: str
    sender: str
    to: str
    cc: str
    bcc: str
    subject: str
    plain: str
    html: str
    reply_to: str = ""
    attachments: tuple[tuple[str, bytes], ...] = ()
    pictures: dict[str, bytes] = {}


def open_message(data: bytes) -> Received:
    """Read an RFC 5322 message; what is broken in it is left out rather than refused."""
    from email import message_from_bytes
    from email.message import EmailMessage
    from email.policy import default

    message = message_from_bytes(data, policy=default)
    assert isinstance(message, EmailMessage)

    def header(name: str) -> str:
        return str(message.get(name, ""))

    return Received(
        date=header("Date"),
        sender=header("From"),
        to=header("To"),
        cc=header("Cc"),
        bcc=header("Bcc"),
        subject=header("Subject"),
        reply_to=header("Reply-To"),
        plain=_text(message, "plain"),
        html=_text(message, "html"),
        attachments=tuple(
            (part.get_filename() or "attachment", _bytes(part))
            for part in message.iter_attachments()
        ),
        pictures={
            str(part["Content-ID"]).strip(" <>"): _bytes(part)
            for part in message.walk()
            if part["Content-ID"] and isinstance(part, EmailMessage)
        },
    )


def _text(message: "EmailMessage", kind: str) -> str:
    part = message.get_body((kind,))
    try:
        return str(part.get_content()) if part else ""
    except (LookupError, KeyError):  # an unknown charset or a broken part
        return ""


def _bytes(part: "EmailMessage") -> bytes:
    payload = part.get_payload(decode=True)
    return payload if isinstance(payload, bytes) else b""
