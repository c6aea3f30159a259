"""Finished HTML in a letter: its placeholders, its values, and how both are written."""

import re
from collections.abc import Mapping
from functools import lru_cache
from html import escape, unescape

from msgspec.structs import replace

from nebbet.core import inline
from nebbet.core.body.markup import clean_markup
from nebbet.core.body.model import FILE, Markup
from nebbet.core.inline import Line, Slot


def markup_line(source: str) -> Line:
    """Finished HTML as a line: what stands between the braces is read as HTML says it.

    >>> [part.inner for part in markup_line("{{R&amp;D|else: Tom &amp; Co}}")]
    ['R&D|else: Tom & Co']
    """
    return tuple(
        replace(part, name=unescape(part.name), modifiers=unescape(part.modifiers))
        if isinstance(part, Slot)
        else part
        for part in inline.parse(source)
    )


def markup_source(line: Line) -> str:
    """The line back as HTML, with {{name}} in it."""
    return "".join(
        part if isinstance(part, str) else inline.in_braces(escape(part.inner, quote=False))
        for part in line
    )


def finished(markup: Markup, sources: Mapping[str, str], braces: str = "{{") -> str:
    """Finished HTML with its values escaped, and its pictures where the message has them; braces
    is how braces that are meant as such are written.

    It is cleaned once more with the values in it: a placeholder may stand across markup, and only
    its value says where a link leads.
    """
    return _cleaned(unclean(markup, sources, braces))


def unclean(markup: Markup, sources: Mapping[str, str], braces: str = "{{") -> str:
    """As `finished`, before it is cleaned."""
    written: list[str] = []
    inside = False
    for part in markup.source:
        if isinstance(part, Slot):
            text = escape(inline.shown((part,))).replace("{{", braces)
            written.append(text if inside else text.replace("\n", "<br>"))
            continue
        written.append(part.replace(inline.ESCAPED, braces))
        edges = _EDGE.findall(part)
        inside = edges[-1] == "<" if edges else inside
    return FILE.sub(lambda found: sources.get(found[1], found[0]), "".join(written))


_EDGE = re.compile("[<>]")


@lru_cache(maxsize=32)  # an editor asks again for each painting
def _cleaned(text: str) -> str:
    return clean_markup(text).source
