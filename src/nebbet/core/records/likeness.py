"""How likely it is that two records are of one person, and one record made of two."""

from collections.abc import Collection, Iterable, Iterator

from msgspec import Struct
from msgspec.structs import replace
from rapidfuzz.distance import JaroWinkler

from nebbet.core.characters import folded
from nebbet.core.records.rows import Contact
from nebbet.core.sentences import said

LIKELY = 0.7  # from here on two are put to a person as perhaps one
_SAME_NAME = 0.94  # of 1: a letter or two in a name (Jaro and Winkler, over both names)


class Twins(Struct, frozen=True):
    """Two who may be one person: how likely from 0 to 1, and why, in words."""

    one: Contact
    other: Contact
    likely: float
    why: str


def likeness(one: Contact, other: Contact) -> tuple[float, str]:
    """How likely two records are of one person, from 0 to 1, and why.

    The same address alone is not proof: people of a household share one.

    >>> likeness(Contact("1", "a@x.example", first_name="Ann", last_name="Pell"),
    ...          Contact("2", "a@x.example", first_name="Anne", last_name="Pell"))
    (0.97, 'the same address, nearly the same name')
    """
    names = _names_alike(one, other)
    shared = _addresses(one) & _addresses(other)
    phone = _digits(one.phone) and _digits(one.phone) == _digits(other.phone)
    where = _place(one) & _place(other)
    score, why = 0.0, []
    if shared:
        score = {2: 1.0, 1: 0.97, 0: 0.75}.get(names, 0.3)
        why.append(said("the same address"))
    elif names > 0:
        score = 0.75 if names == 2 else 0.5
        score += 0.2 if phone or where else 0.0
        score += 0.1 if _near_address(one, other) else 0.0
    if phone:
        why.append(said("the same telephone"))
    if names == 2:
        why.append(said("the same name"))
    elif names == 1:
        why.append(said("nearly the same name"))
    elif not names and shared:
        why.append(said("one has no name"))
    if where and not shared:
        why.append(said("the same organisation or household"))
    return round(min(score, 1.0), 2), ", ".join(why)


def _names_alike(one: Contact, other: Contact) -> int:
    """2 for the same name, 1 for nearly, 0 where one has none, -1 for another."""
    left, right = _name(one), _name(other)
    if not left or not right:
        return 0
    if sorted(left.split()) == sorted(right.split()):
        return 2
    if set(left.split()) < set(right.split()) or set(right.split()) < set(left.split()):
        return 1  # one says a part of what the other says
    alike = JaroWinkler.similarity(left, right)
    lasts = folded(one.last_name), folded(other.last_name)
    same_last = JaroWinkler.similarity(*lasts) > _SAME_NAME
    firsts = folded(one.first_name), folded(other.first_name)
    initial = all(firsts) and firsts[0][0] == firsts[1][0] and 1 in map(len, _bare(firsts))
    return 1 if same_last and (alike > _SAME_NAME or initial) else -1


def _bare(names: Iterable[str]) -> Iterator[str]:
    return (name.strip(". ") for name in names)


def _name(contact: Contact) -> str:
    return folded(f"{contact.first_name} {contact.last_name}").strip()


def _addresses(contact: Contact) -> set[str]:
    every = (contact.email, *contact.addresses)
    return {one.strip().casefold() for one in every if one.strip()}


def _near_address(one: Contact, other: Contact) -> bool:
    """Whether two have the same name at two places, as after a change of work."""
    locals_ = [{a.partition("@")[0] for a in _addresses(contact)} for contact in (one, other)]
    return any(len(name) > 4 for name in locals_[0] & locals_[1])


def _digits(phone: str) -> str:
    digits = "".join(char for char in phone if char.isdigit())
    return digits[-9:] if len(digits) >= 7 else ""


def _place(contact: Contact) -> set[str]:
    return {folded(text) for text in (contact.organisation, contact.household) if text.strip()}


def twins_of(contact: Contact, others: Iterable[Contact]) -> list[Twins]:
    """Those of others who may be the same person, the likeliest first."""
    found = []
    for other in others:
        if other.id == contact.id or other.same_as or contact.same_as:
            continue
        if other.id in contact.apart or contact.id in other.apart:
            continue  # somebody said so
        likely, why = likeness(contact, other)
        if likely >= LIKELY:
            found.append(Twins(contact, other, likely, why))
    return sorted(found, key=lambda twins: -twins.likely)


# What one of two records has one of, so that a person may choose whose stands; a name is one.
SINGLE = ("title", "name", "email", "organisation", "phone", "language", "greeting", "household")
_MORE = "more."


def merged(kept: Contact, other: Contact, from_other: Collection[str] = ()) -> Contact:
    """One record of two: what the kept one says stands, what it lacks comes from the other;
    addresses, postal addresses, notes and lines are of both. from_other names what the other one
    says better: of SINGLE, or further fields as more.NAME.

    >>> merged(Contact("1", "a@x.example"), Contact("2", "b@x.example", phone="1")).addresses
    ('b@x.example',)
    >>> merged(Contact("1", phone="1"), Contact("2", phone="2"), ["phone"]).phone
    '2'
    """

    def best(name: str, asked: str = "") -> str:
        first, second = (other, kept) if (asked or name) in from_other else (kept, other)
        return str(getattr(first, name) or getattr(second, name))

    filled = {name: best(name) for name in SINGLE if name != "name"}
    filled |= {name: best(name, "name") for name in ("first_name", "last_name")}
    known = {filled["email"].casefold()}
    further: list[str] = []
    for address in (kept.email, *kept.addresses, other.email, *other.addresses):
        if address and address.casefold() not in known:
            known.add(address.casefold())
            further.append(address)
    phones = dict.fromkeys((kept.phone, other.phone))
    lines = [f"TEL:{phone}" for phone in phones if phone and phone != filled["phone"]]
    notes = [text for text in dict.fromkeys((kept.notes, other.notes)) if text]
    chosen = {name: value for name, value in other.more.items() if _MORE + name in from_other}
    return replace(
        kept,
        **filled,
        more={**other.more, **kept.more, **chosen},
        addresses=tuple(further),
        postal=tuple(dict.fromkeys((*kept.postal, *other.postal))),
        notes="\n\n".join(notes),
        kept=tuple(dict.fromkeys((*kept.kept, *other.kept, *lines))),
        filed=kept.filed and other.filed,
        once=(*kept.once, other.id, *other.once),
    )
