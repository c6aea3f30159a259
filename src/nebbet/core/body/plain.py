"""Rendering a completed body as plain text: the same words in the same order."""

from collections.abc import Callable
from typing import NamedTuple

from nebbet.core import inline
from nebbet.core.body.finished import finished
from nebbet.core.body.foreign import read_foreign
from nebbet.core.body.frame import PLAIN, Frame
from nebbet.core.body.leading import link_address
from nebbet.core.body.model import (
    Block,
    Body,
    Break,
    Button,
    Divider,
    FactRow,
    Gap,
    Heading,
    Inline,
    ListItem,
    Markup,
    Picture,
    Run,
    Start,
    standing,
)
from nebbet.core.body.tidy import sides


def render_plain(body: Body, frame: Frame = PLAIN) -> str:
    """Render a body as plain text with line feeds; links show their address once.

    >>> from nebbet.core.body import read
    >>> render_plain(read("<p>See <a href='https://a.example'>our page</a>.</p><ul><li>one"))
    'See our page (https://a.example).\\n\\n- one\\n'
    """
    parts: list[str] = []
    numbers: list[_Count] = []
    previous: Block | None = None
    if len(body) == 1 and isinstance(body[0], Markup):
        # What a person reads in finished HTML is what is left of it when its look is taken away.
        return render_plain(read_foreign(finished(body[0], {}, inline.ESCAPED)))
    for block in standing(body):
        if previous is not None:
            parts.append("\n" if _is_tight(block, previous) else _gap(block, previous))
        parts.append(_quoted(_block(block, numbers)) if block.quote else _block(block, numbers))
        previous = block
    if frame.foot:
        parts.append("\n\n" + "\n".join(frame.foot))
    return "".join(parts).rstrip("\n") + "\n"


def _gap(block: Block, previous: Block) -> str:
    """An empty line; between quoted words it is quoted too."""
    return "\n>\n" if block.quote and previous.quote else "\n\n"


def _is_tight(block: Block, previous: Block) -> bool:
    """Whether no empty line parts two blocks: items of a list, rows of a table."""
    same = isinstance(block, ListItem | FactRow) and type(block) is type(previous)
    return same and block.column == previous.column


def _quoted(text: str) -> str:
    """Somebody else's words, each line marked as mail has always done (RFC 3676 §4.5)."""
    return "\n".join(f"> {line}".rstrip() for line in text.split("\n"))


class _Count(NamedTuple):
    """How far a list has counted, and whether it is a numbered one."""

    ordered: bool
    number: int


def _block(block: Block, numbers: list[_Count]) -> str:
    text = _text(block)
    if not isinstance(block, ListItem):
        numbers.clear()
        return text
    del numbers[block.level + 1 :]
    numbers.extend([_Count(block.ordered, 0)] * (block.level + 1 - len(numbers)))
    held = numbers[block.level]
    # Bullets and numbers at one level are two lists, as they are in HTML.
    number = held.number + 1 if held.ordered == block.ordered else 1
    numbers[block.level] = _Count(block.ordered, number)
    mark = f"{number}. " if block.ordered else "- "
    indent = "  " * block.level
    return indent + mark + text.replace("\n", "\n" + indent + " " * len(mark))


def _text(block: Block) -> str:
    match block:
        case Divider():
            return "-" * 24
        case FactRow():
            label, value = map(_inlines, sides(block.inlines))
            return f"{label.removesuffix(':')}: {value}" if label else value
        case Button():
            return f"{_inlines(block.inlines)}: {link_address(block.link)}"
        case Heading(level=1):
            return _inlines(block.inlines, str.upper)
    return _inlines(block.inlines)


_STRUCK = "~~"  # common practice, no source: what is struck through must not read as what holds


def _inlines(parts: tuple[Inline, ...], case: Callable[[str], str] = str) -> str:
    """The words of a block, in capitals where case makes them so; never an address."""
    done: list[str] = []
    before: Inline | None = None
    for index, part in enumerate(parts):
        following = parts[index + 1] if index + 1 < len(parts) else None
        match part:
            case Break():
                done.append("\n")
            case Start():
                pass
            case Picture():
                done.append(f"[{case(inline.shown(part.alt))}]" if part.alt else "")
                done.append(f" ({link_address(part.link)})" if part.link else "")
            case Gap():
                done.append(" ")
            case Run():
                done.append(_STRUCK if part.strike and not _is_struck(before) else "")
                done.append(case(inline.shown((part.content,))))
                done.append(_STRUCK if part.strike and not _is_struck(following) else "")
                if part.link and getattr(following, "link", ()) != part.link:
                    done.append(_address(part, parts, index))
        before = part
    return "".join(done).replace("\u00a0", " ")


def _is_struck(part: Inline | None) -> bool:
    return isinstance(part, Run) and part.strike


def _address(run: Run, parts: tuple[Inline, ...], index: int) -> str:
    """The address behind a link, unless the link's words already are that address."""
    start = index
    while start and getattr(parts[start - 1], "link", ()) == run.link:
        start -= 1
    words = "".join(
        inline.shown((part.content,)) for part in parts[start : index + 1] if isinstance(part, Run)
    )
    address = link_address(run.link)
    bare = address.removeprefix("mailto:").removeprefix("tel:")
    same = words.strip().replace(" ", "") in (address, bare, bare.removeprefix("https://"))
    return "" if same else f" ({bare})"
