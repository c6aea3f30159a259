"""What every write to the library goes by: it changes something, or says that it did not."""

from collections.abc import Callable

from sqlalchemy import Connection, Delete, Update, select, update
from sqlalchemy.dialects import postgresql, sqlite

from nebbet.core.errors import NebbetError
from nebbet.library import schema
from nebbet.library.holdings import Overtaken

_TRIES = 50  # times that somebody else may be quicker


class Unmoved(NebbetError):
    """An act changed nothing: what it was for is gone, or one may not do it (any more)."""

    def __init__(self) -> None:
        super().__init__(
            "Nothing was changed: it is not there any more, or you may not do that any more",
            advice="Look at it as it is now",
        )


def must_change(connection: Connection, statement: Update | Delete) -> None:
    """Do what changes or takes out rows. Raises Unmoved where there was none, or none that the
    database lets one change."""
    if not connection.execute(statement).rowcount:
        raise Unmoved


def must_be_as(
    connection: Connection, statement: Update | Delete, held: object, now: Callable[[], object]
) -> None:
    """As `must_change`, for a statement that asks for what somebody saw. Raises Overtaken where it
    is another one than held by now."""
    if not connection.execute(statement).rowcount:
        found = now()
        raise (
            Unmoved if found == held else Overtaken(found, found if isinstance(found, str) else "")
        )


def setting(connection: Connection, name: str) -> str | None:
    """A setting of the library."""
    value = schema.setting.c.value
    found: str | None = connection.scalar(select(value).where(schema.setting.c.name == name))
    return found


def put_setting(
    connection: Connection, name: str, made: Callable[[str | None], str | None]
) -> None:
    """Keep a setting: made says what it is to be, of what it is now; nothing for as it is. Where
    somebody else was quicker it is asked again, so that neither loses what they did."""
    table, held = schema.setting, setting(connection, name)
    inserting = postgresql.insert if connection.dialect.name == "postgresql" else sqlite.insert
    for _ in range(_TRIES):
        value = made(held)
        if value is None or value == held:
            return
        if held is None:
            new = inserting(table).values(name=name, value=value).on_conflict_do_nothing()
            written = connection.scalar(new.returning(table.c.name)) is not None
        else:
            at = (table.c.name == name) & (table.c.value == held)
            change = update(table).where(at).values(value=value)
            written = bool(connection.execute(change).rowcount)
        if written:
            return
        before, held = held, setting(connection, name)
        if held == before:
            raise Unmoved
    raise Overtaken(held)
