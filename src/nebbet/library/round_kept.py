"""Rounds kept under a name: what one is made of, to be run again with the table as it is then."""

from abc import ABC, abstractmethod
from contextlib import AbstractContextManager

import msgspec
from msgspec import Struct
from sqlalchemy import Connection, Engine, delete, insert, select, update

from nebbet.core.errors import UNREADABLE
from nebbet.core.rounds import Choosing, Matches
from nebbet.core.rounds.pacing import Pace
from nebbet.library.engine import explained, reading
from nebbet.library.round_ledger import How
from nebbet.library.round_tables import Origin
from nebbet.library.schema import kept_round as table
from nebbet.library.writes import must_change


class KeptRound(Struct, frozen=True, omit_defaults=True):
    """What a round is made of: its name, who keeps it, the template, where its table and its files
    come from, what the columns are for, which rows are meant, and when and how they go."""

    id: str
    title: str
    member: str
    template: str
    origin: Origin
    folder: str = ""
    matches: Matches = Matches()
    choosing: Choosing = Choosing()
    pace: Pace = Pace()
    how: How = "go"
    with_doubts: bool = False


class KeepingRounds(ABC):
    """What a library does with rounds that are kept under a name."""

    @abstractmethod
    def writing(
        self, what: str, kept: str = "Nothing was changed", *, leads: bool = True
    ) -> AbstractContextManager[Connection]:
        """One transaction, as `Library.writing`."""

    def keep_round_as(self, kept: KeptRound) -> None:
        """Keep a round under its name, in the place of what has that id."""
        data = msgspec.json.encode(kept).decode()
        here = table.c.id == kept.id
        with self.writing("The round cannot be kept", leads=False) as connection:
            if connection.scalar(select(table.c.id).where(here)):
                must_change(connection, update(table).where(here).values(data=data))
            else:
                row = {"id": kept.id, "member": kept.member, "data": data}
                connection.execute(insert(table), row)

    def forget_round(self, kept_id: str) -> None:
        """Forget a round that is kept; those that went stay in the ledger."""
        with self.writing("The round cannot be taken out", leads=False) as connection:
            must_change(connection, delete(table).where(table.c.id == kept_id))


def kept_rounds(engine: Engine) -> list[KeptRound]:
    """The rounds that are kept, by their names; one that cannot be read is passed over."""
    found = []
    with explained("The kept rounds cannot be read"), reading(engine) as connection:
        for (data,) in connection.execute(select(table.c.data)):
            try:
                found.append(msgspec.json.decode(data, type=KeptRound))
            except UNREADABLE:
                continue
    return sorted(found, key=lambda one: one.title.casefold())
