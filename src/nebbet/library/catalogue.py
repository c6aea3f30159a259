"""The library as everybody reads it: one frozen picture in memory."""

from collections.abc import Mapping
from datetime import date, datetime

from msgspec import Struct, field
from msgspec.structs import replace

from nebbet.core.body import Frame
from nebbet.core.checks import Grade
from nebbet.core.dates import WorkingCalendar, week_for, zone_of
from nebbet.core.letter import Content, Passage, included
from nebbet.core.letter.signature import SIGNATURE, signature_of
from nebbet.core.placeholders import World
from nebbet.core.records import Case, Contact, Fact, Member, fold
from nebbet.core.records.kinds import Kind
from nebbet.core.rounds import RoundRules
from nebbet.library.held_fields import HeldField, kinds_held
from nebbet.library.holdings import LibraryFile, Proposal, Shelf, Template, Usage


class Unread(Struct, frozen=True):
    """A row of the library that cannot be read: its table and its key."""

    table: str
    key: str


class Catalogue(Struct, frozen=True):
    """Everything a window shows, read once and replaced whole when something changes.

    files are by SHA-256; words are those that the team's spelling takes; editing says which members
    have a template open in the editor. Of people and cases there are samples alone, some cases of
    each kind with their contacts: `People` asks for the others. grades are those that a lead has
    given to checks, by their rules, round_rules what they allow in rounds. kinds are those of case,
    and of all people; held are the fields that records have. unread are the rows that were passed
    over, mark is where the log of changes stood.
    """

    shelves: tuple[Shelf, ...] = ()
    templates: Mapping[str, Template] = field(default_factory=dict)
    members: Mapping[str, Member] = field(default_factory=dict)
    samples: Mapping[str, Case] = field(default_factory=dict)
    sample_people: Mapping[str, Contact] = field(default_factory=dict)
    kinds: Mapping[str, Kind] = field(default_factory=dict)
    grades: Mapping[str, Grade] = field(default_factory=dict)
    round_rules: RoundRules = RoundRules()
    held: tuple[HeldField, ...] = ()
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
    mark: str = ""

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

    def contact_of(self, case: Case | None) -> Contact | None:
        """The contact of a sample."""
        return self.sample_people.get(case.contact) if case else None

    @property
    def known_kinds(self) -> dict[str, Kind]:
        """The kinds that a lead has set, and those that records have, with the fields they have."""
        names = {fold(kind.name) for kind in self.kinds.values()}
        held = (kind for kind in kinds_held(self.held) if fold(kind.name) not in names)
        return {kind.id: kind for kind in held if kind.id not in self.kinds} | {**self.kinds}

    def kind_called(self, name: str) -> Kind | None:
        """The kind of a name, set or held."""
        wanted = fold(name)
        return next((k for k in self.known_kinds.values() if fold(k.name) == wanted), None)

    def kind_of(self, case: Case) -> Kind | None:
        """The kind that a case is of, where a lead has set it."""
        return next((kind for kind in self.kinds.values() if kind.name == case.kind), None)

    def world(
        self,
        moment: datetime,
        sender: Member | None,
        language: str,
        recipient: Contact | None = None,
        case: Case | None = None,
        calendar: str = "",
        remembered: Mapping[str, str] | None = None,
        others: tuple[str, ...] = (),
    ) -> World:
        """What values can come from, for one letter at one moment.

        calendar is the code of a template's own public holidays; the team's closure days, hours
        and time zone stay, and its working weekdays unless that country's weekend is another one.
        """
        if moment.tzinfo is not None and self.calendar.zone:
            moment = moment.astimezone(zone_of(self.calendar.zone))
        own = self.calendar
        if calendar:
            own = replace(own, code=calendar, weekdays=week_for(calendar, own.weekdays))
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
            others=others,
        )


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
