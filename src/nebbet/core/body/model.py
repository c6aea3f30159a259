"""What a body is made of: blocks of inlines, with no fonts and no pixel sizes in text."""

import re
from collections.abc import Callable, Iterable, Iterator
from html import unescape
from itertools import groupby
from typing import Literal

from msgspec import Struct
from msgspec.structs import replace

from nebbet.core import inline
from nebbet.core.inline import Line, Slot


class Run(Struct, frozen=True, tag=True, omit_defaults=True):
    """Text or one placeholder in one style. link is an address that may hold {{name}}."""

    content: str | Slot
    bold: bool = False
    italic: bool = False
    link: Line = ()
    underline: bool = False
    strike: bool = False


class Break(Struct, frozen=True, tag=True, omit_defaults=True):
    """A new line inside a paragraph."""


class Picture(Struct, frozen=True, tag=True, omit_defaults=True):
    """An image from the library, by SHA-256. Sizes in CSS pixels, 0 for its own; link is where it
    leads."""

    file: str
    alt: Line = ()
    width: int = 0
    height: int = 0
    link: Line = ()


class Start(Struct, frozen=True, tag=True, omit_defaults=True):
    """The start mark: where the cursor lands when the template is taken. Never sent."""


class Gap(Struct, frozen=True, tag=True, omit_defaults=True):
    """What parts the label of a fact row from its value."""


Inline = Run | Break | Picture | Start | Gap
Align = Literal["", "center", "right"]


class Placed(Struct, frozen=True, kw_only=True, omit_defaults=True):
    """What every block has, beside what it is.

    when is the condition under which it belongs to the letter, and out says that it does not hold
    in this one. quote says that somebody else's words are quoted. column is the column it stands
    in, counted from 1; 0 is outside columns. each names the list over which it is repeated, and
    item the member that it stands for in a letter, counted from 1.
    """

    when: str = ""
    out: bool = False
    align: Align = ""
    quote: bool = False
    column: int = 0
    each: str = ""
    item: int = 0


class Paragraph(Placed, frozen=True, tag=True, omit_defaults=True):
    """A paragraph; an empty one keeps its place."""

    inlines: tuple[Inline, ...] = ()


class Heading(Placed, frozen=True, tag=True, omit_defaults=True):
    """A heading of level 1 or 2."""

    inlines: tuple[Inline, ...]
    level: int = 1


class ListItem(Placed, frozen=True, tag=True, omit_defaults=True):
    """An item of a bulleted or numbered list; neighbours of one level form one list."""

    inlines: tuple[Inline, ...]
    ordered: bool = False
    level: int = 0


class FactRow(Placed, frozen=True, tag=True, omit_defaults=True):
    """A label and its value, with a gap between them; neighbours form one table."""

    inlines: tuple[Inline, ...]


class Button(Placed, frozen=True, tag=True, omit_defaults=True):
    """A link that looks like a button; its words are plain text."""

    inlines: tuple[Inline, ...]
    link: Line = ()


class Divider(Placed, frozen=True, tag=True, omit_defaults=True):
    """A line across the text."""

    inlines: tuple[Inline, ...] = ()


class Guidance(Placed, frozen=True, tag=True, omit_defaults=True):
    """A note to the writer: shown while writing, never sent. It holds plain text only."""

    inlines: tuple[Inline, ...]


class Included(Placed, frozen=True, tag=True, omit_defaults=True):
    """The place of a passage, by the passage's id."""

    passage: str
    inlines: tuple[Inline, ...] = ()


class Markup(Placed, frozen=True, tag=True, omit_defaults=True):
    """Finished HTML that keeps its own markup; cleaned, with {{name}} in it."""

    source: Line
    inlines: tuple[Inline, ...] = ()


Block = Paragraph | Heading | ListItem | FactRow | Button | Divider | Guidance | Included | Markup
Body = tuple[Block, ...]

EMPTY: Body = ()
FILE = re.compile(r"file:([0-9a-f]{64})")  # the address of a picture of the library
MOST_COLUMNS = 3


def sections(blocks: Iterable[Block]) -> Iterator[tuple[Block, ...]]:
    """Blocks in stretches: those outside columns, and each set of columns by itself. A set ends
    where the number of the column falls."""
    held: list[Block] = []
    for block in blocks:
        last = held[-1].column if held else block.column
        if held and (block.column < last or (last == 0) != (block.column == 0)):
            yield tuple(held)
            held = []
        held.append(block)
    if held:
        yield tuple(held)


def standing(body: Body) -> Body:
    """The blocks that belong to the letter: all but guidance, and what is left out."""
    return tuple(b for b in body if not b.out and not isinstance(b, Guidance))


