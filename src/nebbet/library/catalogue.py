"""The library as everybody reads it: one frozen picture in memory."""

from collections.abc import Iterable, Iterator, Mapping
from datetime import date, datetime
from typing import Any, Literal, TypeVar

import msgspec
from msgspec import Struct, field
from msgspec.structs import replace

from nebbet.core import inline
from nebbet.core.body import Frame
from nebbet.core.dates import WorkingCalendar, zone_of
from nebbet.core.errors import NebbetError
from nebbet.core.letter import Content, Letter, Passage, Texts, included, passages_in, start, uses
from nebbet.core.letter.signature import SIGNATURE, signature_of
from nebbet.core.placeholders import World, implied
from nebbet.core.records import Case, Contact, Fact, Member, case_fields, fold

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
    """Somebody changed a fact, a passage or a frame since it was shown."""

    def __init__(self) -> None:
        super().__init__(
            "Somebody changed this meanwhile",
            kept="What you wrote is still on the page",
            advice="See what it says now (Ctrl+Alt+H), then keep yours again if it is to stand",
        )


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


class Unread(Struct, frozen=True):
    """A row of the library that cannot be read: its table and its key."""

    table: str
    key: str


class Catalogue(Struct, frozen=True):
    """Everything a window shows, read once and replaced whole when something changes.

    files are by SHA-256; words are those that the team's spelling takes; editing says which members
    have a template open in the editor. unread are the rows that were passed over.
    """

    shelves: tuple[Shelf, ...] = ()
    templates: Mapping[str, Template] = field(default_factory=dict)
    members: Mapping[str, Member] = field(default_factory=dict)
    contacts: Mapping[str, Contact] = field(default_factory=dict)
    cases: Mapping[str, Case] = field(default_factory=dict)
    facts: Mapping[str, Fact] = field(default_factory=dict)
    frames: Mapping[str, Frame] = field(default_factory=dict)
    passages: Mapping[str, Passage] = field(default_factory=dict)
    files: Mapping[str, LibraryFile] = field(default_factory=dict)
    words: frozenset[str] = frozenset()
    usage: Mapping[str, Usage] = field(default_factory=dict)
    calendar: WorkingCalendar = WorkingCalendar()
    proposals: Mapping[str, Proposal] = field(default_factory=dict)
    editing: Mapping[str, tuple[str, ...]] = field(default_factory=dict)
    unread: tuple[Unread, ...] = ()

    @property
    def shared_shelves(self) -> tuple[Shelf, ...]:
        """The shelves that are everybody's, in their order."""
        return tuple(shelf for shelf in self.shelves if not shelf.owner)

    def frame(self, name: str) -> Frame:
        """The frame of that id, or the plain one."""
        return self.frames.get(name, Frame())

    def included(self, content: Content) -> Content:
        """A template with its passages in their places."""
        return included(content, self.passages)

    def expired(self, file: str, day: date) -> date | None:
        """The last day on which a file was to go out, if that is past."""
        until = self.files[file].valid_until if file in self.files else None
        return until if until is not None and until < day else None

    def usage_of(self, template: str) -> Usage:
        """How a template was used."""
        return self.usage.get(template, Usage())

    def cases_of(self, contact: str) -> list[Case]:
        """The cases of one contact."""
        return [case for case in self.cases.values() if case.contact == contact]

    def world(
        self,
        moment: datetime,
        sender: Member | None,
        language: str,
        recipient: Contact | None = None,
        case: Case | None = None,
        calendar: str = "",
        remembered: Mapping[str, str] | None = None,
    ) -> World:
        """What values can come from, for one letter at one moment.

        calendar is the code of a template's own public holidays; the team's closure days, working
        weekdays and time zone stay.
        """
        if moment.tzinfo is not None and self.calendar.zone:
            moment = moment.astimezone(zone_of(self.calendar.zone))
        own = self.calendar
        if calendar:
            own = replace(own, code=calendar)
        return World(
            today=moment.date(),
            clock=moment.time().replace(second=0, microsecond=0),
            remembered=remembered or {},
            language=language,
            calendar=own,
            recipient=recipient,
            case=case,
            sender=sender,
            facts=self.facts,
        )


