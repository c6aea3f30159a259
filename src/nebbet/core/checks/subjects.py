"""What rules look at."""

from collections.abc import Callable, Mapping
from datetime import date
from functools import cached_property

from msgspec import Struct

from nebbet.core.body import Frame, render_plain, standing
from nebbet.core.dates import WorkingCalendar
from nebbet.core.letter import Content, Letter
from nebbet.core.placeholders import Particular, World


class Earlier(Struct, frozen=True):
    """A letter that went: on which day, and by whom."""

    day: date
    who: str


class About(Struct, frozen=True):
    """What is known beside a letter: the day, the team's working days, the sender's address, name
    and signature (as the source of a body), the domains of the team, the kinds of case that the
    template is for, and the letters with this template that went to this person lately, the last
    first. contents is what can be read of the letter's own files, by SHA-256; strangers are the
    names in it, and in its text, of people on file who have nothing to do with it; on_file are
    the recipient's addresses, the first one first, empty where they are not known; barred are the
    team's mailboxes, by address in small letters, that are not the sender's to send from, with
    whose they are."""

    today: date | None = None
    calendar: WorkingCalendar | None = None
    sender: str = ""
    domains: tuple[str, ...] = ()
    kinds: tuple[str, ...] = ()
    lately: tuple[Earlier, ...] = ()
    name: str = ""
    signature: str = ""
    contents: Mapping[str, str] = {}
    strangers: tuple[str, ...] = ()
    on_file: tuple[str, ...] = ()
    barred: Mapping[str, str] = {}


NOTHING_ELSE = About()


class LetterToCheck(Struct, frozen=True, dict=True):
    """A completed letter with its values. has_file says whether the library holds a file, by
    SHA-256; expired gives the last day on which one was to go out, if that is past."""

    letter: Letter
    particulars: Mapping[str, Particular]  # by folded name
    has_file: Callable[[str], bool]
    expired: Callable[[str], date | None]
    frame: Frame | None = None
    about: About = NOTHING_ELSE

    # Many rules read the text; it is made for them once.

    @cached_property
    def text(self) -> str:
        """The text as it goes."""
        return render_plain(self.letter.body)

    @cached_property
    def paragraphs(self) -> list[str]:
        """The text as it goes, line by line, without empty ones."""
        return [part.strip() for part in self.text.split("\n") if part.strip()]

    @cached_property
    def own_blocks(self) -> list[str]:
        """What the letter itself says, block by block: not what it quotes."""
        own = (block for block in standing(self.letter.body) if not block.quote)
        return [render_plain((block,)) for block in own]


class TemplateToCheck(Struct, frozen=True):
    """A template with its passages in their places. world gives facts and fields, expired the last
    day on which a file was to go out, if that is past."""

    content: Content
    world: World
    frame: Frame | None
    expired: Callable[[str], date | None]
