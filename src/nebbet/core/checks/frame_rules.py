"""Whether everybody can read what stands in a frame."""

from collections.abc import Iterator

from msgspec import Struct

from nebbet.core.body import Frame
from nebbet.core.checks.findings import Finding
from nebbet.core.checks.rules import Found, Rule, run
from nebbet.core.contrast import TEXT, contrast
from nebbet.core.errors import NebbetError
from nebbet.core.sentences import said


class Contrast(Struct, frozen=True):
    """How well something in a frame can be read, by WCAG 2.2: to 1; or why that cannot be told.
    part is ink, accent, faint or band."""

    part: str
    ratio: float = 0.0
    problem: str = ""

    @property
    def what(self) -> str:
        """What is read, in words."""
        match self.part:
            case "ink":
                return said("The text")
            case "accent":
                return said("Links, headings and buttons")
            case "faint":
                return said("The foot")
            case _:
                return said("Words on the band and buttons")

    @property
    def is_enough(self) -> bool:
        """Whether it reaches level AA for text."""
        return self.ratio >= TEXT


def contrasts(frame: Frame) -> list[Contrast]:
    """How well each thing in a frame can be read; the words of the band are white."""
    pairs = [(part, getattr(frame, part), frame.paper) for part in ("ink", "accent", "faint")]
    found = []
    for part, ink, ground in (*pairs, ("band", "#FFFFFF", frame.accent)):
        try:
            found.append(Contrast(part, contrast(ink, ground)))
        except NebbetError as error:
            found.append(Contrast(part, problem=error.what))
    return found


def check_frame(frame: Frame) -> tuple[Finding, ...]:
    """What is wrong with a frame: colours that are none, and what can hardly be read."""
    return run(FRAME_RULES, frame)


def _colours(frame: Frame) -> Iterator[Found]:
    for found in contrasts(frame):
        if found.problem:
            yield Found("frame", found.problem, found.part)


def _contrast(frame: Frame) -> Iterator[Found]:
    """Below WCAG 2.2 AA (4.5:1)."""
    for found in contrasts(frame):
        if not found.problem and not found.is_enough:
            sentence = said(
                "{what} of the frame can hardly be read: {ratio:.1f} to 1, it should be {least} "
                "to 1",
                what=found.what,
                ratio=found.ratio,
                least=TEXT,
            )
            yield Found("frame", sentence, found.part)


FRAME_RULES: tuple[Rule[Frame], ...] = (
    Rule("colour", "stop", _colours),
    Rule("contrast", "stop", _contrast),
)