def own_shelf(member: str) -> Shelf:
    """The private shelf of a member; it is put up when something is first to stand on it."""
    return Shelf(f"own-{member}"[:64], "My shelf", owner=member)


def private_to(catalogue: Catalogue, shelf: str) -> str:
    """The member whose private shelf a shelf is, or is on; empty for everybody's."""
    by_id = {found.id: found for found in catalogue.shelves}
    for _ in by_id:
        found = by_id.get(shelf)
        if found is None or found.owner:
            return found.owner if found else ""
        shelf = found.parent
    return ""


def signed(catalogue: Catalogue, member: Member | None) -> Catalogue:
    """The catalogue with a member's signature among the passages, for templates to include."""
    passages = {**catalogue.passages, SIGNATURE: signature_of(member)}
    return replace(catalogue, passages=passages)


def seen_by(catalogue: Catalogue, member: str) -> Catalogue:
    """The catalogue as a member sees it: with their signature, and without what is on the private
    shelves of others."""
    catalogue = signed(catalogue, catalogue.members.get(member))
    hidden = {
        shelf.id
        for shelf in catalogue.shelves
        if private_to(catalogue, shelf.id) not in ("", member)
    }
    if not hidden:
        return catalogue
    return replace(
        catalogue,
        shelves=tuple(shelf for shelf in catalogue.shelves if shelf.id not in hidden),
        templates={k: t for k, t in catalogue.templates.items() if t.shelf not in hidden},
    )


def begin(
    catalogue: Catalogue,
    template: Template,
    letter_id: str,
    *,
    recipient: Contact | None = None,
    case: Case | None = None,
    language: str = "",
) -> Letter:
    """Take a template for a letter, which remembers template and edition."""
    return start(
        letter_id,
        catalogue.included(template.content),
        template=template.id,
        edition=template.edition,
        title=template.title,
        recipient=recipient,
        case=case,
        language=language,
    )


def example_cases(catalogue: Catalogue, content: Content, about: str) -> list[str]:
    """The ids of the cases that have most of the fields a template takes; those first whose kind
    is nearest to what the template is about."""
    from rapidfuzz import fuzz

    wanted = {fold(p.of) for p in content.placeholders if p.source == "case"}
    for text in content.texts.values():
        found = inline.slots(inline.parse(f"{text.subject}\n{text.body}"))
        made = (implied(slot.name) for slot in found)
        wanted |= {fold(p.of) for p in made if p and p.source == "case"}
    fits = {
        case.id: len(wanted & {fold(name) for name in case_fields(case)})
        for case in catalogue.cases.values()
    }
    best = [c for c in catalogue.cases.values() if fits[c.id] == max(fits.values())]
    best.sort(key=lambda c: -fuzz.token_set_ratio(c.kind.casefold(), about.casefold()))
    return [case.id for case in best]


def fact_users(catalogue: Catalogue, name: str) -> list[Template]:
    """The templates that say a fact, by its dotted name, in their ledger or in a passage."""
    passages = {
        passage.id
        for passage in catalogue.passages.values()
        if _says_fact(Content(passage.texts, passage.placeholders), name)
    }
    return [
        template
        for template in catalogue.templates.values()
        if _says_fact(template.content, name) or passages & {*passages_in(template.content)}
    ]


def _says_fact(content: Content, name: str) -> bool:
    # Reading every text takes long in a large library: most are told at a glance.
    if fold(name) not in fold(msgspec.json.encode(content).decode()):
        return False
    return fold(f"fact.{name}") in uses(content) or any(
        p.source == "fact" and fold(p.of) == fold(name) for p in content.placeholders
    )


def passage_users(catalogue: Catalogue, passage: str) -> list[Template]:
    """The templates that include a passage."""
    return [t for t in catalogue.templates.values() if passage in passages_in(t.content)]


def frame_users(catalogue: Catalogue, frame: str) -> list[Template]:
    """The templates that stand in a frame."""
    return [t for t in catalogue.templates.values() if t.content.frame == frame]
