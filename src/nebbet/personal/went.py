"""Letters that went from this computer: what they said is kept longer than their messages, so that
it can be looked at what a check would have found."""

from collections.abc import Iterator

import msgspec
from sqlalchemy import Engine, delete, insert, select

from nebbet.core.errors import UNREADABLE, NebbetError
from nebbet.core.letter import Letter, from_json, to_json
from nebbet.library.engine import explained
from nebbet.personal.items import Item
from nebbet.personal.outbox import sent_item, sent_items
from nebbet.personal.tables import outbox_table, went_table

_CANNOT = "The letters that went cannot be put away"


def put_away(engine: Engine, before: float) -> None:
    """Let go of the messages of letters that went before a moment (seconds since 1970); what these
    said stays."""
    old = (outbox_table.c.state == "gone") & (outbox_table.c.due < before)
    with explained(_CANNOT), engine.begin() as connection:
        for message_id, due, data in connection.execute(
            select(outbox_table.c.message_id, outbox_table.c.due, outbox_table.c.item).where(old)
        ).all():
            letter = _letter(data)
            connection.execute(delete(went_table).where(went_table.c.message_id == message_id))
            if letter:
                row = {"message_id": message_id, "sent": due, "data": to_json(letter)}
                connection.execute(insert(went_table).values(row))
        connection.execute(delete(outbox_table).where(old))


def _letter(data: bytes) -> Letter | None:
    try:
        return msgspec.json.decode(data, type=Item).letter
    except UNREADABLE:
        return None


def forget(engine: Engine, before: float) -> None:
    """Forget what letters said that went before a moment."""
    with explained(_CANNOT), engine.begin() as connection:
        connection.execute(delete(went_table).where(went_table.c.sent < before))


def letters(engine: Engine) -> Iterator[tuple[Letter, float]]:
    """The letters that went and are still known here, with when."""
    for one in sent_items(engine):
        yield one.item.letter, one.item.entry.sent.timestamp()
    with explained("The letters that went cannot be read"), engine.connect() as connection:
        rows = connection.execute(select(went_table.c.data, went_table.c.sent)).all()
    for data, sent in rows:
        if (found := _kept(data)) is not None:
            yield found, sent


def letter_of(engine: Engine, message_id: str) -> Letter | None:
    """A letter that went, by its message."""
    if item := sent_item(engine, message_id):
        return item.letter
    wanted = select(went_table.c.data).where(went_table.c.message_id == message_id)
    with explained("The letters that went cannot be read"), engine.connect() as connection:
        data = connection.scalar(wanted)
    return _kept(data) if data else None


def _kept(data: bytes) -> Letter | None:
    try:
        return from_json(data)
    except NebbetError:
        return None
