"""People and cases: asked for one by one, by page, and by words; never read as a whole."""

from collections.abc import Collection, Iterable, Sequence
from typing import Any, TypeVar

from msgspec import Struct
from sqlalchemy import Connection, Engine, Select, func, or_, select, text, tuple_

from nebbet.core.ranking import Entry
from nebbet.core.ranking.index import Index
from nebbet.core.ranking.words import wanted_words
from nebbet.core.records import Case, Contact, fold
from nebbet.library.columns import near_keys, sort_key
from nebbet.library.engine import explained, reading
from nebbet.library.reader import Reader
from nebbet.library.schema import case as _case
from nebbet.library.schema import case_person as _in
from nebbet.library.schema import contact as _contact

PAGE = 200
MOST = 100  # that words find: nobody reads further
_ENOUGH = 5  # that have the words as they were typed: then nobody looks for mistakes in them
_CANDIDATES = 300  # that are put in order
_BESIDE = 60  # people of a household or an organisation that are told
_CANNOT = "People and cases cannot be read"
_Record = TypeVar("_Record", Contact, Case)


class Person(Struct, frozen=True):
    """Somebody on file, and their case where they have only one."""

    contact: Contact
    case: Case | None = None


class Matter(Struct, frozen=True):
    """A case and its contact, where that is on file."""

    case: Case
    contact: Contact | None = None


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
            for start in range(0, len(wanted), 500):
                some = table.c.id.in_(wanted[start : start + 500])
                found += connection.execute(select(table.c.id, table.c.data).where(some))
        return {record.id: record for record in _read(kind, found)}

    def person(self, key: str) -> Person | None:
        """The person of an id, with their only case."""
        with explained(_CANNOT), reading(self._engine) as connection:
            found = _persons(connection, _with_case().where(_contact.c.id == key))
        return found[0] if found else None

    def matter(self, key: str) -> Matter | None:
        """The case of an id, with its contact."""
        with explained(_CANNOT), reading(self._engine) as connection:
            found = _matters(connection, _with_contact().where(_case.c.id == key))
        return found[0] if found else None

    def addressed(self, address: str) -> Person | None:
        """The person who has a mail address, as their first one or another of theirs."""
        wanted = address.strip().casefold()
        if not wanted:
            return None
        with explained(_CANNOT), reading(self._engine) as connection:
            own = _with_case().where(_contact.c.address == wanted[:320])
            if found := _persons(connection, own.order_by(_contact.c.filed, _contact.c.id)):
                return found[0]
            words = wanted_words(wanted.replace("_", " "))
            having = _matching(_with_case(), "contact", _all(words, connection), connection)
            for person in _persons(connection, having.limit(PAGE)) if words else ():
                if wanted in (other.strip().casefold() for other in person.contact.addresses):
                    return person
        return None

    def numbered(self, number: str) -> Matter | None:
        """The case of a number, as people write it."""
        wanted = fold(number)[:200]
        query = _with_contact().where(_case.c.number == wanted).order_by(_case.c.filed, _case.c.id)
        with explained(_CANNOT), reading(self._engine) as connection:
            found = _matters(connection, query.limit(1)) if wanted else []
        return found[0] if found else None

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
            return _read(Case, connection.execute(query))

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
            return _read(Contact, connection.execute(query))

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
            from nebbet.library.columns import columns

            at = tuple_(_contact.c.sort, _contact.c.id)
            query = query.where(at > tuple_(str(columns(after)["sort"]), after.id))
        with explained(_CANNOT), reading(self._engine) as connection:
            rows = _read(Contact, connection.execute(query.limit(size)))
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
        query = _with_contact().order_by(_case.c.number.desc(), _case.c.id.desc())
        count = select(func.count()).select_from(_case)
        if not filed:
            query, count = query.where(~_case.c.filed), count.where(~_case.c.filed)
        if kind:
            query, count = query.where(_case.c.kind == kind), count.where(_case.c.kind == kind)
        if after is not None:
            at = tuple_(_case.c.number, _case.c.id)
            query = query.where(at < tuple_(fold(after.number)[:200], after.id))
        with explained(_CANNOT), reading(self._engine) as connection:
            rows = _matters(connection, query.limit(size))
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
                first = _with_case().where(~_contact.c.filed).order_by(_contact.c.sort)
                return [] if words.strip() else _persons(connection, first.limit(most))
            found = {one.contact.id: one for one in _people_with(connection, wanted)}
            ordered = _ordered(words, [_person_entry(one) for one in found.values()])
            by_number = _people_of_cases(connection, wanted) if _has_number(wanted) else []
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
                last = _with_contact().order_by(_case.c.filed, _case.c.number.desc()).limit(most)
                own = _of_contact(last, contact)
                rows = [
                    *(_matters(connection, own) if contact else ()),
                    *_matters(connection, last),
                ]
                return list({one.case.id: one for one in rows}.values())[:most]
            found = {one.case.id: one for one in _cases_with(connection, wanted)}
            people = [one.contact for one in _people_with(connection, wanted)][:20]
            theirs = _of_contacts(_with_contact(), [one.id for one in people])
            for one in _matters(connection, theirs.limit(_CANDIDATES)) if people else ():
                found.setdefault(one.case.id, one)
        names = {one.id: one.name for one in people}
        ordered = _ordered(words, [_case_entry(one, names) for one in found.values()])
        best = [found[key] for key in ordered]
        best.sort(key=lambda one: (one.case.filed, bool(contact) and one.case.contact != contact))
        return best[:most]


