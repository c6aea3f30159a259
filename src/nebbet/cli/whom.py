"""Whom a letter is for, as words of a command say it."""

from collections.abc import Callable
from typing import TypeVar

from msgspec import Struct

from nebbet.core import addresses
from nebbet.core.errors import NebbetError
from nebbet.core.records import Matter, Person, contact_for
from nebbet.core.sentences import said
from nebbet.library.people import People

_Found = TypeVar("_Found")
_SEVERAL = 5  # names that are told


class Whom(Struct, frozen=True):
    """Whom a letter is for and what it is about; wrong tells what could not be found or does not
    fit, and is left out."""

    person: Person | None = None
    matter: Matter | None = None
    wrong: tuple[NebbetError, ...] = ()


def whom(people: People, to: str, about: str) -> Whom:
    """The person of an address or a name, and the case of a number; either may be empty."""
    wrong: list[NebbetError] = []
    person = _found(lambda: _person(people, to), wrong) if to else None
    matter = _found(lambda: _matter(people, about), wrong) if about else None
    if person and matter and person.contact.is_on_file:
        case = matter.case
        if not case.is_about(person.contact):
            wrong.append(_about_another(person, matter))
            matter = None
    return Whom(person, matter, tuple(wrong))


def _found(find: Callable[[], _Found], wrong: list[NebbetError]) -> _Found | None:
    try:
        return find()
    except NebbetError as error:
        wrong.append(error)
        return None


def _about_another(person: Person, matter: Matter) -> NebbetError:
    named = {"case": matter.case.number, "name": person.contact.name}
    advice = said("Give the case alone, or another person")
    if matter.contact is None:
        return NebbetError(said("The case {case} is not about {name}", **named), advice=advice)
    return NebbetError(
        said(
            "The case {case} is not about {name} but about {other}",
            **named,
            other=matter.contact.name,
        ),
        advice=advice,
    )


def _matter(people: People, number: str) -> Matter:
    if matter := people.numbered(number):
        return matter
    raise NebbetError(
        said("There is no case “{number}”", number=number),
        advice=said("nebbet find shows what there is"),
    )


def _person(people: People, words: str) -> Person:
    # An address that nobody on file has is a stranger's: its parts are nobody's name.
    if known := people.addressed(words):
        return known
    address = addresses.one(words)
    if isinstance(address, addresses.Address):
        return people.addressed(address.spec) or Person(contact_for("", address.name, address.spec))
    found = people.find_people(words, _SEVERAL)
    named = [one for one in found if one.contact.name.casefold() == words.strip().casefold()]
    meant = named or found
    if len(meant) == 1:
        return meant[0]
    if meant:
        names = ", ".join(f"{one.contact.name} <{one.contact.email}>" for one in meant)
        raise NebbetError(
            said("“{words}” may mean several people: {names}", words=words, names=names),
            advice=said("Give the address of one"),
        )
    raise NebbetError(
        said(
            "“{words}” is neither a known person nor a mail address: {reason}",
            words=words,
            reason=address.reason,
        ),
        advice=said("Give a name of somebody on file, or a whole address"),
    )
