"""The outbox: letters that are held, wait, are being sent, or came back."""

from collections.abc import Iterable, Mapping, Sequence

import msgspec
from msgspec.structs import replace
from sqlalchemy import (
    ColumnElement,
    Connection,
    Engine,
    RowMapping,
    bindparam,
    delete,
    insert,
    select,
    update,
)

from nebbet.core.errors import UNREADABLE, NebbetError
from nebbet.core.letter import Letter, to_json
from nebbet.core.portions import portions
from nebbet.library.engine import explained
from nebbet.personal.alone import alone
from nebbet.personal.items import RETURNABLE, UNTIL_RELEASED, WAITING, Item, Queued, State
from nebbet.personal.open_letters import write_answers
from nebbet.personal.tables import letter_table, outbox_table, passed_table

_AT_ONCE = 400  # letters of one statement
# What waits until its round is released, as `Queued.waits_for_release`.
_UNRELEASED = (outbox_table.c.state == "held") & (outbox_table.c.due >= UNTIL_RELEASED)
COUNTED = 86_400.0  # seconds for which is kept that a letter went

# From where a letter may come into a state. Only what was on the line, or what somebody says went,
# counts as sent; only what was sent is gone.
_BEFORE: dict[State, tuple[State, ...]] = {
    "held": ("held", "waiting", "refused", "uncertain"),
    "waiting": ("held", "waiting", "sending"),
    "refused": ("held", "waiting", "sending"),
    "uncertain": ("sending",),
    "sent": ("sending", "uncertain", "sent"),
    "gone": ("sent",),
}


def enqueue(
    engine: Engine, item: Item, due: float, answers: Mapping[str, str] | None = None
) -> None:
    """Put a letter into the outbox, held until due; in the same act it leaves the pile, and the
    answers that its template asks to remember are kept.

    Raises NebbetError for a letter that is in the outbox already, or was: it would go twice.
    """
    kept = "The letter is still open on the page"
    with explained("The letter cannot be put into the outbox", kept), engine.begin() as connection:
        _put(connection, [(item, due)])
        write_answers(connection, item.letter.template, answers or {})


def enqueue_all(engine: Engine, items: Sequence[tuple[Item, float]]) -> None:
    """Put letters into the outbox, each held until it is due: all of them, or none. Raises
    NebbetError as `enqueue` does."""
    kept = "None of these letters was put there"
    with explained("Letters cannot be put into the outbox", kept), engine.begin() as connection:
        _put(connection, items)


def _put(connection: Connection, items: Sequence[tuple[Item, float]]) -> None:
    # The first write takes the file for this act alone: nobody can be quicker after the look.
    letters = [item.letter.id for item, _due in items]
    connection.execute(delete(letter_table).where(letter_table.c.id.in_(letters)))
    ids = [item.id for item, _due in items]
    if connection.scalar(select(outbox_table.c.id).where(outbox_table.c.id.in_(ids)).limit(1)):
        raise NebbetError(
            "This letter was put into the outbox before",
            kept="It was not put there again",
            advice="Look at it in the outbox or the register",
        )
    held = {"state": "held", "attempts": 0, "words": ""}
    rows = [
        {"id": item.id, "message_id": item.outgoing.message_id, "due": due, **held, **_kept(item)}
        for item, due in items
    ]
    connection.execute(insert(outbox_table), rows)


def _kept(item: Item) -> dict[str, bytes]:
    """An item as it lies in its row: the bytes of the message apart. Thousands may wait, and only
    one is handed over at a time."""
    bare = replace(item, outgoing=replace(item.outgoing, data=b""))
    return {"item": msgspec.json.encode(bare), "data": item.outgoing.data}


def queued(
    engine: Engine, states: Iterable[State] = WAITING, known: dict[str, Item] | None = None
) -> list[Queued]:
    """What is in the outbox, soonest first, without the bytes of the messages (see `whole`); a
    damaged row is passed over (see `looked_through`). known are letters that were read before, by
    their ids, and are not read again; it holds those that are there afterwards."""
    return looked_through(engine, states, known)[0]