# Statements: what each row brings along saves another way to a server


def _with_case() -> Select[Any]:
    """People, each with the number of their cases and one of them."""
    of = _in.c.contact == _contact.c.id
    count = select(func.count()).select_from(_in).where(of).scalar_subquery()
    first = select(func.min(_in.c.case_)).where(of).scalar_subquery()
    return select(
        _contact.c.id, _contact.c.data, count.label("cases"), _case.c.data.label("case_data")
    ).select_from(_contact.outerjoin(_case, _case.c.id == first))


def _with_contact() -> Select[Any]:
    """Cases, each with its contact."""
    return select(_case.c.id, _case.c.data, _contact.c.data.label("contact_data")).select_from(
        _case.outerjoin(_contact, _contact.c.id == _case.c.contact)
    )


def _of_contact(query: Select[Any], contact: str) -> Select[Any]:
    return _of_contacts(query, [contact])


def _of_contacts(query: Select[Any], contacts: Sequence[str]) -> Select[Any]:
    """Of cases, those that some people are in."""
    theirs = select(_in.c.case_).where(_in.c.contact.in_(contacts))
    return query.where(_case.c.id.in_(theirs))


def _persons(connection: Connection, query: Select[Any]) -> list[Person]:
    reader, found = Reader(), []
    for row in connection.execute(query):
        contact = reader.decoded(row.data, Contact, "contact", row.id)
        only = row.case_data if row.cases == 1 else None
        case = reader.decoded(only, Case, "case_", row.id) if only else None
        if contact and contact.id == row.id:
            found.append(Person(contact, case))
    return found


def _matters(connection: Connection, query: Select[Any]) -> list[Matter]:
    reader, found = Reader(), []
    for row in connection.execute(query):
        case = reader.decoded(row.data, Case, "case_", row.id)
        data = row.contact_data
        contact = reader.decoded(data, Contact, "contact", row.id) if data else None
        if case and case.id == row.id:
            found.append(Matter(case, contact))
    return found


def _read(kind: type[_Record], rows: Iterable[Any]) -> list[_Record]:
    reader = Reader()
    made = ((row.id, reader.decoded(row.data, kind, kind.__name__, row.id)) for row in rows)
    return [record for key, record in made if record is not None and record.id == key]


# Words


