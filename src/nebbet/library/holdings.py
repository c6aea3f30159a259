"""What a library holds, as values: shelves, templates, proposals, files, and how they are used."""

from collections.abc import Iterable, Iterator
from datetime import date, datetime
from typing import Any, Literal, TypeVar

from msgspec import Struct

from nebbet.core.errors import NebbetError
from nebbet.core.letter import Content, Texts

USAGE_WEEKS = 12

State = Literal["draft", "in use", "retired"]


class Shelf(Struct, frozen=True):
    """A named place for templates; parent is another shelf's id or empty. owner is the member
    whose private shelf it is; empty for everybody's."""

    id: str
    name: str
    parent: str = ""
    owner: str = ""


_Shelf = TypeVar("_Shelf", bound=Any)


def parents_first(shelves: Iterable[_Shelf]) -> Iterator[_Shelf]:
    """Shelves, or their rows, in an order in which each comes after the one that holds it."""
    left, known = list(shelves), set()
    while left:
        ready = [s for s in left if not s.parent or s.parent in known] or left
        yield from ready
        known |= {shelf.id for shelf in ready}
        left = [shelf for shelf in left if shelf.id not in known]


class Template(Struct, frozen=True):
    """A template with the edition in use (number 0 before the first one). origin is the template
    that it is somebody's own version of, origin_edition that one's edition it was taken from."""

    id: str
    shelf: str
    title: str
    state: State
    pinned: bool
    edition: int
    content: Content
    author: str = ""
    made: datetime | None = None
    note: str = ""
    origin: str = ""
    origin_edition: int = 0

    @property
    def first_text(self) -> Texts:
        """The text in the original language."""
        return next(iter(self.content.texts.values()))


class Copied(Struct, frozen=True):
    """A template to be copied: which, as what, under which title; own says that the copy is
    somebody's own version, which remembers where it comes from."""

    source: str
    id: str
    title: str
    own: bool = False


Role = Literal["lead", "colleague", "reader"]
ProposalState = Literal["waiting", "accepted", "declined", "withdrawn"]


class Proposal(Struct, frozen=True):
    """An edition that waits for the lead's yes or no, or has had it.

    base is the number of the edition that it was written after; 0 for a new template. answer is
    the lead's word on it.
    """

    id: str
    template: str
    base: int
    shelf: str
    title: str
    content: Content
    author: str
    made: datetime
    reason: str = ""
    state: ProposalState = "waiting"
    answer: str = ""
    decider: str = ""
    decided: datetime | None = None


class MovedOn(NebbetError):
    """Somebody made another edition meanwhile; number is the newest one's."""

    def __init__(self, number: int) -> None:
        super().__init__(
            f"Somebody put edition {number} in use meanwhile",
            kept="Your text is still on the page",
            advice="Look at both and put yours in use again",
        )
        self.number = number


class Overtaken(NebbetError):
    """Somebody changed something since it was shown; now is what it is by now, None for nothing."""

    def __init__(
        self,
        now: object = None,
        shown: str = "",
        *,
        kept: str = "What you wrote is still on the page",
        advice: str = "Keep yours again if it is to stand",
    ) -> None:
        what = f"Somebody changed this meanwhile; it says “{shown}” now"
        if now is None:
            what = "Somebody took this out meanwhile"
        elif not shown:
            what = "Somebody changed this meanwhile"
        super().__init__(what, kept=kept, advice=advice)
        self.now = now


class Usage(Struct, frozen=True):
    """How a template was used: when last, and how often in each of the last weeks, oldest first."""

    last: datetime | None = None
    weeks: tuple[int, ...] = ()


class LibraryFile(Struct, frozen=True):
    """A file of the library, without its content; size in bytes. valid_until is the last day on
    which it should go out."""

    name: str
    media_type: str = "application/octet-stream"
    size: int = 0
    valid_until: date | None = None


class RoundFile(Struct, frozen=True):
    """A file that rows of a table can name: its SHA-256, and what it is."""

    sha256: str
    file: LibraryFile


def own_shelf(member: str) -> Shelf:
    """The private shelf of a member; it is put up when something is first to stand on it."""
    return Shelf(f"own-{member}"[:64], "My shelf", owner=member)