def looked_through(
    engine: Engine, states: Iterable[State] = WAITING, known: dict[str, Item] | None = None
) -> tuple[list[Queued], int]:
    """What is in the outbox, soonest first, and how many of its rows cannot be read; those stay in
    the file."""
    table, held = outbox_table, known if known is not None else {}
    columns = [table.c[name] for name in ("id", "message_id", "state", "due", "attempts", "words")]
    statement = select(*columns).where(table.c.state.in_(list(states))).order_by(table.c.due)
    with explained("The outbox cannot be read"), engine.connect() as connection:
        rows = connection.execute(statement).mappings().all()
        new = [row["id"] for row in rows if not _is_as(held.get(row["id"]), row["message_id"])]
        for some in portions(new, _AT_ONCE):
            items = select(table.c.id, table.c.item).where(table.c.id.in_(some))
            held.update((key, item) for key, data in connection.execute(items)
                        if (item := _item(data)) is not None)  # fmt: skip
    found = [entry for row in rows if (entry := _entry(row, held.get(row["id"]))) is not None]
    return found, len(rows) - len(found)


def _is_as(item: Item | None, message_id: str) -> bool:
    return item is not None and item.outgoing.message_id == message_id


def _item(data: bytes) -> Item | None:
    try:
        return msgspec.json.decode(data, type=Item)
    except UNREADABLE:
        return None


def _entry(row: RowMapping, item: Item | None) -> Queued | None:
    """An item with where it stands; nothing where one of them cannot be read: the file is the
    person's own, but a disk may have turned its bits."""
    if item is None:
        return None
    where = {name: row[name] for name in ("state", "due", "attempts", "words")}
    try:
        return msgspec.convert({"item": item, **where}, Queued)
    except UNREADABLE:
        return None


def take_back(engine: Engine, item_id: str, now: float) -> Letter | None:
    """Bring a letter back from the outbox onto the pile, in one act, unless it is on its way or
    gone; returns the letter. now is in seconds since 1970."""
    table = outbox_table
    may = (table.c.id == item_id) & table.c.state.in_(RETURNABLE)
    kept = "It is still in the outbox"
    with explained("The letter cannot be taken back", kept), engine.begin() as connection:
        # A write first: from here on nobody else can take it.
        if not connection.execute(update(table).where(may).values(words="")).rowcount:
            return None
        data = connection.scalar(select(table.c.item).where(table.c.id == item_id))
        letter = msgspec.json.decode(data or b"", type=Item).letter
        connection.execute(delete(table).where(table.c.id == item_id))
        connection.execute(delete(letter_table).where(letter_table.c.id == letter.id))
        row = {"id": letter.id, "changed": now, "data": to_json(letter)}
        connection.execute(insert(letter_table).values(row))
        return letter


def claim(engine: Engine, item: Item) -> bool:
    """Mark a letter as on the line: from here on it may have gone. False when it was taken back
    meanwhile, even if it was sent anew since: then it is another message."""
    table = outbox_table
    this = (table.c.id == item.id) & (table.c.message_id == item.outgoing.message_id)
    with explained("The outbox cannot be written"), engine.begin() as connection:
        found = connection.execute(
            update(table)
            .where(this, table.c.state.in_(("held", "waiting")))
            .values(state="sending")
        )
        return found.rowcount > 0


def mark(engine: Engine, item_id: str, **change: object) -> None:
    """Write down when a letter is due, or what is to be said of it."""
    with explained("The outbox cannot be written"), engine.begin() as connection:
        connection.execute(
            update(outbox_table).where(outbox_table.c.id == item_id).values(**change)
        )


def settle(
    engine: Engine, item_id: str, state: State, *, due: float, words: str = "", by: str = ""
) -> bool:
    """Bring a letter into another state, if it may come there from where it is; says whether. One
    that waits was tried once more; by is the account that it just went by."""
    table = outbox_table
    may = (table.c.id == item_id) & table.c.state.in_(_BEFORE[state])
    change: dict[str, object] = {"state": state, "due": due, "words": words}
    if state == "waiting":
        change["attempts"] = table.c.attempts + 1
    with explained("The outbox cannot be written"), engine.begin() as connection:
        moved = connection.execute(update(table).where(may).values(change)).rowcount > 0
        if moved and by:
            _pass(connection, by, due)
        return moved


