"""The fields that a team's people and cases have, and what of it a template is offered."""

from collections import Counter
from collections.abc import Callable, Iterable, Iterator, Mapping
from typing import TypeVar

from msgspec import Struct, field

from nebbet.core import ranking, records
from nebbet.core.placeholders import GREETING, Placeholder
from nebbet.core.ranking import Entry
from nebbet.core.records import Case, Contact, Member
from nebbet.library.catalogue import Catalogue
from nebbet.library.changes import EVERYTHING, Change, different

_Has = tuple[str, str]  # what a record has: a field of its kind, or a kind; and its name
_Record = TypeVar("_Record", Contact, Member, Case)


class Fields(Struct, frozen=True):
    """Names of fields, sorted: those of the team's own beside the ones that everybody has. lists
    are the fields of cases that hold lists, kinds the kinds of case. held says how many records
    have what."""

    contacts: tuple[str, ...] = ()
    members: tuple[str, ...] = ()
    cases: tuple[str, ...] = ()
    lists: tuple[str, ...] = ()
    kinds: tuple[str, ...] = ()
    facts: tuple[str, ...] = ()
    held: Mapping[_Has, int] = field(default_factory=dict)

    def of(self, source: str) -> tuple[str, ...]:
        """What a source of values offers in this team's data."""
        match source:
            case "recipient":
                return (*records.CONTACT_FIELDS, GREETING, *self.contacts)
            case "sender":
                return (*records.MEMBER_FIELDS, *self.members)
            case "case":
                return (*records.CASE_FIELDS, *self.cases)
            case "fact":
                return self.facts
        return ()


def fields_in(
    catalogue: Catalogue,
    before: Catalogue | None = None,
    known: Fields | None = None,
    change: Change = EVERYTHING,
) -> Fields:
    """The fields of a catalogue; of what was there before, only what is another one is looked
    through, as far as a change says which that may be."""
    before, held = before or Catalogue(), Counter(known.held if known else {})
    people = different(before.contacts, catalogue.contacts, change.among("contact"))
    members = different(before.members, catalogue.members)
    cases = different(before.cases, catalogue.cases, change.among("case"))
    _count(held, before.contacts, catalogue.contacts, people, lambda c: _named("contact", c.more))
    _count(held, before.members, catalogue.members, members, lambda m: _named("member", m.more))
    _count(held, before.cases, catalogue.cases, cases, _of_case)

    def having(what: str) -> tuple[str, ...]:
        return tuple(sorted(name for (kind, name), count in held.items() if kind == what and count))

    return Fields(
        having("contact"),
        having("member"),
        having("case"),
        having("list"),
        having("kind"),
        tuple(catalogue.facts),
        held,
    )


def _count(
    held: Counter[_Has],
    before: Mapping[str, _Record],
    after: Mapping[str, _Record],
    difference: tuple[set[str], set[str]],
    of: Callable[[_Record], Iterable[_Has]],
) -> None:
    """Count what records have, from how it was counted before."""
    changed, gone = difference
    for key in (changed | gone) & before.keys():
        held.subtract(of(before[key]))
    for key in changed:
        held.update(of(after[key]))


def _named(what: str, fields: Iterable[str]) -> Iterator[_Has]:
    return ((what, name) for name in fields)


def _of_case(case: Case) -> Iterator[_Has]:
    yield from _named("case", case.fields)
    yield from _named(
        "list", (n for n, raw in case.fields.items() if isinstance(raw, list | tuple))
    )
    if case.kind:
        yield "kind", case.kind


def on_offer(declared: Iterable[Placeholder], fields: Fields, words: str) -> list[tuple[str, str]]:
    """What can be put into a template's text, by some words, best first: the name, and what it
    is."""
    names = {p.name: f"{p.title}, {p.of or p.source}" for p in declared}
    for source in ("recipient", "case", "sender", "fact"):
        names |= {f"{source}.{name}": source for name in fields.of(source)}
    entries = [Entry(name, (spoken(name), second)) for name, second in names.items()]
    return [(name, names[name]) for name in ranking.find(spoken(words), entries)]


def spoken(name: str) -> str:
    """A name as people look for it.

    >>> spoken("case.return_from")
    'case return from'
    """
    return name.replace("_", " ").replace(".", " ")
