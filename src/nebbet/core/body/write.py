"""Writing a body as the restricted, semantic HTML that editions keep: it reads well in a diff."""

import html

from nebbet.core import inline
from nebbet.core.body.model import Body, Break, Heading, Inline, ListItem, Picture, Run
from nebbet.core.body.nesting import Nesting


def write(body: Body) -> str:
    """Write a body as source HTML, one block a line; placeholders stand as {{name}}."""
    parts: list[str] = []
    lists = Nesting(parts, "<{}>".format)
    for block in body:
        if isinstance(block, ListItem):
            lists.enter(block)
            parts.append(f"<li>{inlines(block.inlines)}\n")
            continue
        lists.leave()
        tag = f"h{block.level}" if isinstance(block, Heading) else "p"
        parts.append(f"<{tag}>{inlines(block.inlines) or '<br>'}</{tag}>\n")
    lists.leave()
    return "".join(parts)


def inlines(parts: tuple[Inline, ...]) -> str:
    """Write the inlines of one block."""
    return "".join(_inline(part) for part in parts)


def _inline(part: Inline) -> str:
    match part:
        case Break():
            return "<br>"
        case Picture():
            width = f' width="{part.width}"' if part.width else ""
            alt = html.escape(inline.source(part.alt))
            return f'<img src="file:{part.file}" alt="{alt}"{width}>'
        case Run():
            return _run(part)


def _run(run: Run) -> str:
    text = html.escape(inline.source((run.content,)), quote=False)
    if run.italic:
        text = f"<em>{text}</em>"
    if run.bold:
        text = f"<strong>{text}</strong>"
    if run.link:
        text = f'<a href="{html.escape(inline.source(run.link))}">{text}</a>'
    return text
