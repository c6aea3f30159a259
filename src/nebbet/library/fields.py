"""The fields that a team's people and cases have, and what of it a template is offered."""

from collections.abc import Iterable, Mapping
from typing import NamedTuple

from msgspec import Struct

from nebbet.core import ranking, records
from nebbet.core.placeholders import GREETING, Placeholder
from nebbet.core.ranking import Entry
from nebbet.core.records import Case
from nebbet.library.catalogue import Catalogue
from nebbet.library.changes import different


class Fields(Struct, frozen=True):
    """Names of fields, sorted: those of the team's own beside the ones that everybody has. lists
    are the fields of cases that hold lists, kinds the kinds of case."""

    contacts: tuple[str, ...] = ()
    members: tuple[str, ...] = ()
    cases: tuple[str, ...] = ()
    lists: tuple[str, ...] = ()
    kinds: tuple[str, ...] = ()
    facts: tuple[str, ...] = ()

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
    catalogue: Catalogue, before: Catalogue | None = None, known: Fields | None = None
) -> Fields:
    """The fields of a catalogue; what is as it was before is not looked through again."""
    if before is None or known is None:
        before, known = Catalogue(), Fields()
    contacts, members = known.contacts, known.members
    if catalogue.contacts is not before.contacts:
        contacts = _names(contact.more for contact in catalogue.contacts.values())
    if catalogue.members is not before.members:
        members = _names(member.more for member in catalogue.members.values())
    of_cases = _OfCases(known.cases, known.lists, known.kinds)
    if catalogue.cases is not before.cases:
        of_cases = _with(of_cases, before.cases, catalogue.cases)
    return Fields(contacts, members, *of_cases, tuple(catalogue.facts))


class _OfCases(NamedTuple):
    names: tuple[str, ...] = ()
    lists: tuple[str, ...] = ()
    kinds: tuple[str, ...] = ()


def _with(known: _OfCases, before: Mapping[str, Case], after: Mapping[str, Case]) -> _OfCases:
    """The fields of cases of which some are other ones: all are only looked through where one does
    not have any more what it had."""
    changed, gone = different(before, after)
    were = _of_cases(before[key] for key in (changed | gone) & before.keys())
    now = _of_cases(after[key] for key in changed)
    if any(set(had) - set(has) for had, has in zip(were, now, strict=True)):
        return _of_cases(after.values())
    return _OfCases(*(tuple(sorted({*a, *b})) for a, b in zip(known, now, strict=True)))


def _names(fields: Iterable[Mapping[str, object]]) -> tuple[str, ...]:
    return tuple(sorted({name for one in fields for name in one}))


def _of_cases(cases: Iterable[Case]) -> _OfCases:
    names: set[str] = set()
    lists: set[str] = set()
    kinds: set[str] = set()
    for case in cases:
        names.update(case.fields)
        lists.update(n for n, raw in case.fields.items() if isinstance(raw, list | tuple))
        kinds.add(case.kind)
    return _OfCases(tuple(sorted(names)), tuple(sorted(lists)), tuple(sorted(kinds - {""})))


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
