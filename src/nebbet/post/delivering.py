"""Delivering: what is due in the outbox goes to the mail servers, and what went is recorded.

A letter goes in three stages, each with its own handling of what goes wrong: it is made ready, it
is handed over, and what follows is recorded. Only the server's yes lets a letter count as sent.
"""

import logging
from collections.abc import Callable
from contextlib import suppress
from datetime import UTC, datetime
from functools import partial
from secrets import token_hex
from typing import TYPE_CHECKING

from msgspec import Struct, field
from msgspec.structs import replace
from sqlalchemy import Engine

from nebbet.core.addresses import shortened
from nebbet.core.errors import NebbetError
from nebbet.core.letter import counts_from_sending
from nebbet.core.message.encoded import EncodedFiles
from nebbet.core.message.outgoing import Outgoing
from nebbet.core.rounds.pacing import Pace, moments
from nebbet.library.round_ledger import releases, round_of, snapshot_at
from nebbet.library.round_snapshot import as_started
from nebbet.library.store import Library
from nebbet.library.writing import Writer
from nebbet.personal import outbox
from nebbet.personal.alone import alone
from nebbet.personal.home import LETTERS_LOG
from nebbet.personal.items import Item, Queued, State
from nebbet.personal.secrets import Secrets
from nebbet.personal.settings import Account, account_for
from nebbet.post.errors import DeliveryError
from nebbet.post.pace import free_at, wait_words
from nebbet.post.secret import secret_of
from nebbet.post.sending import is_of_day, renewed
from nebbet.post.unsure import Looks, found_to_have_gone

if TYPE_CHECKING:
    from nebbet.post.imap import Copies
    from nebbet.post.smtp import Line

RETRY_SECONDS = (60, 300, 900, 3600)
_ATTEMPTS = 120  # that a server may put a letter off: about five days (RFC 5321 §4.5.4.1)
_log, _went = logging.getLogger(__name__), logging.getLogger(LETTERS_LOG)
_UNFORESEEN = DeliveryError(
    "refused",
    "Something in Nebbet itself went wrong before the letter was handed over",
    "It has not gone; the details are in the log. Look at the letter and send it again",
)


class Outcome(Struct, frozen=True):
    """Where a letter stands after a stage, still to be written into the outbox. by is the account
    that it just went by."""

    state: State
    due: float
    words: str = ""
    by: str = ""


class Office(Struct, frozen=True):
    """All that delivering needs. now gives seconds since 1970. A letter goes by the account that it
    is sent from: by the first one, where none of more is it.

    unwritten holds outcomes that are known but could not be written into the personal file: a
    letter that the server took is sent, whatever the disk says. stuck holds what kept letters from
    being tried in the last pass. known are the letters of the outbox that were read before: a round
    has thousands.
    """

    personal: Engine
    library: Library
    account: Account
    secrets: Secrets
    now: Callable[[], float]
    more: tuple[Account, ...] = ()
    unwritten: dict[str, Outcome] = field(default_factory=dict)
    stuck: list[NebbetError] = field(default_factory=list)
    looks: Looks = field(default_factory=Looks)
    known: dict[str, Item] = field(default_factory=dict)

    @property
    def accounts(self) -> tuple[Account, ...]:
        """All accounts that letters may go by."""
        return (self.account, *self.more)

    def account_of(self, entry: Queued) -> Account:
        """The account that a letter goes by."""
        return account_for(self.accounts, entry.item.outgoing.sender)


def deliver_due(
    office: Office,
    ended: Callable[[], bool] = lambda: False,
    most: int = 0,
    handed: Callable[[], object] = lambda: None,
) -> list[Queued]:
    """Deliver what is due and finish what is half done; returns what is left in the outbox. ended
    is asked before each letter, and keeps it for another time; most is how many letters go before
    it is told how that went (0: all that are due); handed is called when these were handed over,
    before their copies are filed, which may take long.

    One letter's trouble is that letter's: the others go on. While another process delivers from the
    same outbox, nothing is done. Raises NebbetError when the outbox
    itself cannot be read.
    """
    office.stuck.clear()
    write_outcomes(office)
    with alone(office.personal) as nobody_else:
        if nobody_else:
            _release(office)
            # What follows may take time or fail: no letter waits for that of another one.
            went = _let_go(office, ended, most)
            if went:
                handed()
            _record_all(office, went)
            if not ended():
                _record_all(office, _found_to_have_gone(office))
    left = outbox.queued(office.personal, known=office.known)
    for gone in office.known.keys() - {entry.item.id for entry in left}:
        del office.known[gone]
    return left


