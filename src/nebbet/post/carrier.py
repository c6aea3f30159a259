"""The carrier: one thread that brings letters from the outbox to the mail server."""

import logging
import threading
from collections.abc import Callable
from datetime import UTC, datetime
from secrets import token_hex

from msgspec import Struct
from msgspec.structs import replace
from sqlalchemy import Engine

from nebbet.core.errors import NebbetError
from nebbet.library.store import Library
from nebbet.post import outbox, register
from nebbet.post.errors import DeliveryError, no_password
from nebbet.post.items import Queued
from nebbet.post.renewing import renewed
from nebbet.post.secrets import Secrets
from nebbet.post.settings import Account

RETRY_SECONDS = (60, 300, 900, 3600)
_IDLE = 3600.0
_log = logging.getLogger(__name__)


class Office(Struct, frozen=True):
    """All that delivering needs. now gives seconds since 1970."""

    personal: Engine
    library: Library
    account: Account
    secrets: Secrets
    now: Callable[[], float]


def deliver_due(office: Office) -> list[Queued]:
    """Deliver what is due and finish what is half done; returns what is left in the outbox."""
    for entry in outbox.queued(office.personal, ("held", "waiting", "sent")):
        if entry.due <= office.now():
            _advance(office, entry)
    return outbox.queued(office.personal)


def _advance(office: Office, entry: Queued) -> None:
    try:
        if entry.state != "sent":
            entry = _of_the_day(office, entry)
            if not outbox.claim(office.personal, entry.item.id):
                return
            _send(office, entry)
        _finish(office, entry)
    except DeliveryError as error:
        _put_off(office, entry, error)
    except NebbetError as error:
        # Only what follows the sending gets here: the letter is out, its record is not.
        _wait_for_record(office, entry, error.sentence)


def _of_the_day(office: Office, entry: Queued) -> Queued:
    """The letter as it is to go today. Raises DeliveryError when it cannot go any more."""
    moment = datetime.fromtimestamp(office.now(), UTC)
    try:
        item = renewed(entry.item, office.library, moment, lambda: token_hex(12))
    except NebbetError as error:
        raise DeliveryError("refused", error.what, error.advice) from None
    if item is not entry.item:
        outbox.rewrite(office.personal, item)
    return replace(entry, item=item)


def _password(office: Office) -> str:
    password = office.secrets.get(office.account.user)
    if not password:
        raise no_password(office.account)
    return password


def _send(office: Office, entry: Queued) -> None:
    from nebbet.post import smtp  # not before it is needed: the window starts without it

    outgoing = entry.item.outgoing
    smtp.deliver(
        office.account, _password(office), outgoing.sender, outgoing.recipients, outgoing.data
    )
    outbox.mark(office.personal, entry.item.id, state="sent", due=office.now(), words="")


def _finish(office: Office, entry: Queued) -> None:
    """Enter the letter into the register and file its copy; neither happens twice, whatever
    fails between."""
    from nebbet.core.message.compose import with_bcc
    from nebbet.post import imap

    item, waits = entry.item, ""
    try:
        register.record(office.library, item.entry)
    except NebbetError as error:
        waits = f"Sent. Its entry in the register waits: {error.what}"
    data = with_bcc(item.outgoing.data, item.outgoing.bcc)
    moment = datetime.fromtimestamp(office.now(), UTC)
    try:
        imap.file_sent(
            office.account,
            _password(office),
            data,
            moment,
            unless_there=item.outgoing.message_id if entry.state == "sent" else "",
        )
    except NebbetError as error:
        waits = waits or f"Sent. Its copy for your mailbox waits: {error.what}"
    if waits:
        _wait_for_record(office, entry, waits)
        return
    outbox.mark(office.personal, item.id, state="gone", due=office.now(), words="")


def _wait_for_record(office: Office, entry: Queued, words: str) -> None:
    due = office.now() + RETRY_SECONDS[0]
    outbox.mark(office.personal, entry.item.id, state="sent", due=due, words=words)


def _put_off(office: Office, entry: Queued, error: DeliveryError) -> None:
    """Wait and try again, or hand the letter back to the person."""
    pause = RETRY_SECONDS[min(entry.attempts, len(RETRY_SECONDS) - 1)]
    again = error.kind in ("busy", "unreachable")
    kinds = {"uncertain": "uncertain", "busy": "waiting", "unreachable": "waiting"}
    outbox.mark(
        office.personal,
        entry.item.id,
        state=kinds.get(error.kind, "refused"),
        due=office.now() + pause if again else office.now(),
        words=f"{error.what}. {error.advice}.",
    )


class Carrier:
    """Runs deliver_due in a thread of its own, whenever something is due or nudged.

    changed is called from that thread after every pass, with what is left in the outbox.
    """

    def __init__(self, office: Office, changed: Callable[[list[Queued]], None]) -> None:
        self._office, self._changed = office, changed
        self._wake = threading.Event()
        self._stopped = False
        self._thread = threading.Thread(target=self._run, name="nebbet-carrier", daemon=True)

    def start(self) -> None:
        """Begin to carry."""
        self._thread.start()

    def nudge(self) -> None:
        """Look into the outbox now."""
        self._wake.set()

    def use(self, office: Office) -> None:
        """Go on with another account or password."""
        self._office = office
        self.nudge()

    def stop(self, patience: float = 5.0) -> None:
        """End after the letter at hand; what is left goes at the next start."""
        self._stopped = True
        self._wake.set()
        if self._thread.is_alive():
            self._thread.join(patience)

    def _run(self) -> None:
        pause = 0.0
        while True:
            self._wake.wait(pause)
            self._wake.clear()
            if self._stopped:
                return
            pause = self._pass()

    def _pass(self) -> float:
        """Deliver, tell, and say how long to sleep."""
        try:
            left = deliver_due(self._office)
        except NebbetError as error:
            _log.warning("the outbox could not be looked through: %s", error.sentence)
            return float(RETRY_SECONDS[0])
        self._changed(left)
        dues = [entry.due for entry in left if entry.state in ("held", "waiting", "sent")]
        return max(0.05, min([due - self._office.now() for due in dues], default=_IDLE))
