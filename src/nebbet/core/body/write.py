"""Writing a body as the restricted, semantic HTML that editions keep: it reads well in a diff."""

import html
from itertools import groupby

from nebbet.core import inline
from nebbet.core.body.model import (
    Block,
    Body,
    Break,
    Divider,
    Guidance,
    Heading,
    Inline,
    ListItem,
    Picture,
    Run,
    Start,
    parts,
)
from nebbet.core.body.nesting import Nesting


def write(body: Body) -> str:
    """Write a body as source HTML, one block a line; placeholders stand as {{name}}."""
    written: list[str] = []
    for when, blocks in parts(body):
        held = _blocks(blocks)
        if when:
            held = f'<div data-when="{html.escape(when)}">\n{held}</div>\n'
        written.append(held)
    return "".join(written)


def _blocks(blocks: Body) -> str:
    written: list[str] = []
    for quote, group in groupby(blocks, key=lambda block: block.quote):
        held = _unquoted(tuple(group))
        written.append(f"<blockquote>\n{held}</blockquote>\n" if quote else held)
    return "".join(written)


def _unquoted(blocks: Body) -> str:
    written: list[str] = []
    lists = Nesting(written, "<{}>".format)
    for block in blocks:
        if isinstance(block, ListItem):
            lists.enter(block)
            written.append(f"<li{_align(block)}>{inlines(block.inlines)}\n")
            continue
        lists.leave()
        if isinstance(block, Divider):
            written.append("<hr>\n")
            continue
        tag = _tag(block)
        written.append(f"<{tag}{_align(block)}>{inlines(block.inlines) or '<br>'}</{tag}>\n")
    lists.leave()
    return "".join(written)


def _tag(block: Block) -> str:
    if isinstance(block, Guidance):
        return "aside"
    return f"h{block.level}" if isinstance(block, Heading) else "p"


def _align(block: Block) -> str:
    return f' data-align="{block.align}"' if block.align else ""


def inlines(pieces: tuple[Inline, ...]) -> str:
    """Write the inlines of one block."""
    return "".join(_inline(piece) for piece in pieces)


def _inline(part: Inline) -> str:
    match part:
        case Break():
            return "<br>"
        case Start():
            return "<span data-start></span>"
        case Picture():
            width = f' width="{part.width}"' if part.width else ""
            alt = html.escape(inline.source(part.alt))
            return f'<img src="file:{part.file}" alt="{alt}"{width}>'
        case Run():
            return _run(part)


def _run(run: Run) -> str:
    text = html.escape(inline.source((run.content,)), quote=False)
    if run.strike:
        text = f"<s>{text}</s>"
    if run.underline:
        text = f"<u>{text}</u>"
    if run.italic:
        text = f"<em>{text}</em>"
    if run.bold:
        text = f"<strong>{text}</strong>"
    if run.link:
        text = f'<a href="{html.escape(inline.source(run.link))}">{text}</a>'
    return text
