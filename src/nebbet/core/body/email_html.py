"""Rendering a completed body as email HTML: tables for layout, inline styles, no script."""

import html
from collections.abc import Mapping
from itertools import groupby
from urllib.parse import quote

from nebbet.core import inline
from nebbet.core.body.frame import PLAIN, Frame
from nebbet.core.body.model import (
    Block,
    Body,
    Break,
    Divider,
    Heading,
    Inline,
    ListItem,
    Picture,
    Run,
    Start,
    standing,
)
from nebbet.core.body.nesting import Nesting
from nebbet.core.inline import Line, Slot

# What may stand unescaped in an address, beside letters and digits (RFC 3986 §2.2, 2.3).
_URL_SAFE = "%/:?#[]@!$&'()*+,;=-._~"


def render_email(
    body: Body, frame: Frame = PLAIN, sources: Mapping[str, str] | None = None, language: str = ""
) -> str:
    """Render a body in its frame as one HTML document.

    sources maps a file's SHA-256 to the address its picture has in the message ("cid:…"); a
    picture without one leaves its text. Values are escaped, wherever they stand.
    """
    sources = sources or {}
    rows = _band(frame, sources) + _cell(_blocks(body, frame, sources), "24px 28px") + _foot(frame)
    return _DOCUMENT.format(
        lang=html.escape(language.replace("_", "-")),
        ground=frame.ground,
        paper=frame.paper,
        width=frame.width,
        font=html.escape(frame.font),
        ink=frame.ink,
        rows=rows,
    )


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
font-family:{font};font-size:15px;line-height:1.5;color:{ink};text-align:left">
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


def _blocks(body: Body, frame: Frame, sources: Mapping[str, str]) -> str:
    parts: list[str] = []
    for quoted, group in groupby(standing(body), key=lambda block: block.quote):
        held = _unquoted(tuple(group), frame, sources)
        parts.append(f'<blockquote style="{_QUOTE}">\n{held}</blockquote>\n' if quoted else held)
    return "".join(parts)


_QUOTE = "margin:0 0 14px 0;padding:0 0 0 14px;border-left:3px solid #C9C3BA"
_RULE = "margin:0 0 14px 0;border-top:1px solid #C9C3BA;font-size:1px;line-height:1px"


def _unquoted(body: Body, frame: Frame, sources: Mapping[str, str]) -> str:
    parts: list[str] = []
    lists = Nesting(parts, '<{} style="margin:0 0 14px 0;padding:0 0 0 26px">'.format)
    for block in body:
        content = "".join(_inline(part, frame, sources) for part in block.inlines)
        if isinstance(block, ListItem):
            lists.enter(block)
            parts.append(f'<li style="margin:0 0 4px 0{_align(block)}">{content}\n')
            continue
        lists.leave()
        if isinstance(block, Heading):
            parts.append(_heading(block, content, frame))
        elif isinstance(block, Divider):
            parts.append(f'<div style="{_RULE}">&nbsp;</div>\n')
        else:
            style = f"margin:0 0 14px 0{_align(block)}"
            parts.append(f'<p style="{style}">{content or "&nbsp;"}</p>\n')
    lists.leave()
    return "".join(parts)


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
            return _img(found, alt, part.width) if found else html.escape(alt)
        case Run():
            return _run(part, frame)


def _img(source: str, alt: str, width: int) -> str:
    attributes = f'src="{html.escape(source)}" alt="{html.escape(alt)}" border="0"'
    size = f' width="{width}"' if width else ""
    limit = f"width:{width}px;" if width else ""
    return f'<img {attributes}{size} style="{limit}max-width:100%;height:auto;border:0">'


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
    if run.link:
        address = html.escape(link_address(run.link))
        text = f'<a href="{address}" style="color:{frame.accent}">{text}</a>'
    return text


def link_address(link: Line) -> str:
    """The address of a completed link: values are percent-encoded unless one starts the address."""
    parts: list[str] = []
    for index, part in enumerate(link):
        if isinstance(part, Slot):
            text = part.text or ""
            parts.append(quote(text, safe=_URL_SAFE if index == 0 else "-._~"))
        else:
            parts.append(quote(part, safe=_URL_SAFE))
    return "".join(parts)
