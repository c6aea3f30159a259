"""Who wrote a message, as far as they are on file, and which cases it is about."""

import re

from msgspec import Struct

from nebbet.core.message.answering import Arrived, asked_in
from nebbet.core.message.received import Received
from nebbet.core.records import Case, Person
from nebbet.library.people import People

# What a case's number can look like: signs before it, and three figures at least.
_NUMBER = re.compile(r"(?<![\w@.])[A-Za-z]{0,6}[-/ ]?\d[\d/-]{1,20}\d(?![\w@])")
_MOST = 200  # numbers of a message that are looked up
_LONGEST = 100_000  # characters of it


class AboutMessage(Struct, frozen=True):
    """The person whose address a message comes from, if they are on file, and the cases whose
    numbers it names, or else the only one that they have."""

    person: Person | None = None
    cases: tuple[Case, ...] = ()


def about_message(people: People, fields: Arrived, received: Received) -> AboutMessage:
    """Find who wrote a message and what it is about: by the address, and by numbers in its subject,
    its own words, the names of its files and then in what it quotes."""
    person = people.addressed(fields.sender.spec) if fields.sender.spec else None
    names = " ".join(name for name, _data in received.attachments)
    for text in (f"{asked_in(fields, received)}\n{names}", received.plain):
        known = people.by_numbers(numbers_in(text))
        if known:
            return AboutMessage(person, tuple(known.values()))
    return AboutMessage(person, (person.case,) if person and person.case else ())


def numbers_in(text: str) -> list[str]:
    """What could be the number of a case in a text, once each.

    >>> numbers_in("LS-48211 or ls 48212, not 7 nor ann4@x.example")
    ['LS-48211', 'ls 48212']
    """
    found = (match[0].strip() for match in _NUMBER.finditer(text[:_LONGEST]))
    return list(dict.fromkeys(found))[:_MOST]
