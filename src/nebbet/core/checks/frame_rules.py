"""Whether everybody can read what stands in a frame."""

from collections.abc import Iterator

from msgspec import Struct

from nebbet.core.body import Frame
from nebbet.core.checks.findings import Finding
from nebbet.core.checks.rules import Found, Rule, run
from nebbet.core.contrast import TEXT, contrast
from nebbet.core.errors import NebbetError

# What is written in which colour on which ground; the words of the band are white.
_PAIRS = (
    ("the text", "ink", "paper"),
    ("links, headings and buttons", "accent", "paper"),
    ("the foot", "faint", "paper"),
)


class Contrast(Struct, frozen=True):
    """How well something can be read, by WCAG 2.2: to 1; or why that cannot be told."""

    what: str
    ratio: float = 0.0
    problem: str = ""

    @property
    def is_enough(self) -> bool:
        """Whether it reaches level AA for text."""
        return self.ratio >= TEXT


def contrasts(frame: Frame) -> list[Contrast]:
    """How well each thing in a frame can be read."""
    pairs = [(what, getattr(frame, ink), getattr(frame, on)) for what, ink, on in _PAIRS]
    pairs.append(("words on the band and buttons", "#FFFFFF", frame.accent))
    found = []
    for what, ink, ground in pairs:
        try:
            found.append(Contrast(what, contrast(ink, ground)))
        except NebbetError as error:
            found.append(Contrast(what, problem=error.what))
    return found


def check_frame(frame: Frame) -> tuple[Finding, ...]:
    """What is wrong with a frame: colours that are none, and what can hardly be read."""
    return run(FRAME_RULES, frame)


def _colours(frame: Frame) -> Iterator[Found]:
    for found in contrasts(frame):
        if found.problem:
            yield Found("frame", found.problem, found.what)


def _contrast(frame: Frame) -> Iterator[Found]:
    """Below WCAG 2.2 AA (4.5:1)."""
    for found in contrasts(frame):
        if not found.problem and not found.is_enough:
            said = f"{found.what.capitalize()} of the frame can hardly be read: "
            said += f"{found.ratio:.1f} to 1, it should be {TEXT} to 1"
            yield Found("frame", said, found.what)


FRAME_RULES: tuple[Rule[Frame], ...] = (
    Rule("colour", "stop", _colours),
    Rule("contrast", "doubt", _contrast),
)