def conditions(body: Body) -> list[str]:
    """The conditions in a body, once each, in order."""
    return list(dict.fromkeys(block.when for block in body if block.when))


def lists_of(body: Body) -> list[str]:
    """The names of the lists over which something is repeated, once each."""
    return list(dict.fromkeys(block.each for block in body if block.each))


def passages_of(body: Body) -> list[str]:
    """The ids of the passages that a body includes, once each."""
    return list(dict.fromkeys(b.passage for b in body if isinstance(b, Included)))


def decided(body: Body, holds: Callable[[str], bool]) -> Body:
    """Leave out the blocks whose condition does not hold, and put the others in."""
    return tuple(
        replace(block, out=not holds(block.when)) if block.when else block for block in body
    )


def unconditional(body: Body, when: str, *, keep: bool) -> Body:
    """Do away with a condition: keep its blocks for good, or drop them."""
    return tuple(
        replace(block, when="", out=False) if block.when == when else block
        for block in body
        if keep or block.when != when
    )


def parts(body: Iterable[Block]) -> Iterator[tuple[str, tuple[Block, ...]]]:
    """A body in stretches of neighbouring blocks under one condition, in one column; "" is no
    condition."""
    for (when, _), blocks in groupby(body, key=lambda block: (block.when, block.column)):
        yield when, tuple(blocks)


def lines_of(body: Body) -> Iterator[Line]:
    """Every line of text in a body, but for what is left out: the blocks' texts, then link
    addresses and image texts."""
    for block in standing(body):
        yield text_of(block)
        if isinstance(block, Button) and block.link:
            yield block.link
        for part in block.inlines:
            if isinstance(part, Run | Picture) and part.link:
                yield part.link
            if isinstance(part, Picture) and part.alt:
                yield part.alt


def written_lines(body: Body) -> Iterator[str]:
    """What a body says in its message, line by line, with {{name}} in it."""
    return map(inline.source, lines_of(spoken(body)))


def text_of(block: Block) -> Line:
    """The text of a block as a line; of finished HTML, its source."""
    if isinstance(block, Markup):
        return block.source
    content = (_content(part) for part in block.inlines)
    return tuple(part for part in content if part is not None)


def spoken(body: Body) -> Body:
    """A body in which finished HTML is only its words, without tags."""
    return tuple(
        replace(block, source=_without_tags(block.source)) if isinstance(block, Markup) else block
        for block in body
    )


def _without_tags(line: Line) -> Line:
    """The text of some markup; a tag may go on through placeholders in its attributes."""
    kept: list[str | Slot] = []
    inside = False
    for part in line:
        if isinstance(part, Slot):
            kept += [] if inside else [part]
            continue
        for piece in _EDGE.split(part):
            if piece in ("<", ">"):
                inside = piece == "<"
                kept += [] if inside else ["\n"]
            elif piece and not inside:
                kept.append(unescape(piece))
    return tuple(kept)


_EDGE = re.compile("([<>])")


def _content(part: Inline) -> str | Slot | None:
    if isinstance(part, Run):
        return part.content
    return " " if isinstance(part, Gap) else None


def slots(body: Body) -> Iterator[Slot]:
    """The places of placeholders in a body, in order."""
    return (slot for line in lines_of(body) for slot in inline.slots(line))


def files_of(body: Body) -> list[str]:
    """The SHA-256 of every image in a body, once each."""
    return list(dict.fromkeys(file for block in standing(body) for file in _files(block)))


def _files(block: Block) -> Iterator[str]:
    if isinstance(block, Markup):
        yield from FILE.findall(inline.source(block.source))
    yield from (part.file for part in block.inlines if isinstance(part, Picture))


def completed(body: Body, texts: Callable[[Slot], str | None]) -> Body:
    """Give every slot, also in links and image texts, what texts(slot) returns for it."""
    return each_line(body, lambda line: inline.completed(line, texts))


def each_line(body: Body, swap: Callable[[Line], Line]) -> Body:
    """A body with every line of text as swap makes it: words, links, image texts."""
    return tuple(_swapped(block, swap) for block in body)


def _swapped(block: Block, swap: Callable[[Line], Line]) -> Block:
    inlines = tuple(new for part in block.inlines for new in _swap_inline(part, swap))
    match block:
        case Button():
            return replace(block, inlines=inlines, link=swap(block.link))
        case Markup():
            return replace(block, source=swap(block.source))
    return replace(block, inlines=inlines)


def _swap_inline(part: Inline, swap: Callable[[Line], Line]) -> list[Inline]:
    match part:
        case Run(content=content, link=link):
            led = swap(link) if link else link
            return [replace(part, content=piece, link=led) for piece in swap((content,))]
        case Picture():
            return [replace(part, alt=swap(part.alt), link=swap(part.link))]
    return [part]
