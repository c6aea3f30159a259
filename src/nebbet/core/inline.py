"""Text with placeholders in it: the smallest piece that subjects, copies and bodies share.

A line is a tuple of plain strings and slots. A slot keeps the placeholder's name and modifiers for
good and, once completed, the text that stands there; a slot without text is a blank. Plain strings
are kept as they are written: braces that are meant as braces stand as \\{{ in them.
"""

import re
from collections.abc import Callable, Iterable, Iterator

from msgspec import Struct
from msgspec.structs import replace

from nebbet.core.sentences import said

# Eighty characters hold any sensible name; the bounds keep hostile input linear.
_NAME = r"[^{}|\s][^{}|\r\n]{0,79}?"
SLOT = re.compile(
    r"(?<!\\)\{\{[ \t]*(?P<name>" + _NAME + r")[ \t]*(?:\|(?P<modifiers>[^{}\r\n]{0,400}))?\}\}"
)
ESCAPED = "\\{{"
# What people mistype: one brace too few on a side, nothing inside, or no end on the line.
_TYPO = re.compile(
    r"(?<!\\)(?:"
    r"\{\{[ \t]*\}\}"
    r"|\{\{(?P<short>" + _NAME + r")\}(?!\})"
    r"|(?<!\{)\{(?!\{)(?P<late>" + _NAME + r")\}\}"
    r"|\{ ?\{ ?(?P<spread>" + _NAME + r")\} ?\}"
    r"|\{\{(?P<open>[^{}\r\n]{0,40})"
    r")"
)
MOST_TYPOS = 100
_NAME_LIKE = re.compile(r"[\w .\-]+")


class Slot(Struct, frozen=True, omit_defaults=True):
    """One occurrence of a placeholder; text is None while it is a blank.

    modifiers is what stands after the bar, as it is written. item is the member of a list that it
    stands for, counted from 1; 0 is the whole value.
    """

    name: str
    text: str | None = None
    modifiers: str = ""
    item: int = 0

    @property
    def key(self) -> str:
        """What its value is kept by: the name, with the member's number."""
        return f"{self.name}#{self.item}" if self.item else self.name

    @property
    def inner(self) -> str:
        """What stands between the braces."""
        return f"{self.name}|{self.modifiers}" if self.modifiers else self.name


class Typo(Struct, frozen=True):
    """Braces that were mistyped: the place, counted from 0, what stands there, and what was most
    likely meant, or nothing."""

    place: int
    text: str
    meant: str = ""

    @property
    def sentence(self) -> str:
        """What is wrong, in words."""
        if self.meant:
            return said(
                "“{text}” is mistyped: did you mean “{meant}”?", text=self.text, meant=self.meant
            )
        if self.text.strip("{} \t"):
            return said("“{text}” has braces that are not closed", text=self.text)
        return said("“{text}” has no name between the braces", text=self.text)


Line = tuple[str | Slot, ...]


def slot(inner: str) -> Slot:
    """A slot from what stands between the braces."""
    name, _, modifiers = inner.partition("|")
    return Slot(name.strip(), None, modifiers.strip())


def parse(text: str) -> Line:
    """Split text into plain strings and slots.

    >>> parse("Dear {{ recipient.name }}, \\\\{{x}}")
    ('Dear ', Slot(name='recipient.name', text=None, modifiers='', item=0), ', \\\\{{x}}')
    """
    parts: list[str | Slot] = []
    end = 0
    for match in SLOT.finditer(text):
        if match.start() > end:
            parts.append(text[end : match.start()])
        parts.append(Slot(match["name"], None, (match["modifiers"] or "").strip()))
        end = match.end()
    if end < len(text):
        parts.append(text[end:])
    return tuple(parts)


def source(line: Iterable[str | Slot]) -> str:
    """Write a line back as text with {{name}}, whatever its slots were completed with."""
    return "".join(part if isinstance(part, str) else in_braces(part.inner) for part in line)


def shown(line: Iterable[str | Slot], blank: Callable[[str], str] = "[{}]".format) -> str:
    """Write a line as the recipient reads it; a blank appears as blank(name)."""
    return "".join(
        part.replace(ESCAPED, "{{") if isinstance(part, str) else _slot_text(part, blank)
        for part in line
    )


def _slot_text(part: Slot, blank: Callable[[str], str]) -> str:
    return blank(part.name) if part.text is None else part.text


def slots(line: Iterable[str | Slot]) -> Iterator[Slot]:
    """The slots of a line, in order."""
    return (part for part in line if isinstance(part, Slot))


def completed(line: Line, texts: Callable[[Slot], str | None]) -> Line:
    """Give every slot the text that texts(slot) returns for it."""
    return tuple(
        part if isinstance(part, str) else replace(part, text=texts(part)) for part in line
    )


def renamed(line: Line, matches: Callable[[str], bool], right: str) -> Line:
    """Give every slot whose name matches another name; modifiers stay."""
    return tuple(
        replace(part, name=right, text=None)
        if isinstance(part, Slot) and matches(part.name)
        else part
        for part in line
    )


def in_braces(inner: str) -> str:
    """A placeholder as it is written.

    >>> in_braces("fare|long")
    '{{fare|long}}'
    """
    return f"{{{{{inner}}}}}"


def typos(text: str) -> tuple[Typo, ...]:
    """Find mistyped braces in text, the first hundred; well-formed and escaped ones are none.

    >>> [typo.meant for typo in typos("Dear {name}}, about {{booking}")]
    ['{{name}}', '{{booking}}']
    """
    found: list[Typo] = []
    for start, piece in _between_slots(text):
        if "{" not in piece:
            continue
        for match in _TYPO.finditer(piece):
            meant = _meant(match)
            if match["late"] is None or meant:  # braces of a style sheet are no placeholder
                found.append(Typo(start + match.start(), match[0], meant))
            if len(found) == MOST_TYPOS:
                return tuple(found)
    return tuple(found)


def _between_slots(text: str) -> Iterator[tuple[int, str]]:
    end = 0
    for match in SLOT.finditer(text):
        yield end, text[end : match.start()]
        end = match.end()
    yield end, text[end:]


def _meant(match: re.Match[str]) -> str:
    name = match["short"] or match["late"] or match["spread"] or ""
    return in_braces(name.strip()) if _NAME_LIKE.fullmatch(name.partition("|")[0]) else ""
