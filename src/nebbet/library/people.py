"""People and cases: asked for one by one, by page, and by words; never read as a whole."""

from collections.abc import Collection, Iterable
from typing import Any, TypeVar

from msgspec import Struct
from sqlalchemy import Engine, func, or_, select, tuple_

from nebbet.core.portions import portions
from nebbet.core.ranking.words import wanted_words
from nebbet.core.records import Case, Contact, Matter, Person, fold
from nebbet.library.columns import address_key, columns, sorts_of
from nebbet.library.engine import explained, reading
from nebbet.library.people_queries import (
    CANDIDATES,
    any_of,
    best_first,
    case_entry,
    cases_with,
    has_number,
    matching,
    matters,
    of_contacts,
    people_of_cases,
    people_with,
    person_entry,
    persons,
    read_rows,
    with_case,
    with_contact,
)
from nebbet.library.schema import case as _case
from nebbet.library.schema import case_person as _in
from nebbet.library.schema import contact as _contact

PAGE = 200
MOST = 100  # that words find: nobody reads further
_MANY, _FEW = 5000, 400  # keys that are asked for at once: in a column, in an index of words
_BESIDE = 60  # people of a household or an organisation that are told
_CANNOT = "People and cases cannot be read"
_Record = TypeVar("_Record", Contact, Case)


class PeoplePage(Struct, frozen=True):
    """Some people, by name; found says how many there are in all, of how many."""

    rows: list[Contact] = []
    found: int = 0
    of: int = 0


class CasePage(Struct, frozen=True):
    """Some cases, by number, the last first; as a page of people."""

    rows: list[Matter] = []
    found: int = 0
    of: int = 0


