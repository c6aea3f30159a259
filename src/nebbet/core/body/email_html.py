"""Rendering a completed body as email HTML: tables for layout, inline styles, no script."""

import html
from collections.abc import Mapping
from functools import lru_cache
from itertools import groupby
from urllib.parse import quote

from nebbet.core import inline
from nebbet.core.body.frame import PLAIN, Frame
from nebbet.core.body.markup import clean_markup
from nebbet.core.body.model import (
    FILE,
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
from nebbet.core.body.schemes import may_lead
from nebbet.core.body.tidy import sides
from nebbet.core.characters import whole
from nebbet.core.inline import Line, Slot

# What may stand unescaped in an address, beside letters and digits (RFC 3986 §2.2, 2.3).
SIZE = 15  # pixels, of the text
_SIDE = 28  # pixels beside the text
_URL_SAFE = "%/:?#[]@!$&'()*+,;=-._~"


def render_email(
    body: Body, frame: Frame = PLAIN, sources: Mapping[str, str] | None = None, language: str = ""
) -> str:
    """Render a body in its frame as one HTML document.

    sources maps a file's SHA-256 to the address its picture has in the message ("cid:…"); a
    picture without one leaves its text. Values are escaped, wherever they stand.
    """
    sources, frame = sources or {}, frame.sound
    if len(body) == 1 and isinstance(body[0], Markup):
        return finished(body[0], sources)
    text = _cell(_sections(body, frame, sources), f"24px {_SIDE}px")
    rows = _band(frame, sources) + text + _foot(frame)
    return _DOCUMENT.format(
        lang=html.escape(language.replace("_", "-")),
        ground=frame.ground,
        paper=frame.paper,
        width=frame.width,
        size=SIZE,
        font=html.escape(frame.font),
        ink=frame.ink,
        rows=rows,
    )


def finished(markup: Markup, sources: Mapping[str, str], braces: str = "{{") -> str:
    """Finished HTML with its values escaped, and its pictures where the message has them; braces
    is how braces that are meant as such are written.

    It is cleaned once more with the values in it: a placeholder may stand across markup, and only
    its value says where a link leads.
    """
    text = "".join(
        part.replace(inline.ESCAPED, braces)
        if isinstance(part, str)
        else html.escape(inline.shown((part,))).replace("{{", braces)
        for part in markup.source
    )
    return FILE.sub(lambda found: sources.get(found[1], found[0]), _cleaned(text))


@lru_cache(maxsize=32)  # an editor asks again for each painting
def _cleaned(text: str) -> str:
    return clean_markup(text).source


_DOCUMENT = """\
<!DOCTYPE html>
<html lang="{lang}">
<head>
<meta http-equiv="Content-Type" content="text/html; charset=utf-8">
<meta name="viewport" content="width=device-width, initial-scale=1">
</head>
<body style="margin:0;padding:0;background-color:{ground}">
<table role="presentation" width="100%" cellpadding="0" cellspacing="0" border="0" \
bgcolor="{ground}"><tr><td align="center" style="padding:16px 8px">
<table role="presentation" width="{width}" cellpadding="0" cellspacing="0" border="0" \
bgcolor="{paper}" style="width:100%;max-width:{width}px;background-color:{paper};\
font-family:{font};font-size:{size}px;line-height:1.5;color:{ink};text-align:left">
{rows}</table>
</td></tr></table>
</body>
</html>
"""


def _cell(content: str, padding: str, style: str = "") -> str:
    return f'<tr><td style="padding:{padding}{style}">\n{content}</td></tr>\n'


def _band(frame: Frame, sources: Mapping[str, str]) -> str:
    if frame.logo in sources:
        content = _img(sources[frame.logo], frame.logo_alt, frame.logo_width) + "\n"
    elif frame.band:
        content = f'<span style="font-size:18px">{html.escape(frame.band)}</span>\n'
    else:
        return ""
    style = f";background-color:{frame.accent};color:#FFFFFF"
    return _cell(content, "14px 28px", style)


def _foot(frame: Frame) -> str:
    if not frame.foot:
        return ""
    lines = "<br>\n".join(html.escape(line) for line in frame.foot)
    style = f";border-top:1px solid {frame.accent};font-size:12px;color:{frame.faint}"
    return _cell(lines + "\n", "14px 28px", style)


def _sections(body: Body, frame: Frame, sources: Mapping[str, str]) -> str:
    written: list[str] = []
    for held in sections(standing(body)):
        if not held[0].column:
            written.append(_blocks(held, frame, sources))
            continue
        columns = [tuple(group) for _, group in groupby(held, key=lambda block: block.column)]
        written.append(_columns([_blocks(column, frame, sources) for column in columns], frame))
    return "".join(written)


def _columns(columns: list[str], frame: Frame) -> str:
    """Columns side by side where there is room, else one below the other.

    Boxes flow and wrap without any media query; the comments give the layout to the one family
    of mail programs that knows no boxes. Common practice, no source.
    """
    width = (frame.width - 2 * _SIDE) // len(columns)
    cell = (
        f"display:inline-block;width:100%;max-width:{width}px;vertical-align:top;"
        f"font-size:{SIZE}px;line-height:1.5"
    )
    boxes = [
        f'<!--[if mso]><td width="{width}" valign="top"><![endif]-->'
        f'<div style="{cell}">\n<div style="padding:0 12px 0 0">\n{column}</div>\n</div>'
        "<!--[if mso]></td><![endif]-->"
        for column in columns
    ]
    start = '<!--[if mso]><table role="presentation" width="100%"><tr><![endif]-->'
    end = "<!--[if mso]></tr></table><![endif]-->"
    return f'<div style="font-size:0">\n{start}{"".join(boxes)}{end}\n</div>\n'


def _blocks(body: Body, frame: Frame, sources: Mapping[str, str]) -> str:
    parts: list[str] = []
    for quoted, group in groupby(body, key=lambda block: block.quote):
        held = _unquoted(tuple(group), frame, sources)
        parts.append(f'<blockquote style="{_QUOTE}">\n{held}</blockquote>\n' if quoted else held)
    return "".join(parts)


_QUOTE = "margin:0 0 14px 0;padding:0 0 0 14px;border-left:3px solid #C9C3BA"
_RULE = "margin:0 0 14px 0;border-top:1px solid #C9C3BA;font-size:1px;line-height:1px"


def _unquoted(body: Body, frame: Frame, sources: Mapping[str, str]) -> str:
    parts: list[str] = []
    lists = Nesting(parts, '<{} style="margin:0 0 14px 0;padding:0 0 0 26px">'.format)
    for is_fact, group in groupby(body, key=lambda block: isinstance(block, FactRow)):
        if is_fact:
            lists.leave()
            parts.append(_fact_table(tuple(group), frame, sources))
            continue
        for block in group:
            content = _content(block.inlines, frame, sources)
            if isinstance(block, ListItem):
                lists.enter(block)
                parts.append(f'<li style="margin:0 0 4px 0{_align(block)}">{content}\n')
            else:
                lists.leave()
                parts.append(_block(block, content, frame))
    lists.leave()
    return "".join(parts)


def _content(inlines: tuple[Inline, ...], frame: Frame, sources: Mapping[str, str]) -> str:
    return "".join(_inline(part, frame, sources) for part in inlines)


def _block(block: Block, content: str, frame: Frame) -> str:
    match block:
        case Heading():
            return _heading(block, content, frame)
        case Divider():
            return f'<div style="{_RULE}">&nbsp;</div>\n'
        case Button():
            return _button(block, content, frame)
        case Included():
            return ""
    return f'<p style="margin:0 0 14px 0{_align(block)}">{content or "&nbsp;"}</p>\n'


def _fact_table(rows: Body, frame: Frame, sources: Mapping[str, str]) -> str:
    label = f"padding:4px 16px 4px 0;border-bottom:1px solid #DDD8D0;color:{frame.faint}"
    value = "padding:4px 0;border-bottom:1px solid #DDD8D0"
    written = [
        f'<tr><td valign="top" width="34%" style="{label}">'
        f"{_content(sides(row.inlines)[0], frame, sources) or '&nbsp;'}</td>"
        f'<td valign="top" style="{value}">'
        f"{_content(sides(row.inlines)[1], frame, sources) or '&nbsp;'}</td></tr>\n"
        for row in rows
    ]
    how = f"width:100%;margin:0 0 14px 0;border-collapse:collapse;font-size:{SIZE}px"
    return (
        f'<table width="100%" cellpadding="0" cellspacing="0" border="0" style="{how}">\n'
        f"{''.join(written)}</table>\n"
    )


def _button(button: Button, words: str, frame: Frame) -> str:
    """A coloured cell with a link in it: it stands where styles of links are dropped, too."""
    link = (
        "display:inline-block;padding:10px 18px;color:#FFFFFF;text-decoration:none;font-weight:bold"
    )
    side = f' align="{button.align}"' if button.align else ""
    address = html.escape(link_address(button.link))
    led = f'<a href="{address}" style="{link}">{words}</a>' if address else words
    cell = (
        f'<td bgcolor="{frame.accent}" style="background-color:{frame.accent};border-radius:3px">'
        f"{led}</td>"
    )
    how = "margin:0 auto 14px auto" if button.align == "center" else "margin:0 0 14px 0"
    return (
        f'<table role="presentation"{side} cellpadding="0" cellspacing="0" border="0" '
        f'style="{how}"><tr>{cell}</tr></table>\n{_CLEAR if button.align == "right" else ""}'
    )


_CLEAR = '<div style="clear:both;font-size:1px;line-height:1px">&nbsp;</div>\n'


def _align(block: Block) -> str:
    return f";text-align:{block.align}" if block.align else ""


def _heading(block: Heading, content: str, frame: Frame) -> str:
    level = block.level
    size = 20 if level == 1 else 17
    style = (
        f"margin:18px 0 8px 0;font-size:{size}px;line-height:1.3;font-weight:bold{_align(block)}"
    )
    return f'<h{level} style="{style};color:{frame.accent}">{content}</h{level}>\n'


def _inline(part: Inline, frame: Frame, sources: Mapping[str, str]) -> str:
    match part:
        case Break():
            return "<br>\n"
        case Start():
            return ""
        case Picture():
            alt = inline.shown(part.alt)
            found = sources.get(part.file)
            shown = _img(found, alt, part.width, part.height) if found else html.escape(alt)
            return _linked(shown, part.link, frame)
        case Gap():
            return " "
        case Run():
            return _run(part, frame)


def _img(source: str, alt: str, width: int, height: int = 0) -> str:
    attributes = f'src="{html.escape(source)}" alt="{html.escape(alt)}" border="0"'
    sizes = {"width": width, "height": height}
    said = "".join(f' {name}="{size}"' for name, size in sizes.items() if size)
    limit = f"width:{width}px;" if width else ""
    high = f"{height}px" if height and not width else "auto"
    return f'<img {attributes}{said} style="{limit}max-width:100%;height:{high};border:0">'


def _linked(text: str, link: Line, frame: Frame) -> str:
    address = html.escape(link_address(link))
    if not address:
        return text
    return f'<a href="{address}" style="color:{frame.accent}">{text}</a>'


def _run(run: Run, frame: Frame) -> str:
    text = html.escape(inline.shown((run.content,)), quote=False).replace("\n", "<br>\n")
    if run.strike:
        text = f"<s>{text}</s>"
    if run.underline:
        text = f"<u>{text}</u>"
    if run.italic:
        text = f"<em>{text}</em>"
    if run.bold:
        text = f"<strong>{text}</strong>"
    return _linked(text, run.link, frame)


def link_address(link: Line) -> str:
    """The address of a completed link: values are percent-encoded unless one starts the address.
    Nothing where it would lead to what runs or lies on somebody's disk: that is asked last, when
    the values are in."""
    parts: list[str] = []
    for index, part in enumerate(link):
        if isinstance(part, Slot):
            text = part.text or ""
            if text == inline.source((part,)):  # a template that is written out, not a letter
                parts.append(text)
                continue
            parts.append(quote(whole(text), safe=_URL_SAFE if index == 0 else "-._~"))
        else:
            parts.append(quote(whole(part), safe=_URL_SAFE))
    address = "".join(parts)
    return address if may_lead(address) else ""
