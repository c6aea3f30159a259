"""A few cases of each kind, with their contacts: what templates are tried with, without reading all
there are."""

from typing import Any

from sqlalchemy import Connection, select, union_all

from nebbet.core.records import Case, Contact
from nebbet.library.held_fields import read_fields
from nebbet.library.reader import Reader
from nebbet.library.schema import case as _case
from nebbet.library.schema import contact as _contact

_EACH = 24  # cases of a kind
_MOST_KINDS = 60


def read_samples(connection: Connection) -> dict[str, Any]:
    """The samples, their contacts, and the fields that records have, by their names in the
    catalogue. What cannot be read is passed over: there are others."""
    held = read_fields(connection)
    kinds = [one.whose for one in held if not one.kind][:_MOST_KINDS]
    some = [
        select(_case.c.id, _case.c.data, _case.c.contact)
        .where(_case.c.kind == kind, ~_case.c.filed)
        .order_by(_case.c.id)
        .limit(_EACH)
        .subquery()
        for kind in kinds
    ]
    if not some:
        return {"samples": {}, "sample_people": {}, "held": held}
    every = union_all(*(select(one) for one in some)).subquery()
    rows = connection.execute(
        select(every.c.id, every.c.data, _contact.c.id, _contact.c.data)
        .select_from(every.outerjoin(_contact, _contact.c.id == every.c.contact))
        .order_by(every.c.id)
    )
    reader = Reader()
    cases: dict[str, Case] = {}
    people: dict[str, Contact] = {}
    for key, data, person, of_person in rows:
        case = reader.decoded(data, Case, "case_", key)
        contact = reader.decoded(of_person, Contact, "contact", person) if person else None
        if case and case.id == key:
            cases[key] = case
            if contact:
                people[contact.id] = contact
    return {"samples": cases, "sample_people": people, "held": held}
