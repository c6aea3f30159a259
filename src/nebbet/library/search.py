"""What the library is found by, kept ready for every keystroke."""

import html
import re
from collections.abc import Callable, Collection, Iterable, Iterator, Mapping
from datetime import datetime
from functools import partial
from itertools import islice

from msgspec import Struct

from nebbet.core.inline import SLOT
from nebbet.core.letter import passages_in
from nebbet.core.ranking import Entry, excerpt
from nebbet.core.ranking.index import Index
from nebbet.core.records import Case
from nebbet.library.catalogue import Catalogue
from nebbet.library.changes import EVERYTHING, Change, different
from nebbet.library.fields import Fields, fields_in
from nebbet.library.holdings import Template
from nebbet.library.listing import Listing, listing_of
from nebbet.library.users import Users, users_in

_CasesOf = Mapping[str, tuple[str, ...]]  # the ids of cases, by the id of their contact
_TAG = re.compile(r"<[^>]*>")
_MOST_PATCHED = 500  # templates beside the index, from which on it is made anew


class Finder(Struct, frozen=True):
    """The indexes of one catalogue, who uses what in it, its fields, its list, and the cases of
    each contact."""

    catalogue: Catalogue
    templates: Index
    contacts: Index
    cases: Index
    users: Users
    fields: Fields
    listing: Listing
    cases_of: _CasesOf


def make_finder(
    catalogue: Catalogue,
    now: datetime,
    pinned: Collection[str] = (),
    known: Finder | None = None,
    change: Change = EVERYTHING,
) -> Finder:
    """The indexes of a catalogue; what another finder knows already is not read again, as far as
    the change since then says what may be another one. pinned are the templates that somebody has
    pinned for themselves."""
    standing = _standings(catalogue, now, pinned)
    if known is None:
        of_contact = _cases_of({}, {}, catalogue.cases, catalogue.cases.keys())
        return Finder(
            catalogue,
            Index(_entries(catalogue, catalogue.templates.values()), standing),
            Index(contact_entries(catalogue, cases_of=of_contact)),
            Index(case_entries(catalogue)),
            users_in(catalogue),
            fields_in(catalogue),
            listing_of(catalogue, pinned),
            of_contact,
        )
    contacts, cases, of_contact = _people_patched(known, catalogue, change)
    return Finder(
        catalogue,
        _patched(known, catalogue).ranked(standing),
        contacts,
        cases,
        users_in(catalogue, known.users),
        fields_in(catalogue, known.catalogue, known.fields, change),
        listing_of(catalogue, pinned),
        of_contact,
    )


def _patched(known: Finder, catalogue: Catalogue) -> Index:
    """The index of templates, with those that are other ones now."""
    before, after = known.catalogue.templates, catalogue.templates
    changed, gone = different(before, after)
    passages, _gone = different(known.catalogue.passages, catalogue.passages)
    if passages:
        changed |= {
            key for key, t in after.items() if passages.intersection(passages_in(t.content))
        }
    if known.catalogue.shelves != catalogue.shelves:
        changed = set(after)
    return _with(
        known.templates,
        (changed, gone),
        after,
        lambda keys: _entries(catalogue, (after[key] for key in keys)),
    )


def _people_patched(
    known: Finder, catalogue: Catalogue, change: Change
) -> tuple[Index, Index, _CasesOf]:
    """The indexes of contacts and of cases, with those that are other ones now: a contact is found
    by the numbers of their cases, a case by its contact's name."""
    before = known.catalogue
    people, no_people = different(before.contacts, catalogue.contacts, change.among("contact"))
    cases, no_cases = different(before.cases, catalogue.cases, change.among("case"))
    of_contact = _cases_of(known.cases_of, before.cases, catalogue.cases, cases | no_cases)
    touched = [
        book.get(key) for key in cases | no_cases for book in (before.cases, catalogue.cases)
    ]
    of_cases = {case.contact for case in touched if case} & catalogue.contacts.keys()
    cases |= {key for person in people | no_people for key in of_contact.get(person, ())}
    return (
        _with(
            known.contacts,
            (people | of_cases, no_people),
            catalogue.contacts,
            lambda keys: contact_entries(catalogue, keys, of_contact),
        ),
        _with(known.cases, (cases, no_cases), catalogue.cases, partial(case_entries, catalogue)),
        of_contact,
    )


def _cases_of(
    known: _CasesOf, before: Mapping[str, Case], after: Mapping[str, Case], keys: Collection[str]
) -> _CasesOf:
    """The cases of each contact, when those of some keys are other ones than before."""
    was, now = _by_contact(before, keys), _by_contact(after, keys)
    made = dict(known)
    for person in was.keys() | now.keys():
        stay = (key for key in known.get(person, ()) if key not in keys)
        made[person] = (*stay, *now.get(person, ()))
    return made


