"""Letters that promise from the sending day are written anew when they go on a later one."""

from collections.abc import Callable
from datetime import datetime
from itertools import chain

from msgspec.structs import replace

from nebbet.core import letter as letters
from nebbet.core.errors import NebbetError
from nebbet.core.message.encoded import EncodedFiles
from nebbet.library.store import Library
from nebbet.post.entries import entry_for
from nebbet.post.items import Item


def renewed(item: Item, library: Library, now: datetime, token: Callable[[], str]) -> Item:
    """The item as it is to go now: the same message, worked out again if it counts from the
    sending day and that is another day than when it was finished.

    The Message-ID stays, so that a letter can never be taken for two. Raises NebbetError when the
    letter cannot be finished any more.
    """
    if not letters.counts_from_sending(item.letter):
        return item
    from nebbet.core.message.compose import compose  # only where it is needed: it takes a moment

    catalogue = library.catalogue(now)
    letter, sender = item.letter, catalogue.members.get(item.entry.sender)
    world = catalogue.world(
        now, sender, letter.language, letter.recipient, letter.case, letter.calendar
    )
    before = catalogue.world(item.entry.sent, sender, letter.language)
    if sender is None or world.today == before.today:
        return item
    letter, values = letters.work_out(letter, world)
    blank = next((p for p in values if p.is_blank), None)
    if blank is not None:
        raise NebbetError(
            f"The letter waited until another day, and now {blank.placeholder.title} is missing: "
            f"{blank.note}",
            advice="Take it back, complete it, and send it again",
        )
    local = item.outgoing.message_id.strip("<>").partition("@")[0]
    tokens = chain([local], iter(token, None))
    outgoing = compose(
        letter,
        sender,
        now=now,
        token=lambda: str(next(tokens)),
        frame=catalogue.frame(letter.frame),
        files=EncodedFiles(library.file_bytes),
    )
    return replace(
        item, letter=letter, outgoing=outgoing, entry=entry_for(letter, sender, outgoing, now)
    )
