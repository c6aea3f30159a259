"""The outbox: letters that are held, wait, are being sent, or came back."""

from collections.abc import Iterable

import msgspec
from sqlalchemy import Engine, delete, insert, select, update

from nebbet.library.engine import explained
from nebbet.post.items import RETURNABLE, WAITING, Item, Queued, State
from nebbet.post.personal import letter_table, outbox_table


def enqueue(engine: Engine, item: Item, due: float) -> None:
    """Put a letter into the outbox, held until due; the open letter goes in the same act."""
    row = {
        "id": item.id,
        "message_id": item.outgoing.message_id,
        "state": "held",
        "due": due,
        "attempts": 0,
        "words": "",
        "item": msgspec.json.encode(item),
    }
    kept = "The letter is still open on the page"
    with explained("The letter cannot be put into the outbox", kept), engine.begin() as connection:
        connection.execute(delete(outbox_table).where(outbox_table.c.id == item.id))
        connection.execute(insert(outbox_table).values(row))
        connection.execute(delete(letter_table).where(letter_table.c.id == item.letter.id))


def queued(engine: Engine, states: Iterable[State] = WAITING) -> list[Queued]:
    """What is in the outbox, soonest first."""
    table = outbox_table
    statement = select(table).where(table.c.state.in_(list(states))).order_by(table.c.due)
    with explained("The outbox cannot be read"), engine.connect() as connection:
        return [
            Queued(
                item=msgspec.json.decode(row["item"], type=Item),
                state=row["state"],
                due=row["due"],
                attempts=row["attempts"],
                words=row["words"],
            )
            for row in connection.execute(statement).mappings()
        ]


def take_back(engine: Engine, item_id: str) -> bool:
    """Take a letter out of the outbox unless it is on its way; says whether that worked."""
    table = outbox_table
    with explained("The letter cannot be taken back"), engine.begin() as connection:
        gone = connection.execute(
            delete(table).where(table.c.id == item_id, table.c.state.in_(RETURNABLE))
        )
        return gone.rowcount > 0


def claim(engine: Engine, item_id: str) -> bool:
    """Mark a letter as being sent; False when it was taken back or changed meanwhile."""
    table = outbox_table
    with explained("The outbox cannot be written"), engine.begin() as connection:
        found = connection.execute(
            update(table)
            .where(table.c.id == item_id, table.c.state.in_(("held", "waiting")))
            .values(state="sending", attempts=table.c.attempts + 1)
        )
        return found.rowcount > 0


def mark(engine: Engine, item_id: str, **change: object) -> None:
    """Write down where a letter stands now (state, due, words)."""
    with explained("The outbox cannot be written"), engine.begin() as connection:
        connection.execute(
            update(outbox_table).where(outbox_table.c.id == item_id).values(**change)
        )


def rewrite(engine: Engine, item: Item) -> None:
    """Put a letter in the place of what it was when it was put into the outbox."""
    with explained("The outbox cannot be written"), engine.begin() as connection:
        connection.execute(
            update(outbox_table)
            .where(outbox_table.c.id == item.id)
            .values(item=msgspec.json.encode(item))
        )


def recover(engine: Engine) -> int:
    """After a start: what was on the line when Nebbet ended may have gone; says how many."""
    words = (
        "Nebbet was ended while this letter was on its way. It may have gone: "
        "send it again only if you are sure that it has not."
    )
    table = outbox_table
    with explained("The outbox cannot be written"), engine.begin() as connection:
        found = connection.execute(
            update(table).where(table.c.state == "sending").values(state="uncertain", words=words)
        )
        return found.rowcount


def forget_old(engine: Engine, before: float) -> None:
    """Let go of the local copies of letters that went before a moment."""
    table = outbox_table
    with explained("The outbox cannot be written"), engine.begin() as connection:
        connection.execute(delete(table).where(table.c.state == "gone", table.c.due < before))


def sent_item(engine: Engine, message_id: str) -> Item | None:
    """A letter that went lately with its message, if it is still here."""
    table = outbox_table
    statement = select(table.c.item).where(
        table.c.message_id == message_id, table.c.state.in_(("gone", "sent"))
    )
    with explained("The outbox cannot be read"), engine.connect() as connection:
        data = connection.scalar(statement)
    return msgspec.json.decode(data, type=Item) if data else None
