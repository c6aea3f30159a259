"""Contrast of colours by WCAG 2.2."""

import re

from nebbet.core.errors import NebbetError

TEXT, LARGE_TEXT = 4.5, 3.0  # WCAG 2.2, success criterion 1.4.3
_COLOUR = re.compile(r"#([0-9a-fA-F]{2})([0-9a-fA-F]{2})([0-9a-fA-F]{2})")


def contrast(one: str, other: str) -> float:
    """The contrast of two colours #RRGGBB, from 1 to 21. Raises NebbetError for other text.

    Source: WCAG 2.2, definitions of "contrast ratio" and "relative luminance".

    >>> contrast("#000000", "#FFFFFF"), round(contrast("#777777", "#FFFFFF"), 2)
    (21.0, 4.48)
    """
    lighter, darker = sorted((_luminance(one), _luminance(other)), reverse=True)
    return (lighter + 0.05) / (darker + 0.05)


def _luminance(colour: str) -> float:
    found = _COLOUR.fullmatch(colour.strip())
    if found is None:
        raise NebbetError(f"“{colour}” is not a colour", advice="Write it as #1F4E5F")
    red, green, blue = (_linear(int(part, 16) / 255) for part in found.groups())
    return 0.2126 * red + 0.7152 * green + 0.0722 * blue


def _linear(part: float) -> float:
    return part / 12.92 if part <= 0.04045 else float(((part + 0.055) / 1.055) ** 2.4)
