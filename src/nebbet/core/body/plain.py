"""Rendering a completed body as plain text: the same words in the same order."""

from nebbet.core import inline
from nebbet.core.body.email_html import finished, link_address
from nebbet.core.body.foreign import read_foreign
from nebbet.core.body.frame import PLAIN, Frame
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
    numbers: list[int] = []
    previous: Block | None = None
    if len(body) == 1 and isinstance(body[0], Markup):
        # What a person reads in finished HTML is what is left of it when its look is taken away.
        return render_plain(read_foreign(finished(body[0], {}, inline.ESCAPED)))
    for block in standing(body):
        if previous is not None:
            parts.append("\n" if _is_tight(block, previous) else "\n\n")
        parts.append(_quoted(_block(block, numbers)) if block.quote else _block(block, numbers))
        previous = block
    if frame.foot:
        parts.append("\n\n" + "\n".join(frame.foot))
    return "".join(parts).rstrip("\n") + "\n"


def _is_tight(block: Block, previous: Block) -> bool:
    """Whether no empty line parts two blocks: items of a list, rows of a table."""
    same = isinstance(block, ListItem | FactRow) and type(block) is type(previous)
    return same and block.column == previous.column


def _quoted(text: str) -> str:
    """Somebody else's words, each line marked as mail has always done (RFC 3676 §4.5)."""
    return "\n".join(f"> {line}".rstrip() for line in text.split("\n"))


def _block(block: Block, numbers: list[int]) -> str:
    text = _text(block)
    if not isinstance(block, ListItem):
        numbers.clear()
        return text.upper() if isinstance(block, Heading) and block.level == 1 else text
    del numbers[block.level + 1 :]
    numbers.extend([0] * (block.level + 1 - len(numbers)))
    numbers[block.level] += 1
    mark = f"{numbers[block.level]}. " if block.ordered else "- "
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
    return _inlines(block.inlines)


def _inlines(parts: tuple[Inline, ...]) -> str:
    done: list[str] = []
    for index, part in enumerate(parts):
        match part:
            case Break():
                done.append("\n")
            case Start():
                pass
            case Picture():
                done.append(f"[{inline.shown(part.alt)}]" if part.alt else "")
                done.append(f" ({link_address(part.link)})" if part.link else "")
            case Gap():
                done.append(" ")
            case Run():
                done.append(inline.shown((part.content,)))
                following = parts[index + 1] if index + 1 < len(parts) else None
                if part.link and getattr(following, "link", ()) != part.link:
                    done.append(_address(part, parts, index))
    return "".join(done).replace("\u00a0", " ")


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
