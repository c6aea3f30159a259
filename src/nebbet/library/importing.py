"""What the rows of a table, or the cards of a file, would do to the people and cases there are:
seen before anything is written."""

from collections import Counter
from collections.abc import Callable, Iterable, Mapping, Sequence
from typing import Literal

from msgspec import Struct
from msgspec.structs import replace

from nebbet.core.records import Case, Contact, fold
from nebbet.core.records.incoming import Incoming
from nebbet.core.sentences import said
from nebbet.library.columns import columns
from nebbet.library.people import People
from nebbet.library.people_writing import Changed, Record

State = Literal["new", "changed", "same", "doubled", "refused"]
STATES: tuple[State, ...] = ("new", "changed", "same", "doubled", "refused")
_OWN = (
    "id",
    "filed",
    "same_as",
    "once",
    "apart",
    "source",
    "gone",
    "files",
)  # what no table says of a record
Token = Callable[[], str]


class Planned(Struct, frozen=True):
    """What becomes of one row: its number in its file, its record as it will be and as it is now,
    and why it is left out, or what was made of it."""

    number: int
    state: State
    record: Record | None = None
    before: Record | None = None
    reason: str = ""


class Plan(Struct, frozen=True):
    """What becomes of each row; beside are people who come in with cases."""

    rows: tuple[Planned, ...] = ()
    beside: tuple[Contact, ...] = ()

    @property
    def counts(self) -> Mapping[str, int]:
        """How many rows are in each state."""
        found = Counter(row.state for row in self.rows)
        return {state: found[state] for state in STATES}

    def changes(self) -> list[Changed]:
        """What is to be done, in order."""
        own = (Changed(row.before, row.record) for row in self.rows
               if row.state in ("new", "changed"))  # fmt: skip
        return [*(Changed(None, one) for one in self.beside), *own]


def plan_people(people: People, incoming: Iterable[Incoming], token: Token) -> Plan:
    """What rows of people would do. Somebody is known by an address, or, where a row has none, by
    a name that only one person has."""
    rows = [*incoming]
    contacts = [row.record for row in rows if isinstance(row.record, Contact)]
    by_address = people.by_addresses(one for contact in contacts for one in _addresses(contact))
    by_name = people.by_names(_sort(contact) for contact in contacts if not contact.email)
    seen: dict[str, int] = {}
    planned: list[Planned] = []
    for row in rows:
        contact = row.record
        if not isinstance(contact, Contact):
            planned.append(Planned(row.number, "refused", reason=row.refused))
            continue
        keys = _addresses(contact) or [f"{_sort(contact)}/{fold(contact.organisation)}"]
        earlier = next((seen[key] for key in keys if key in seen), None)
        if earlier is not None:
            reason = said("the same as row {number}", number=earlier)
            planned.append(Planned(row.number, "doubled", contact, reason=reason))
            continue
        seen |= dict.fromkeys(keys, row.number)
        known = _known(contact, by_address, by_name)
        if isinstance(known, int):
            reason = said("{count} people have this name: an address would tell them apart",
                          count=known)  # fmt: skip
            planned.append(Planned(row.number, "doubled", contact, reason=reason))
        else:
            planned.append(_planned(row.number, contact, known, token))
    return Plan(tuple(planned))


def _addresses(contact: Contact) -> list[str]:
    return [address.strip().casefold() for address in contact.every_address]


def _sort(contact: Contact) -> str:
    return str(columns(contact)["sort"])


def _known(
    contact: Contact,
    by_address: Mapping[str, Contact],
    by_name: Mapping[str, Sequence[Contact]],
) -> Contact | int | None:
    """Who it is on file; how many it may be where that cannot be told."""
    for address in _addresses(contact):
        if address in by_address:
            return by_address[address]
    if contact.email:
        return None
    place = fold(contact.organisation)
    same = [
        one
        for one in by_name.get(_sort(contact), ())
        if not place or not one.organisation or fold(one.organisation) == place
    ]
    return len(same) if len(same) > 1 else next(iter(same), None)


