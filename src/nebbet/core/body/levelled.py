"""HTML of any origin made even before a parser sees it: no deep nesting, no endless tags.

Parsers that recurse end the program on deep markup, and those that do not become slow on it, or on
tags with thousands of attributes. What is written here is what every parser reads alike: each tag
is closed where it ends, attributes are quoted, comments and scripts are gone. Time is linear.
"""

import re
from collections import Counter

from msgspec import Struct

DEEPEST = 200  # open elements; layouts that people mail have fewer than a hundred
MOST_ATTRIBUTES = 64
_SMALL = 16_384  # characters: so little markup, with so few tags, harms nobody

_VOID = {"area", "base", "br", "col", "embed", "hr", "img", "input", "link", "meta", "param",
         "source", "track", "wbr"}  # fmt: skip
# Their content is not markup, or is never wanted: it goes, and the empty element stays to be told.
_EMPTIED = {"script", "template", "svg", "math", "iframe", "xmp", "noembed", "noframes"}
_TEXT_ONLY = {"title", "textarea", "style"}
# Elements whose content one parser takes for markup and another does not.
_UNWRAPPED = {"noscript", "plaintext", "html", "body", "head"}
_BLOCKS = {"address", "article", "aside", "blockquote", "center", "dd", "div", "dl", "dt",
           "footer", "form", "h1", "h2", "h3", "h4", "h5", "h6", "header", "hr", "li", "ol", "p",
           "pre", "section", "table", "td", "th", "tr", "ul"}  # fmt: skip
# Start tag → the open elements that it ends, and those through which it does not look.
_CELLS, _GROUPS = ("td", "th"), ("tbody", "thead", "tfoot")
_ENDS: dict[str, tuple[tuple[str, ...], tuple[str, ...]]] = {
    "li": (("li",), ("ul", "ol", "table")),
    **dict.fromkeys(("dt", "dd"), (("dt", "dd"), ("dl", "table"))),
    **dict.fromkeys(_CELLS, (_CELLS, ("tr", "table"))),
    "tr": (("tr",), ("table",)),
    **dict.fromkeys(_GROUPS, (_GROUPS, ("table",))),
}
_TABLE = {"table", "caption", "tr", *_CELLS, *_GROUPS}

_TAG_NAME = re.compile(r"[a-zA-Z][^\s/>\x00]*")
_GOOD_NAME = re.compile(r"[a-z][a-z0-9:_-]{0,30}")
_GAP = re.compile(r"[\s/]*")
_ATTRIBUTE = re.compile(r"=?[^\s/>=]*")
_GOOD_ATTRIBUTE = re.compile(r"[a-zA-Z_:][\w:.-]{0,60}", re.ASCII)
_EQUALS = re.compile(r"\s*=\s*")
_BARE = re.compile(r"[^\s>]*")


class Levelled(Struct, frozen=True):
    """Even markup; cut says that elements were nested too deeply and became lines of their own."""

    text: str
    cut: bool = False


def levelled(text: str, deepest: int = DEEPEST, tables: int = DEEPEST) -> Levelled:
    """HTML with at most `deepest` elements, and `tables` tables, inside each other. No words are
    lost: what is nested more deeply goes on at the deepest level.

    >>> levelled("<i><i>kept", deepest=1)
    Levelled(text='<i>kept</i>', cut=True)
    """
    if tables >= deepest and len(text) < _SMALL and text.count("<") < deepest:
        return Levelled(text)
    return _Leveller(text, deepest, tables).run()