def _people_with(connection: Connection, wanted: list[str]) -> list[Person]:
    """The people who have all the words; where few have, also those who nearly have."""
    asked = _all(wanted, connection)
    start = sort_key(wanted[0])
    after = start[:-1] + chr(ord(start[-1]) + 1)
    first = (_contact.c.sort >= start) & (_contact.c.sort < after)
    best = _with_case().where(first).order_by(_contact.c.sort).limit(_CANDIDATES // 3)
    found = _persons(connection, _matching(best, "contact", asked, connection))
    if len(found) < _CANDIDATES // 3:
        rest = _matching(_with_case(), "contact", asked, connection)
        found += _persons(connection, rest.limit(_CANDIDATES))
    if len(found) < _ENOUGH and (near := _nearly(_with_case(), "contact", wanted, connection)):
        found += _persons(connection, near[0].limit(_CANDIDATES))
    return found


def _cases_with(connection: Connection, wanted: list[str]) -> list[Matter]:
    """As `_people_with`, of cases."""
    query = _matching(_with_contact(), "case_", _all(wanted, connection), connection)
    found = _matters(connection, query.limit(_CANDIDATES))
    if len(found) < _ENOUGH and (near := _nearly(_with_contact(), "case_", wanted, connection)):
        found += _matters(connection, near[0].limit(_CANDIDATES))
    return found


def _people_of_cases(connection: Connection, wanted: list[str]) -> list[Person]:
    """The people in the cases that have all the words."""
    asked = _all(wanted, connection)
    cases = _matching(select(_case.c.id), "case_", asked, connection).limit(20)
    people = select(_in.c.contact).where(_in.c.case_.in_(cases.scalar_subquery()))
    return _persons(connection, _with_case().where(_contact.c.id.in_(people)).limit(20))


def _has_number(wanted: Iterable[str]) -> bool:
    return any(char.isdigit() for word in wanted for char in word)


def _all(wanted: Iterable[str], connection: Connection) -> str:
    """What asks an index for all words, each as it begins. They are letters and digits alone."""
    if connection.dialect.name == "postgresql":
        return " & ".join(f"{word}:*" for word in wanted)
    return " AND ".join(f'"{word}"*' for word in wanted)


def _nearly(
    query: Select[Any], table: str, wanted: Iterable[str], connection: Connection
) -> list[Select[Any]]:
    """A query of what has the words as they are with a mistake, and as they were typed those that
    are too short to have one; nothing where all are."""
    on_server = connection.dialect.name == "postgresql"
    asked, exact = [], []
    for word in wanted:
        keys = sorted(near_keys(word))
        quoted = keys if on_server else [f'"{key}"' for key in keys]
        if keys:
            asked.append(f"({(' | ' if on_server else ' OR ').join(quoted)})")
        else:
            exact.append(word)
    if not asked:
        return []
    if exact:
        query = _matching(query, table, _all(exact, connection), connection)
    like = (" & " if on_server else " AND ").join(asked)
    return [_matching(query, table, like, connection, near=True)]


def _matching(
    query: Select[Any], table: str, asked: str, connection: Connection, *, near: bool = False
) -> Select[Any]:
    """Of a query, what an index of words has."""
    column = "near" if near else "words"
    if connection.dialect.name == "postgresql":
        found = (
            f"to_tsvector('pg_catalog.simple', {table}.{column}) "
            f"@@ to_tsquery('pg_catalog.simple', :asked)"
        )
    else:
        found = (
            f"{table}.rowno IN (SELECT rowid FROM {table}_words WHERE {table}_words MATCH :asked)"
        )
        asked = f"{{{column}}} : ({asked})"
    name = f"asked_{column}"
    return query.where(text(found.replace(":asked", f":{name}")).bindparams(**{name: asked}))


def _ordered(words: str, entries: list[Entry]) -> list[str]:
    return Index(entries).find(words)


def _person_entry(one: Person) -> Entry:
    contact = one.contact
    other = (*contact.addresses, contact.phone, contact.household, *contact.postal)
    more = " ".join(map(str, (*other, *contact.more.values(), contact.notes)))
    return Entry(contact.id, (contact.name, contact.email, contact.organisation, more))


def _case_entry(one: Matter, names: dict[str, str]) -> Entry:
    case = one.case
    who = one.contact.name if one.contact else ""
    others = " ".join(names.get(key, "") for key in case.people)
    more = " ".join(map(str, (*case.fields.values(), case.state, case.notes)))
    number = f"{case.number} {fold(case.number)}"
    return Entry(case.id, (number, case.title, case.kind, f"{who} {others}", more))


def count(engine: Engine) -> tuple[int, int]:
    """How many people and how many cases there are."""
    with explained(_CANNOT), reading(engine) as connection:
        people = connection.scalar(select(func.count()).select_from(_contact)) or 0
        return people, connection.scalar(select(func.count()).select_from(_case)) or 0
