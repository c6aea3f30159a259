"""The ground behind finished HTML: its colour stays, a picture behind words does not."""

import re
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from lxml import etree

_PICTURE = re.compile(
    r"(?:url|image-set|[\w-]*gradient)\s*\((?:[^()]|\([^()]*\))*\)", re.IGNORECASE
)
_COLOUR = re.compile(
    r"(?<![\w#-])(?:#[0-9a-f]{3,8}|(?:rgb|hsl)a?\([^()]*\)|[a-z]+)(?![\w(-])", re.IGNORECASE
)
# What else the shorthand may name (CSS Backgrounds 3, §2.10); any other word is a colour.
_PLACES = {
    "none", "repeat", "no-repeat", "repeat-x", "repeat-y", "space", "round", "scroll", "fixed",
    "local", "left", "right", "top", "bottom", "center", "cover", "contain", "auto", "border-box",
    "padding-box", "content-box", "initial", "inherit", "unset", "important",
}  # fmt: skip


def plain_ground(node: "etree._Element") -> bool:
    """Say the ground of an element as a colour only, in its own style; returns whether a picture
    behind its words was lost."""
    lost = node.attrib.pop("background", None) is not None
    style = node.get("style", "")
    if "background" not in style.casefold():
        return lost
    plain, pictures = _PICTURE.subn("", style)
    kept = [_as_colour(declaration) for declaration in plain.split(";")]
    if pictures or kept != plain.split(";"):
        node.set("style", ";".join(filter(None, kept)))
    return lost or pictures > 0


def _as_colour(declaration: str) -> str:
    """A declaration of the whole ground as one of its colour; nothing where it names none."""
    name, _, value = declaration.partition(":")
    match name.strip().casefold():
        case "background":
            words = (found[0] for found in _COLOUR.finditer(value))
            colour = next((word for word in words if word.casefold() not in _PLACES), "")
            return f"background-color:{colour}" if colour else ""
        case "background-image":
            return ""
    return declaration
