"""Characters that are whole: what no text may hold."""

import re

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
