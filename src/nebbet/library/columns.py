"""What stands beside a person or a case in the library: what they are found and put in order by.

A mistake in a name is found by leaving letters out: two words that differ by one letter are the
same word once each has lost one (Garbe 2012, "symmetric delete"; the idea, not its code).
"""

import hashlib
import re
from collections.abc import Iterable, Iterator

from nebbet.core.characters import folded
from nebbet.core.records import Case, Contact, fold

_GAPS = re.compile(r"[\W_]+")
_LONGEST_WORDS = 20_000  # signs of a record's own fields that it is found by
_BEGINNING = 6  # letters of a word in which a mistake is looked for
_SHORTEST = 4  # letters: a shorter word with one left out is any word


def columns(record: Contact | Case) -> dict[str, object]:
    """What stands beside a record, by the name of its column."""
    of = _of_contact(record) if isinstance(record, Contact) else _of_case(record)
    return {"rowno": row_of(record.id), "source": record.source, "filed": is_aside(record)} | of


def is_aside(record: Contact | Case) -> bool:
    """Whether a record is filed away, or another one stands in its place."""
    return record.filed or (isinstance(record, Contact) and bool(record.same_as))


def row_of(key: str) -> int:
    """The number of a record's row: of its id, so that it stays whatever happens to the file.

    >>> row_of("c1") == row_of("c1"), 0 < row_of("c1") < 2**63
    (True, True)
    """
    return int.from_bytes(hashlib.blake2b(key.encode(), digest_size=8).digest(), "big") >> 1


def _of_contact(contact: Contact) -> dict[str, object]:
    names = (contact.first_name, contact.last_name, contact.organisation, contact.household)
    texts = (
        contact.title, *names, contact.email, *contact.addresses, contact.phone, *contact.postal,
        *_texts(contact.more.values()), contact.notes,
    )  # fmt: skip
    last = f"{contact.last_name} {contact.first_name}".strip() or contact.name or contact.email
    return {
        "sort": sort_key(last),
        "address": contact.email.strip().casefold()[:320],
        "household": fold(contact.household)[:200],
        "organisation": fold(contact.organisation)[:200],
        "words": said(texts),
        "near": " ".join((near(said(names).split()), *map(address_key, contact.addresses))).strip(),
    }


def address_key(address: str) -> str:
    """A word that one further mail address is found by, and no other.

    >>> address_key("Ann@x.example") == address_key("ann@X.example")
    True
    """
    plain = address.strip().casefold().encode("utf-8", "replace")
    return f"zq{hashlib.blake2b(plain, digest_size=8).hexdigest()}"


def _of_case(case: Case) -> dict[str, object]:
    number = fold(case.number)[:200]
    texts = (case.number, number, case.title, case.kind, case.state, *_texts(case.fields.values()))
    return {
        "number": number,
        "kind": case.kind[:200],
        "contact": case.contact[:64],
        "words": said((*texts, case.notes)),
        "near": near(said((case.title,)).split()),
    }


def sort_key(text: str) -> str:
    """A name as it is put in order.

    >>> sort_key("Ångström, Åsa")
    'angstrom asa'
    """
    return _GAPS.sub(" ", folded(text)).strip()[:200]


def sorts_of(name: str) -> tuple[str, ...]:
    """A name as it is put in order, with the last name first, whichever comes first in it.

    >>> sorts_of("Ann van Dam")
    ('ann van dam', 'van dam ann', 'dam ann van')
    """
    plain = sort_key(name)
    words = plain.split()
    turned = (" ".join((*words[n:], *words[:n])) for n in (1, len(words) - 1) if words[1:])
    return tuple(dict.fromkeys((plain, *turned)))


def said(texts: Iterable[str]) -> str:
    """The words of texts, without case and accents."""
    return _GAPS.sub(" ", folded(" ".join(texts)[:_LONGEST_WORDS])).strip()


def _texts(values: Iterable[object]) -> Iterator[str]:
    """What can be read of the values of fields, in their JSON form."""
    for value in values:
        if isinstance(value, list | tuple):
            yield from _texts(value)
        elif isinstance(value, dict):
            yield from map(str, value.values())
        elif not isinstance(value, bool):
            yield str(value)


def near(words: Iterable[str]) -> str:
    """The beginnings of words, and the same with each letter left out in turn.

    >>> near(["marsh"])
    'arsh marh mars marsh mash mrsh'
    """
    return " ".join(sorted({key for word in words for key in near_keys(word)}))


def near_keys(word: str) -> set[str]:
    """Under what a word is found that somebody may mistype; nothing for a short one or a number."""
    if len(word) < _SHORTEST or not word.isalpha():
        return set()
    start = word[:_BEGINNING]
    return {start, *(start[:at] + start[at + 1 :] for at in range(len(start)))}
