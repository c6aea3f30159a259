"""Reading HTML into the body model; whatever the model cannot say is dropped."""

import re
from collections.abc import Mapping
from typing import TYPE_CHECKING, NamedTuple

from msgspec.structs import replace

from nebbet.core import inline
from nebbet.core.body.fact_rows import FACT_SIDES, is_fact_row, is_value
from nebbet.core.body.levelled import levelled
from nebbet.core.body.markup import sayable
from nebbet.core.body.model import (
    FILE,
    Align,
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
    Paragraph,
    Picture,
    Run,
    Start,
)
from nebbet.core.body.tidy import says_something, tidy

if TYPE_CHECKING:
    from lxml import etree

    from nebbet.core.inline import Line

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
_LINK = re.compile(r"(?:https?://|mailto:|tel:|\{\{)[^\s]", re.IGNORECASE)
DEEPEST_LIST = 8
_TRACKER = 2  # pixels: a picture so small only tells who reads
_UNREAD = {"script", "style", "title"}
_ATTRIBUTES = {
    "a": {"href"},
    "img": {"src", "alt", "width", "height"},
    "span": {"data-start"},
    **{tag: {"align", "data-align", "data-button"} for tag in _ALIGNED},
    "div": {
        "align", "data-align", "data-when", "data-each", "data-passage", "data-columns",
        "data-column",
    },
}  # fmt: skip


def read(text: str, pictures: Mapping[str, str] | None = None) -> Body:
    """Read HTML of any origin, safely: no script, style, form or foreign image survives.

    Reading what `write` wrote gives the same body. Never raises on bad HTML. pictures gives the
    SHA-256 of library files by the addresses of images; where it is given, an image that it does
    not have leaves a prompt in brackets, which the checks find.

    >>> from nebbet.core.body.write import write
    >>> write(read("<div>Hello <b>{{name}}</b><script>x()</script></div>"))
    '<p>Hello <strong>{{name}}</strong></p>\\n'
    """
    import nh3
    from lxml import etree

    cleaned = nh3.clean(
        levelled(sayable(text)).text,
        tags=_KEPT,
        clean_content_tags=_UNREAD,
        attributes=_ATTRIBUTES,
        url_schemes={"http", "https", "mailto", "tel", "file", "cid", "data"},
        link_rel=None,
    )
    if not cleaned.strip():
        return ()
    reader = _Reader(pictures)
    # Without huge_tree the parser gives up on markup nested deeper than 256, and the text is lost.
    root = etree.fromstring(f"<div>{cleaned}</div>", etree.HTMLParser(huge_tree=True))
    if root is not None:
        reader.walk(root)
    return tidy(reader.blocks)