def _let_go(office: Office, ended: Callable[[], bool], most: int = 0) -> list[Queued]:
    """Hand over what is due, over one line; returns what the server took, now or before."""
    from nebbet.post.smtp import Line  # not before it is needed: the window starts without it

    out, lines = list[Queued](), dict[str, Line]()
    try:
        for entry in outbox.queued(office.personal, ("held", "waiting", "sent"), office.known):
            if ended() or (most and len(out) >= most):
                break
            if entry.due > office.now() or entry.item.id in office.unwritten:
                continue
            if entry.state != "sent" and _has_to_wait(office, entry):
                continue
            account = office.account_of(entry)
            line = lines.setdefault(account.user, Line(account))
            if entry.state == "sent" or _is_out(office, entry, line):
                out.append(entry)
    finally:
        for line in lines.values():
            line.leave()
    return out


def _release(office: Office) -> None:
    """Let the letters of rounds go that were released, here or by somebody else."""
    try:
        if not (waiting := outbox.held_rounds(office.personal)):
            return
        engine = office.library.register_engine
        for round_id in releases(engine, waiting):
            made = round_of(engine, round_id)
            first = datetime.fromtimestamp(office.now(), UTC).astimezone()
            pace = made.pace if made else Pace()
            dues = (moment.timestamp() for moment in moments(first, pace))
            outbox.release_round(office.personal, round_id, dues)
    except NebbetError as error:  # the library is away: they wait on
        _log.info("it cannot be told which rounds are released: %s", error.sentence)


def _found_to_have_gone(office: Office) -> list[Queued]:
    """The letters that may have gone, are among the sent ones of the mailbox, and so count as sent;
    unless somebody was quicker to decide."""
    now, gone = office.now(), list[Queued]()
    try:
        for account in office.accounts:
            found = found_to_have_gone(
                office.personal,
                account,
                partial(secret_of, account, office.secrets),
                office.looks,
                now,
                partial(_goes_by, office, account),
            )
            gone += [
                e for e in found
                if outbox.settle(office.personal, e.item.id, "sent", due=now, by=account.user)
            ]  # fmt: skip
    except NebbetError as error:
        office.stuck.append(error)
    return gone


def _goes_by(office: Office, account: Account, entry: Queued) -> bool:
    return office.account_of(entry) == account


def _has_to_wait(office: Office, entry: Queued) -> bool:
    """Whether the account lets no more letters go for now; then the letter says until when."""
    account = office.account_of(entry)
    free = free_at(office.personal, account, office.now())
    if free <= office.now():
        return False
    outbox.mark(office.personal, entry.item.id, due=free, words=wait_words(free))
    return True


def _is_out(office: Office, entry: Queued, line: "Line") -> bool:
    """Hand one letter over; its state says how that went. Says whether the server took it."""
    outcome = _hand_in(office, entry, line)
    if outcome is None:
        return False
    _settle(office, entry, outcome)
    return outcome.state == "sent"


def _hand_in(office: Office, entry: Queued, line: "Line") -> Outcome | None:
    """Make a letter ready and hand it over; nothing where it was taken back meanwhile."""
    try:
        entry = _of_the_day(office, entry)
        password = secret_of(office.account_of(entry), office.secrets)
        return _hand_over(office, entry, password, line)
    except DeliveryError as error:
        return _put_off(office, entry, error)
    except NebbetError as error:  # the personal file cannot be written: nothing has gone
        office.stuck.append(error)
        return None
    except Exception:
        _log.exception("a letter could not be made ready")
        return _put_off(office, entry, _UNFORESEEN)


def _of_the_day(office: Office, entry: Queued) -> Queued:
    """The letter as it is to go today. Raises DeliveryError when it cannot go now or any more."""
    if not counts_from_sending(entry.item.letter):
        return entry
    moment, engine = datetime.fromtimestamp(office.now(), UTC), office.library.register_engine
    try:
        catalogue = office.library.catalogue(moment)
        if entry.item.round and not is_of_day(catalogue, entry.item, moment):
            catalogue = as_started(catalogue, snapshot_at(engine, entry.item.round))
    except NebbetError as error:
        raise DeliveryError("unreachable", error.what, "Nebbet tries again by itself") from None
    try:
        sender = catalogue.members.get(entry.item.entry.sender)
        item = renewed(
            catalogue,
            entry.item,
            Writer(moment, sender),
            token=lambda: token_hex(12),
            files=EncodedFiles(office.library.file_bytes),
        )
    except NebbetError as error:
        raise DeliveryError("refused", error.what, error.advice) from None
    if item is not entry.item:
        outbox.rewrite(office.personal, item)
        office.known.pop(item.id, None)
    return replace(entry, item=item)


def _hand_over(office: Office, entry: Queued, password: str, line: "Line") -> Outcome | None:
    """Give the letter to the server; nothing where it was taken back meanwhile. It is claimed at
    the last moment: whatever ends Nebbet before leaves it as it was."""
    outgoing = _message_of(office, entry)
    went = line.deliver(
        password, outgoing.sender, outgoing.recipients, outgoing.data,
        lambda: _may_go(office, entry.item),
    )  # fmt: skip
    if not went:
        return None
    return Outcome("sent", office.now(), by=office.account_of(entry).user)


