"""Letters that are offered since a case changed, as a lead has tied them to its kind: they wait for
somebody's yes, and nothing goes by itself."""

from abc import ABC, abstractmethod
from collections.abc import Iterable, Sequence
from contextlib import AbstractContextManager
from datetime import datetime
from typing import Literal

import msgspec
from msgspec import Struct
from sqlalchemy import Connection, Engine, func, select, update
from sqlalchemy.dialects import postgresql, sqlite

from nebbet.core.errors import UNREADABLE
from nebbet.core.records import Case, Matter, Member, fold
from nebbet.core.records.kinds import Kind, asked_for
from nebbet.library import schema
from nebbet.library.engine import explained, reading
from nebbet.library.people import People
from nebbet.library.schema import prompted as table
from nebbet.library.schema import register

MOST = 200  # that wait and are shown: the newest
Answer = Literal["written", "left"]


class Offer(Struct, frozen=True):
    """A letter that is offered: its id, the case with its contact, the template, and since when."""

    id: str
    matter: Matter
    template: str
    at: datetime | None


class Prompting(ABC):
    """What a library does with letters that are offered."""

    @abstractmethod
    def writing(
        self, what: str, kept: str = "Nothing was changed", *, leads: bool = True
    ) -> AbstractContextManager[Connection]:
        """One transaction, as `Library.writing`."""

    def answer_offer(self, offer_id: str, answer: Answer, member: str) -> bool:
        """Say what became of an offer; says whether nobody else was quicker."""
        waits = (table.c.id == offer_id) & (table.c.state == "waiting")
        with self.writing("The offer cannot be answered", leads=False) as connection:
            done = connection.execute(
                update(table).where(waits).values(state=answer, member=member)
            )
            return done.rowcount > 0


def note_prompts(connection: Connection, changes: Sequence[tuple[Case, Case]]) -> None:
    """Note which letters some changes of cases ask for."""
    kinds = _kinds(connection) if changes else {}
    if not kinds:
        return
    rows = [
        {"id": f"{after.id}:{prompt.template}"[:140], "case_": after.id,
         "template": prompt.template, "state": "waiting", "member": ""}
        for before, after in changes if (kind := kinds.get(fold(after.kind)))
        for prompt in asked_for(kind, before, after)
    ]  # fmt: skip
    made = postgresql.insert if connection.dialect.name == "postgresql" else sqlite.insert
    for row in rows:
        new = made(table).values(at=func.current_timestamp(), **row)
        again = {"at": func.current_timestamp(), "state": "waiting", "member": ""}
        connection.execute(new.on_conflict_do_update(index_elements=["id"], set_=again))


def _kinds(connection: Connection) -> dict[str, Kind]:
    """The kinds of case that letters are tied to, by their folded names."""
    found: dict[str, Kind] = {}
    for (data,) in connection.execute(select(schema.kind.c.data)):
        try:
            kind = msgspec.json.decode(data, type=Kind)
        except UNREADABLE:
            continue
        if kind.prompts and not kind.is_people:
            found[fold(kind.name)] = kind
    return found


def offers(
    engine: Engine, people: People, me: Member | None, members: Iterable[Member]
) -> list[Offer]:
    """The letters that are offered to somebody, the newest first: those about cases that they have;
    those about cases that nobody has are offered to everybody."""
    wanted = select(table).where(table.c.state == "waiting").order_by(table.c.at.desc()).limit(MOST)
    with explained("The offered letters cannot be read"), reading(engine) as connection:
        rows = connection.execute(wanted).all()
    cases = people.cases([row.case_ for row in rows])
    contacts = people.contacts({case.contact for case in cases.values()} - {""})
    whose = _whose(engine, list(cases.values()), list(members)) if cases else {}
    return [
        Offer(row.id, Matter(case, contacts.get(case.contact)), row.template, row.at)
        for row in rows
        if (case := cases.get(row.case_)) and whose.get(case.id, me and me.id) == (me and me.id)
    ]


def _whose(engine: Engine, cases: Sequence[Case], members: Sequence[Member]) -> dict[str, str]:
    """Who has each of some cases, by their ids: whom one of its fields names, else whoever wrote
    about it last and is still there."""
    there = [one for one in members if not one.left]
    names = {fold(word): one.id for one in there for word in (one.name, one.email, one.id) if word}
    ids = {one.id for one in there}
    numbers = {case.number: case.id for case in cases}
    last = select(register.c.case_number, register.c.sender).where(
        register.c.case_number.in_(numbers)
    )
    found: dict[str, str] = {}
    with explained("The register cannot be read"), reading(engine) as connection:
        for number, sender in connection.execute(last.order_by(register.c.sent)):
            if sender in ids:
                found[numbers[number]] = sender
    for case in cases:
        named = (names.get(fold(one)) for one in case.fields.values() if isinstance(one, str))
        if holder := next(filter(None, named), ""):
            found[case.id] = holder
    return found