class _Reader:
    """Walks a tree without recursion and gathers blocks; depth counts open style tags."""

    def __init__(self, pictures: Mapping[str, str] | None = None) -> None:
        self._pictures = pictures
        self.blocks: list[Block] = []
        self._inlines: list[Inline] = []
        self._styles = dict.fromkeys(("bold", "italic", "underline", "strike"), 0)
        self._quotes = self._asides = 0
        self._aligns: list[Align] = []
        self._links: list[str] = []
        self._lists: list[bool] = []
        self._heading = self._buttons = 0
        self._items = self._terms = self._rows = 0
        self._conditions: list[str] = []
        self._eaches: list[str] = []
        self._columns: list[int] = []

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
            self._inlines.extend(_picture(node, self._link(), self._pictures))

    def _start_block(self, node: "etree._Element") -> None:
        tag = node.tag
        if tag in FACT_SIDES and self._start_side(node):
            return
        if self._terms and tag in _IN_A_CELL:
            self._next_line()
            return
        held = _held(node)
        if held != _NOT_HELD or not (self._items and tag in ("p", "div") and not self._inlines):
            self._flush()
        self._enter(held)
        align = _alignment(node)
        if align or tag == "li":  # an item does not take over the side of the one around it
            self._aligns.append(align)
        self._quotes += tag == "blockquote"
        self._asides += tag == "aside"
        self._buttons += _is_button(node)
        if tag == "hr":
            self._put(Divider())
        if tag in ("ul", "ol"):
            self._lists.append(tag == "ol")
        elif tag == "li":
            self._items += 1
        elif tag in _HEADINGS:
            self._heading = _HEADINGS[tag]

    def _start_side(self, node: "etree._Element") -> bool:
        """The label or the value of a fact row begins; a value goes on in the row at hand."""
        if node.tag not in ("dt", "dd") and not is_fact_row(node.getparent()):
            return False
        follows = self._rows > 0 and is_value(node)
        if follows:
            self._inlines.append(Gap())
        else:
            self._flush()
            self._rows += 1
            if is_value(node):
                self._inlines.append(Gap())
        self._terms += 1
        return True

    def _next_line(self) -> None:
        """A paragraph inside a cell is a line of its own."""
        if self._inlines and not isinstance(self._inlines[-1], Gap | Break):
            self._inlines.append(Break())

    def _enter(self, held: "_Held") -> None:
        """Take up what a part of a body hangs on."""
        if held.when:
            self._conditions.append(held.when)
        if held.each:
            self._eaches.append(held.each)
        if held.columns:
            self._columns.append(0)
        if held.column and self._columns:
            self._columns[-1] += 1
        if held.passage:
            self._put(Included(held.passage))

    def _leave(self, held: "_Held") -> None:
        if held.when:
            self._conditions.pop()
        if held.each:
            self._eaches.pop()
        if held.columns:
            self._columns.pop()
        if held.column and self._column() and not self._is_begun():
            self._put(Paragraph())  # an empty column keeps its place

    def _is_begun(self) -> bool:
        return bool(self.blocks) and self.blocks[-1].column == self._column()

    def _end(self, node: "etree._Element") -> None:
        tag = node.tag
        if tag in FACT_SIDES and (tag in ("dt", "dd") or is_fact_row(node.getparent())):
            self._terms -= 1
            if is_value(node):
                self._flush()
        elif self._terms and tag in _IN_A_CELL:
            return
        elif tag in _BLOCKS:
            if tag == "p" and [*self._inlines] == [Break()]:
                self._put(Paragraph())
                self._inlines = []
            self._flush()
            self._end_block(node)
        elif tag in _STYLES:
            self._styles[_STYLES[tag]] -= 1
        elif tag == "a":
            self._links.pop()

    def _end_block(self, node: "etree._Element") -> None:
        tag = node.tag
        self._leave(_held(node))
        if _alignment(node) or tag == "li":
            self._aligns.pop()
        self._quotes -= tag == "blockquote"
        self._asides -= tag == "aside"
        self._buttons -= _is_button(node)
        if tag in ("ul", "ol"):
            self._lists.pop()
        elif tag == "li":
            self._items -= 1
        elif tag in _HEADINGS:
            self._heading = 0

    def _link(self) -> "Line":
        return inline.parse(self._links[-1]) if self._links else ()

    def _text(self, text: str | None) -> None:
        if not text:
            return
        text = _SPACES.sub(" ", text)
        if text == " " and (not self._inlines or self._ends_in_space()):
            return
        if self._ends_in_space():
            text = text.removeprefix(" ")
        link, on = self._link(), self._styles
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
        return isinstance(last, Break | Gap) or (
            isinstance(last, Run) and isinstance(last.content, str) and last.content.endswith(" ")
        )

    def _flush(self) -> None:
        """Close the block at hand; one of nothing but spaces was never a block."""
        inlines, self._inlines = tuple(self._inlines), []
        rows, self._rows = self._rows, 0
        if not says_something(inlines):
            return
        if self._asides:
            self._put(Guidance(inlines))
        elif self._buttons:
            links = (part.link for part in inlines if isinstance(part, Run) and part.link)
            self._put(Button(inlines, next(links, ())))
        elif self._heading:
            self._put(Heading(inlines, self._heading))
        elif rows:
            self._put(FactRow(inlines))
        elif self._lists and self._items:
            level = min(len(self._lists) - 1, DEEPEST_LIST)
            self._put(ListItem(inlines, self._lists[-1], level))
        else:
            self._put(Paragraph(inlines))

    def _put(self, block: Block) -> None:
        """Add a block with what holds here: condition, list, side, quote, column."""
        self.blocks.append(
            replace(
                block,
                when=_together(self._conditions),
                each=self._eaches[-1] if self._eaches else "",
                align=self._aligns[-1] if self._aligns else "",
                quote=self._quotes > 0,
                column=self._column(),
            )
        )

    def _column(self) -> int:
        return self._columns[0] if self._columns else 0


def _together(conditions: list[str]) -> str:
    """The condition of parts within parts: they need them all."""
    held = conditions[-DEEPEST_LIST:]
    return " and ".join(f"({when})" for when in held) if len(held) > 1 else "".join(held)


class _Held(NamedTuple):
    """What a part of a body hangs on, as its element says."""

    when: str = ""
    each: str = ""
    passage: str = ""
    columns: bool = False
    column: bool = False


_NOT_HELD = _Held()


def _held(node: "etree._Element") -> _Held:
    if node.tag != "div" or not node.attrib:
        return _NOT_HELD
    when, each, passage = (
        str(node.get(f"data-{name}", "")).strip() for name in ("when", "each", "passage")
    )
    said = [node.get(f"data-{name}") is not None for name in ("columns", "column")]
    return _Held(when, each, passage, *said)


def _is_button(node: "etree._Element") -> bool:
    return node.tag == "p" and node.get("data-button") is not None


_IN_A_CELL = {"p", "div", "section", "article", "center", "address", "header", "footer"}


def _alignment(node: "etree._Element") -> Align:
    if node.tag == "center":
        return "center"
    said = (node.get("data-align") or node.get("align") or "").casefold()
    for align in _SIDES:
        if said == align and node.tag in _ALIGNED:
            return align
    return ""


def _link(href: str) -> str:
    """An address a letter may point to, or nothing: no script, no data, no local file."""
    href = href.strip()
    return href if _LINK.match(href) else ""


def _picture(
    node: "etree._Element", link: "Line", pictures: Mapping[str, str] | None
) -> list[Inline]:
    """A library picture; a foreign one leaves its text, so that nothing silently goes missing."""
    alt = inline.parse(_SPACES.sub(" ", node.get("alt", "")).strip())
    found = FILE.fullmatch(node.get("src", ""))
    width, height = _size(node, "width"), _size(node, "height")
    address = node.get("src", "")
    file = found[1] if found else (pictures or {}).get(address, "")
    if file:
        return [Picture(file, alt, width, height, link)]
    if pictures is None or 0 < width <= _TRACKER or 0 < height <= _TRACKER:
        return [Run(part, link=link) for part in alt]
    name = address.rpartition("/")[2].partition("?")[0] if len(address) < 300 else ""
    words = inline.source(alt) or name or "without a name"
    return [Run(f"[picture to put in again: {words.strip('[]')}]", link=link)]


def _size(node: "etree._Element", name: str) -> int:
    text = node.get(name, "")
    return int(text) if text.isdecimal() and len(text) < 5 else 0
