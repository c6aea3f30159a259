"""Finished HTML: it keeps its own markup, and loses what has no place in a letter."""

import re
from collections import Counter
from collections.abc import Mapping
from html import escape
from typing import TYPE_CHECKING

from msgspec import Struct

from nebbet.core.body.grounds import plain_ground
from nebbet.core.body.hidden import drop_unseen_words, is_hidden
from nebbet.core.body.levelled import levelled
from nebbet.core.body.model import FILE
from nebbet.core.body.schemes import PICTURES, may_lead, scheme_of

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
_REFERENCE = re.compile(r"&#(?:[xX]([0-9a-fA-F]{1,8})|([0-9]{1,10}));?")
_SMALL = 2  # pixels: no picture that anybody is to see is smaller


class Cleaned(Struct, frozen=True):
    """Clean markup, and in words what was taken out of it."""

    source: str
    removed: tuple[str, ...] = ()


def clean_markup(text: str, pictures: Mapping[str, str] | None = None) -> Cleaned:
    """Make HTML of any origin safe to send, with the look it has: styles become inline; scripts,
    forms, tracking pictures and hidden text go, and are told. Never raises on bad HTML.

    pictures gives the SHA-256 of library files by the addresses of images. An image stays that is
    of the library, of the message, or somewhere on the web. Cleaning what is clean changes nothing.

    >>> clean_markup('<p style="color:red" onclick="x()">a<script>x()</script></p>')
    Cleaned(source='<p style="color:red">a</p>', removed=('1 script',))
    """
    import nh3

    inlined, removed = _prepared(text, pictures or {})
    source = nh3.clean(
        inlined,
        tags=_TAGS,
        clean_content_tags={"script", "style", "title", "template", "svg", "math"},
        attributes=_ATTRIBUTES,
        url_schemes={"http", "https", "mailto", "tel", "file", "cid"},
        attribute_filter=_filtered,
        filter_style_properties=_PROPERTIES,
        link_rel=None,
    )
    return Cleaned(source.strip(), removed)


def _filtered(_tag: str, name: str, value: str) -> str | None:
    """The value of an attribute, or nothing where it may not stand."""
    if name == "src":
        return value if may_show(value) else None
    if name == "href":
        return value if may_lead(value) else None
    if name == "style":
        return ";".join(filter(_lays_out, value.split(";")))
    return value


# What calls something in a style, but for colours and sizes; a backslash writes it in disguise.
_CALL = re.compile(r"\\|@|<|(?<![\w-])(?!(?:rgba?|hsla?|calc|min|max)\()[\w-]*\(", re.IGNORECASE)


def _lays_out(declaration: str) -> bool:
    """Whether a declaration only lays out and colours."""
    return not _CALL.search(declaration)


def may_show(address: str) -> bool:
    """Whether an image may stand in a message: one of the library, of the message itself, of the
    web, or one whose address is a placeholder."""
    if FILE.fullmatch(address) or address.startswith("{{"):
        return True
    return scheme_of(address) in PICTURES


def _prepared(text: str, pictures: Mapping[str, str]) -> tuple[str, tuple[str, ...]]:
    """The markup with its styles inline and without what is hidden, and what that took out."""
    root, cut = tree_of(text)
    if root is None:
        return "", ()
    for node in root.iter("img"):
        if file := pictures.get(node.get("src", "")):
            node.set("src", f"file:{file}")
    counts = _count(root) + _rules(text)
    doomed = [node for node in root.iter() if _must_go(node)]
    for node in doomed:
        drop(node)
    counts["hidden text"] += drop_unseen_words(root)
    counts["background picture"] += sum(map(plain_ground, root.iter()))
    told = [
        f"{n} {what if n == 1 else _MANY.get(what, f'{what}s')}" for what, n in counts.items() if n
    ]
    if cut:
        told.append("nesting that was too deep")
    return _inside(root.find("body")), tuple(told)


