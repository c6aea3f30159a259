"""Reading HTML into the body model; whatever the model cannot say is dropped."""

import re
from collections.abc import Iterable
from html import unescape
from typing import TYPE_CHECKING

from nebbet.core import inline
from nebbet.core.body.model import (
    Align,
    Block,
    Body,
    Break,
    Divider,
    Guidance,
    Heading,
    Inline,
    ListItem,
    Paragraph,
    Picture,
    Run,
    Start,
    tidy,
)

if TYPE_CHECKING:
    from lxml import etree

_BOLD = {"b", "strong"}
_ITALIC = {"i", "em", "cite"}
_UNDERLINE = {"u", "ins"}
_STRIKE = {"s", "strike", "del"}
_HEADINGS = {"h1": 1, "h2": 2, "h3": 2, "h4": 2, "h5": 2, "h6": 2}
_BLOCKS = {
    "p", "div", "li", "ul", "ol", "table", "tr", "td", "th", "blockquote", "section", "article",
    "header", "footer", "pre", "dl", "dt", "dd", "center", "address", "hr", "aside", *_HEADINGS,
}  # fmt: skip
_STYLES = {
    **dict.fromkeys(_BOLD, "bold"),
    **dict.fromkeys(_ITALIC, "italic"),
    **dict.fromkeys(_UNDERLINE, "underline"),
    **dict.fromkeys(_STRIKE, "strike"),
}
_SIDES: tuple[Align, ...] = ("center", "right")
_ALIGNED = ("p", "div", "li", "center", *_HEADINGS)
_KEPT = _BLOCKS | _STYLES.keys() | {"a", "br", "img", "span", "tbody", "thead"}
_SPACES = re.compile(r"[ \t\r\n\f]+")
_FILE = re.compile(r"file:([0-9a-f]{64})")
# Characters that XML cannot say (XML 1.0 §2.2), and so the parser cannot take.
_UNSAYABLE = re.compile("[\x00-\x08\x0b\x0c\x0e-\x1f\x7f-\x9f\ud800-\udfff\ufffe\uffff]")
_LINK = re.compile(r"(?:https?://|mailto:|tel:|\{\{)[^\s]", re.IGNORECASE)
DEEPEST_LIST = 8
_UNREAD = {"script", "style", "title"}
_ATTRIBUTES = {
    "a": {"href"},
    "img": {"src", "alt", "width"},
    "span": {"data-start"},
    **{tag: {"align", "data-align", "data-when"} for tag in _ALIGNED},
}


def read(text: str) -> Body:
    """Read HTML of any origin, safely: no script, style, form or foreign image survives.

    Reading what `write` wrote gives the same body. Never raises on bad HTML.

    >>> from nebbet.core.body.write import write
    >>> write(read("<div>Hello <b>{{name}}</b><script>x()</script></div>"))
    '<p>Hello <strong>{{name}}</strong></p>\\n'
    """
    import nh3
    from lxml import html

    cleaned = nh3.clean(
        _UNSAYABLE.sub("", text),
        tags=_KEPT,
        clean_content_tags=_UNREAD,
        attributes=_ATTRIBUTES,
        url_schemes={"http", "https", "mailto", "tel", "file"},
        link_rel=None,
    )
    if not cleaned.strip():
        return ()
    reader = _Reader()
    # Without huge_tree the parser gives up on markup nested deeper than 256, and the text is lost.
    parser = html.HTMLParser(huge_tree=True)
    reader.walk(html.fragment_fromstring(cleaned, create_parent="div", parser=parser))
    return tidy(reader.blocks) or _words_of(text)


def _words_of(text: str) -> Body:
    """The bare words of HTML that is nested deeper than any parser follows: they are not lost."""
    import nh3

    words = " ".join(unescape(nh3.clean(text, tags=set(), clean_content_tags=_UNREAD)).split())
    return tidy([Paragraph(tuple(Run(part) for part in inline.parse(words)))] if words else [])


