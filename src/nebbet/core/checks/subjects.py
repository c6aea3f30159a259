"""What rules look at."""

from collections.abc import Callable, Mapping
from datetime import date

from msgspec import Struct

from nebbet.core.body import Frame
from nebbet.core.letter import Content, Letter
from nebbet.core.placeholders import Particular, World


class LetterToCheck(Struct, frozen=True):
    """A completed letter with its values. has_file says whether the library holds a file, by
    SHA-256; expired gives the last day on which one was to go out, if that is past."""

    letter: Letter
    particulars: Mapping[str, Particular]  # by folded name
    has_file: Callable[[str], bool]
    expired: Callable[[str], date | None]
    frame: Frame | None = None


class TemplateToCheck(Struct, frozen=True):
    """A template with its passages in their places. world gives facts and fields, expired the last
    day on which a file was to go out, if that is past."""

    content: Content
    world: World
    frame: Frame | None
    expired: Callable[[str], date | None]
