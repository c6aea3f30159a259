"""Whether everybody can read what stands in a frame."""

from collections.abc import Iterator

from nebbet.core.body import Frame
from nebbet.core.checks.findings import Finding
from nebbet.core.contrast import TEXT, contrast
from nebbet.core.errors import NebbetError

# What is written in which colour on which ground; the words of the band are white.
_PAIRS = (
    ("the text", "ink", "paper"),
    ("links, headings and buttons", "accent", "paper"),
    ("the foot", "faint", "paper"),
)


def check_frame(frame: Frame) -> Iterator[Finding]:
    """A stop for each pair of colours that is none, a doubt for each below WCAG 2.2 AA (4.5:1)."""
    pairs = [(what, getattr(frame, ink), getattr(frame, on)) for what, ink, on in _PAIRS]
    if frame.band or frame.logo:
        pairs.append(("the band", "#FFFFFF", frame.accent))
    for what, ink, ground in pairs:
        try:
            found = contrast(ink, ground)
        except NebbetError as error:
            yield Finding("contrast", "stop", "frame", error.what)
            continue
        if found < TEXT:
            said = f"{what.capitalize()} of the frame can hardly be read: {found:.1f} to 1"
            yield Finding("contrast", "doubt", "frame", f"{said}, it should be {TEXT} to 1")
