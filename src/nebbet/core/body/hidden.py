"""What styles keep from being seen, and markup without it."""

import re
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from collections.abc import Iterator

    from lxml import etree

_NOTHING = r"0*\.?0*(?:px|pt|em|rem|%|mm|cm|ex|ch)?\s*(?:!\s*important\s*)?(?:;|$)"
_HIDDEN = re.compile(
    r"(?:^|[;\s])(?:display\s*:\s*none|visibility\s*:\s*(?:hidden|collapse)"
    rf"|opacity\s*:\s*{_NOTHING}|max-height\s*:\s*{_NOTHING})",
    re.IGNORECASE,
)


def is_hidden(node: "etree._Element") -> bool:
    """Whether an element's own style keeps all of it from being seen, pictures too."""
    style = node.get("style", "") if isinstance(node.tag, str) else ""
    return bool(style) and bool(_HIDDEN.search(style))


def drop_unseen_words(root: "etree._Element") -> int:
    """Take out the words whose letters have no size, and count the elements that held them. What
    is inside them and sets a size of its own stays: layouts use the one to close the gaps between
    boxes, and the other to write in the boxes."""
    found = 0
    for node, size in list(_sized(root)):
        if size:
            continue
        words = [node.text, *(child.tail for child in node)]
        found += any(said and said.strip() for said in words)
        node.text = None
        for child in node:
            child.tail = None
    return found


def _sized(root: "etree._Element") -> "Iterator[tuple[etree._Element, bool]]":
    """Every element, and whether letters right inside it have a size."""
    waiting: list[tuple[etree._Element, bool]] = [(root, True)]
    while waiting:
        node, size = waiting.pop()
        if not isinstance(node.tag, str):
            continue
        own = _own_size(node)
        size = size if own is None else own
        yield node, size
        waiting.extend((child, size) for child in node)


def _own_size(node: "etree._Element") -> bool | None:
    """Whether letters have a size by what an element itself says; nothing where it is silent."""
    if node.tag == "font" and node.get("size"):
        return True
    style = node.get("style", "")
    if "font" not in style.casefold():
        return None
    own = None
    for declaration in style.split(";"):
        name, _, value = declaration.partition(":")
        name, value = name.strip().casefold(), value.strip().casefold()
        if name == "font-size":
            own = _is_some(value, own)
        elif name == "font" and (given := _IN_FONT.search(value)):
            own = _is_some(given[0], own)
    return own


# A number without a unit is a weight, unless it is nothing.
_IN_FONT = re.compile(r"(?<![\w.#-])(?:\d*\.?\d+(?:px|pt|em|rem|%|mm|cm|ex|ch)|0)(?=[\s/]|$)")
_NUMBER = re.compile(r"\d*\.?\d+")


def _is_some(value: str, otherwise: bool | None) -> bool | None:
    """Whether a size is more than nothing; one that is taken over is what it was."""
    number = _NUMBER.match(value)
    if number is None:
        return otherwise if value.startswith(("inherit", "unset", "larger", "smaller")) else True
    return float(number[0]) > 0
