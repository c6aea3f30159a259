"""Proposals: an edition that waits for a lead, and what a lead says of it."""

from abc import ABC, abstractmethod
from contextlib import AbstractContextManager
from datetime import datetime

import msgspec
from sqlalchemy import Connection, insert, select, update

from nebbet.core.errors import NebbetError
from nebbet.core.letter import Content
from nebbet.library import schema
from nebbet.library.editions import add_edition
from nebbet.library.holdings import Proposal, ProposalState

_GONE = "It may be done already: look at the list again"


class Proposing(ABC):
    """What a library does with proposals."""

    @abstractmethod
    def writing(
        self, what: str, kept: str = "Nothing was changed", *, leads: bool = True
    ) -> AbstractContextManager[Connection]:
        """One transaction, as `Library.writing`."""

    def propose(self, proposal: Proposal) -> None:
        """Let a proposal wait for a lead."""
        kept = "Your text is still on the page"
        with self.writing("The proposal cannot be made", kept, leads=False) as connection:
            connection.execute(insert(schema.proposal).values(_row(proposal)))

    def propose_once(self, proposal: Proposal) -> None:
        """Let a proposal wait for a lead, unless it is known already."""
        known = select(schema.proposal.c.id).where(schema.proposal.c.id == proposal.id)
        with self.writing("The proposal cannot be made", leads=False) as connection:
            if connection.scalar(known) is None:
                connection.execute(insert(schema.proposal).values(_row(proposal)))

    def withdraw(self, proposal: str, moment: datetime) -> None:
        """Take one's own proposal back. Raises NebbetError when it was decided meanwhile."""
        with self.writing("The proposal cannot be taken back", leads=False) as connection:
            _decide(connection, proposal, "withdrawn", "", "", moment)

    def decline(self, proposal: str, answer: str, decider: str, moment: datetime) -> None:
        """Say no, with a word. Raises NebbetError when it was decided meanwhile."""
        with self.writing("The proposal cannot be declined") as connection:
            _decide(connection, proposal, "declined", answer, decider, moment)

    def accept(
        self,
        proposal: Proposal,
        content: Content,
        title: str,
        answer: str,
        decider: str,
        moment: datetime,
        *,
        based_on: int,
    ) -> int:
        """Put a proposal in use, as it is or amended, as the next edition, whose author is the
        proposer, and return its number.

        based_on is the edition that the lead saw. Raises MovedOn when there is a newer one by now,
        and NebbetError when the proposal was decided meanwhile; nothing is changed then.
        """
        with self.writing("The proposal cannot be accepted") as connection:
            _decide(connection, proposal.id, "accepted", answer, decider, moment)
            _make_sure(connection, proposal)
            note = proposal.reason if not answer else f"{proposal.reason} ({answer})"
            return add_edition(
                connection,
                proposal.template,
                title,
                content,
                author=proposal.author,
                note=note,
                made=moment,
                based_on=based_on,
            )


def _row(proposal: Proposal) -> dict[str, object]:
    row = {name: getattr(proposal, name) for name in Proposal.__struct_fields__}
    content = msgspec.json.encode(proposal.content).decode()
    return row | {"content": content, "decider": None, "decided": None}


def _decide(
    connection: Connection,
    proposal: str,
    state: ProposalState,
    answer: str,
    decider: str,
    moment: datetime,
) -> None:
    table = schema.proposal
    waits = (table.c.id == proposal) & (table.c.state == "waiting")
    change = {"state": state, "answer": answer, "decider": decider or None, "decided": moment}
    if not connection.execute(update(table).where(waits).values(change)).rowcount:
        raise NebbetError(
            "This proposal does not wait any more", kept="Nothing was changed", advice=_GONE
        )


def _make_sure(connection: Connection, proposal: Proposal) -> None:
    """Start the template of a proposal that is for a new one."""
    table = schema.template
    if connection.scalar(select(table.c.id).where(table.c.id == proposal.template)) is None:
        row = {"id": proposal.template, "shelf": proposal.shelf, "title": proposal.title}
        new = insert(table).values(**row, state="draft", pinned=False, edition=0)
        connection.execute(new)
