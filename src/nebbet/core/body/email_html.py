"""Rendering a completed body as email HTML: tables for layout, inline styles, no script."""

import html
from collections.abc import Mapping
from itertools import groupby
from typing import NamedTuple

from nebbet.core import inline
from nebbet.core.body.document import head, is_right_to_left
from nebbet.core.body.finished import finished
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
    Included,
    Inline,
    ListItem,
    Markup,
    Picture,
    Run,
    Start,
    sections,
    standing,
)
from nebbet.core.body.nesting import Nesting
from nebbet.core.body.tidy import sides
from nebbet.core.inline import Line

SIZE = 15  # pixels, of the text
_SIDE = 28  # pixels beside the text


class _Look(NamedTuple):
    """How a message looks: its frame, the addresses of its pictures, and the side on which its
    lines begin and that on which they end."""

    frame: Frame
    sources: Mapping[str, str]
    start: str = "left"
    end: str = "right"


def render_email(
    body: Body, frame: Frame = PLAIN, sources: Mapping[str, str] | None = None, language: str = ""
) -> str:
    """Render a body in its frame as one HTML document.

    sources maps a file's SHA-256 to the address its picture has in the message ("cid:…"); a
    picture without one leaves its text. Values are escaped, wherever they stand.
    """
    sources, frame = sources or {}, frame.sound
    turned = is_right_to_left(language)
    look = _Look(frame, sources, "right", "left") if turned else _Look(frame, sources)
    if len(body) == 1 and isinstance(body[0], Markup):
        return f"{head(language)}<body>\n{finished(body[0], sources)}\n</body>\n</html>\n"
    text = _cell(_sections(body, look), f"24px {_SIDE}px")
    rows = _band(look) + text + _foot(look)
    return head(language) + _BODY.format(
        side=look.start,
        # Mail services on the web drop the document's own element, and what it says.
        direction=' dir="rtl"' if turned else "",
        ground=frame.ground,
        paper=frame.paper,
        width=frame.width,
        size=SIZE,
        font=html.escape(frame.font),
        ink=frame.ink,
        rows=rows,
    )


_BODY = """\
<body style="margin:0;padding:0;background-color:{ground}">
<table role="presentation" width="100%" cellpadding="0" cellspacing="0" border="0" \
bgcolor="{ground}"><tr><td align="center" style="padding:16px 8px">
<table role="presentation"{direction} width="{width}" cellpadding="0" cellspacing="0" border="0" \
bgcolor="{paper}" style="width:100%;max-width:{width}px;background-color:{paper};\
font-family:{font};font-size:{size}px;line-height:1.5;color:{ink};text-align:{side}">
{rows}</table>
</td></tr></table>
</body>
</html>
"""


def _cell(content: str, padding: str, style: str = "") -> str:
    return f'<tr><td style="padding:{padding}{style}">\n{content}</td></tr>\n'


def _band(look: _Look) -> str:
    if look.frame.logo in look.sources:
        frame = look.frame
        content = _img(look.sources[frame.logo], frame.logo_alt, frame.logo_width) + "\n"
    elif look.frame.band:
        content = f'<span style="font-size:18px">{html.escape(look.frame.band)}</span>\n'
    else:
        return ""
    style = f";background-color:{look.frame.accent};color:#FFFFFF"
    return _cell(content, "14px 28px", style)


def _foot(look: _Look) -> str:
    if not look.frame.foot:
        return ""
    lines = "<br>\n".join(html.escape(line) for line in look.frame.foot)
    style = f";border-top:1px solid {look.frame.accent};font-size:12px;color:{look.frame.faint}"
    return _cell(lines + "\n", "14px 28px", style)


def _sections(body: Body, look: _Look) -> str:
    written: list[str] = []
    for held in sections(standing(body)):
        if not held[0].column:
            written.append(_blocks(held, look))
            continue
        columns = [tuple(group) for _, group in groupby(held, key=lambda block: block.column)]
        written.append(_columns([_blocks(column, look) for column in columns], look))
    return "".join(written)


def _columns(columns: list[str], look: _Look) -> str:
    """Columns side by side where there is room, else one below the other.

    Boxes flow and wrap without any media query; the comments give the layout to the one family
    of mail programs that knows no boxes. Common practice, no source.
    """
    width = (look.frame.width - 2 * _SIDE) // len(columns)
    cell = (
        f"display:inline-block;width:100%;max-width:{width}px;vertical-align:top;"
        f"font-size:{SIZE}px;line-height:1.5"
    )
    boxes = [
        f'<!--[if mso]><td width="{width}" valign="top"><![endif]-->'
        f'<div style="{cell}">\n<div style="padding-{look.end}:12px">\n{column}</div>\n</div>'
        "<!--[if mso]></td><![endif]-->"
        for column in columns
    ]
    start = '<!--[if mso]><table role="presentation" width="100%"><tr><![endif]-->'
    end = "<!--[if mso]></tr></table><![endif]-->"
    return f'<div style="font-size:0">\n{start}{"".join(boxes)}{end}\n</div>\n'


def _blocks(body: Body, look: _Look) -> str:
    parts: list[str] = []
    for quoted, group in groupby(body, key=lambda block: block.quote):
        held = _unquoted(tuple(group), look)
        style = f"margin:0 0 14px 0;padding-{look.start}:14px;border-{look.start}:3px solid #C9C3BA"
        parts.append(f'<blockquote style="{style}">\n{held}</blockquote>\n' if quoted else held)
    return "".join(parts)


