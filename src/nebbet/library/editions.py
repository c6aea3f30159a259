"""Making an edition inside a transaction."""

from datetime import datetime

import msgspec
from sqlalchemy import Connection, insert, select, update

from nebbet.core.errors import NebbetError
from nebbet.core.letter import Content
from nebbet.library import schema
from nebbet.library.holdings import MovedOn


def add_edition(
    connection: Connection,
    template: str,
    title: str,
    content: Content,
    *,
    author: str,
    note: str,
    made: datetime,
    based_on: int | None,
) -> int:
    """Make the next edition of a template inside a transaction, put it in use and return its
    number. As `Library.save_edition`."""
    number = _next_number(connection, template, based_on)
    row = {
        "template": template,
        "number": number,
        "content": msgspec.json.encode(content).decode(),
        "author": author or None,
        "made": made,
        "note": note,
    }
    connection.execute(insert(schema.edition).values(row))
    change = {"edition": number, "title": title, "state": "in use"}
    connection.execute(
        update(schema.template).where(schema.template.c.id == template).values(change)
    )
    return number


def _next_number(connection: Connection, template: str, based_on: int | None) -> int:
    """The number of the next edition. Nobody else can take it until the transaction ends: the row
    of the template is written to first, which on either database makes the others wait."""
    held = update(schema.template).where(schema.template.c.id == template)
    connection.execute(held.values(edition=schema.template.c.edition))
    newest = select(schema.edition.c.number).where(schema.edition.c.template == template)
    last = connection.scalar(newest.order_by(schema.edition.c.number.desc()).limit(1)) or 0
    if based_on is not None and last != based_on:
        raise MovedOn(last)
    return last + 1


def content_of(connection: Connection, template: str) -> tuple[int, Content]:
    """The number and content of a template's edition in use. Raises NebbetError without one."""
    t, e = schema.template.c, schema.edition.c
    in_use = (e.template == t.id) & (e.number == t.edition)
    row = connection.execute(select(e.number, e.content).where(in_use, t.id == template)).first()
    if row is None:
        raise NebbetError(
            "A template without an edition cannot be copied",
            kept="Nothing was changed",
            advice="Put it in use first",
        )
    return row[0], msgspec.json.decode(row[1], type=Content)
