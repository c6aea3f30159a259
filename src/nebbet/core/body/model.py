"""What a body is made of: blocks of inlines, with no fonts and no pixel sizes in text."""

from collections.abc import Callable, Iterable, Iterator
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
    """An image from the library, by SHA-256. width in CSS pixels, 0 for its own size."""

    file: str
    alt: Line = ()
    width: int = 0


class Start(Struct, frozen=True, tag=True, omit_defaults=True):
    """The start mark: where the cursor lands when the template is taken. Never sent."""


Inline = Run | Break | Picture | Start
Align = Literal["", "center", "right"]


class Paragraph(Struct, frozen=True, tag=True, omit_defaults=True):
    """A paragraph; an empty one keeps its place.

    As with every block, when is the condition under which it belongs to the letter, and out says
    that it does not hold in this one. quote says that somebody else's words are quoted.
    """

    inlines: tuple[Inline, ...] = ()
    when: str = ""
    out: bool = False
    align: Align = ""
    quote: bool = False


class Heading(Struct, frozen=True, tag=True, omit_defaults=True):
    """A heading of level 1 or 2."""

    inlines: tuple[Inline, ...]
    level: int = 1
    when: str = ""
    out: bool = False
    align: Align = ""
    quote: bool = False


class ListItem(Struct, frozen=True, tag=True, omit_defaults=True):
    """An item of a bulleted or numbered list; neighbours of one level form one list."""

    inlines: tuple[Inline, ...]
    ordered: bool = False
    level: int = 0
    when: str = ""
    out: bool = False
    align: Align = ""
    quote: bool = False


class Divider(Struct, frozen=True, tag=True, omit_defaults=True):
    """A line across the text."""

    inlines: tuple[Inline, ...] = ()
    when: str = ""
    out: bool = False
    align: Align = ""
    quote: bool = False


class Guidance(Struct, frozen=True, tag=True, omit_defaults=True):
    """A note to the writer: shown while writing, never sent. It holds plain text only."""

    inlines: tuple[Inline, ...]
    when: str = ""
    out: bool = False
    align: Align = ""
    quote: bool = False


Block = Paragraph | Heading | ListItem | Divider | Guidance
Body = tuple[Block, ...]

EMPTY: Body = ()


def tidy(blocks: Iterable[Block]) -> Body:
    """The one form of a body: equal neighbours joined, doubled spaces kept as no-break spaces,
    no space at the edges of a block, one start mark, no empty block but paragraphs between
    others."""
    done: list[Block] = []
    started = False
    for block in blocks:
        plain = isinstance(block, Heading)  # a heading is bold by itself
        kept = list(_one_start(block.inlines, started=started))
        inlines = _tidy_inlines(_not_bold(kept) if plain else kept)
        started = started or any(isinstance(part, Start) for part in inlines)
        if isinstance(block, Divider):
            done.append(replace(block, inlines=(), align=""))
        elif isinstance(block, Guidance):
            done += _noted(block, inlines)
        elif inlines or isinstance(block, Paragraph):
            done.append(replace(block, inlines=inlines))
    while done and _is_empty(done[-1]):
        done.pop()
    while done and _is_empty(done[0]):
        done.pop(0)
    return tuple(done)


def _one_start(inlines: Iterable[Inline], *, started: bool) -> Iterator[Inline]:
    """The inlines with the first start mark only, and none when there was one before."""
    for part in inlines:
        if isinstance(part, Start):
            if started:
                continue
            started = True
        yield part


def _noted(block: Guidance, inlines: Iterable[Inline]) -> list[Block]:
    """Guidance in its one form: plain text, neither aligned nor quoted."""
    plain: list[Inline] = []
    for part in inlines:
        if isinstance(part, Run):
            plain.append(Run(inline.source((part.content,))))
        elif isinstance(part, Break):
            plain.append(part)
    kept = _tidy_inlines(plain)
    return [Guidance(kept, block.when, block.out)] if kept else []


def _is_empty(block: Block) -> bool:
    return isinstance(block, Paragraph) and not block.inlines


def _not_bold(inlines: Iterable[Inline]) -> list[Inline]:
    return [replace(p, bold=False) if isinstance(p, Run) else p for p in inlines]


