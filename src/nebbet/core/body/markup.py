"""Finished HTML: it keeps its own markup, and loses what has no place in a letter."""

import re
from collections import Counter
from html import escape
from typing import TYPE_CHECKING

from msgspec import Struct

if TYPE_CHECKING:
    from lxml import etree

_TAGS = {
    "a", "abbr", "b", "blockquote", "br", "center", "cite", "code", "col", "colgroup", "dd", "del",
    "div", "dl", "dt", "em", "font", "h1", "h2", "h3", "h4", "h5", "h6", "hr", "i", "img", "ins",
    "li", "ol", "p", "pre", "q", "s", "small", "span", "strike", "strong", "sub", "sup", "table",
    "tbody", "td", "tfoot", "th", "thead", "tr", "u", "ul",
}  # fmt: skip
_LOOK = {
    "style", "align", "valign", "bgcolor", "width", "height", "border", "cellpadding",
    "cellspacing", "role", "dir", "lang", "color", "face", "size", "title",
}  # fmt: skip
_ATTRIBUTES = {
    "a": {"href"},
    "img": {"src", "alt"},
    "td": {"colspan", "rowspan"},
    "th": {"colspan", "rowspan"},
    **{"ol": {"start", "type"}, "*": _LOOK},
}
# Properties that lay out and colour text; nothing that hides it, moves it away or loads anything.
_PROPERTIES = {
    "background-color", "border", "border-bottom", "border-collapse", "border-color", "border-left",
    "border-radius", "border-right", "border-spacing", "border-style", "border-top", "border-width",
    "color", "display", "font", "font-family", "font-size", "font-style", "font-weight", "height",
    "letter-spacing", "line-height", "list-style-type", "margin", "margin-bottom", "margin-left",
    "margin-right", "margin-top", "max-width", "min-width", "padding", "padding-bottom",
    "padding-left", "padding-right", "padding-top", "text-align", "text-decoration",
    "text-transform", "vertical-align", "white-space", "width", "word-break",
}  # fmt: skip
UNSAYABLE = re.compile("[\x00-\x08\x0b\x0c\x0e-\x1f\x7f-\x9f\ud800-\udfff\ufffe\uffff]")
_HIDDEN = re.compile(
    r"display\s*:\s*none|visibility\s*:\s*hidden|font-size\s*:\s*0(?:px|pt)?\s*(?:;|$)",
    re.IGNORECASE,
)
_UNSAFE_LINK = re.compile(r"\s*(?:javascript|vbscript|data)\s*:", re.IGNORECASE)
_SMALL = 2  # pixels: no picture that anybody is to see is smaller


class Cleaned(Struct, frozen=True):
    """Clean markup, and in words what was taken out of it."""

    source: str
    removed: tuple[str, ...] = ()


def clean_markup(text: str) -> Cleaned:
    """Make HTML of any origin safe to send, with the look it has: styles become inline; scripts,
    forms, tracking pictures and hidden text go, and are told. Never raises on bad HTML.

    Cleaning what is clean changes nothing.

    >>> clean_markup('<p style="color:red" onclick="x()">a<script>x()</script></p>')
    Cleaned(source='<p style="color:red">a</p>', removed=('1 script',))
    """
    import nh3

    inlined, removed = _prepared(text)
    source = nh3.clean(
        inlined,
        tags=_TAGS,
        clean_content_tags={"script", "style", "title", "template", "svg", "math"},
        attributes=_ATTRIBUTES,
        url_schemes={"http", "https", "mailto", "tel", "file", "cid"},
        filter_style_properties=_PROPERTIES,
        link_rel=None,
    )
    return Cleaned(source.strip(), removed)


def _prepared(text: str) -> tuple[str, tuple[str, ...]]:
    """The markup with its styles inline and without what is hidden, and what that took out."""
    root = parsed(with_styles(text))
    if root is None:
        return "", ()
    counts = _count(root)
    doomed = [node for node in root.iter() if _must_go(node)]
    for node in doomed:
        drop(node)
    told = tuple(f"{n} {what}{'' if n == 1 else 's'}" for what, n in counts.items())
    return _inside(root.find("body")), told


def parsed(text: str) -> "etree._Element | None":
    """The tree of some HTML without its comments, or nothing where there is none."""
    from lxml import etree

    # What XML cannot say (XML 1.0 §2.2) the parser cannot take.
    clean = UNSAYABLE.sub("", text)
    try:
        return etree.fromstring(
            clean, etree.HTMLParser(huge_tree=True, remove_comments=True, remove_pis=True)
        )
    except (etree.XMLSyntaxError, ValueError):
        return None


def _inside(body: "etree._Element | None") -> str:
    """What stands in the body; its own ground becomes that of a box round it."""
    from lxml import etree

    if body is None:
        return ""
    inside = escape(body.text or "", quote=False) + "".join(
        etree.tostring(node, encoding="unicode", method="html") for node in body
    )
    ground = f"background-color:{body.get('bgcolor')};" if body.get("bgcolor") else ""
    style = ground + body.get("style", "")
    return f'<div style="{escape(style)}">{inside}</div>' if style else inside


def with_styles(text: str) -> str:
    """HTML whose style sheets became styles of the elements they are for; others are dropped."""
    if "<style" not in text.casefold():
        return text
    import css_inline

    try:
        return css_inline.CSSInliner(
            load_remote_stylesheets=False, keep_style_tags=False, keep_link_tags=False
        ).inline(text)
    except (css_inline.InlineError, ValueError):
        return text


_KINDS = {
    "script": "script", "form": "form", "input": "form field", "textarea": "form field",
    "select": "form field", "iframe": "frame of another page", "object": "embedded object",
    "embed": "embedded object", "svg": "drawing that may hold a script",
    "link": "style sheet from elsewhere", "video": "video", "audio": "sound",
}  # fmt: skip


def _count(root: "etree._Element") -> Counter[str]:
    found: Counter[str] = Counter()
    for node in root.iter():
        if node.tag in _KINDS:
            found[_KINDS[node.tag]] += 1
        elif node.tag == "img" and _is_tracker(node):
            found["tracking picture"] += 1
        elif node.tag == "a" and _UNSAFE_LINK.match(node.get("href", "")):
            found["link that runs something"] += 1
        elif is_hidden(node):
            found["hidden text"] += 1
    return found


def _must_go(node: "etree._Element") -> bool:
    if not isinstance(node.tag, str) or node.tag in ("html", "body"):
        return False
    return (node.tag == "img" and _is_tracker(node)) or is_hidden(node)


def _is_tracker(node: "etree._Element") -> bool:
    """Whether a picture from elsewhere is too small to be seen."""
    if not node.get("src", "").strip().casefold().startswith(("http:", "https:", "//")):
        return False
    sizes = [node.get(name, "").strip() for name in ("width", "height")]
    return any(size.isdecimal() and int(size[:6]) <= _SMALL for size in sizes)


def is_hidden(node: "etree._Element") -> bool:
    """Whether an element's own style keeps its text from being seen."""
    return bool(_HIDDEN.search(node.get("style", "") if isinstance(node.tag, str) else ""))


def drop(node: "etree._Element") -> None:
    """Take an element out; the text behind it stays."""
    parent = node.getparent()
    if parent is None:
        return
    before = node.getprevious()
    if node.tail:
        if before is not None:
            before.tail = (before.tail or "") + node.tail
        else:
            parent.text = (parent.text or "") + node.tail
    parent.remove(node)
