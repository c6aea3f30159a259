"""The shared look round a body."""

import re
from typing import Annotated

from msgspec import Meta, Struct
from msgspec.structs import replace

# What a frame says becomes part of every message: a value from elsewhere that is none of these is
# not read.
_COLOUR, _FONTS = "^#[0-9A-Fa-f]{6}$", r"^[^<>&;:{}()\\\x00-\x1f]{0,200}$"
Colour = Annotated[str, Meta(pattern=_COLOUR)]
Fonts = Annotated[str, Meta(pattern=_FONTS)]
File = Annotated[str, Meta(pattern="^([0-9a-f]{64})?$")]
Pixels = Annotated[int, Meta(ge=0, le=2000)]


class Frame(Struct, frozen=True, omit_defaults=True):
    """Top band, type, colours and foot. logo is the SHA-256 of a library file, or empty.

    Colours are #RRGGBB; width is the widest the message gets, in CSS pixels.
    """

    name: str = ""
    band: str = ""
    logo: File = ""
    logo_alt: str = ""
    logo_width: Pixels = 0
    foot: tuple[str, ...] = ()
    accent: Colour = "#1F4E5F"
    ink: Colour = "#222222"
    faint: Colour = "#5F5F5F"
    ground: Colour = "#F2F2EF"
    paper: Colour = "#FFFFFF"
    font: Fonts = "Verdana, Geneva, sans-serif"
    width: Annotated[int, Meta(ge=200, le=2000)] = 600

    @property
    def sound(self) -> "Frame":
        """The frame with Nebbet's own value for a colour or font that is none: what is half typed
        is shown, and what came in past the types is never written into a message."""
        rules = {**dict.fromkeys(_COLOURS, _COLOUR), "font": _FONTS}
        wrong = {
            name: getattr(PLAIN, name)
            for name, rule in rules.items()
            if not re.search(rule, getattr(self, name)) or "\n" in getattr(self, name)
        }
        return replace(self, **wrong) if wrong else self


_COLOURS = ("accent", "ink", "faint", "ground", "paper")
PLAIN = Frame(name="Plain")

# What every library has before it has frames of its own; copied, they become the team's.
BUILT_IN = {
    "plain": PLAIN,
    "letter": Frame(
        name="Letter paper",
        accent="#5A2A4B",
        ink="#2B2530",
        faint="#635B69",
        ground="#FFFFFF",
        font="Georgia, 'Times New Roman', serif",
    ),
}
