"""Reading a message back, for showing it. Whatever it is, it is read as far as it can be."""

import re
from collections.abc import Callable, Iterator
from typing import TYPE_CHECKING, Any, TypeVar

from msgspec import Struct

from nebbet.core.characters import whole
from nebbet.core.errors import NebbetError
from nebbet.core.message.charsets import decoded
from nebbet.core.message.headers import file_name

if TYPE_CHECKING:
    from email.message import EmailMessage, MIMEPart
    from email.policy import EmailPolicy

LARGEST = 32 * 2**20  # bytes of a message
LONGEST_TEXT = 2 * 2**20  # characters of it that are read
_LONGEST_HEADER = 20_000  # characters of one header field that are looked at
_MOST_PARTS = 500
_FOLDERS = re.compile(r"[/\\]+")

_Found = TypeVar("_Found")


class Received(Struct, frozen=True):
    """What a person sees of a message; attachments are (name, bytes) pairs, pictures are the
    parts that the HTML shows, by their Content-ID (RFC 2392). cut says that only the beginning of
    its text was read."""

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
    cut: bool = False


def open_message(data: bytes) -> Received:
    """Read an RFC 5322 message; what is broken in it is left out rather than refused.

    Raises NebbetError for a message that is too large, or nested beyond all reason.
    """
    if len(data) > LARGEST:
        raise NebbetError(f"The message is larger than {LARGEST // 2**20} MB")
    message = parsed(data)
    plain, html = _text(message, "plain"), _text(message, "html")
    return Received(
        date=header_of(message, "Date"),
        sender=header_of(message, "From"),
        to=header_of(message, "To"),
        cc=header_of(message, "Cc"),
        bcc=header_of(message, "Bcc"),
        subject=header_of(message, "Subject"),
        reply_to=header_of(message, "Reply-To"),
        plain=plain[:LONGEST_TEXT],
        html=html[:LONGEST_TEXT],
        attachments=tuple((_name(part), _bytes(part)) for part in _attachments(message)),
        pictures={_content_id(part): _bytes(part) for part in _parts(message) if _content_id(part)},
        cut=max(len(plain), len(html)) > LONGEST_TEXT,
    )


def parsed(data: bytes) -> "EmailMessage":
    """A message taken apart. Raises NebbetError where its parts are nested beyond all reason."""
    from email import message_from_bytes
    from email.message import EmailMessage

    try:
        message = message_from_bytes(data, policy=_policy())
        assert isinstance(message, EmailMessage)
        for _ in message.walk():
            pass
    except RecursionError:
        raise NebbetError("The message has parts within parts beyond all reason") from None
    return message


def _policy() -> "EmailPolicy":
    """The standard library's, with an eye on the length of what it takes apart: that takes time
    with the square of it."""
    from email.policy import EmailPolicy

    class Bounded(EmailPolicy):
        def header_source_parse(self, sourcelines: list[str]) -> tuple[str, str]:
            name, value = super().header_source_parse(sourcelines)
            return name, value[:_LONGEST_HEADER]

    return Bounded()


def _tried(call: Callable[[], _Found], otherwise: _Found) -> _Found:
    """What a call gives, or something else. The library's parser lets out whatever an odd message
    makes it stumble over (index, attribute, value, recursion): none of it is a fault of ours."""
    try:
        return call()
    except Exception:
        return otherwise


def header_of(message: "EmailMessage", name: str) -> str:
    """What a header field says, as far as it can be read; empty where there is none."""
    raw = next((str(v) for k, v in message.raw_items() if k.lower() == name.lower()), "")
    said = _tried(lambda: str(message.get(name, "")), " ".join(raw.split()))
    return whole(said)


def _text(message: "EmailMessage", kind: str) -> str:
    part = _tried(lambda: message.get_body((kind,)), None)
    if part is None:
        return ""
    charset = _tried(lambda: str(part.get_content_charset("utf-8")), "utf-8")
    return decoded(_bytes(part), charset)


def _attachments(message: "EmailMessage") -> "list[EmailMessage]":
    found: list[EmailMessage] = []

    def gather() -> None:
        for part in message.iter_attachments():
            found.append(part)
            if len(found) == _MOST_PARTS:
                return

    _tried(gather, None)
    return found


def _parts(message: "EmailMessage") -> "Iterator[EmailMessage]":
    for number, part in enumerate(message.walk()):
        if number == _MOST_PARTS:
            return
        yield part


def _name(part: "EmailMessage") -> str:
    """The name of an attachment, without a folder; a message goes by its subject."""
    given = _tried(lambda: part.get_filename() or "", "")
    if not given and part.get_content_type() == "message/rfc822":
        inner = part.get_payload(0)
        given = f"{header_of(inner, 'Subject') or 'message'}.eml"  # type: ignore[arg-type]
    return file_name(_FOLDERS.split(whole(given))[-1]) or "attachment"


def _content_id(part: "EmailMessage") -> str:
    return header_of(part, "Content-ID").strip(" <>")


def _bytes(part: "MIMEPart[Any, Any]") -> bytes:
    """The content of a part; that of an attached message is the message."""

    def content() -> bytes:
        if part.get_content_type() == "message/rfc822" and part.is_multipart():
            return bytes(part.get_payload(0))  # type: ignore[arg-type]
        if part.is_multipart():
            return bytes(part)
        payload = part.get_payload(decode=True)
        return payload if isinstance(payload, bytes) else b""

    return _tried(content, b"")
