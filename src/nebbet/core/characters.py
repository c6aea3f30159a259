"""Characters that are whole, and text as it is compared: without case and accents."""

import re
import unicodedata

_HALVES = re.compile("[\ud800-\udfff]")


def whole(text: str) -> str:
    """Text without half characters (lone surrogates), which nothing can write down. They come from
    names of files and words of a command that are no text.

    >>> whole("a\\udc80b")
    'a\ufffdb'
    """
    try:
        text.encode("utf-8")
    except UnicodeEncodeError:
        return _HALVES.sub("\ufffd", text)
    return text


# Letters that stand for others but are no letters with an accent.
_ALIKE = str.maketrans({"ø": "o", "æ": "ae", "œ": "oe", "ł": "l", "đ": "d", "ð": "d", "þ": "th"})


def folded(text: str) -> str:
    """Text without case and accents.

    >>> folded("Zoë ÅS"), folded("Gjøre łąka")
    ('zoe as', 'gjore laka')
    """
    if text.isascii():
        return text.lower()
    parts = unicodedata.normalize("NFKD", text.casefold()).translate(_ALIKE)
    return "".join(char for char in parts if not unicodedata.combining(char))
