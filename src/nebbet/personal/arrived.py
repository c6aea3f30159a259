"""What is kept of arrived messages: their headers, and the texts that somebody has read."""

from collections.abc import Iterable

import msgspec
from sqlalchemy import Engine, delete, insert, select, update

from nebbet.core.errors import UNREADABLE
from nebbet.core.message.head import Head, Place
from nebbet.core.portions import portions
from nebbet.library.engine import explained
from nebbet.personal.tables import arrived_folder_table as folders
from nebbet.personal.tables import arrived_table as table

_READ, _WRITE = "The arrived messages cannot be read", "The arrived messages cannot be kept"
_MANY = 400  # rows of one statement


def heads(engine: Engine, most: int = 5000) -> list[Head]:
    """The messages that are known, the newest first."""
    newest = select(table.c.data, table.c.flags).order_by(table.c.came.desc()).limit(most)
    with explained(_READ), engine.connect() as connection:
        rows = connection.execute(newest).all()
    found = (_head(data, flags) for data, flags in rows)
    return [one for one in found if one is not None]


def _head(data: bytes, flags: str) -> Head | None:
    try:
        head = msgspec.json.decode(data, type=Head)
    except UNREADABLE:
        return None
    return msgspec.structs.replace(head, flags=tuple(flags.split()))


def known(engine: Engine, account: str, folder: str) -> tuple[int, int, dict[int, tuple[str, ...]]]:
    """What is known of a folder: its validity, the number of its last change, the flags of its
    messages."""
    here = (folders.c.account == account) & (folders.c.folder == folder)
    inside = (table.c.account == account) & (table.c.folder == folder)
    with explained(_READ), engine.connect() as connection:
        state = connection.execute(select(folders.c.validity, folders.c.change).where(here)).first()
        rows = connection.execute(select(table.c.uid, table.c.flags).where(inside)).all()
    flags = {uid: tuple(words.split()) for uid, words in rows}
    return (state[0], state[1], flags) if state else (0, 0, {})


def keep(
    engine: Engine,
    account: str,
    folder: str,
    state: tuple[int, int],
    *,
    new: Iterable[Head] = (),
    flags: dict[int, tuple[str, ...]] | None = None,
    gone: Iterable[int] = (),
    anew: bool = False,
) -> None:
    """Keep what was found in a folder, in one act. anew forgets what was known of it."""
    here = (folders.c.account == account) & (folders.c.folder == folder)
    inside = (table.c.account == account) & (table.c.folder == folder)
    rows = [_row(one) for one in new]
    with explained(_WRITE), engine.begin() as connection:
        if anew:
            connection.execute(delete(table).where(inside))
        for some in portions(sorted(gone), _MANY):
            connection.execute(delete(table).where(inside, table.c.uid.in_(some)))
        for uid, words in (flags or {}).items():
            connection.execute(
                update(table).where(inside, table.c.uid == uid).values(flags=" ".join(words))
            )
        if rows:
            for some_keys in portions([row["key"] for row in rows], _MANY):
                connection.execute(delete(table).where(table.c.key.in_(some_keys)))
            connection.execute(insert(table), rows)
        connection.execute(delete(folders).where(here))
        connection.execute(
            insert(folders).values(
                account=account, folder=folder, validity=state[0], change=state[1]
            )
        )


def _row(head: Head) -> dict[str, object]:
    place = head.place
    return {
        "key": place.key,
        "account": place.account,
        "folder": place.folder,
        "uid": place.uid,
        "came": head.came,
        "flags": " ".join(head.flags),
        "data": msgspec.json.encode(head),
        "message": None,
    }


def message(engine: Engine, place: Place) -> bytes | None:
    """A message that somebody has read here, whole."""
    with explained(_READ), engine.connect() as connection:
        found: bytes | None = connection.scalar(
            select(table.c.message).where(table.c.key == place.key)
        )
    return found


def keep_message(engine: Engine, place: Place, data: bytes) -> None:
    """Keep a message, for reading it without a line."""
    with explained(_WRITE), engine.begin() as connection:
        connection.execute(update(table).where(table.c.key == place.key).values(message=data))


def validity_of(engine: Engine, place: Place) -> int:
    """The validity of the numbers of a message's folder."""
    return known(engine, place.account, place.folder)[0]


def set_flags(engine: Engine, place: Place, flags: Iterable[str]) -> None:
    """Keep the flags that a message has now."""
    with explained(_WRITE), engine.begin() as connection:
        connection.execute(
            update(table).where(table.c.key == place.key).values(flags=" ".join(flags))
        )


def forget(engine: Engine, place: Place) -> None:
    """Forget a message: it is somewhere else now."""
    with explained(_WRITE), engine.begin() as connection:
        connection.execute(delete(table).where(table.c.key == place.key))
