"""Bringing HTML that other programs made to the plain markup that `read` takes."""

import re
from collections.abc import Iterator, Mapping
from itertools import pairwise
from typing import TYPE_CHECKING

from msgspec.structs import replace

from nebbet.core.body.hidden import drop_unseen_words, is_hidden
from nebbet.core.body.markup import drop, tree_of
from nebbet.core.body.model import (
    MOST_COLUMNS,
    Block,
    Body,
    Break,
    Inline,
    ListItem,
    Paragraph,
    Placed,
    Run,
)
from nebbet.core.body.read import read
from nebbet.core.body.tidy import says_something, tidy

if TYPE_CHECKING:
    from lxml import etree

# What a word processor says beside the text: running heads, comments, notes of changes.
_BESIDE = re.compile(r"mso-element\s*:\s*(?:header|footer|comment)|mso-hide\s*:\s*all", re.I)
_BESIDE_TITLES = ("header", "footer")
_MARKER = re.compile(r"mso-list\s*:\s*ignore", re.I)
_ITEM = re.compile(r"mso-list\s*:\s*[\w.-]+\s+level(\d)", re.I)
_NUMBER = re.compile(r"\s*\(?(?:\d{1,3}|[A-Za-z]|[ivxIVX]{1,5})[.)]")
# Bullets as programs write them into text; U+F0B7 is the bullet of a symbol font.
BULLETS = "•·◦▪‣●○■\uf0b7\uf0a7"
_BULLET = re.compile(rf"\s*[{BULLETS}][\s\xa0]*")
_INLINE = ("span", "font", "a", "b", "strong", "i", "em", "u", "s", "label", "code", "small")
_TEXT_BLOCKS = ("p", "div", "li", "td", "th", "dd", "dt", "blockquote", "center")
_SIDED = ("p", "div", "h1", "h2", "h3", "h4", "h5", "h6")
_DEFAULTS = {"b": "bold", "strong": "bold", "i": "italic", "em": "italic"}
_SHORT = 60
ROW_GAP = " · "


def read_foreign(text: str, pictures: Mapping[str, str] | None = None) -> Body:
    """Read HTML that another program made: pasted, imported or in a message. As `read`."""
    return tidy(_with_items(read(plain_markup(text), pictures)))


def _with_items(blocks: Body) -> Iterator[Block]:
    """Lines that begin with a bullet are items; a bullet that stands alone marks the next one."""
    marked = False
    for block in blocks:
        if not isinstance(block, Paragraph):
            yield block
            continue
        for bulleted, inlines in _pieces(block.inlines):
            if bulleted and not says_something(inlines):
                marked = True
            elif bulleted or (marked and inlines):
                marked = False
                yield _item_of(block, inlines)
            else:
                yield replace(block, inlines=inlines)


def _pieces(inlines: tuple[Inline, ...]) -> Iterator[tuple[bool, tuple[Inline, ...]]]:
    """A paragraph in pieces: each line with a bullet begins a new one, and its bullet goes."""
    held: list[Inline] = []
    bulleted = False
    for index, part in enumerate(inlines):
        begins = index == 0 or isinstance(inlines[index - 1], Break)
        words = part.content if begins and isinstance(part, Run) else None
        mark = _BULLET.match(words) if isinstance(words, str) else None
        if mark and (held or bulleted):
            yield bulleted, _unended(held)
            held = []
        bulleted = bulleted or mark is not None
        held.append(replace(part, content=mark.string[mark.end() :]) if mark else part)
    yield bulleted, tuple(held)


def _unended(inlines: list[Inline]) -> tuple[Inline, ...]:
    """Inlines without the line end behind them."""
    return tuple(inlines[:-1] if isinstance(inlines[-1], Break) else inlines)


def _item_of(block: Block, inlines: tuple[Inline, ...]) -> ListItem:
    placed = {name: getattr(block, name) for name in Placed.__struct_fields__}
    return ListItem(inlines, **placed)