class People:
    """Reads the people and cases of a library; only for work in the background. Where filed is
    asked for, those that are filed away are among what is given."""

    def __init__(self, engine: Engine) -> None:
        self._engine = engine

    # One by one

    def contact(self, key: str) -> Contact | None:
        """The person of an id."""
        return self.contacts([key]).get(key)

    def contacts(self, keys: Collection[str]) -> dict[str, Contact]:
        """The people of some ids."""
        return self._some(_contact, Contact, keys)

    def case(self, key: str) -> Case | None:
        """The case of an id."""
        return self.cases([key]).get(key)

    def cases(self, keys: Collection[str]) -> dict[str, Case]:
        """The cases of some ids."""
        return self._some(_case, Case, keys)

    def _some(self, table: Any, kind: type[_Record], keys: Collection[str]) -> dict[str, _Record]:
        wanted = sorted(set(keys))
        if not wanted:
            return {}
        found: list[Any] = []
        with explained(_CANNOT), reading(self._engine) as connection:
            for some in portions(wanted, 500):
                held = select(table.c.id, table.c.data).where(table.c.id.in_(some))
                found += connection.execute(held)
        return {record.id: record for record in read_rows(kind, found)}

    def person(self, key: str) -> Person | None:
        """The person of an id, with their only case."""
        with explained(_CANNOT), reading(self._engine) as connection:
            found = persons(connection, with_case().where(_contact.c.id == key))
        return found[0] if found else None

    def matter(self, key: str) -> Matter | None:
        """The case of an id, with its contact."""
        with explained(_CANNOT), reading(self._engine) as connection:
            found = matters(connection, with_contact().where(_case.c.id == key))
        return found[0] if found else None

    def addressed(self, address: str) -> Person | None:
        """The person who has a mail address, as their first one or another of theirs."""
        wanted = address.strip().casefold()
        if not wanted:
            return None
        with explained(_CANNOT), reading(self._engine) as connection:
            own = with_case().where(_contact.c.address == wanted[:320])
            if found := persons(connection, own.order_by(_contact.c.filed, _contact.c.id)):
                return found[0]
            asked = any_of([address_key(wanted)], connection)
            other = matching(with_case(), "contact", asked, connection, near=True)
            found = persons(connection, other.limit(1))
        return next(iter(found), None)

    def numbered(self, number: str) -> Matter | None:
        """The case of a number, as people write it."""
        wanted = fold(number)[:200]
        query = with_contact().where(_case.c.number == wanted).order_by(_case.c.filed, _case.c.id)
        with explained(_CANNOT), reading(self._engine) as connection:
            found = matters(connection, query.limit(1)) if wanted else []
        return found[0] if found else None

    # Very many at once

    def by_addresses(self, addresses: Iterable[str]) -> dict[str, Contact]:
        """The people who have some mail addresses, by these in small letters."""
        wanted = sorted({address.strip().casefold() for address in addresses} - {""})
        found: dict[str, Contact] = {}
        rows = select(_contact.c.id, _contact.c.data).order_by(_contact.c.filed.desc())
        with explained(_CANNOT), reading(self._engine) as connection:
            for some in portions(wanted, _MANY):
                own = rows.where(_contact.c.address.in_(some))
                for contact in read_rows(Contact, connection.execute(own)):
                    found[contact.email.strip().casefold()] = contact
            for some in portions([one for one in wanted if one not in found], _FEW):
                asked = any_of(map(address_key, some), connection)
                other = matching(rows, "contact", asked, connection, near=True)
                for contact in read_rows(Contact, connection.execute(other)):
                    for address in contact.addresses:
                        found.setdefault(address.strip().casefold(), contact)
        return found

    def by_names(self, names: Iterable[str]) -> dict[str, list[Contact]]:
        """The people of some names, as these are put in order."""
        found: dict[str, list[Contact]] = {}
        rows = select(_contact.c.id, _contact.c.data, _contact.c.sort).where(~_contact.c.filed)
        with explained(_CANNOT), reading(self._engine) as connection:
            for some in portions(sorted({*names} - {""}), _MANY):
                for row in connection.execute(rows.where(_contact.c.sort.in_(some))):
                    for contact in read_rows(Contact, [row]):
                        found.setdefault(row.sort, []).append(contact)
        return found

    def by_spelt_names(self, names: Iterable[str]) -> dict[str, list[Contact]]:
        """The people of some names as they are written, the first or the last name first."""
        sorts = {name: sorts_of(name) for name in names}
        known = self.by_names(sort for both in sorts.values() for sort in both)
        found = {
            name: [one for sort in both for one in known.get(sort, ())]
            for name, both in sorts.items()
        }
        return {name: people for name, people in found.items() if people}

    def by_numbers(self, numbers: Iterable[str]) -> dict[str, Case]:
        """The cases of some numbers, by these as they are compared."""
        found: dict[str, Case] = {}
        rows = select(_case.c.id, _case.c.data).order_by(_case.c.filed.desc())
        with explained(_CANNOT), reading(self._engine) as connection:
            for some in portions(sorted({fold(number)[:200] for number in numbers}), _MANY):
                for case in read_rows(
                    Case, connection.execute(rows.where(_case.c.number.in_(some)))
                ):
                    found[fold(case.number)] = case
        return found

    def from_source(self, source: str) -> list[Contact | Case]:
        """The people and cases that come from a linked table."""
        found: list[Contact | Case] = []
        with explained(_CANNOT), reading(self._engine) as connection:
            people = select(_contact.c.id, _contact.c.data).where(_contact.c.source == source)
            cases = select(_case.c.id, _case.c.data).where(_case.c.source == source)
            found += read_rows(Contact, connection.execute(people))
            found += read_rows(Case, connection.execute(cases))
        return found

    def alike(self, most: int) -> list[list[Contact]]:
        """Groups of people who share an address or a name."""
        groups: list[list[Contact]] = []
        with explained(_CANNOT), reading(self._engine) as connection:
            for column in (_contact.c.address, _contact.c.sort):
                shared = (
                    select(column)
                    .where(column != "", ~_contact.c.filed)
                    .group_by(column)
                    .having(func.count() > 1)
                    .limit(most)
                )
                wanted = list(connection.scalars(shared))
                rows = select(_contact.c.id, _contact.c.data).where(~_contact.c.filed)
                found: dict[str, list[Contact]] = {}
                for some in portions(wanted, _MANY):
                    in_one = rows.where(column.in_(some)).order_by(_contact.c.id)
                    for contact in read_rows(Contact, connection.execute(in_one)):
                        found.setdefault(str(columns(contact)[column.name]), []).append(contact)
                groups += found.values()
        return groups

    # Of each other

    def cases_of(self, contact: str, most: int = PAGE) -> list[Case]:
        """The cases that somebody is in, the last number first."""
        query = (
            select(_case.c.id, _case.c.data)
            .join(_in, _in.c.case_ == _case.c.id)
            .where(_in.c.contact == contact)
            .order_by(_case.c.filed, _case.c.number.desc())
            .limit(most)
        )
        with explained(_CANNOT), reading(self._engine) as connection:
            return read_rows(Case, connection.execute(query))

    def beside(self, contact: Contact) -> list[Contact]:
        """The other people of somebody's household and organisation."""
        same = []
        if contact.household:
            same.append(_contact.c.household == fold(contact.household)[:200])
        if contact.organisation:
            same.append(_contact.c.organisation == fold(contact.organisation)[:200])
        if not same:
            return []
        query = (
            select(_contact.c.id, _contact.c.data)
            .where(or_(*same), _contact.c.id != contact.id, ~_contact.c.filed)
            .order_by(_contact.c.sort)
            .limit(_BESIDE)
        )
        with explained(_CANNOT), reading(self._engine) as connection:
            return read_rows(Contact, connection.execute(query))

    # By page

    def people_page(
        self, after: Contact | None = None, *, filed: bool = False, size: int = PAGE
    ) -> PeoplePage:
        """People by name; after is the last one that is shown already."""
        query = select(_contact.c.id, _contact.c.data).order_by(_contact.c.sort, _contact.c.id)
        count = select(func.count()).select_from(_contact)
        if not filed:
            query, count = query.where(~_contact.c.filed), count.where(~_contact.c.filed)
        if after is not None:
            at = tuple_(_contact.c.sort, _contact.c.id)
            query = query.where(at > tuple_(str(columns(after)["sort"]), after.id))
        with explained(_CANNOT), reading(self._engine) as connection:
            rows = read_rows(Contact, connection.execute(query.limit(size)))
            if after is not None:
                return PeoplePage(rows)
            of = connection.scalar(count) or 0
        return PeoplePage(rows, of, of)

    def case_page(
        self,
        after: Case | None = None,
        *,
        kind: str = "",
        filed: bool = False,
        size: int = PAGE,
    ) -> CasePage:
        """Cases, the last number first; of one kind alone where one is given."""
        query = with_contact().order_by(_case.c.number.desc(), _case.c.id.desc())
        count = select(func.count()).select_from(_case)
        if not filed:
            query, count = query.where(~_case.c.filed), count.where(~_case.c.filed)
        if kind:
            query, count = query.where(_case.c.kind == kind), count.where(_case.c.kind == kind)
        if after is not None:
            at = tuple_(_case.c.number, _case.c.id)
            query = query.where(at < tuple_(fold(after.number)[:200], after.id))
        with explained(_CANNOT), reading(self._engine) as connection:
            rows = matters(connection, query.limit(size))
            if after is not None:
                return CasePage(rows)
            of = connection.scalar(count) or 0
        return CasePage(rows, of, of)

    # By words

    def find_people(self, words: str, most: int = MOST) -> list[Person]:
        """People by name, address, organisation, number of a case or any other field, best first;
        a mistake in a name is forgiven. Without words, the first by name."""
        wanted = wanted_words(words.replace("_", " "))
        with explained(_CANNOT), reading(self._engine) as connection:
            if not wanted:
                first = with_case().where(~_contact.c.filed).order_by(_contact.c.sort)
                return [] if words.strip() else persons(connection, first.limit(most))
            found = {one.contact.id: one for one in people_with(connection, wanted)}
            ordered = best_first(words, [person_entry(one) for one in found.values()])
            by_number = people_of_cases(connection, wanted) if has_number(wanted) else []
        best = [found[key] for key in ordered]
        known = {one.contact.id for one in best}
        best += [one for one in by_number if one.contact.id not in known]
        return sorted(best, key=lambda one: one.contact.filed)[:most]

    def find_cases(self, words: str, contact: str = "", most: int = MOST) -> list[Matter]:
        """Cases by number, title, kind, people in them or any other field, best first; those of a
        contact before the others. Without words, the last ones."""
        wanted = wanted_words(words.replace("_", " "))
        with explained(_CANNOT), reading(self._engine) as connection:
            if not wanted:
                if words.strip():
                    return []
                last = with_contact().order_by(_case.c.filed, _case.c.number.desc()).limit(most)
                own = of_contacts(last, [contact])
                rows = [
                    *(matters(connection, own) if contact else ()),
                    *matters(connection, last),
                ]
                return list({one.case.id: one for one in rows}.values())[:most]
            found = {one.case.id: one for one in cases_with(connection, wanted)}
            people = [one.contact for one in people_with(connection, wanted)][:20]
            theirs = of_contacts(with_contact(), [one.id for one in people])
            for one in matters(connection, theirs.limit(CANDIDATES)) if people else ():
                found.setdefault(one.case.id, one)
        names = {one.id: one.name for one in people}
        ordered = best_first(words, [case_entry(one, names) for one in found.values()])
        best = [found[key] for key in ordered]
        best.sort(key=lambda one: (one.case.filed, bool(contact) and one.case.contact != contact))
        return best[:most]


def count(engine: Engine) -> tuple[int, int]:
    """How many people and how many cases there are."""
    with explained(_CANNOT), reading(engine) as connection:
        people = connection.scalar(select(func.count()).select_from(_contact)) or 0
        return people, connection.scalar(select(func.count()).select_from(_case)) or 0
