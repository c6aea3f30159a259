"""The fields that a team's people and cases have, and what of it a template is offered."""

from collections.abc import Iterable

from msgspec import Struct

from nebbet.core import ranking, records
from nebbet.core.letter import Letter
from nebbet.core.placeholders import GREETING, Particular, Placeholder, World, known_names, resolve
from nebbet.core.ranking import Entry
from nebbet.core.records.kinds import PEOPLE
from nebbet.library.catalogue import Catalogue


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


def fields_in(catalogue: Catalogue) -> Fields:
    """The fields of a catalogue: those that records have, and those that a lead has set."""
    people, cases, lists = set[str](), set[str](), set[str]()
    kinds = {one.whose for one in catalogue.held if not one.kind and one.whose}
    for one in catalogue.held:
        if one.name:
            (people if one.whose == PEOPLE else cases).add(one.name)
            if one.kind == "list" and one.whose != PEOPLE:
                lists.add(one.name)
    for kind in catalogue.kinds.values():
        (people if kind.is_people else cases).update(one.name for one in kind.fields)
        if not kind.is_people:
            kinds.add(kind.name)
            lists.update(one.name for one in kind.fields if one.kind == "list")
    members = {name for member in catalogue.members.values() for name in member.more}
    return Fields(
        _sorted(people),
        _sorted(members),
        _sorted(cases),
        _sorted(lists),
        _sorted(kinds),
        tuple(catalogue.facts),
    )


def _sorted(names: Iterable[str]) -> tuple[str, ...]:
    return tuple(sorted(names))


def on_offer(declared: Iterable[Placeholder], fields: Fields, words: str) -> list[tuple[str, str]]:
    """What can be put into a template's text, by some words, best first: the name, and what it
    is."""
    names = {p.name: f"{p.title}, {p.of or p.source}" for p in declared}
    for source in ("recipient", "case", "sender", "fact"):
        names |= {f"{source}.{name}": source for name in fields.of(source)}
    entries = [Entry(name, (spoken(name), second)) for name, second in names.items()]
    return [(name, names[name]) for name in ranking.find(spoken(words), entries)]


_FIRST = ("case", "recipient", "", "fact", "sender")  # "" are a letter's own


def values_at_hand(letter: Letter, world: World, words: str) -> list[Particular]:
    """The values that are known for a letter and could be put into it, by some words of their names
    or of what they say, best first; without words those of the case come first."""
    known = {
        found.name: found
        for found in resolve(
            known_names(letter.placeholders, world), letter.placeholders, world, letter.answers
        )
        if found.text and not found.problem
    }
    order = sorted(known, key=lambda name: _FIRST.index(_source_of(name)))
    entries = [Entry(name, (_called(known[name]), known[name].text or "")) for name in order]
    return [known[name] for name in ranking.find(spoken(words), entries)]


def _source_of(name: str) -> str:
    source, dot, _ = name.partition(".")
    return source if dot and source in _FIRST else ""


def _called(found: Particular) -> str:
    return f"{spoken(found.name)} {found.placeholder.title}"


def spoken(name: str) -> str:
    """A name as people look for it.

    >>> spoken("case.return_from")
    'case return from'
    """
    return name.replace("_", " ").replace(".", " ")
