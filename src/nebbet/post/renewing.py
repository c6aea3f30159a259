"""Letters that promise from the sending day are written anew when they go on a later one."""

from collections.abc import Callable
from datetime import datetime
from itertools import chain

from msgspec.structs import replace

from nebbet.core import checks
from nebbet.core import letter as letters
from nebbet.core.errors import NebbetError
from nebbet.core.message.encoded import EncodedFiles
from nebbet.library.catalogue import Catalogue
from nebbet.library.entries import entry_for
from nebbet.personal.items import Item


def needs_renewing(item: Item) -> bool:
    """Whether a letter says something that depends on the day it goes."""
    return letters.counts_from_sending(item.letter)


def renewed(
    item: Item,
    catalogue: Catalogue,
    read_file: Callable[[str], bytes],
    now: datetime,
    token: Callable[[], str],
) -> Item:
    """The item as it is to go now: the same message, worked out again if that is another day than
    when it was finished.

    The Message-ID stays, so that a letter can never be taken for two. Raises NebbetError when the
    letter cannot go any more: what it says today is checked as it was when somebody sent it.
    """
    from nebbet.core.message.compose import compose  # only where it is needed: it takes a moment

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
        raise _too_late(f"now {blank.placeholder.title} is missing: {blank.note}")
    found = checks.check(
        letter,
        values,
        catalogue.files.__contains__,
        lambda file: catalogue.expired(file, world.today),
    )
    if stop := next((finding for finding in found if finding.severity == "stop"), None):
        raise _too_late(f"now it cannot go: {stop.sentence}")
    local = item.outgoing.message_id.strip("<>").partition("@")[0]
    tokens = chain([local], iter(token, None))
    outgoing = compose(
        letter,
        sender,
        now=now,
        token=lambda: str(next(tokens)),
        frame=catalogue.frame(letter.frame),
        files=EncodedFiles(read_file),
    )
    return replace(
        item, letter=letter, outgoing=outgoing, entry=entry_for(letter, sender, outgoing, now)
    )


def _too_late(why: str) -> NebbetError:
    return NebbetError(
        f"The letter waited until another day, and {why}",
        advice="Take it back, complete it, and send it again",
    )
