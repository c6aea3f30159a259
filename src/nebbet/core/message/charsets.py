"""Turning bytes of others into text: by the charset they name, if it is one that text is written
in, and never slowly, never with half characters."""

import codecs
import re

from nebbet.core.characters import whole

# Codecs of Python that are no charsets of mail (RFC 2978): some take time that grows with the
# square of the length, others mean something else by a text.
_NO_CHARSETS = {"punycode", "idna", "unicode_escape", "raw_unicode_escape", "undefined", "utf_7",
                "mbcs", "oem", "palmos"}  # fmt: skip
_NAME = re.compile(r"[A-Za-z0-9][\w.:+-]{0,40}", re.ASCII)


def known(charset: str) -> str:
    """The name of a charset as Python knows it, or nothing for what is none.

    >>> known("ISO-8859-1"), known("punycode"), known("x" * 100), known("hex")
    ('iso8859-1', '', '', '')
    """
    if not _NAME.fullmatch(charset):
        return ""
    try:
        found = codecs.lookup(charset)
    except (LookupError, ValueError):
        return ""
    # The one place where Python says which codecs give text; private, as it is in its own io.
    is_text = getattr(found, "_is_text_encoding", True)
    return found.name if is_text and found.name.replace("-", "_") not in _NO_CHARSETS else ""


def decoded(data: bytes, charset: str = "utf-8") -> str:
    """Bytes as text; where the charset is unknown or does not fit, as UTF-8, then Windows-1252.

    >>> decoded(b"caf\\xe9", "no-such-charset")
    'café'
    """
    for name in filter(None, (known(charset), "utf-8")):
        try:
            return whole(data.decode(name))
        except (UnicodeError, ValueError):
            continue
    return data.decode("cp1252", "replace")
