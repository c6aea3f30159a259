"""Finishing a letter and putting it into the outbox: the one way there."""

from collections.abc import Callable, Collection, Mapping, Sequence
from datetime import datetime

from msgspec.structs import replace
from sqlalchemy import Engine

from nebbet.core.checks import Finding
from nebbet.core.errors import NebbetError
from nebbet.core.letter import Letter
from nebbet.core.message.encoded import EncodedFiles
from nebbet.core.sentences import said
from nebbet.library.catalogue import Catalogue
from nebbet.library.entries import entry_for
from nebbet.library.writing import Examined, Writer, examine, in_the_way, may_go
from nebbet.personal import outbox
from nebbet.personal.items import Item
from nebbet.personal.open_letters import answers_to_keep


class Kept(NebbetError):
    """A letter does not go, because of what was found in it."""

    def __init__(self, findings: tuple[Finding, ...]) -> None:
        super().__init__(
            said("The letter was not sent: {finding}", finding=findings[0].sentence),
            kept=said("It is as it was"),
            advice=said("Mend it, then send it again"),
        )
        self.findings = findings


def finish(
    catalogue: Catalogue,
    examined: Examined,
    writer: Writer,
    *,
    token: Callable[[], str],
    files: EncodedFiles,
    acknowledged: Collection[str] = (),
) -> Item:
    """The message of a letter with everything that belongs to it.

    token gives fresh random letters and digits. Raises Kept where something found is in the way,
    NebbetError where nobody is known to send it.
    """
    from nebbet.core.message.compose import compose  # where it is needed: it takes a moment

    if not may_go(examined, acknowledged):
        raise Kept(in_the_way(examined.findings, acknowledged))
    letter, me = examined.letter, writer.me
    if me is None:
        raise NebbetError(
            said("Nebbet does not know who you are"),
            advice=said("Complete your profile in the window first"),
        )
    outgoing = compose(
        letter,
        me,
        now=writer.moment,
        token=token,
        frame=catalogue.frame(letter.frame),
        files=files,
        own=writer.own,
    )
    return Item(
        letter.id,
        letter,
        outgoing,
        entry_for(letter, me, outgoing, writer.moment),
        dict(writer.answers.get(letter.template, {})),
        tuple(sorted(acknowledged)),
    )


def put_out(
    personal: Engine,
    catalogue: Catalogue,
    letter: Letter,
    writer: Writer,
    *,
    due: float,
    token: Callable[[], str],
    files: EncodedFiles,
    acknowledged: Collection[str] = (),
) -> Item:
    """Work a letter out once more, finish it, and put it into the outbox, held until due (seconds
    since 1970). Raises NebbetError where it may not go; then it is still open."""
    examined = examine(catalogue, letter, writer)
    item = finish(catalogue, examined, writer, token=token, files=files, acknowledged=acknowledged)
    put_item(personal, item, due, answers_to_keep(item.letter))
    return item


def put_item(
    personal: Engine, item: Item, due: float, answers: Mapping[str, str] | None = None
) -> None:
    """Put a letter that was finished into the outbox, and keep answers for the next one with its
    template. Raises NebbetError where it is there already, or was."""
    outbox.enqueue(personal, item, due, answers)


def put_items(personal: Engine, items: Sequence[tuple[Item, float]]) -> None:
    """Put letters that were finished into the outbox, each with when it is due: all, or none.
    Raises NebbetError where one is there already, or was."""
    outbox.enqueue_all(personal, items)


def is_of_day(catalogue: Catalogue, item: Item, moment: datetime) -> bool:
    """Whether a letter was finished on the day of a moment, as the team's days are."""
    finished = catalogue.world(item.entry.sent, None, "").today
    return catalogue.world(moment, None, "").today == finished


def renewed(
    catalogue: Catalogue,
    item: Item,
    writer: Writer,
    *,
    token: Callable[[], str],
    files: EncodedFiles,
) -> Item:
    """The item as it is to go now: the same message, worked out again if that is another day than
    when it was finished. Writer is whoever sent it, now.

    The Message-ID stays, so that a letter can never be taken for two. Raises NebbetError when the
    letter cannot go any more: what it says today is checked as it was when somebody sent it.
    """
    writer = replace(writer, answers={item.letter.template: item.remembered})
    if writer.me is None or is_of_day(catalogue, item, writer.moment):
        return item
    first = item.outgoing.message_id.strip("<>").partition("@")[0]
    tokens = _then(first, token)
    try:
        made = finish(
            catalogue,
            examine(catalogue, item.letter, writer),
            writer,
            token=tokens,
            files=files,
            acknowledged=item.acknowledged,
        )
        return replace(made, round=item.round, row=item.row)
    except Kept as error:
        raise NebbetError(
            said(
                "The letter waited until another day, and now it cannot go: {finding}",
                finding=error.findings[0].sentence,
            ),
            advice=said("Take it back, complete it, and send it again"),
        ) from None


def _then(first: str, token: Callable[[], str]) -> Callable[[], str]:
    """Gives the first, then what token gives."""
    left = [first]
    return lambda: left.pop() if left else token()