class _Leveller:
    """Goes through the text once; every position is looked at a bounded number of times."""

    def __init__(self, text: str, deepest: int, tables: int) -> None:
        self._text, self._deepest, self._most_tables = text, deepest, tables
        self._at = 0
        self._out: list[str] = []
        self._open: list[str] = []
        self._held: Counter[str] = Counter()  # how many of each are open
        self._tables = 0
        self._left_out = 0  # tables that were too deep, of which the end is still to come
        self._cut = False
        self._missing: set[str] = set()  # end tags of which there are no more

    def run(self) -> Levelled:
        text = self._text
        while self._at < len(text):
            found = text.find("<", self._at)
            if found < 0:
                self._words(text[self._at :])
                break
            self._words(text[self._at : found])
            self._at = found
            self._markup()
        self._close(0)
        return Levelled("".join(self._out), self._cut)

    def _words(self, text: str) -> None:
        self._out.append(text.replace("<", "&lt;"))

    def _markup(self) -> None:
        text, at = self._text, self._at
        following = text[at + 1 : at + 2]
        if following.isascii() and following.isalpha():
            self._start_tag()
        elif following == "/":
            self._end_tag()
        elif text.startswith("<!--", at):
            self._skip("-->", at + 4, at + 4)
        elif following in ("!", "?"):
            self._skip(">", at + 2, at + 2)
        else:
            self._out.append("&lt;")
            self._at = at + 1

    def _skip(self, end: str, start: int, otherwise: int) -> None:
        """Go on behind some mark, or, where there is none, from another place."""
        found = -1 if end in self._missing else self._text.find(end, start)
        if found < 0:
            self._missing.add(end)
        self._at = found + len(end) if found >= 0 else otherwise

    def _end_tag(self) -> None:
        name = _TAG_NAME.match(self._text, self._at + 2)
        self._skip(">", self._at + 2, len(self._text))
        if name is None:
            return
        tag = name[0].lower()
        if self._left_out and tag in _TABLE:
            self._left_out -= tag == "table"
            return
        place = self._place_of(tag)
        if place is not None:
            self._close(place)

    def _place_of(self, tag: str) -> int | None:
        """Where in the open elements the one is that an end tag ends; tables hold it back."""
        if not self._held[tag]:
            return None
        for place in range(len(self._open) - 1, -1, -1):
            held = self._open[place]
            if held == tag:
                return place
            if held == "table" or (held in _TABLE and tag not in _TABLE):
                return None
        return None

    def _close(self, place: int) -> None:
        while len(self._open) > place:
            tag = self._open.pop()
            self._held[tag] -= 1
            self._tables -= tag == "table"
            self._out.append(f"</{tag}>")

    def _start_tag(self) -> None:
        match = _TAG_NAME.match(self._text, self._at + 1)
        assert match is not None
        tag = match[0].lower()
        self._at = match.end()
        attributes = self._attributes()
        if attributes is None or not _GOOD_NAME.fullmatch(tag):
            return
        if tag in _UNWRAPPED:
            self._unwrap(tag, attributes)
        elif tag in _EMPTIED or tag in _TEXT_ONLY:
            self._raw(tag, attributes)
        elif tag in _VOID:
            self._out.append(f"<{tag}{attributes}>")
        else:
            self._enter(tag, attributes)

    def _unwrap(self, tag: str, attributes: str) -> None:
        """The document's own elements go, but for a body that looks like something."""
        if tag == "body" and attributes and not self._open:
            self._out.append(f"<body{attributes}>")

    def _attributes(self) -> str | None:
        """The attributes of a tag, written evenly; nothing where the tag never ends."""
        text = self._text
        written: list[str] = []
        seen: set[str] = set()
        while True:
            self._at = _gap_end(text, self._at)
            if self._at >= len(text):
                return None
            if text[self._at] == ">":
                self._at += 1
                return "".join(written)
            name, value = self._attribute()
            if len(seen) < MOST_ATTRIBUTES and name not in seen and _GOOD_ATTRIBUTE.fullmatch(name):
                seen.add(name)
                written.append(f' {name}="{value}"')

    def _attribute(self) -> tuple[str, str]:
        text = self._text
        match = _ATTRIBUTE.match(text, self._at)
        assert match is not None
        self._at = max(match.end(), self._at + 1)
        equals = _EQUALS.match(text, self._at)
        if equals is None:
            return match[0].lower(), ""
        self._at = equals.end()
        mark = text[self._at : self._at + 1]
        if mark in ('"', "'") and mark:
            start = self._at + 1
            self._skip(mark, start, len(text))
            value = text[start : self._at - 1]
        else:
            bare = _BARE.match(text, self._at)
            assert bare is not None
            self._at, value = bare.end(), bare[0]
        value = value.replace('"', "&quot;").replace("<", "&lt;").replace(">", "&gt;")
        return match[0].lower(), value

    def _raw(self, tag: str, attributes: str) -> None:
        """An element whose content is no markup: words stay, and styles; all else goes."""
        start = self._at
        end = self._find_end(tag)
        content = ""
        if tag in _TEXT_ONLY and end is not None:
            content = self._text[start:end]
            if tag == "style":  # no sheet needs the sign, and a parser might see a tag
                content = content.replace("<!--", "").replace("-->", "").replace("<", "")
            else:
                content = content.replace("<", "&lt;")
        self._out.append(f"<{tag}{attributes}>{content}</{tag}>")

    def _find_end(self, tag: str) -> int | None:
        if tag in self._missing:
            return None
        found = re.compile(rf"</{tag}(?=[\s/>])", re.IGNORECASE).search(self._text, self._at)
        if found is None:
            self._missing.add(tag)
            return None
        self._at = found.end()
        self._skip(">", found.end(), len(self._text))
        return found.start()

    def _enter(self, tag: str, attributes: str) -> None:
        """An element begins, and ends those that it follows without their end tags."""
        if not (self._left_out and tag in _TABLE):
            self._end_before(tag)
        deep = len(self._open) >= self._deepest
        full = tag == "table" and self._tables >= self._most_tables
        if deep or full or (self._left_out and tag in _TABLE):
            self._cut = True
            self._left_out += tag == "table"
            inside = self._open[-1] if self._open else ""
            if tag in _BLOCKS and (inside not in _TABLE or inside in _CELLS):
                self._out.append("<br>")
            return
        self._open.append(tag)
        self._held[tag] += 1
        self._tables += tag == "table"
        self._out.append(f"<{tag}{attributes}>")

    def _end_before(self, tag: str) -> None:
        if tag in _BLOCKS and self._open and self._open[-1] == "p":
            self._close(len(self._open) - 1)
        ends, walls = _ENDS.get(tag, ((), ()))
        for place in range(len(self._open) - 1, -1, -1) if ends else ():
            if self._open[place] in walls:
                break
            if self._open[place] in ends:
                self._close(place)
                break


def _gap_end(text: str, at: int) -> int:
    found = _GAP.match(text, at)
    return found.end() if found else at
