"""Two records of one person become one, and people who may be that are found."""

from collections.abc import Collection, Iterable

from msgspec.structs import replace

from nebbet.core.records import Case, Contact
from nebbet.core.records.likeness import Twins, merged, twins_of
from nebbet.library.people import People
from nebbet.library.people_writing import Changed

_MOST = 200  # pairs that are put to a person at once


def merging(
    people: People, kept: Contact, other: Contact, from_other: Collection[str] = ()
) -> list[Changed]:
    """What makes one person of two: the kept record says what both said, the other one stays as a
    mark of where it went, and its cases are the kept one's. from_other as in merged."""
    changes = [
        Changed(kept, merged(kept, other, from_other)),
        Changed(other, replace(other, same_as=kept.id)),
    ]
    for case in people.cases_of(other.id, most=10_000):
        changes.append(Changed(case, _of(case, other.id, kept.id)))
    return changes


def _of(case: Case, before: str, now: str) -> Case:
    """A case in which somebody has another id."""
    contact = now if case.contact == before else case.contact
    others = dict.fromkeys(now if one == before else one for one in case.people)
    return replace(case, contact=contact, people=tuple(one for one in others if one != contact))


def telling_apart(one: Contact, other: Contact) -> list[Changed]:
    """What says of two records that they are of two people, for good."""
    return [
        Changed(one, replace(one, apart=(*one.apart, other.id))),
        Changed(other, replace(other, apart=(*other.apart, one.id))),
    ]


def likely_twins(people: People, most: int = _MOST) -> list[Twins]:
    """Pairs of all who may be one person, the likeliest first: those who share an address or a
    name."""
    found: dict[tuple[str, str], Twins] = {}
    for group in people.alike(most):
        for twins in _pairs(group):
            key = tuple(sorted((twins.one.id, twins.other.id)))
            found.setdefault((key[0], key[1]), twins)
    return sorted(found.values(), key=lambda twins: -twins.likely)[:most]


def _pairs(group: list[Contact]) -> Iterable[Twins]:
    for index, one in enumerate(group):
        yield from twins_of(one, group[index + 1 :])
