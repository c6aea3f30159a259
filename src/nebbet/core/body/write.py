"""Writing a body as the restricted, semantic HTML that editions keep: it reads well in a diff."""

import html
from itertools import groupby

from nebbet.core import inline
from nebbet.core.body.finished import markup_source
from nebbet.core.body.model import (
    Block,
    Body,
    Break,
    Button,
    Divider,
    FactRow,
    Gap,
    Guidance,
    Heading,
    Included,
    Inline,
    ListItem,
    Markup,
    Picture,
    Run,
    Start,
    sections,
)
from nebbet.core.body.nesting import Nesting
from nebbet.core.body.tidy import sides


def write(body: Body) -> str:
    """Write a body as source HTML, one block a line; placeholders stand as {{name}}."""
    if len(body) == 1 and isinstance(body[0], Markup):
        return markup_source(body[0].source)
    written: list[str] = []
    for held in sections(body):
        if not held[0].column:
            written.append(_held(held))
            continue
        columns = (tuple(group) for _, group in groupby(held, key=lambda block: block.column))
        inside = "".join(f"<div data-column>\n{_held(column)}</div>\n" for column in columns)
        written.append(f"<div data-columns>\n{inside}</div>\n")
    return "".join(written)


def _held(blocks: Body) -> str:
    """Blocks inside what they hang on: a condition, then a list over which they are repeated."""
    written: list[str] = []
    for (when, each), group in groupby(blocks, key=lambda block: (block.when, block.each)):
        inside = _blocks(tuple(group))
        if each:
            inside = f'<div data-each="{html.escape(each)}">\n{inside}</div>\n'
        if when:
            inside = f'<div data-when="{html.escape(when)}">\n{inside}</div>\n'
        written.append(inside)
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
    for is_fact, group in groupby(blocks, key=lambda block: isinstance(block, FactRow)):
        if is_fact:
            lists.leave()
            written.append("".join(["<dl>\n", *map(_fact_row, group), "</dl>\n"]))
            continue
        for block in group:
            if isinstance(block, ListItem):
                lists.enter(block)
                written.append(f"<li{_align(block)}>{inlines(block.inlines)}\n")
            else:
                lists.leave()
                written.append(_block(block))
    lists.leave()
    return "".join(written)


def _fact_row(row: Block) -> str:
    label, value = sides(row.inlines)
    return f"<dt>{inlines(label)}</dt><dd>{inlines(value)}</dd>\n"


def _block(block: Block) -> str:
    match block:
        case Divider():
            return "<hr>\n"
        case Included():
            return f'<div data-passage="{html.escape(block.passage)}"></div>\n'
        case Markup():
            return markup_source(block.source)
        case Button():
            link = html.escape(inline.source(block.link))
            words = inlines(block.inlines)
            return f'<p data-button{_align(block)}><a href="{link}">{words}</a></p>\n'
    tag = _tag(block)
    return f"<{tag}{_align(block)}>{inlines(block.inlines) or '<br>'}</{tag}>\n"


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
            return _linked(_picture(part), part.link)
        case Gap():
            return " "
        case Run():
            return _run(part)


def _picture(picture: Picture) -> str:
    sizes = {"width": picture.width, "height": picture.height}
    said = "".join(f' {name}="{size}"' for name, size in sizes.items() if size)
    return f'<img src="file:{picture.file}" alt="{html.escape(inline.source(picture.alt))}"{said}>'


def _linked(text: str, link: inline.Line) -> str:
    return f'<a href="{html.escape(inline.source(link))}">{text}</a>' if link else text


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
    return _linked(text, run.link)