def sayable(text: str) -> str:
    """Markup without the characters that XML cannot say (XML 1.0 §2.2), also where they are only
    referred to: no parser hands them on.

    >>> sayable("a\\x01b&#2;c&#65;")
    'abc&#65;'
    """
    return _REFERENCE.sub(_kept_reference, UNSAYABLE.sub("", text))


def _kept_reference(match: re.Match[str]) -> str:
    code = int(match[1], 16) if match[1] else int(match[2])
    return "" if code > 0x10FFFF or UNSAYABLE.match(chr(code)) else match[0]


def tree_of(text: str) -> "tuple[etree._Element | None, bool]":
    """The tree of some HTML, its styles inline, without comments; nothing where there is none. Then
    whether its nesting was too deep and was cut. Safe on HTML of any origin."""
    even = levelled(sayable(text))
    return _parsed(_with_styles(even.text)), even.cut


def title_of(text: str) -> str:
    """The title of a page, or nothing."""
    root, _ = tree_of(text[:200_000])
    found = root.find(".//title") if root is not None else None
    return " ".join("".join(found.itertext()).split()) if found is not None else ""


def _parsed(text: str) -> "etree._Element | None":
    from lxml import etree

    try:
        return etree.fromstring(
            _DECLARED.sub("", text, count=1),
            etree.HTMLParser(huge_tree=True, remove_comments=True, remove_pis=True),
        )
    except (etree.XMLSyntaxError, ValueError):
        return None


# A page that is XML says so; of text that is decoded already, the parser would not hear of it.
_DECLARED = re.compile(r"^\s*<\?xml\b[^>]*>", re.IGNORECASE)


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


def _with_styles(text: str) -> str:
    """Even HTML whose style sheets became styles of the elements they are for; others go."""
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

_MANY = {
    "frame of another page": "frames of other pages",
    "drawing that may hold a script": "drawings that may hold scripts",
    "style sheet from elsewhere": "style sheets from elsewhere",
    "link that runs something": "links that run something",
    "picture from this computer": "pictures from this computer",
    "rule for some screens only": "rules for some screens only",
    "font from elsewhere": "fonts from elsewhere",
}
_SHEETS = re.compile(r"<style\b[^<>]*>(.*?)</style", re.IGNORECASE | re.DOTALL)
_AT_RULES = {
    "@media": "rule for some screens only",
    "@font-face": "font from elsewhere",
    "@import": "style sheet from elsewhere",
}


def _rules(text: str) -> Counter[str]:
    """What style sheets say that no element can say in its own style."""
    found: Counter[str] = Counter()
    for sheet in _SHEETS.findall(text):
        for mark, what in _AT_RULES.items():
            found[what] += sheet.casefold().count(mark)
    return found


def _count(root: "etree._Element") -> Counter[str]:
    found: Counter[str] = Counter()
    for node in root.iter():
        if node.tag in _KINDS:
            found[_KINDS[node.tag]] += 1
        elif node.tag == "img" and _is_tracker(node):
            found["tracking picture"] += 1
        elif node.tag == "img" and not may_show(node.get("src", "")):
            found["picture from this computer"] += 1
        elif node.tag == "a" and not may_lead(node.get("href", "")):
            found["link that runs something"] += 1
        elif is_hidden(node):
            found["hidden text"] += 1
    return found


def _must_go(node: "etree._Element") -> bool:
    if not isinstance(node.tag, str) or node.tag in ("html", "body"):
        return False
    unseen = node.tag == "img" and (_is_tracker(node) or not may_show(node.get("src", "")))
    return unseen or is_hidden(node)


def _is_tracker(node: "etree._Element") -> bool:
    """Whether a picture from elsewhere is too small to be seen."""
    if not node.get("src", "").strip().casefold().startswith(("http:", "https:", "//")):
        return False
    sizes = [node.get(name, "").strip() for name in ("width", "height")]
    return any(size.isdecimal() and int(size[:6]) <= _SMALL for size in sizes)


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
