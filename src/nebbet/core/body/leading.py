"""Where the links of a completed body lead."""

import re
from collections.abc import Iterator
from urllib.parse import quote

from nebbet.core import inline
from nebbet.core.body.finished import unclean
from nebbet.core.body.markup import tree_of
from nebbet.core.body.model import Body, Button, Markup, Picture, Run, standing
from nebbet.core.body.schemes import may_lead, scheme_of
from nebbet.core.characters import whole
from nebbet.core.inline import Line

# What may stand unescaped in an address, beside letters and digits (RFC 3986 §2.2, 2.3).
_URL_SAFE = "%/:?#[]@!$&'()*+,;=-._~"
_IN_A_PART = "-._~"
_IN_A_MAILBOX = "-._~!$'*+@"  # RFC 6068 §2; "&", "%", "?" and a comma would end it
_NO_DIGIT = re.compile(r"[^0-9+*#]")
_TRUNK = re.compile(r"\(0\)")  # dialled only without the country's own number
_HOST = re.compile(r"(?:[\w-]+\.)+[\w-]{2,}(?:[/?#:].*)?", re.DOTALL)
_MAILBOX = re.compile(r"[^\s@/:]+@(?:[\w-]+\.)+[\w-]+")


def link_address(link: Line) -> str:
    """The address of a completed link, its values written as the place in it asks for.

    Nothing where it would lead to what runs or lies on somebody's disk: that is asked last, when
    the values are in.

    >>> from nebbet.core.inline import Slot
    >>> link_address(("tel:", Slot("phone", "+44 (0)1632 960 140")))
    'tel:+441632960140'
    """
    written = ""
    for part in link:
        if isinstance(part, str):
            written += quote(whole(part), safe=_URL_SAFE)
        elif (part.text or "") == inline.source((part,)):  # a template that is written out
            written += part.text or ""
        else:
            written = _with_value(written, whole(part.text or ""))
    return written if may_lead(written) else ""


def _with_value(before: str, value: str) -> str:
    """An address with a value at its end."""
    scheme = scheme_of(before)
    if not before:
        return _as_whole(value.strip())
    if scheme == "tel" and ";" not in before:
        said = _TRUNK.sub("", value) if "+" in before + value else value
        return before + quote(_NO_DIGIT.sub("", said), safe="+*")  # RFC 3966 §3
    if scheme == "mailto" and "?" not in before:
        return before + quote(value.strip(), safe=_IN_A_MAILBOX)
    if scheme == "mailto":
        lines = re.sub(r"\r\n|\r|\n", "\r\n", value)  # RFC 6068 §5
        return before + quote(lines, safe=_IN_A_PART)
    if before in ("http://", "https://"):
        if scheme_of(value) in ("http", "https"):
            return _as_whole(value.strip())
        return before + quote(value.strip(), safe=_URL_SAFE)
    return before + quote(value, safe=_IN_A_PART)


def _as_whole(value: str) -> str:
    """A value that is all of an address, as people write it: without its scheme, too."""
    if not scheme_of(value):
        if _MAILBOX.fullmatch(value):
            value = f"mailto:{value}"
        elif _HOST.fullmatch(value):
            value = f"https://{value}"
    return quote(value, safe=_URL_SAFE)


def link_addresses(body: Body) -> Iterator[str]:
    """The addresses of the links in a body with their values as they are, before any cleaning."""
    for block in standing(body):
        if isinstance(block, Markup):
            yield from _in_markup(block)
            continue
        lines = [part.link for part in block.inlines if isinstance(part, Run | Picture)]
        lines += [block.link] if isinstance(block, Button) else []
        yield from (inline.shown(line, blank=lambda _name: "") for line in lines if line)


def _in_markup(block: Markup) -> Iterator[str]:
    """The addresses in finished HTML; of a link that is still to be completed nothing is known."""
    root, _ = tree_of(unclean(block, {}, inline.ESCAPED))
    for node in root.iter("a") if root is not None else ():
        if address := node.get("href", ""):
            yield address