def _by_contact(cases: Mapping[str, Case], keys: Collection[str]) -> dict[str, list[str]]:
    """The cases of some keys that are somebody's."""
    found: dict[str, list[str]] = {}
    for key in sorted(keys):
        if (case := cases.get(key)) and case.contact:
            found.setdefault(case.contact, []).append(key)
    return found


def _with(
    index: Index,
    difference: tuple[Collection[str], Collection[str]],
    every: Collection[str],
    entries: Callable[[Collection[str]], Iterable[Entry]],
) -> Index:
    """An index with what is another one now, and without what is gone; made anew when there has
    come to be much beside it."""
    changed, gone = difference
    if not changed and not gone:
        return index
    if index.patched + len(changed) > _MOST_PATCHED:
        return Index(entries(every))
    return index.changed(entries(sorted(changed)), gone)


def _standings(catalogue: Catalogue, now: datetime, pinned: Collection[str]) -> dict[str, float]:
    """Which of two templates that fit alike comes first: one in use before a retired one, then a
    pinned one, then the one used more, where a use counts less the longer ago it was."""
    found = {}
    for key, template in catalogue.templates.items():
        usage = catalogue.usage_of(key)
        weeks = len(usage.weeks)
        used = sum(uses * 0.85 ** (weeks - 1 - n) for n, uses in enumerate(usage.weeks) if uses)
        recent = 1 / (2 + (now - usage.last).days) if usage.last else 0.0
        first = template.pinned or key in pinned
        found[key] = 1e6 * (template.state != "retired") + 1e5 * first + used + recent
    return found


def _entries(catalogue: Catalogue, templates: Iterable[Template]) -> Iterable[Entry]:
    shelves = {shelf.id: shelf.name for shelf in catalogue.shelves}
    for template in templates:
        yield Entry(
            template.id, tuple(text for _what, text in found_by(catalogue, template, shelves))
        )


def found_by(
    catalogue: Catalogue, template: Template, shelves: dict[str, str]
) -> Iterator[tuple[str, str]]:
    """The texts a template is found by, each with what it is; the most telling first. The long one
    is only put together for whoever gets that far."""
    content = template.content
    texts = content.texts.values()
    yield "title", template.title
    yield "keywords", ", ".join((*content.keywords, *content.kinds))
    yield "subject", " · ".join(text.subject for text in texts)
    yield "shelf", shelves.get(template.shelf, "")
    bodies = [text.body for text in texts]
    for name in passages_in(content):
        if passage := catalogue.passages.get(name):
            bodies += [text.body for text in passage.texts.values()]
    yield "text", " ".join(map(plain, bodies))


def plain(markup: str) -> str:
    """The words of a body; the names of its placeholders are none of them."""
    text = SLOT.sub(" ", _TAG.sub(" ", markup))
    return html.unescape(text) if "&" in text else text


def where_matched(
    catalogue: Catalogue, template: Template, words: str
) -> tuple[str, str, list[tuple[int, int]]]:
    """Where a template that was found meets the words, if not in its title: what holds them, an
    excerpt, and the matches in it."""
    shelves = {shelf.id: shelf.name for shelf in catalogue.shelves}
    for what, text in islice(found_by(catalogue, template, shelves), 1, None):
        shown, spans = excerpt(words, text)
        if spans:
            return what, shown, spans
    return "", "", []


def contact_entries(
    catalogue: Catalogue, keys: Collection[str] | None = None, cases_of: _CasesOf | None = None
) -> list[Entry]:
    """What contacts are found by: name, address, organisation, case numbers. Those of some keys
    alone where such are given."""
    people, cases = catalogue.contacts, catalogue.cases
    if cases_of is None:
        cases_of = _cases_of({}, {}, cases, cases.keys())
    return [
        Entry(
            person.id,
            (
                person.name,
                person.email,
                person.organisation,
                " ".join(cases[key].number for key in cases_of.get(person.id, ())),
            ),
        )
        for person in map(people.__getitem__, people if keys is None else keys)
    ]


def case_entries(catalogue: Catalogue, keys: Collection[str] | None = None) -> list[Entry]:
    """What cases are found by: number, title, kind, the contact's name. Those of some keys alone
    where such are given."""
    cases, people = catalogue.cases, catalogue.contacts
    wanted = cases if keys is None else keys
    of = {cases[key].contact for key in wanted}
    names = {key: people[key].name for key in of & people.keys()}
    return [
        Entry(c.id, (c.number, c.title, c.kind, names.get(c.contact, "")))
        for c in map(cases.__getitem__, wanted)
    ]
