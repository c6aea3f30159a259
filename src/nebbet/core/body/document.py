"""What every message begins with: the kind of HTML, the language, the side it is written from."""

from functools import lru_cache
from html import escape

_HEAD = """\
<!DOCTYPE html>
<html{language}{side}>
<head>
<meta http-equiv="Content-Type" content="text/html; charset=utf-8">
<meta name="viewport" content="width=device-width, initial-scale=1">
<meta name="color-scheme" content="light">
<meta name="supported-color-schemes" content="light">
</head>
"""


def head(language: str) -> str:
    """The head of a document in a language, by its code. Its colours are for light paper: programs
    that would turn them over are told."""
    code = escape(language.replace("_", "-"))
    side = ' dir="rtl"' if is_right_to_left(language) else ""
    return _HEAD.format(language=f' lang="{code}"' if code else "", side=side)


@lru_cache(maxsize=256)
def is_right_to_left(language: str) -> bool:
    """Whether a language is written from right to left (CLDR, layout/orientation).

    >>> is_right_to_left("ar_EG"), is_right_to_left("en_GB"), is_right_to_left("")
    (True, False, False)
    """
    from babel import Locale, UnknownLocaleError

    try:
        return bool(Locale.parse(language, sep="_").text_direction == "rtl")
    except (UnknownLocaleError, ValueError, TypeError):
        return False