def _planned(number: int, record: Record, known: Record | None, token: Token) -> Planned:
    """What becomes of a row whose record is known, or new."""
    if known is None:
        return Planned(number, "new", replace(record, id=token()))
    if known.source:
        reason = said("it comes from a linked table, and is not changed here")
        return Planned(number, "refused", record, known, reason)
    made = filled(known, record)
    return Planned(number, "same" if made == known else "changed", made, known)


def filled(known: Record, given: Record) -> Record:
    """A record with what a row says of it; what the row does not say stays.

    >>> filled(Contact("1", "a@x.example", phone="1"), Contact("", "a@x.example", title="Dr")).phone
    '1'
    """
    said_of = {
        name: value
        for name in given.__struct_fields__
        if name not in _OWN and (value := getattr(given, name))
    }
    for name in ("more", "fields"):
        if name in said_of:
            said_of[name] = {**getattr(known, name), **said_of[name]}
    if isinstance(known, Contact) and isinstance(given, Contact):
        if known.email:
            said_of["email"] = known.email  # the row may know them by another address of theirs
        held = [*known.addresses, *given.addresses]
        own = str(said_of.get("email", known.email)).casefold()
        further = {address.casefold(): address for address in reversed(held)}
        further.pop(own, None)
        said_of["addresses"] = tuple(reversed([*further.values()]))
        for name in ("postal", "kept"):
            both = (*getattr(known, name), *getattr(given, name))
            said_of[name] = tuple(dict.fromkeys(both))
    return replace(known, **said_of)


# Cases


def plan_cases(people: People, incoming: Iterable[Incoming], token: Token) -> Plan:
    """What rows of cases would do. A case is known by its number; its contact by an address, or a
    name that only one person has. An address that nobody has comes in as somebody new."""
    rows = [*incoming]
    cases = [row for row in rows if isinstance(row.record, Case)]
    by_number = people.by_numbers(row.record.number for row in cases if row.record)  # type: ignore[union-attr]
    words = {word for row in cases for word in (row.whose, *row.people) if word}
    who = Who(people, words, token)
    seen: dict[str, int] = {}
    planned: list[Planned] = []
    for row in rows:
        case = row.record
        if not isinstance(case, Case):
            planned.append(Planned(row.number, "refused", reason=row.refused))
            continue
        key = fold(case.number)
        if key in seen:
            reason = said("the same number as row {number}", number=seen[key])
            planned.append(Planned(row.number, "doubled", case, reason=reason))
            continue
        seen[key] = row.number
        found = with_people(row, who)
        made = _planned(row.number, found, by_number.get(key), token)
        if (
            row.whose
            and isinstance(found, Case)
            and not found.contact
            and made.state in ("new", "changed", "same")
        ):
            reason = said("nobody is called “{name}”: it has no contact", name=row.whose[:80])
            made = replace(made, reason=reason)
        planned.append(made)
    return Plan(tuple(planned), tuple(who.new.values()))


def with_people(row: Incoming, who: "Who") -> Record:
    """The record of a row, with the people that it names where it is a case."""
    assert row.record is not None
    if isinstance(row.record, Contact):
        return row.record
    others = tuple(filter(None, map(who.of, row.people)))
    return replace(row.record, contact=who.of(row.whose), people=others)


class Who:
    """Finds the people whom cells name; those of addresses that nobody has are new."""

    def __init__(self, people: People, words: Iterable[str], token: Token) -> None:
        words = [*words]
        self._token = token
        self._by_address = people.by_addresses(word for word in words if "@" in word)
        self._by_name = people.by_spelt_names(word for word in words if "@" not in word)
        self.new: dict[str, Contact] = {}

    def of(self, word: str) -> str:
        """The id of whom a cell names; nothing where nobody is meant, or several may be."""
        if not word:
            return ""
        if "@" in word:
            key = word.strip().casefold()
            known = self._by_address.get(key) or self.new.get(key)
            if known is None:
                known = self.new[key] = Contact(self._token(), email=word.strip())
            return known.id
        same = {one.id: one for one in self._by_name.get(word, ())}
        return next(iter(same)) if len(same) == 1 else ""
