"""Writing header fields: RFC 5322 folding, RFC 2047 encoded words.

This is the one place where text becomes a header: whatever comes here is cleaned here, last.
"""

import re
from base64 import b64encode
from collections.abc import Iterable, Iterator, Sequence
from functools import lru_cache

from nebbet.core.addresses import Address
from nebbet.core.message.encoded import LINE

_UNSAFE = re.compile("[\x00-\x1f\x7f-\x9f\u2028\u2029\ud800-\udfff]+")
# Signs that turn the direction of text: "exe.fdp" would be read as a file of another kind.
_TURNING = re.compile("[\u061c\u200e\u200f\u202a-\u202e\u2066-\u2069]+")
_ID = re.compile("<[!-;=?-~]{1,400}>")
_LONGEST_NAME = 200  # characters of a file's name
_LONGEST_VALUE = 2000  # characters of a subject or of somebody's name
# Bytes in one encoded word: with any header's name before it the line stays within 76.
_WORD = 39
_PLAIN_NAME = 60  # characters of a name that need no folding


def clean(text: str) -> str:
    """Text fit for a header: no line breaks, no control characters, no half ones.

    >>> clean("Refund\\r\\nBcc: eve@host.example")
    'Refund Bcc: eve@host.example'
    """
    return _UNSAFE.sub(" ", text).strip()[:_LONGEST_VALUE]


def file_name(text: str) -> str:
    """The name of an attachment: one that leads into no folder, without signs that turn its
    direction, and not too long; its ending stays.

    >>> file_name("../conditions\\u202efdp.exe")
    '-conditionsfdp.exe'
    """
    name = _TURNING.sub("", clean(text)).replace("/", "-").strip(". ")
    if len(name) <= _LONGEST_NAME:
        return name
    stem, dot, ending = name.rpartition(".")
    if not dot or len(ending) > 10:
        return name[:_LONGEST_NAME]
    return f"{stem[: _LONGEST_NAME - len(ending) - 1]}.{ending}"


@lru_cache(maxsize=256)
def text(name: str, value: str) -> bytes:
    """An unstructured header field, or nothing for an empty value."""
    value = clean(value)
    if not value:
        return b""
    if not value.isascii() or "=?" in value:
        value = "\r\n ".join(_words(value))
    elif len(name) + len(value) + 2 > LINE:
        words = value.split(" ")
        # A word too long for a line is encoded, and then all of them: the space between two
        # encoded words is not shown (RFC 2047 §6.2).
        fits = all(len(word) <= LINE - len(name) - 2 for word in words)
        value = "\r\n ".join(_folded(name, words) if fits else _words(value))
    return f"{name}: {value}\r\n".encode("ascii")


def ids(name: str, found: Iterable[str]) -> bytes:
    """A header field of message identifications, or nothing where there are none: one on a line
    (RFC 5322 §3.6.4). What is none is left out.

    >>> ids("References", ["<a@x>", "no id", "<b@x>"])
    b'References: <a@x>\\r\\n <b@x>\\r\\n'
    """
    sound = [one for one in found if _ID.fullmatch(one)]
    value = "\r\n ".join(sound)
    return f"{name}: {value}\r\n".encode("ascii") if sound else b""


def addresses(name: str, found: Sequence[Address]) -> bytes:
    """A header field with addresses, or nothing when there are none."""
    if not found:
        return b""
    value = ",\r\n ".join(map(_address, found))
    return f"{name}: {value}\r\n".encode("ascii")


def _address(address: Address) -> str:
    """One address; a long name is encoded, for only that can be folded anywhere."""
    name, spec = clean(address.name), clean(address.spec)
    if not name:
        return spec
    phrase = Address(name, spec).phrase
    if not name.isascii() or "=?" in name or len(phrase) > _PLAIN_NAME:
        return "\r\n ".join([*_words(name), f"<{spec}>"])
    header = f"{phrase} <{spec}>"
    return header if len(header) < LINE - 12 else f"{phrase}\r\n <{spec}>"


@lru_cache(maxsize=256)
def attachment(name: str, media_type: str) -> bytes:
    """The header fields of an attachment; the standard library writes RFC 2231 parameters
    correctly. A kind that says how a message is put together is none for an attachment: RFC 2046
    §5.2.1 forbids to encode an attached message, and a file is kept as it is."""
    from email.message import MIMEPart  # not before it is needed: it takes a moment
    from email.policy import SMTP

    part = MIMEPart(policy=SMTP)
    usable = _MEDIA_TYPE.fullmatch(media_type) and not media_type.lower().startswith(_COMPOSED)
    part["Content-Type"] = media_type if usable else "application/octet-stream"
    safe = file_name(name) or "attachment"
    part.add_header("Content-Disposition", "attachment", filename=safe)
    return part.as_bytes().rstrip(b"\r\n") + b"\r\n"


_MEDIA_TYPE = re.compile(r"[A-Za-z0-9][\w.+-]{0,60}/[A-Za-z0-9][\w.+-]{0,100}", re.ASCII)
_COMPOSED = ("multipart/", "message/")


def _words(value: str) -> Iterator[str]:
    """Encoded words (RFC 2047 §2, "B" encoding), never cutting a character in two (§5)."""
    chunk = b""
    for char in value:
        encoded = char.encode("utf-8")
        if len(chunk) + len(encoded) > _WORD:
            yield f"=?utf-8?B?{b64encode(chunk).decode()}?="
            chunk = b""
        chunk += encoded
    yield f"=?utf-8?B?{b64encode(chunk).decode()}?="


def _folded(name: str, words: Iterable[str]) -> list[str]:
    """Plain text in lines, folded at its spaces (RFC 5322 §2.2.3)."""
    lines = [""]
    for word in words:
        room = LINE - 2 if len(lines) > 1 else LINE - len(name) - 2
        if len(lines[-1]) + len(word) + 1 > room and lines[-1]:
            lines.append(word)
        else:
            lines[-1] = f"{lines[-1]} {word}" if lines[-1] else word
    return [line for line in lines if line]
