"""Links that open a prepared message (RFC 6068): written, and read."""

import re
from collections.abc import Sequence
from urllib.parse import quote, unquote

from msgspec import Struct

from nebbet.core.characters import whole
from nebbet.core.errors import NebbetError
from nebbet.core.sentences import said

# RFC 6068 §2: what need not be percent-encoded in an address or a header field of a link.
_SAFE = "-._~!$'()*+,:@/"


_LONGEST = 100_000  # signs of a link that is read
_TAKEN = ("to", "cc", "bcc", "subject", "body")  # §4: others may do harm, and are left out


class Prepared(Struct, frozen=True):
    """What a link says of the message that it opens; left_out are the header fields that it may
    not set."""

    to: str = ""
    cc: str = ""
    bcc: str = ""
    subject: str = ""
    body: str = ""
    left_out: tuple[str, ...] = ()


def read_mailto(link: str) -> Prepared:
    """Read a mailto link. Raises NebbetError where it is none.

    A plus sign is a plus sign, and not a space (§5). Header fields but the safe ones of §4 are left
    out.

    >>> read_mailto("mailto:chris@example.com?subject=a%20%26%20b&body=one%0D%0Atwo").body
    'one\\ntwo'
    """
    scheme, colon, rest = link.strip().partition(":")
    if scheme.casefold() != "mailto" or not colon or len(link) > _LONGEST:
        raise NebbetError(
            said("That is no link to a message"), advice=said("It begins with mailto:")
        )
    path, _, query = rest.partition("?")
    found: dict[str, list[str]] = {"to": [_decoded(path)] if path else []}
    left_out = []
    for pair in re.split("&amp;|&", query) if query else ():
        name, _, value = pair.partition("=")
        key = _decoded(name).casefold()
        if key in _TAKEN:
            found.setdefault(key, []).append(_decoded(value))
        elif key:
            left_out.append(key)
    to, cc, bcc = (", ".join(filter(None, found.get(name, ()))) for name in ("to", "cc", "bcc"))
    return Prepared(
        to,
        cc,
        bcc,
        _one_line(" ".join(found.get("subject", ()))),
        "\n".join(found.get("body", ())),
        tuple(dict.fromkeys(left_out)),
    )


def _decoded(text: str) -> str:
    plain = whole(unquote(text, errors="replace"))
    return re.sub(r"\r\n|\r", "\n", plain).replace("\x00", "")


def _one_line(text: str) -> str:
    return " ".join(text.split())


def mailto(
    to: Sequence[str] = (),
    subject: str = "",
    body: str = "",
    cc: Sequence[str] = (),
    bcc: Sequence[str] = (),
) -> str:
    """Write a mailto link; line breaks become %0D%0A (RFC 6068 §5).

    >>> mailto(["chris@example.com"], subject="a & b", body="one\\ntwo")
    'mailto:chris@example.com?subject=a%20%26%20b&body=one%0D%0Atwo'
    """
    fields = [
        ("cc", ",".join(map(_address, cc))),
        ("bcc", ",".join(map(_address, bcc))),
        ("subject", quote(re.sub(r"[\r\n]+", " ", whole(subject)), safe=_SAFE)),
        ("body", quote(re.sub(r"\r\n|\r|\n", "\r\n", whole(body)), safe=_SAFE)),
    ]
    query = "&".join(f"{name}={value}" for name, value in fields if value)
    return f"mailto:{','.join(map(_address, to))}{'?' if query else ''}{query}"


def _address(spec: str) -> str:
    """An address in a link: a comma in it would end it, so that it is encoded too."""
    return quote(whole(spec), safe="-._~!$'()*+:@")