def plain_markup(text: str) -> str:
    """HTML of another program as plain markup: what styles say becomes tags, paragraphs that look
    like items become lists, rows of many cells become rows of two; what is hidden, running heads,
    comments and deletions that a program keeps track of go.

    Never raises on bad HTML.

    >>> plain_markup('<p><span style="font-weight:700">Now</span> <del datetime="x">or</del></p>')
    '<p><span><b>Now</b></span> </p>'
    """
    from lxml import etree

    root, _ = tree_of(text)
    if root is None:
        return ""
    body = root.find("body")
    if body is None:
        return ""
    for node in [node for node in body.iter() if _must_go(node)]:
        drop(node)
    drop_unseen_words(body)
    for node in list(body.iter()):
        _say_columns(node)
    for node in list(body.iter()):
        _say_style(node)
    _make_lists(body)
    for table in body.iter("table"):
        _join_cells(table)
    inside = [etree.tostring(node, encoding="unicode", method="html") for node in body]
    return _escaped(body.text) + "".join(inside)


def _escaped(text: str | None) -> str:
    return (text or "").replace("&", "&amp;").replace("<", "&lt;").replace(">", "&gt;")


def _must_go(node: "etree._Element") -> bool:
    if node.tag == "body":
        return False
    if is_hidden(node) or _BESIDE.search(node.get("style", "")):
        return True
    if node.tag == "div" and node.get("title") in _BESIDE_TITLES:
        return True
    return node.tag == "del" and _is_tracked(node)


def _is_tracked(node: "etree._Element") -> bool:
    """Whether a change is one that a program keeps track of, and not a writer's line through."""
    return node.get("datetime") is not None or node.get("cite") is not None


def _declarations(node: "etree._Element") -> dict[str, str]:
    pairs = (piece.partition(":") for piece in node.get("style", "").casefold().split(";"))
    return {name.strip(): value.strip() for name, _, value in pairs}


def _say_style(node: "etree._Element") -> None:
    """Say by tags what an element's style says of its text."""
    if node.tag == "ins" and _is_tracked(node):
        node.tag = "span"
    style = node.attrib.pop("style", None) if not _ITEM.search(node.get("style", "")) else None
    if style is None:
        return
    node.set("style", style)
    said = _declarations(node)
    if not _MARKER.search(style):
        del node.attrib["style"]
    if node.tag in _SIDED and said.get("text-align") in ("center", "right"):
        node.set("data-align", said["text-align"])
    on = _emphasis(said)
    if _DEFAULTS.get(str(node.tag)) in {name for name, value in on.items() if not value}:
        node.tag = "span"
    if node.tag in _INLINE or (node.tag in _TEXT_BLOCKS and not _holds_blocks(node)):
        for tag in [_EMPHASIS[name] for name, value in on.items() if value]:
            _wrap_inside(node, tag)


_BOX = re.compile(r"display\s*:\s*inline-(?:block|table)", re.IGNORECASE)


def _say_columns(node: "etree._Element") -> None:
    """Say of boxes that stand side by side that they are columns."""
    boxes = [child for child in node if child.tag == "div" and _BOX.search(child.get("style", ""))]
    alone = len(boxes) == len(node) and not (node.text or "").strip()
    if node.tag == "div" and alone and 1 < len(boxes) <= MOST_COLUMNS:
        node.set("data-columns", "")
        for box in boxes:
            box.set("data-column", "")


_EMPHASIS = {"bold": "b", "italic": "i", "underline": "u", "strike": "s"}
_HEAVY = (
    600  # the weight from which CSS faces count as bold (CSS Fonts 4, font-weight 700 less one)
)


def _emphasis(said: dict[str, str]) -> dict[str, bool]:
    """What declarations say of emphasis; what they are silent on is missing."""
    on = {}
    if weight := said.get("font-weight"):
        on["bold"] = weight.startswith("bold") or (weight.isdecimal() and int(weight) >= _HEAVY)
    if slant := said.get("font-style"):
        on["italic"] = slant.startswith(("italic", "oblique"))
    line = said.get("text-decoration", "") + said.get("text-decoration-line", "")
    if "underline" in line:
        on["underline"] = True
    if "line-through" in line:
        on["strike"] = True
    return on


