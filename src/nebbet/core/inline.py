"""Text with placeholders in it: the smallest piece that subjects, copies and bodies share.

A line is a tuple of plain strings and slots. A slot keeps the placeholder's name for good and,
once completed, the text that stands there; a slot without text is a blank.
"""

import re
from collections.abc import Callable, Iterable

from msgspec import Struct

# Eighty characters hold any sensible name; the bound keeps hostile input linear.
SLOT = re.compile(r"\{\{[ \t]*([^{}\s][^{}\r\n]{0,79}?)[ \t]*\}\}")


class Slot(Struct, frozen=True, omit_defaults=True):
    """One occurrence of a placeholder; text is None while it is a blank."""

    name: str
    text: str | None = None


Line = tuple[str | Slot, ...]


def parse(text: str) -> Line:
    """Split text into plain strings and slots.

    >>> parse("Dear {{ recipient.name }},")
    ('Dear ', Slot(name='recipient.name', text=None), ',')
    """
    parts: list[str | Slot] = []
    end = 0
    for match in SLOT.finditer(text):
        if match.start() > end:
            parts.append(text[end : match.start()])
        parts.append(Slot(match.group(1)))
        end = match.end()
    if end < len(text):
        parts.append(text[end:])
    return tuple(parts)


def source(line: Iterable[str | Slot]) -> str:
    """Write a line back as text with {{name}}, whatever its slots were completed with."""
    return "".join(part if isinstance(part, str) else f"{{{{{part.name}}}}}" for part in line)


def shown(line: Iterable[str | Slot], blank: Callable[[str], str] = "[{}]".format) -> str:
    """Write a line as the recipient reads it; a blank appears as blank(name)."""
    return "".join(part if isinstance(part, str) else _slot_text(part, blank) for part in line)


def _slot_text(slot: Slot, blank: Callable[[str], str]) -> str:
    return blank(slot.name) if slot.text is None else slot.text


def names(line: Iterable[str | Slot]) -> list[str]:
    """The placeholder names in a line, in order, with repeats."""
    return [part.name for part in line if isinstance(part, Slot)]


def completed(line: Line, texts: Callable[[str], str | None]) -> Line:
    """Give every slot the text that texts(name) returns for it."""
    return tuple(
        part if isinstance(part, str) else Slot(part.name, texts(part.name)) for part in line
    )