def _may_go(office: Office, item: Item) -> bool:
    """Whether the end of a letter's message may be said: nobody took it back, and, of a round, its
    row went from no other computer. Raises DeliveryError where that is so, or cannot be told."""
    if item.round:
        moment, mine = datetime.fromtimestamp(office.now(), UTC), item.outgoing.message_id
        try:
            has = office.library.claim_row(item.round, item.row, mine, item.entry.sender, moment)
        except NebbetError as error:
            raise DeliveryError("busy", error.what, "Nebbet tries again by itself") from None
        if has != mine:
            raise DeliveryError(
                "refused",
                "This row of the round has gone already, as another message",
                "Take the letter back and discard it",
            )
    return outbox.claim(office.personal, item)


def _message_of(office: Office, entry: Queued) -> Outgoing:
    """The message of a letter, whole. Raises DeliveryError where it is not to be had any more."""
    if entry.item.outgoing.data:
        return entry.item.outgoing  # it was just worked out
    found = outbox.whole(office.personal, entry.item.id)
    if found is None or not found.outgoing.data:
        raise DeliveryError(
            "refused", "The message of this letter cannot be read any more",
            "Look at the letter and send it again",
        )  # fmt: skip
    return found.outgoing


def _record_all(office: Office, entries: list[Queued]) -> None:
    from nebbet.post.imap import Copies

    copies = dict[str, Copies]()
    try:
        for entry in entries:
            account = office.account_of(entry)
            done = _record(office, entry, copies.setdefault(account.user, Copies(account)))
            if entry.item.id not in office.unwritten:
                _settle(office, entry, done)
    finally:
        for one in copies.values():
            one.leave()


def _record(office: Office, entry: Queued, copies: "Copies") -> Outcome:
    """Enter the letter into the register and file its copy; neither happens twice, whatever
    fails between."""
    waits = _register(office, entry) or _file_copy(office, entry, copies)
    if waits:
        return Outcome("sent", office.now() + RETRY_SECONDS[0], waits)
    return Outcome("gone", office.now())


def _register(office: Office, entry: Queued) -> str:
    """Enter the letter; returns what to say when that has to wait."""
    try:
        office.library.record([entry.item.entry])
    except NebbetError as error:
        return f"Sent. Its entry in the register waits: {error.what}"
    except Exception:
        _log.exception("a letter that went could not be entered into the register")
        return "Sent. Its entry in the register waits; the details are in the log"
    return ""


def _file_copy(office: Office, entry: Queued, copies: "Copies") -> str:
    """File the sender's copy; returns what to say when that has to wait."""
    from nebbet.core.message.compose import with_bcc

    item = entry.item
    moment = datetime.fromtimestamp(office.now(), UTC)
    try:
        copies.file(
            secret_of(office.account_of(entry), office.secrets),
            with_bcc(_message_of(office, entry).data, item.outgoing.bcc),
            moment,
            unless_there=item.outgoing.message_id,
        )
    except NebbetError as error:
        return f"Sent. Its copy for your mailbox waits: {error.what}"
    except Exception:
        _log.exception("the copy of a letter that went could not be filed")
        return "Sent. Its copy for your mailbox waits; the details are in the log"
    return ""


def _put_off(office: Office, entry: Queued, error: DeliveryError) -> Outcome:
    """Wait and try again, or hand the letter back to the person."""
    pause = RETRY_SECONDS[min(entry.attempts, len(RETRY_SECONDS) - 1)]
    words = f"{error.what}. {error.advice}."
    match error.kind:
        case "busy" if entry.attempts + 1 >= _ATTEMPTS:
            return Outcome(
                "refused",
                office.now(),
                f"{error.what}, and has not in {_ATTEMPTS} attempts. Send it again when it "
                "does, or another way.",
            )
        case "busy" | "unreachable":
            return Outcome("waiting", office.now() + pause, words)
        case "uncertain":
            return Outcome("uncertain", office.now(), words)
    return Outcome("refused", office.now(), words)


def _settle(office: Office, entry: Queued, outcome: Outcome) -> None:
    """Write an outcome down, now or as soon as the personal file can be written again."""
    outgoing = entry.item.outgoing
    whom = ", ".join(map(shortened, outgoing.recipients))
    _went.info("%s %s to %s", outgoing.message_id, outcome.state, whom)
    if outcome.state == "refused" and entry.item.round:
        _let_row_go(office, entry.item)
    office.unwritten[entry.item.id] = outcome
    write_outcomes(office)


def _let_row_go(office: Office, item: Item) -> None:
    """A row whose letter was refused may go when it is mended, as another message."""
    with suppress(NebbetError):
        office.library.release_row(item.round, item.row, item.outgoing.message_id)


def write_outcomes(office: Office) -> None:
    """Write down the outcomes that could not be written before."""
    for item_id, outcome in list(office.unwritten.items()):
        try:
            outbox.settle(
                office.personal, item_id, outcome.state, due=outcome.due, words=outcome.words,
                by=outcome.by,
            )  # fmt: skip
        except NebbetError as error:
            office.stuck.append(error)
            continue
        del office.unwritten[item_id]