def _holds_blocks(node: "etree._Element") -> bool:
    return any(child.tag in (*_TEXT_BLOCKS, *_SIDED, "table", "ul", "ol") for child in node.iter()
               if child is not node)  # fmt: skip


def _wrap_inside(node: "etree._Element", tag: str) -> None:
    """Put all that an element holds into a new element inside it."""
    from lxml import etree

    inner = etree.Element(tag)
    inner.text, node.text = node.text, None
    for child in list(node):
        inner.append(child)
    node.append(inner)


def _make_lists(body: "etree._Element") -> None:
    """Make lists of neighbouring paragraphs that begin like items."""
    runs: list[list[tuple[etree._Element, int, bool]]] = []
    for node in list(body.iter("p")):
        item = _item(node)
        if item is None:
            continue
        last = runs[-1][-1][0] if runs else None
        if last is not None and node.getprevious() is last and not (last.tail or "").strip():
            runs[-1].append((node, *item))
        else:
            runs.append([(node, *item)])
    for run in runs:
        _make_list(run)


def _item(node: "etree._Element") -> tuple[int, bool] | None:
    """The level of a paragraph that is an item, and whether it is numbered; its mark goes."""
    found = _ITEM.search(node.attrib.pop("style", ""))
    marks = [at for at in node.iter("span") if _MARKER.search(at.get("style", ""))]
    if found or marks:
        mark = "".join(marks[0].itertext()) if marks else ""
        for at in marks:
            drop(at)
        return int(found[1]) if found else 1, bool(_NUMBER.match(mark))
    return None


def _make_list(run: "list[tuple[etree._Element, int, bool]]") -> None:
    from lxml import etree

    first = run[0][0]
    parent = first.getparent()
    holder = etree.Element("div")
    parent.insert(parent.index(first), holder)
    open_lists: list[tuple[int, etree._Element]] = []
    for node, level, ordered in run:
        while open_lists and open_lists[-1][0] > level:
            open_lists.pop()
        tag = "ol" if ordered else "ul"
        if open_lists and open_lists[-1][0] == level and open_lists[-1][1].tag != tag:
            open_lists.pop()
        if not open_lists or open_lists[-1][0] < level:
            inside = open_lists[-1][1][-1] if open_lists else holder
            open_lists.append((level, etree.SubElement(inside, tag)))
        tail, node.tail = node.tail, None
        item = etree.SubElement(open_lists[-1][1], "li")
        item.append(node)
        holder.tail = tail
    _unwrap_items(holder)


def _unwrap_items(holder: "etree._Element") -> None:
    for item in holder.iter("li"):
        item[0].tag = "span"


def _join_cells(table: "etree._Element") -> None:
    """Bring a table of short cells, three or more in a row, to two: a label and the rest."""
    rows = list(table.iter("tr"))
    widths = {len(row) for row in rows}
    if len(widths) != 1 or widths.pop() < 3 or any(table.iterdescendants("table")):
        return
    if not all(_is_short(cell) for row in rows for cell in row):
        return
    for row in rows:
        _join_row(row)


def _is_short(cell: "etree._Element") -> bool:
    text = " ".join("".join(cell.itertext()).split())
    blocks = list(cell.iter("p", "div", "li", "br", "img"))
    return cell.tag in ("td", "th") and len(text) <= _SHORT and len(blocks) <= 1


def _join_row(row: "etree._Element") -> None:
    from lxml import etree

    whole = etree.Element("td")
    for before, cell in pairwise([None, *list(row)[1:]]):
        if before is not None:
            etree.SubElement(whole, "span").text = ROW_GAP
        for part in cell.iter("p", "div"):
            part.tag = "span"
        cell.tag = "span"
        cell.tail = None
        whole.append(cell)
    row.append(whole)
