"""What waits in the person's own file until the library's server is back."""

from typing import get_args

from sqlalchemy import Engine, delete, insert, select, update

from nebbet.library.engine import explained
from nebbet.library.waiting import Waiting, WriteKind
from nebbet.personal.tables import waiting_table as table

_CANNOT = "What waits for the server cannot be kept"


class WaitingWrites:
    """A queue on disk. One that the library refused stays, with the reason, but waits no more."""

    def __init__(self, engine: Engine) -> None:
        self._engine = engine

    def add(self, kind: WriteKind, data: bytes) -> None:
        """Let a write wait, behind the others."""
        with explained(_CANNOT, "It is still on the page"), self._engine.begin() as connection:
            connection.execute(insert(table).values(kind=kind, data=data))

    def waiting(self) -> list[Waiting]:
        """What waits, in order."""
        rows = select(table.c.number, table.c.kind, table.c.data).where(table.c.refused == "")
        with explained(_CANNOT), self._engine.connect() as connection:
            found = connection.execute(rows.order_by(table.c.number)).all()
        return [Waiting(*row) for row in found if row[1] in get_args(WriteKind)]

    def done(self, number: int) -> None:
        """Let go of one that went up."""
        with explained(_CANNOT), self._engine.begin() as connection:
            connection.execute(delete(table).where(table.c.number == number))

    def refuse(self, number: int, words: str) -> None:
        """Set one aside that the library did not take, with the reason."""
        with explained(_CANNOT), self._engine.begin() as connection:
            at = table.c.number == number
            connection.execute(update(table).where(at).values(refused=words))
