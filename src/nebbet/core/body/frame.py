"""The shared look round a body."""

from msgspec import Struct


class Frame(Struct, frozen=True, omit_defaults=True):
    """Top band, type, colours and foot. logo is the SHA-256 of a library file, or empty.

    Colours are #RRGGBB; width is the widest the message gets, in CSS pixels.
    """

    name: str = ""
    band: str = ""
    logo: str = ""
    logo_alt: str = ""
    logo_width: int = 0
    foot: tuple[str, ...] = ()
    accent: str = "#1F4E5F"
    ink: str = "#222222"
    faint: str = "#5F5F5F"
    ground: str = "#F2F2EF"
    paper: str = "#FFFFFF"
    font: str = "Verdana, Geneva, sans-serif"
    width: int = 600


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
