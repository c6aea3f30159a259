"""What is written beside a person or a case: what it is found by, who is in it, its fields."""

from collections.abc import Iterator

from sqlalchemy import Connection, delete, insert, select

from nebbet.core.records import Case, Contact
from nebbet.library.held_fields import fields_of, note_fields
from nebbet.library.schema import case_person


def people_of(case: Case) -> Iterator[dict[str, str]]:
    """The rows that say who is in a case."""
    for person in dict.fromkeys(filter(None, (case.contact, *case.people))):
        yield {"case_": case.id, "contact": person}


def write_beside(connection: Connection, record: Contact | Case) -> None:
    """Note what a record that was just kept says of others, inside a transaction. A server notes by
    itself who is in a case."""
    note_fields(connection, fields_of(record))
    if not isinstance(record, Case) or connection.dialect.name == "postgresql":
        return
    wanted = {row["contact"] for row in people_of(record)}
    table = case_person.c
    of_case = table.case_ == record.id
    held = set(connection.scalars(select(table.contact).where(of_case)))
    if gone := held - wanted:
        connection.execute(delete(case_person).where(of_case, table.contact.in_(gone)))
    if new := wanted - held:
        rows = [{"case_": record.id, "contact": person} for person in sorted(new)]
        connection.execute(insert(case_person), rows)