_RULE = "margin:0 0 14px 0;border-top:1px solid #C9C3BA;font-size:1px;line-height:1px"


def _unquoted(body: Body, look: _Look) -> str:
    parts: list[str] = []
    inset = "0 0 0 26px" if look.start == "left" else "0 26px 0 0"
    lists = Nesting(parts, f'<{{}} style="margin:0 0 14px 0;padding:{inset}">'.format)
    for is_fact, group in groupby(body, key=lambda block: isinstance(block, FactRow)):
        if is_fact:
            lists.leave()
            parts.append(_fact_table(tuple(group), look))
            continue
        for block in group:
            content = _content(block.inlines, look)
            if isinstance(block, ListItem):
                lists.enter(block)
                parts.append(f'<li style="margin:0 0 4px 0{_align(block)}">{content}\n')
            else:
                lists.leave()
                parts.append(_block(block, content, look))
    lists.leave()
    return "".join(parts)


def _content(inlines: tuple[Inline, ...], look: _Look) -> str:
    return "".join(_inline(part, look) for part in inlines)


def _block(block: Block, content: str, look: _Look) -> str:
    match block:
        case Heading():
            return _heading(block, content, look)
        case Divider():
            return f'<div style="{_RULE}">&nbsp;</div>\n'
        case Button():
            return _button(block, content, look)
        case Included():
            return ""
    return f'<p style="margin:0 0 14px 0{_align(block)}">{content or "&nbsp;"}</p>\n'


def _fact_table(rows: Body, look: _Look) -> str:
    shared = f"text-align:{look.start};border-bottom:1px solid #DDD8D0"
    inset = "4px 16px 4px 0" if look.start == "left" else "4px 0 4px 16px"
    label = f"padding:{inset};font-weight:normal;color:{look.frame.faint};{shared}"
    value = f"padding:4px 0;{shared}"
    written = [
        f'<tr><th scope="row" valign="top" width="34%" style="{label}">'
        f"{_content(sides(row.inlines)[0], look) or '&nbsp;'}</th>"
        f'<td valign="top" style="{value}">'
        f"{_content(sides(row.inlines)[1], look) or '&nbsp;'}</td></tr>\n"
        for row in rows
    ]
    how = f"width:100%;margin:0 0 14px 0;border-collapse:collapse;font-size:{SIZE}px"
    return (
        f'<table width="100%" cellpadding="0" cellspacing="0" border="0" style="{how}">\n'
        f"{''.join(written)}</table>\n"
    )


def _button(button: Button, words: str, look: _Look) -> str:
    """A coloured cell with a link in it: it stands where styles of links are dropped, too."""
    link = (
        "display:inline-block;padding:10px 18px;color:#FFFFFF;text-decoration:none;font-weight:bold"
    )
    colour = look.frame.accent
    side = f' align="{button.align}"' if button.align else ""
    address = html.escape(link_address(button.link))
    led = f'<a href="{address}" style="{link}">{words}</a>' if address else words
    cell = f'<td bgcolor="{colour}" style="background-color:{colour};border-radius:3px">{led}</td>'
    how = "margin:0 auto 14px auto" if button.align == "center" else "margin:0 0 14px 0"
    return (
        f'<table role="presentation"{side} cellpadding="0" cellspacing="0" border="0" '
        f'style="{how}"><tr>{cell}</tr></table>\n{_CLEAR if button.align == "right" else ""}'
    )


_CLEAR = '<div style="clear:both;font-size:1px;line-height:1px">&nbsp;</div>\n'


def _align(block: Block) -> str:
    return f";text-align:{block.align}" if block.align else ""


def _heading(block: Heading, content: str, look: _Look) -> str:
    level = block.level
    size = 20 if level == 1 else 17
    style = (
        f"margin:18px 0 8px 0;font-size:{size}px;line-height:1.3;font-weight:bold{_align(block)}"
    )
    return f'<h{level} style="{style};color:{look.frame.accent}">{content}</h{level}>\n'


def _inline(part: Inline, look: _Look) -> str:
    match part:
        case Break():
            return "<br>\n"
        case Start():
            return ""
        case Picture():
            alt = inline.shown(part.alt)
            found = look.sources.get(part.file)
            shown = _img(found, alt, part.width, part.height) if found else html.escape(alt)
            return _linked(shown, part.link, look)
        case Gap():
            return " "
        case Run():
            return _run(part, look)


def _img(source: str, alt: str, width: int, height: int = 0) -> str:
    attributes = f'src="{html.escape(source)}" alt="{html.escape(alt)}" border="0"'
    sizes = {"width": width, "height": height}
    said = "".join(f' {name}="{size}"' for name, size in sizes.items() if size)
    limit = f"width:{width}px;" if width else ""
    high = f"{height}px" if height and not width else "auto"
    return f'<img {attributes}{said} style="{limit}max-width:100%;height:{high};border:0">'


def _linked(text: str, link: Line, look: _Look) -> str:
    address = html.escape(link_address(link))
    if not address:
        return text
    return f'<a href="{address}" style="color:{look.frame.accent}">{text}</a>'


def _run(run: Run, look: _Look) -> str:
    text = html.escape(inline.shown((run.content,)), quote=False).replace("\n", "<br>\n")
    if run.strike:
        text = f"<s>{text}</s>"
    if run.underline:
        text = f"<u>{text}</u>"
    if run.italic:
        text = f"<em>{text}</em>"
    if run.bold:
        text = f"<strong>{text}</strong>"
    return _linked(text, run.link, look)