class _Reader:
    """Walks a tree without recursion and gathers blocks; depth counts open style tags."""

    def __init__(self) -> None:
        self.blocks: list[Block] = []
        self._inlines: list[Inline] = []
        self._styles = dict.fromkeys(("bold", "italic", "underline", "strike"), 0)
        self._quotes = self._asides = 0
        self._aligns: list[Align] = []
        self._links: list[str] = []
        self._lists: list[bool] = []
        self._heading = 0
        self._items = 0
        self._conditions: list[str] = []

    def walk(self, root: "etree._Element") -> None:
        from lxml import etree

        for event, node in etree.iterwalk(root, events=("start", "end")):
            if event == "start":
                self._start(node)
                self._text(node.text)
            else:
                self._end(node)
                if node is not root:
                    self._text(node.tail)
        self._flush()

    def _start(self, node: "etree._Element") -> None:
        tag = node.tag
        if tag in _BLOCKS:
            self._start_block(node)
        elif tag in _STYLES:
            self._styles[_STYLES[tag]] += 1
        elif tag == "span" and node.get("data-start") is not None:
            self._inlines.append(Start())
        elif tag == "a":
            self._links.append(_link(node.get("href", "")))
        elif tag == "br":
            self._inlines.append(Break())
        elif tag == "img":
            self._inlines.extend(_picture(node))

    def _start_block(self, node: "etree._Element") -> None:
        when = _condition(node)
        if when or not (self._items and node.tag in ("p", "div") and not self._inlines):
            self._flush()
        if when:
            self._conditions.append(when)
        align = _alignment(node)
        if align or node.tag == "li":  # an item does not take over the side of the one around it
            self._aligns.append(align)
        self._quotes += node.tag == "blockquote"
        self._asides += node.tag == "aside"
        if node.tag == "hr":
            self.blocks.append(Divider(when=self._when(), quote=self._quotes > 0))
        if node.tag in ("ul", "ol"):
            self._lists.append(node.tag == "ol")
        elif node.tag == "li":
            self._items += 1
        elif node.tag in _HEADINGS:
            self._heading = _HEADINGS[node.tag]

    def _end(self, node: "etree._Element") -> None:
        tag = node.tag
        if tag in _BLOCKS:
            if tag == "p" and [*self._inlines] == [Break()]:
                self.blocks.append(Paragraph((), self._when(), *self._look()))
                self._inlines = []
            self._flush()
            self._end_block(tag)
            if _condition(node):
                self._conditions.pop()
            if _alignment(node) or tag == "li":
                self._aligns.pop()
            self._quotes -= tag == "blockquote"
            self._asides -= tag == "aside"
        elif tag in _STYLES:
            self._styles[_STYLES[tag]] -= 1
        elif tag == "a":
            self._links.pop()

    def _end_block(self, tag: str) -> None:
        if tag in ("ul", "ol"):
            self._lists.pop()
        elif tag == "li":
            self._items -= 1
        elif tag in _HEADINGS:
            self._heading = 0

    def _text(self, text: str | None) -> None:
        if not text:
            return
        text = _SPACES.sub(" ", text)
        if text == " " and (not self._inlines or self._ends_in_space()):
            return
        if self._ends_in_space():
            text = text.removeprefix(" ")
        link = inline.parse(self._links[-1]) if self._links else ()
        on = self._styles
        self._inlines += [
            Run(
                part,
                on["bold"] > 0,
                on["italic"] > 0,
                link,
                on["underline"] > 0,
                on["strike"] > 0,
            )
            for part in inline.parse(text)
        ]

    def _ends_in_space(self) -> bool:
        last = self._inlines[-1] if self._inlines else Break()
        return isinstance(last, Break) or (
            isinstance(last, Run) and isinstance(last.content, str) and last.content.endswith(" ")
        )

    def _flush(self) -> None:
        """Close the block at hand; one of nothing but spaces was never a block."""
        inlines, self._inlines = tuple(self._inlines), []
        if not _says_something(inlines):
            return
        if self._asides:
            self.blocks.append(Guidance(inlines, self._when()))
        elif self._heading:
            self.blocks.append(Heading(inlines, self._heading, self._when(), *self._look()))
        elif self._lists and self._items:
            level = min(len(self._lists) - 1, DEEPEST_LIST)
            self.blocks.append(
                ListItem(inlines, self._lists[-1], level, self._when(), *self._look())
            )
        else:
            self.blocks.append(Paragraph(inlines, self._when(), *self._look()))

    def _look(self) -> tuple[bool, Align, bool]:
        """Not left out; how the block is aligned, and whether it is quoted."""
        return False, self._aligns[-1] if self._aligns else "", self._quotes > 0

    def _when(self) -> str:
        """The condition that holds the block at hand; parts within parts need them all."""
        held = self._conditions[-DEEPEST_LIST:]
        return " and ".join(f"({when})" for when in held) if len(held) > 1 else "".join(held)


def _alignment(node: "etree._Element") -> Align:
    if node.tag == "center":
        return "center"
    said = (node.get("data-align") or node.get("align") or "").casefold()
    for align in _SIDES:
        if said == align and node.tag in _ALIGNED:
            return align
    return ""


def _condition(node: "etree._Element") -> str:
    return str(node.get("data-when", "")).strip() if node.tag == "div" else ""


def _says_something(inlines: Iterable[Inline]) -> bool:
    return any(
        isinstance(part, Picture | Start)
        or (isinstance(part, Run) and (not isinstance(part.content, str) or part.content.strip()))
        for part in inlines
    )


def _link(href: str) -> str:
    """An address a letter may point to, or nothing: no script, no data, no local file."""
    href = href.strip()
    return href if _LINK.match(href) else ""


def _picture(node: "etree._Element") -> list[Inline]:
    """A library picture; a foreign one leaves its text, so that nothing silently goes missing."""
    alt = inline.parse(_SPACES.sub(" ", node.get("alt", "")).strip())
    found = _FILE.fullmatch(node.get("src", ""))
    if found is None:
        return [Run(part) for part in alt]
    width = node.get("width", "")
    return [Picture(found[1], alt, int(width) if width.isdecimal() and len(width) < 5 else 0)]
