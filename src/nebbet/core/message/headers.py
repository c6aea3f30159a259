"""Writing header fields: RFC 5322 folding, RFC 2047 encoded words."""

import re
from base64 import b64encode
from collections.abc import Iterable, Iterator, Sequence
from functools import lru_cache

from nebbet.core.addresses import Address
from nebbet.core.message.encoded import LINE

_UNSAFE = re.compile(r"[\x00-\x1f\x7f\u2028\u2029]+")
# Bytes in one encoded word: with any header's name before it the line stays within 76.
_WORD = 39


def clean(text: str) -> str:
    """Text fit for a header: no line breaks and no control characters."""
    return _UNSAFE.sub(" ", text).strip()


@lru_cache(maxsize=256)
def text(name: str, value: str) -> bytes:
    """An unstructured header field, or nothing for an empty value."""
    if not value:
        return b""
    if not value.isascii() or "=?" in value:
        value = "\r\n ".join(_words(value))
    elif len(name) + len(value) + 2 > LINE:
        value = _folded(name, value.split(" "))
    return f"{name}: {value}\r\n".encode("ascii")


def addresses(name: str, found: Sequence[Address]) -> bytes:
    """A header field with addresses, or nothing when there are none."""
    if not found:
        return b""
    value = ",\r\n ".join(map(_address, found))
    return f"{name}: {value}\r\n".encode("ascii")


def _address(address: Address) -> str:
    if address.name.isascii() and "=?" not in address.name:
        header = address.header
        return header if len(header) < LINE - 12 else header.replace(" <", "\r\n <")
    return "\r\n ".join([*_words(address.name), f"<{address.spec}>"])


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


def _folded(name: str, words: Iterable[str]) -> str:
    """Fold plain text at its spaces (RFC 5322 §2.2.3); a word too long for a line is encoded."""
    lines = [""]
    room = LINE - len(name) - 2
    for word in words:
        if len(word) > LINE - 2:
            lines += _words(word)
        elif len(lines[-1]) + len(word) + 1 > room and lines[-1]:
            lines.append(word)
        else:
            lines[-1] = f"{lines[-1]} {word}" if lines[-1] else word
        room = LINE - 2
    return "\r\n ".join(line for line in lines if line)
