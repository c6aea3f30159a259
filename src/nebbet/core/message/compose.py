"""Building the message: RFC 5322 headers, MIME parts by RFC 2045 and 2046, 7-bit on the wire."""

import binascii
from collections.abc import Callable, Collection, Iterable
from datetime import datetime
from email.utils import format_datetime

from nebbet.core import addresses, inline
from nebbet.core import letter as letters
from nebbet.core.addresses import Address
from nebbet.core.body import Frame, files_of, lines_of, render_email, render_plain
from nebbet.core.characters import whole
from nebbet.core.errors import NebbetError
from nebbet.core.inline import Slot
from nebbet.core.letter import Letter
from nebbet.core.message import headers
from nebbet.core.message.encoded import EncodedFiles
from nebbet.core.message.outgoing import Outgoing
from nebbet.core.records import Member


def compose(
    letter: Letter,
    sender: Member,
    *,
    now: datetime,
    token: Callable[[], str],
    frame: Frame,
    files: EncodedFiles,
    own: Collection[str] = (),
) -> Outgoing:
    """Build the message of a completed letter.

    now is an aware datetime, token gives fresh random letters and digits (for the Message-ID and
    the boundaries), own holds the addresses, in small letters, that are the sender's to send from.
    Raises NebbetError when a blank is not completed or an address is not one.
    """
    _refuse_blanks(letter)
    lines = {part: _addresses(getattr(letter, part)) for part in letters.ADDRESS_LINES}
    to, cc, bcc = (_recipient(letter), *lines["to"]), lines["cc"], lines["bcc"]
    author = Address(headers.clean(sender.name), _own(sender.email).spec)
    mailbox = lines["mailbox"] or (author,)
    for_another = mailbox[0].spec.casefold() not in {author.spec.casefold(), *own}
    envelope_sender = author if for_another else mailbox[0]
    message_id = f"<{token()}@{author.spec.rpartition('@')[2]}>"
    subject = headers.clean(inline.shown(letter.subject))
    head = b"".join(
        [
            headers.text("Date", format_datetime(now)),
            headers.addresses("From", mailbox[:1]),
            # RFC 5322 §3.6.2: who sends for another mailbox says so.
            headers.addresses("Sender", (author,) if for_another else ()),
            headers.addresses("Reply-To", lines["reply_to"]),
            headers.addresses("To", to),
            headers.addresses("Cc", cc),
            headers.text("Subject", subject),
            headers.text("Message-ID", message_id),
            headers.ids("In-Reply-To", (letter.answers_to,)),
            headers.ids("References", letter.thread),
            headers.text("MIME-Version", "1.0"),
        ]
    )
    data = head + _content(letter, frame, files, token)
    envelope = tuple(dict.fromkeys(a.spec for a in (*to, *cc, *bcc)))
    return Outgoing(data, envelope_sender.spec, envelope, message_id, subject, addresses.write(bcc))


def _refuse_blanks(letter: Letter) -> None:
    lines = [getattr(letter, part) for part in letters.LINES]
    lines += [*lines_of(letter.body), *(a.name for a in letter.attached)]
    slots = (part for line in lines for part in line if isinstance(part, Slot))
    open_names = dict.fromkeys(slot.name for slot in slots if slot.text is None)
    for when, reason in letter.undecided.items():
        raise NebbetError(
            f"The letter cannot go: whether “{when}” holds cannot be told: {reason}",
            advice="Complete what it needs first",
        )
    if open_names:
        raise NebbetError(
            f"The letter cannot go: not completed: {', '.join(open_names)}",
            advice="Complete every blank first",
        )


def _recipient(letter: Letter) -> Address:
    if letter.recipient is None or not letter.recipient.email:
        raise NebbetError("The letter has no recipient", advice="Choose whom it goes to")
    return Address(headers.clean(letter.recipient.name), _own(letter.recipient.email).spec)


def _own(spec: str) -> Address:
    found = addresses.one(spec)
    if isinstance(found, Address):
        return found
    raise NebbetError(
        f"“{found.text}” is not a mail address: {found.reason}", advice="Mend the address"
    )


def _addresses(line: inline.Line) -> tuple[Address, ...]:
    found, problems = addresses.read(addresses.shown(line))
    for problem in problems:
        raise NebbetError(
            f"“{problem.text}” is not a mail address: {problem.reason}", advice="Mend the address"
        )
    return found


def _content(letter: Letter, frame: Frame, files: EncodedFiles, token: Callable[[], str]) -> bytes:
    pictures = dict.fromkeys([*files_of(letter.whole), *filter(None, [frame.logo])])
    sources = {file: f"cid:{_content_id(file)}" for file in pictures}
    formatted = _text("html", render_email(letter.whole, frame, sources, letter.language))
    if pictures:
        parts = [formatted, *(_picture(file, files) for file in pictures)]
        formatted = _multipart("related", parts, token, ' type="text/html";')
    plain = _text("plain", render_plain(letter.whole, frame))
    both = _multipart("alternative", [plain, formatted], token)
    attached = [_attachment(a, files) for a in letter.attached]
    return _multipart("mixed", [both, *attached], token) if attached else both


def _multipart(
    kind: str, parts: Iterable[bytes], token: Callable[[], str], extra: str = ""
) -> bytes:
    # "=_" cannot occur in quoted-printable or base64 text, so that no part holds the boundary.
    boundary = f"=_{token()}"
    head = f'Content-Type: multipart/{kind};{extra}\r\n boundary="{boundary}"\r\n\r\n'
    mark = f"--{boundary}".encode("ascii")
    body = b"".join(mark + b"\r\n" + part + b"\r\n" for part in parts)
    return head.encode("ascii") + body + mark + b"--\r\n"


def _text(kind: str, text: str) -> bytes:
    lines = text.replace("\r\n", "\n").replace("\r", "\n").replace("\n", "\r\n")
    head = f'Content-Type: text/{kind}; charset="utf-8"\r\n'
    head += "Content-Transfer-Encoding: quoted-printable\r\n\r\n"
    return head.encode("ascii") + binascii.b2a_qp(whole(lines).encode("utf-8"), istext=True)


def _content_id(file: str) -> str:
    return f"{file[:32]}@nebbet"


def _picture(file: str, files: EncodedFiles) -> bytes:
    encoded = files.base64(file)
    head = f"Content-Type: image/{picture_kind(encoded)}\r\n"
    head += f"Content-ID: <{_content_id(file)}>\r\nContent-Disposition: inline\r\n"
    return head.encode("ascii") + _ENCODED + encoded


_ENCODED = b"Content-Transfer-Encoding: base64\r\n\r\n"
_KINDS = {b"iVBOR": "png", b"/9j/": "jpeg", b"R0lGO": "gif", b"UklGR": "webp"}


def picture_kind(encoded: bytes) -> str:
    """The kind of a picture by its first bytes, as they look in base64."""
    return next((kind for mark, kind in _KINDS.items() if encoded.startswith(mark)), "png")


def _attachment(attachment: letters.Attachment, files: EncodedFiles) -> bytes:
    head = headers.attachment(inline.shown(attachment.name), attachment.media_type)
    return head + _ENCODED + files.base64(attachment.file)


def with_bcc(data: bytes, bcc: str) -> bytes:
    """The copy for the sender's own mailbox, which shows who got a blind copy."""
    return headers.addresses("Bcc", addresses.read(bcc)[0]) + data