def _pass(connection: Connection, account: str, at: float) -> None:
    """Count a letter that went by an account, and forget those of which no limit asks."""
    connection.execute(delete(passed_table).where(passed_table.c.at < at - COUNTED))
    connection.execute(insert(passed_table).values(account=account, at=at))


def rewrite(engine: Engine, item: Item) -> None:
    """Put a letter in the place of what it was when it was put into the outbox."""
    with explained("The outbox cannot be written"), engine.begin() as connection:
        connection.execute(
            update(outbox_table).where(outbox_table.c.id == item.id).values(_kept(item))
        )


def recover(engine: Engine) -> int:
    """After a start: what was on the line when Nebbet ended may have gone; says how many. What
    another process is delivering just now is none of that."""
    with alone(engine, patience=0.0) as nobody_else:
        return _recovered(engine) if nobody_else else 0


def _recovered(engine: Engine) -> int:
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


def sent_items(engine: Engine) -> list[Queued]:
    """The letters that went lately and are still here, soonest first."""
    return looked_through(engine, ("gone", "sent"))[0]


def sent_item(engine: Engine, message_id: str) -> Item | None:
    """A letter that went lately with its message, if it is still here."""
    table = outbox_table
    sent = (table.c.message_id == message_id) & table.c.state.in_(("gone", "sent"))
    return _whole(engine, sent)


def drop_round(engine: Engine, round_id: str, states: Sequence[State] = RETURNABLE) -> int:
    """Take the letters of a round out of the outbox that have not gone, or are in some states;
    gives how many. They are made anew when the round goes on."""
    mine = outbox_table.c.id.startswith(f"{round_id}-", autoescape=True)
    may = mine & outbox_table.c.state.in_(states)
    with explained("The round cannot be stopped"), engine.begin() as connection:
        return connection.execute(delete(outbox_table).where(may)).rowcount


def held_rounds(engine: Engine) -> frozenset[str]:
    """The rounds of which letters wait until they are released."""
    with explained("The outbox cannot be read"), engine.connect() as connection:
        ids = connection.scalars(select(outbox_table.c.id).where(_UNRELEASED))
        return frozenset(one.rpartition("-")[0] for one in ids)


def release_round(engine: Engine, round_id: str, dues: Iterable[float]) -> int:
    """Let the letters of a round go that wait for that, in the order of its rows, each when it is
    due; gives how many."""
    table = outbox_table
    mine = table.c.id.startswith(f"{round_id}-", autoescape=True)
    with explained("The round cannot be released"), engine.begin() as connection:
        ids = sorted(connection.scalars(select(table.c.id).where(mine, _UNRELEASED)), key=_row_of)
        rows = [{"at": one, "due_then": due} for one, due in zip(ids, dues, strict=False)]
        if rows:
            each = update(table).where(table.c.id == bindparam("at"))
            connection.execute(each.values(due=bindparam("due_then")), rows)
        return len(rows)


def _row_of(item_id: str) -> int:
    number = item_id.rpartition("-r")[2]
    return int(number) if number.isdigit() else 0


def ids_of_round(engine: Engine, round_id: str) -> frozenset[str]:
    """The letters of a round that are in the outbox, or were, by their ids."""
    wanted = select(outbox_table.c.id).where(outbox_table.c.id.startswith(f"{round_id}-"))
    with explained("The outbox cannot be read"), engine.connect() as connection:
        return frozenset(connection.scalars(wanted))


def whole(engine: Engine, item_id: str) -> Item | None:
    """A letter of the outbox with the bytes of its message; nothing where it is not there or
    damaged."""
    return _whole(engine, outbox_table.c.id == item_id)


def _whole(engine: Engine, wanted: ColumnElement[bool]) -> Item | None:
    statement = select(outbox_table.c.item, outbox_table.c.data).where(wanted)
    with explained("The outbox cannot be read"), engine.connect() as connection:
        row = connection.execute(statement).first()
    try:
        item = msgspec.json.decode(row.item, type=Item) if row else None
    except UNREADABLE:
        return None
    if item is None or row is None or row.data is None:  # an earlier Nebbet kept them together
        return item
    return replace(item, outgoing=replace(item.outgoing, data=row.data))
