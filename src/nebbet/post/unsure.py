"""Letters that may have gone are looked for among the sent ones: a server that files what it sends
has them there, and then nobody has to decide."""

from collections.abc import Callable

from sqlalchemy import Engine

from nebbet.core.errors import NebbetError
from nebbet.personal import outbox
from nebbet.personal.items import Queued
from nebbet.personal.settings import Account
from nebbet.post.errors import DeliveryError

PAUSES = (60, 300, 3600)  # seconds after a look in vain; then the person decides alone


class Looks:
    """How often each letter was looked for since the start."""

    def __init__(self) -> None:
        self._done: dict[str, int] = {}

    def is_to_be(self, entry: Queued) -> bool:
        """Whether a letter is worth another look."""
        return entry.state == "uncertain" and self._done.get(entry.item.id, 0) <= len(PAUSES)

    def in_vain(self, entry: Queued, *, last: bool = False) -> float:
        """Count a look; returns the seconds until the next one."""
        done = self._done.get(entry.item.id, 0)
        self._done[entry.item.id] = len(PAUSES) + 1 if last else done + 1
        return PAUSES[min(done, len(PAUSES) - 1)]


def found_to_have_gone(
    personal: Engine,
    account: Account,
    password: Callable[[], str],
    looks: Looks,
    now: float,
    is_of: Callable[[Queued], bool],
) -> list[Queued]:
    """The letters of the outbox that may have gone by an account and are among its sent ones; is_of
    says whether one is of the account. Those that are not there are due for another look later.
    Raises NebbetError when the outbox cannot be used."""
    from nebbet.post import imap  # not before it is needed: the window starts without it

    unsure = outbox.queued(personal, ("uncertain",))
    wanted = [e for e in unsure if e.due <= now and looks.is_to_be(e) and is_of(e)]
    if not wanted:
        return []
    sent, last = set[str](), False
    try:
        ids = [entry.item.outgoing.message_id for entry in wanted]
        sent = imap.which_are_sent(account, password(), ids)
    except NebbetError as error:
        # A wrong password is not tried over and over: servers shut whoever does.
        last = isinstance(error, DeliveryError) and error.kind in ("account", "login")
    for entry in wanted:
        if entry.item.outgoing.message_id not in sent:
            pause = looks.in_vain(entry, last=last)
            outbox.mark(personal, entry.item.id, due=now + pause)
    return [entry for entry in wanted if entry.item.outgoing.message_id in sent]
