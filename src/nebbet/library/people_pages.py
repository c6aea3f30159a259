"""What is shown of one person, or of one case: all of it, asked for at once."""

from msgspec import Struct
from sqlalchemy import Engine

from nebbet.core.records import Case, Contact, Matter
from nebbet.core.records.likeness import Twins, twins_of
from nebbet.library import register
from nebbet.library.entries import Registered
from nebbet.library.people import People

MOST_LETTERS = 500  # that are shown of one person: the newest
_CANDIDATES = 40  # people who are compared with one


class PersonPage(Struct, frozen=True):
    """Somebody, their cases, the other people of their household and organisation, the letters to
    them, and who may be the same person."""

    contact: Contact
    cases: tuple[Case, ...] = ()
    beside: tuple[Contact, ...] = ()
    letters: tuple[Registered, ...] = ()
    twins: tuple[Twins, ...] = ()


class CasePage(Struct, frozen=True):
    """A case, the people in it, and the letters about it."""

    matter: Matter
    people: tuple[Contact, ...] = ()
    letters: tuple[Registered, ...] = ()


def person_page(people: People, engine: Engine, key: str) -> PersonPage | None:
    """All that is shown of the person of an id; of whoever they are now, where two became one."""
    contact = people.contact(key)
    if contact and contact.same_as:
        contact = people.contact(contact.same_as)
    if contact is None:
        return None
    return PersonPage(
        contact,
        tuple(people.cases_of(contact.id)),
        tuple(people.beside(contact)),
        tuple(letters_to(engine, contact)),
        tuple(twins_of(contact, like(people, contact))),
    )


def letters_to(engine: Engine, contact: Contact) -> list[Registered]:
    """The letters to somebody, newest first, by anybody of the team."""
    ids = (contact.id, *contact.once)
    return register.letters_of(engine, ids, contact.every_address, MOST_LETTERS)


def like(people: People, contact: Contact) -> list[Contact]:
    """Those whose names or addresses are near somebody's."""
    found: dict[str, Contact] = {}
    for words in (contact.name, *contact.every_address):
        for one in people.find_people(words, _CANDIDATES) if words else ():
            found[one.contact.id] = one.contact
    return [*found.values()]


def case_page(people: People, engine: Engine, key: str) -> CasePage | None:
    """All that is shown of the case of an id."""
    matter = people.matter(key)
    if matter is None:
        return None
    case = matter.case
    held = people.contacts((case.contact, *case.people))
    others = tuple(held[one] for one in (case.contact, *case.people) if one in held)
    letters = register.letters_about(engine, case.number, MOST_LETTERS)
    return CasePage(matter, others, tuple(letters))
