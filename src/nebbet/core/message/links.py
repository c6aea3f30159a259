"""Links that open a prepared message (RFC 6068)."""

import re
from collections.abc import Sequence
from urllib.parse import quote

from nebbet.core.characters import whole

# RFC 6068 §2: what need not be percent-encoded in an address or a header field of a link.
_SAFE = "-._~!$'()*+,:@/"


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
