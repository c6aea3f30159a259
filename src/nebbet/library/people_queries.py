"""What the database is asked about people and cases, and reading what it says."""

from collections.abc import Iterable, Sequence
from typing import Any, TypeVar

from sqlalchemy import Connection, Select, func, select, text

from nebbet.core.ranking import Entry
from nebbet.core.ranking.index import Index
from nebbet.core.records import Case, Contact, Matter, Person, fold
from nebbet.library.columns import near_keys, sort_key
from nebbet.library.reader import Reader
from nebbet.library.schema import case as _case
from nebbet.library.schema import case_person as _in
from nebbet.library.schema import contact as _contact

_ENOUGH = 5  # that have the words as they were typed: then nobody looks for mistakes in them
CANDIDATES = 300  # that are put in order
_Record = TypeVar("_Record", Contact, Case)


# Statements: what each row brings along saves another way to a server


def with_case() -> Select[Any]:
    """People, each with the number of their cases and one of them."""
    of = _in.c.contact == _contact.c.id
    count = select(func.count()).select_from(_in).where(of).scalar_subquery()
    first = select(func.min(_in.c.case_)).where(of).scalar_subquery()
    return select(
        _contact.c.id, _contact.c.data, count.label("cases"), _case.c.data.label("case_data")
    ).select_from(_contact.outerjoin(_case, _case.c.id == first))


def with_contact() -> Select[Any]:
    """Cases, each with its contact."""
    return select(_case.c.id, _case.c.data, _contact.c.data.label("contact_data")).select_from(
        _case.outerjoin(_contact, _contact.c.id == _case.c.contact)
    )


def of_contacts(query: Select[Any], contacts: Sequence[str]) -> Select[Any]:
    """Of cases, those that some people are in."""
    theirs = select(_in.c.case_).where(_in.c.contact.in_(contacts))
    return query.where(_case.c.id.in_(theirs))


def persons(connection: Connection, query: Select[Any]) -> list[Person]:
    """The people of a query as `with_case`."""
    reader, found = Reader(), []
    for row in connection.execute(query):
        contact = reader.decoded(row.data, Contact, "contact", row.id)
        only = row.case_data if row.cases == 1 else None
        case = reader.decoded(only, Case, "case_", row.id) if only else None
        if contact and contact.id == row.id:
            found.append(Person(contact, case))
    return found


def matters(connection: Connection, query: Select[Any]) -> list[Matter]:
    """The cases of a query as `with_contact`."""
    reader, found = Reader(), []
    for row in connection.execute(query):
        case = reader.decoded(row.data, Case, "case_", row.id)
        data = row.contact_data
        contact = reader.decoded(data, Contact, "contact", row.id) if data else None
        if case and case.id == row.id:
            found.append(Matter(case, contact))
    return found


def read_rows(kind: type[_Record], rows: Iterable[Any]) -> list[_Record]:
    """The records of rows; what nobody can read is passed over."""
    reader = Reader()
    made = ((row.id, reader.decoded(row.data, kind, kind.__name__, row.id)) for row in rows)
    return [record for key, record in made if record is not None and record.id == key]


# Words


def people_with(connection: Connection, wanted: list[str]) -> list[Person]:
    """The people who have all the words; where few have, also those who nearly have."""
    asked = all_of(wanted, connection)
    start = sort_key(wanted[0])
    after = start[:-1] + chr(ord(start[-1]) + 1)
    first = (_contact.c.sort >= start) & (_contact.c.sort < after)
    best = with_case().where(first).order_by(_contact.c.sort).limit(CANDIDATES // 3)
    found = persons(connection, matching(best, "contact", asked, connection))
    if len(found) < CANDIDATES // 3:
        rest = matching(with_case(), "contact", asked, connection)
        found += persons(connection, rest.limit(CANDIDATES))
    if len(found) < _ENOUGH and (near := _nearly(with_case(), "contact", wanted, connection)):
        found += persons(connection, near[0].limit(CANDIDATES))
    return found


def cases_with(connection: Connection, wanted: list[str]) -> list[Matter]:
    """As `_people_with`, of cases."""
    query = matching(with_contact(), "case_", all_of(wanted, connection), connection)
    found = matters(connection, query.limit(CANDIDATES))
    if len(found) < _ENOUGH and (near := _nearly(with_contact(), "case_", wanted, connection)):
        found += matters(connection, near[0].limit(CANDIDATES))
    return found


def people_of_cases(connection: Connection, wanted: list[str]) -> list[Person]:
    """The people in the cases that have all the words."""
    asked = all_of(wanted, connection)
    cases = matching(select(_case.c.id), "case_", asked, connection).limit(20)
    people = select(_in.c.contact).where(_in.c.case_.in_(cases.scalar_subquery()))
    return persons(connection, with_case().where(_contact.c.id.in_(people)).limit(20))


def has_number(wanted: Iterable[str]) -> bool:
    """Whether there is a number among words."""
    return any(char.isdigit() for word in wanted for char in word)


def all_of(wanted: Iterable[str], connection: Connection) -> str:
    """What asks an index for all words, each as it begins. They are letters and digits alone."""
    if connection.dialect.name == "postgresql":
        return " & ".join(f"{word}:*" for word in wanted)
    return " AND ".join(f'"{word}"*' for word in wanted)


def any_of(words: Iterable[str], connection: Connection) -> str:
    """What asks an index for any of some words."""
    if connection.dialect.name == "postgresql":
        return " | ".join(words)
    return " OR ".join(f'"{word}"' for word in words)


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
        query = matching(query, table, all_of(exact, connection), connection)
    like = (" & " if on_server else " AND ").join(asked)
    return [matching(query, table, like, connection, near=True)]


def matching(
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


def best_first(words: str, entries: list[Entry]) -> list[str]:
    """The keys of entries that have all the words, best first."""
    return Index(entries).find(words)


def person_entry(one: Person) -> Entry:
    """What somebody is put in order by."""
    contact = one.contact
    other = (*contact.addresses, contact.phone, contact.household, *contact.postal)
    more = " ".join(map(str, (*other, *contact.more.values(), contact.notes)))
    return Entry(contact.id, (contact.name, contact.email, contact.organisation, more))


def case_entry(one: Matter, names: dict[str, str]) -> Entry:
    """What a case is put in order by; names are those of people in it."""
    case = one.case
    who = one.contact.name if one.contact else ""
    others = " ".join(names.get(key, "") for key in case.people)
    more = " ".join(map(str, (*case.fields.values(), case.state, case.notes)))
    number = f"{case.number} {fold(case.number)}"
    return Entry(case.id, (number, case.title, case.kind, f"{who} {others}", more))