def _tidy_inlines(inlines: Iterable[Inline]) -> tuple[Inline, ...]:
    joined: list[Inline] = []
    for part in inlines:
        if isinstance(part, Run) and part.link and part.underline:
            part = replace(part, underline=False)  # noqa: PLW2901 a link is underlined by itself
        last = joined[-1] if joined else None
        if isinstance(part, Run) and part.content == "" and not part.link:
            continue
        if _joins(last, part):
            joined[-1] = replace(last, content=last.content + part.content)  # type: ignore
        else:
            joined.append(part)
    return _trimmed(_spaced(joined))


def _joins(last: Inline | None, part: Inline) -> bool:
    return (
        isinstance(last, Run)
        and isinstance(part, Run)
        and isinstance(last.content, str)
        and isinstance(part.content, str)
        and replace(last, content="") == replace(part, content="")
    )


def _spaced(inlines: Iterable[Inline]) -> list[Inline]:
    """Turn every space that follows another space into a no-break space: HTML would drop it."""
    done: list[Inline] = []
    after_space = False
    for part in inlines:
        if not isinstance(part, Run) or not isinstance(part.content, str):
            done.append(part)
            after_space = False
            continue
        text = part.content.replace("\t", " ")
        if after_space and text.startswith(" "):
            text = "\u00a0" + text[1:]
        while "  " in text:
            text = text.replace("  ", " \u00a0")
        after_space = text.endswith(" ")
        done.append(replace(part, content=text))
    return done


def _trimmed(inlines: list[Inline]) -> tuple[Inline, ...]:
    """Drop spaces and breaks at the ends, and spaces round a break: nobody would see them."""
    done: list[Inline] = []
    for given in inlines:
        at_start = not done or isinstance(done[-1], Break)
        part = _stripped(given, left=True) if at_start else given
        if isinstance(part, Break):
            _strip_end(done)
        if part != _NOTHING:
            done.append(part)
    _strip_end(done)
    while done and isinstance(done[-1], Break):
        done.pop()
        _strip_end(done)
    while done and isinstance(done[0], Break):
        done.pop(0)
    return tuple(done)


_NOTHING = Run("")


def _stripped(part: Inline, *, left: bool) -> Inline:
    if not isinstance(part, Run) or not isinstance(part.content, str):
        return part
    text = part.content.lstrip(" ") if left else part.content.rstrip(" ")
    return replace(part, content=text) if text else _NOTHING


def _strip_end(done: list[Inline]) -> None:
    if done:
        done[-1] = _stripped(done[-1], left=False)
        if done[-1] == _NOTHING:
            done.pop()


def standing(body: Body) -> Body:
    """The blocks that belong to the letter: all but guidance, and what is left out."""
    return tuple(b for b in body if not b.out and not isinstance(b, Guidance))


def conditions(body: Body) -> list[str]:
    """The conditions in a body, once each, in order."""
    return list(dict.fromkeys(block.when for block in body if block.when))


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
    """A body in stretches of neighbouring blocks under one condition; "" is no condition."""
    for when, blocks in groupby(body, key=lambda block: block.when):
        yield when, tuple(blocks)


def lines_of(body: Body) -> Iterator[Line]:
    """Every line of text in a body, but for what is left out: the blocks' texts, then link
    addresses and image texts."""
    for block in standing(body):
        yield tuple(part.content for part in block.inlines if isinstance(part, Run))
        for part in block.inlines:
            if isinstance(part, Run) and part.link:
                yield part.link
            elif isinstance(part, Picture) and part.alt:
                yield part.alt


def slots(body: Body) -> Iterator[Slot]:
    """The places of placeholders in a body, in order."""
    return (slot for line in lines_of(body) for slot in inline.slots(line))


def files_of(body: Body) -> list[str]:
    """The SHA-256 of every image in a body, once each."""
    found = (part.file for b in standing(body) for part in b.inlines if isinstance(part, Picture))
    return list(dict.fromkeys(found))


def completed(body: Body, texts: Callable[[Slot], str | None]) -> Body:
    """Give every slot, also in links and image texts, what texts(slot) returns for it."""
    return tuple(
        replace(block, inlines=tuple(_complete(part, texts) for part in block.inlines))
        for block in body
    )


def _complete(part: Inline, texts: Callable[[Slot], str | None]) -> Inline:
    match part:
        case Run(content=Slot()):
            (content,) = inline.completed((part.content,), texts)
            return replace(part, content=content, link=inline.completed(part.link, texts))
        case Run() if part.link:
            return replace(part, link=inline.completed(part.link, texts))
        case Picture() if part.alt:
            return replace(part, alt=inline.completed(part.alt, texts))
    return part
