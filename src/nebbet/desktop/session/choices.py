"""What pickers and lists show: people, cases and templates, found by the core."""

from collections.abc import Callable, Mapping
from datetime import datetime
from typing import TYPE_CHECKING

from nebbet.core import addresses, inline, ranking
from nebbet.core.records import Contact, Matter, Person, contact_for, fold, unfiled_id
from nebbet.core.sentences import said
from nebbet.desktop.kit.picker import Choice
from nebbet.desktop.session.shared_library import SharedLibrary
from nebbet.library.entries import Registered
from nebbet.library.holdings import Template
from nebbet.library.people import People
from nebbet.library.register_finding import Uses

if TYPE_CHECKING:
    from nebbet.core.ranking.index import Found

MOST = 100  # of a kind: nobody reads further
Show = Callable[[list[Choice]], None]


def people(shared: SharedLibrary, words: str, show: Show, asker: str) -> None:
    """Show people by name, address, organisation or case number, once they are found."""
    asked = shared.people

    def done(found: list[Person]) -> None:
        show([person_choice(one.contact) for one in asked.meet(found)])

    asked.ask(lambda library: library.find_people(words, MOST), done, asker=asker)


def own_addresses(shared: SharedLibrary, words: str, show: Show) -> None:
    """Show the addresses that one's letters go from, where there are several."""
    found = list(shared.addresses.values())
    fold_words = fold(words)
    fits = [one for one in found if fold_words in fold(one.header)]
    chosen = any(fold(one.header) == fold_words or fold(one.spec) == fold_words for one in found)
    offered = found if chosen or not fits else fits
    show([Choice(one.spec, one.name or one.spec, one.spec) for one in offered]
         if len(found) > 1 else [])  # fmt: skip


def person_choice(contact: Contact) -> Choice:
    """A person in a list."""
    aside = said("filed away") if contact.filed else contact.organisation
    return Choice(
        contact.id,
        contact.name or contact.email,
        contact.email or said("no address on file"),
        aside,
    )


def cases(shared: SharedLibrary, words: str, show: Show, asker: str, contact: str = "") -> None:
    """Show cases by number, matter or name, once they are found; those of the contact first."""
    asked = shared.people

    def done(found: list[Matter]) -> None:
        show([matter_choice(one) for one in asked.take_up(found)])

    asked.ask(lambda library: library.find_cases(words, contact, MOST), done, asker=asker)


def matter_choice(matter: Matter) -> Choice:
    """A case in a list."""
    case, owner = matter.case, matter.contact
    second = ", ".join(filter(None, (case.title, owner.name if owner else "")))
    return Choice(case.id, case.number, second, said("filed away") if case.filed else case.kind)


def templates(
    shared: SharedLibrary,
    words: str,
    *,
    retired: bool = False,
    kind: str = "",
    used: Mapping[str, Uses] | None = None,
) -> list[Choice]:
    """Templates by title, subject, shelf and text, each with what met the words; only those in
    use, unless told otherwise. Without words, those for a kind of case come first, then those that
    were used for it, one's own uses before the others'."""
    found = shared.search.templates(words)
    if kind and not words.strip():
        known, wanted, uses = shared.catalogue.templates, fold(kind), used or {}

        def place(key: str) -> tuple[int, int, int]:
            kinds = {fold(one) for one in known[key].content.kinds}
            own, everybody = uses.get(key, Uses())
            rank = 0 if wanted in kinds else 1 if everybody else 3 if kinds else 2
            return rank, -own, -everybody

        found = found._replace(keys=sorted(found.keys, key=place))
    return found_templates(shared, words, found, retired=retired)


def found_templates(
    shared: SharedLibrary, words: str, found: "Found", *, retired: bool = False
) -> list[Choice]:
    """As `templates`, of what the words have found already."""
    catalogue = shared.catalogue
    shelves = {shelf.id: shelf.name for shelf in catalogue.shelves}
    choices: list[Choice] = []
    for key in found.keys:
        template = catalogue.templates[key]
        if len(choices) == MOST:
            break
        if retired or (template.state == "in use" and template.edition):
            pinned = not words and shared.own.is_pinned(template)
            aside = "pinned" if pinned else shelves.get(template.shelf, "")
            aside = said("not all words") if key in found.partly else aside
            choices.append(Choice(key, template.title, _second(shared, template, words), aside))
    return choices


def _second(shared: SharedLibrary, template: Template, words: str) -> str:
    """What of a template meets the words beside its title, or its subject."""
    if words and not ranking.matched(words, template.title):
        _what, shown, _spans = shared.search.where(template, words)
        if shown:
            return shown
    return subject_of(template)


def free_contact(text: str, contact_id: str) -> Contact | None:
    """A contact for an address that was typed in full, or None when it is no address."""
    found = addresses.one(text)
    if not isinstance(found, addresses.Address):
        return None
    return contact_for(contact_id, found.name, found.spec)


def subject_of(template: Template) -> str:
    """The subject with its placeholders left open."""
    return inline.shown(inline.parse(template.first_text.subject), lambda _name: "…")


def about_entry(
    shared: SharedLibrary,
    entry: Registered,
    done: Callable[[Person, Matter | None], object],
) -> None:
    """Find the person that a letter of the register went to, on file or by what its entry says, and
    the case that it was about."""
    free = Person(contact_for(unfiled_id(shared.token()), entry.name, entry.address))

    def read(people: People) -> tuple[Person, Matter | None]:
        person = people.person(entry.contact) if entry.contact else None
        person = person or people.addressed(entry.address) or free
        return person, people.numbered(entry.case_number) if entry.case_number else None

    shared.people.ask(read, lambda found: done(*found), asker="about entry")


def ago(last: datetime | None, now: datetime) -> str:
    """How long ago something was."""
    if last is None:
        return said("never")
    days = (now.date() - last.astimezone(now.tzinfo).date()).days
    if days < 2:
        return said("yesterday") if days else said("today")
    return said("{days} days ago", days=days)
