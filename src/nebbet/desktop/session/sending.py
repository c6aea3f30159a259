"""Letters on their way out: into the outbox, through the carrier, and what becomes of them."""

from collections.abc import Callable, Collection
from datetime import datetime
from functools import partial
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal

from nebbet.core import addresses
from nebbet.core.errors import NebbetError
from nebbet.core.letter import Letter
from nebbet.core.message.outgoing import Outgoing
from nebbet.core.sentences import said
from nebbet.desktop.kit.notices import Voice
from nebbet.desktop.kit.operations import Operations
from nebbet.desktop.session.open_letters import OpenLetters
from nebbet.desktop.session.parts import Parts
from nebbet.desktop.session.shared_library import SharedLibrary
from nebbet.library.changes import Change
from nebbet.library.entries import Registered
from nebbet.personal.items import Item, Queued, State
from nebbet.personal.secrets import Secrets
from nebbet.personal.settings import Account, account_for

if TYPE_CHECKING:
    from nebbet.core.message.received import Received
    from nebbet.personal.stores import Stores
    from nebbet.post.carrier import Carrier
    from nebbet.post.delivering import Office


class Sending(QObject):
    """changed tells that the outbox is another one, sent and taken_back which letter went into it
    or came back, answered the Message-ID of a message whose answer has gone and the template of
    that. trouble is why it
    cannot be looked through, as a sentence."""

    changed = Signal()
    sent = Signal(str)
    taken_back = Signal(str)
    answered = Signal(str, str)
    _carried = Signal(object)
    _troubled = Signal(object)

    def __init__(
        self,
        parts: Parts,
        shared: SharedLibrary,
        letters: OpenLetters,
        operations: Operations,
        network: Operations,
        voice: Voice,
    ) -> None:
        super().__init__()
        self._parts, self._shared, self._letters = parts, shared, letters
        self._operations, self._network, self._voice = operations, network, voice
        self.hold = parts.settings.hold_seconds
        self.accounts = parts.settings.accounts
        self.outbox: list[Queued] = []
        self.trouble = ""
        self._taking_back: set[str] = set()
        self._carrier: Carrier | None = None
        shared.changed.connect(self._follow)
        self._carried.connect(self._on_carried)
        self._troubled.connect(self._on_troubled)

    @property
    def _stores(self) -> "Stores":
        return self._shared.stores

    # Beginning and end

    def start(self, outbox: list[Queued]) -> None:
        """Take up what waits, and begin to carry."""
        from nebbet.post.carrier import Carrier

        self.outbox = outbox
        self._carrier = Carrier(self._office(), self._carried.emit, self._troubled.emit)
        self._carrier.start()
        self.changed.emit()

    def use(self, accounts: tuple[Account, ...], hold: int) -> None:
        """Go on with other accounts or passwords, and another hold time."""
        self.accounts, self.hold = accounts, hold
        if self._carrier:
            self._carrier.use(self._office())

    def stop(self) -> None:
        """Let the letter on the line finish."""
        if self._carrier:
            self._carrier.stop()

    def _office(self) -> "Office":
        from nebbet.post.delivering import Office

        stores, (first, *more) = self._stores, self.accounts
        return Office(
            stores.personal, stores.library, first, self._parts.secrets, self.seconds, tuple(more)
        )

    def account_of(self, letter: Letter) -> Account:
        """The account that a letter goes by."""
        found, _problems = addresses.read(addresses.shown(letter.mailbox))
        return account_for(self.accounts, found[0].spec if found else "")

    def seconds(self) -> float:
        """The moment, in seconds, as the outbox counts."""
        return self._parts.now().timestamp()

    def nudge(self) -> None:
        """Look into the outbox now."""
        if self._carrier:
            self._carrier.nudge()

    def _follow(self, change: Change) -> None:
        """A round that was released goes."""
        if change.touches("round_release"):
            self.nudge()

    def hurry(self) -> None:
        """Enter into the register what was sent while its library was away."""
        self._operations.run(self._stores.hurry, lambda _done: self.nudge(), self._voice.fail)

    # Sending

    def send(
        self, letter: Letter, acknowledged: Collection[str] = (), at: datetime | None = None
    ) -> bool:
        """Put a letter into the outbox, with the doubts that the person has acknowledged; at says
        when it is to go, if not after the hold time.

        It is worked out, checked and finished in the background, where files may be read; it stays
        open until the outbox has it.
        """
        if self._shared.me is None:
            self._voice.say(said("Nebbet does not know who you are: complete your profile first."))
            return False
        if not self._letters.give_away(letter.id):
            return False
        catalogue, writer = self._shared.catalogue, self._shared.writer()
        due = at.timestamp() if at else writer.moment.timestamp() + self.hold

        def put() -> tuple[Item, dict[str, str]]:
            from nebbet.personal.open_letters import answers_to_keep
            from nebbet.post.sending import put_out

            item = put_out(
                self._stores.personal, catalogue, letter, writer, due=due,
                token=self._parts.token, files=self._shared.files, acknowledged=acknowledged,
            )  # fmt: skip
            return item, answers_to_keep(item.letter)

        done = partial(self._on_enqueued, at=at)
        self._operations.run(put, done, partial(self._on_not_enqueued, letter))
        return True

    def _on_not_enqueued(self, letter: Letter, error: NebbetError) -> None:
        self._letters.stays(letter)
        self._voice.fail(error)

    def _on_enqueued(self, put: tuple[Item, dict[str, str]], at: datetime | None = None) -> None:
        letter, kept = put[0].letter, put[1]
        self._shared.own.remember(letter.template, kept)
        self._letters.went(letter.id)
        self.nudge()
        self.refresh()
        name = letter.recipient.name or letter.recipient.email if letter.recipient else ""
        if at:
            self._voice.say(
                said("The letter to {name} goes on {moment}.", name=name,
                     moment=f"{at:%a %d %b %Y %H:%M}"),
                said("Take back"),
                lambda: self.take_back(letter.id),
            )  # fmt: skip
        elif self.hold:
            self._voice.say(
                said(
                    "The letter to {name} goes in {seconds} seconds.", name=name, seconds=self.hold
                ),
                said("Take back"),
                lambda: self.take_back(letter.id),
                self.hold,
            )
        self.sent.emit(letter.id)

    def take_back(self, item_id: str) -> None:
        """Bring a letter back from the outbox onto the pile."""
        now = self.seconds()
        self._taking_back.add(item_id)

        def taken(letter: Letter | None) -> None:
            self._taking_back.discard(item_id)
            if letter is None:
                self._voice.say(said("The letter has already gone."))
            else:
                self._letters.came_back(letter)
                self._voice.say(said("The letter is back on your pile."))
                self.taken_back.emit(letter.id)
            self.refresh()

        def failed(error: NebbetError) -> None:
            self._taking_back.discard(item_id)
            self._voice.fail(error)

        self._operations.run(lambda: self._stores.take_back(item_id, now), taken, failed)

    def take_back_last(self) -> None:
        """Bring the letter that was sent last back, if it is still held."""
        held = [entry for entry in self.outbox if entry.state == "held"]
        if held:
            self.take_back(held[-1].item.id)
        else:
            self._voice.say(said("No letter is held back just now."))

    def move_on(self, item_id: str, state: State) -> None:
        """Try a letter in the outbox again now, or take it as gone, if it is still where it was."""
        due = self.seconds()

        def done(moved: bool) -> None:
            if not moved:
                self._voice.say(
                    said("The letter has moved on meanwhile: this is where it stands now.")
                )
            self.nudge()
            self.refresh()

        self._operations.run(
            lambda: self._stores.settle(item_id, state, due), done, self._voice.fail
        )

    # The outbox

    def entry(self, item_id: str) -> Queued | None:
        """A letter that is in the outbox."""
        return next((entry for entry in self.outbox if entry.item.id == item_id), None)

    def refresh(self) -> None:
        """Read the outbox again."""
        self._operations.run(self._read_outbox, self._on_outbox, self._voice.fail)

    def _read_outbox(self) -> list[Queued]:
        return self._stores.queued()

    def _on_carried(self, left: list[Queued]) -> None:
        before = {e.item.id: e.state for e in self.outbox}
        names = {e.item.id: e.item.entry.name or e.item.entry.address for e in self.outbox}
        letters = {e.item.id: e.item.letter for e in self.outbox}
        self._on_outbox(left)
        there = {e.item.id: e.state for e in left}
        gone = [key for key in before if key not in there and key not in self._taking_back]
        # Those that were sent before were told of then.
        went = [k for k in gone if before[k] != "sent"] + [
            k for k, state in there.items() if state == "sent" != before.get(k)
        ]
        if gone or any(e.state == "sent" for e in left):
            self._shared.refresh()
        if went:
            self._voice.add(said("The letter to {name} has gone.", name=names.get(went[-1], "")))
        for key in went:
            if (letter := letters.get(key)) and letter.answers_to:
                self.answered.emit(letter.answers_to, letter.template)
        for entry in left:
            if entry.state in ("refused", "uncertain") and before.get(entry.item.id) != entry.state:
                self._voice.fail(NebbetError(entry.words.rstrip(".")))

    def _on_troubled(self, error: NebbetError | None) -> None:
        """The outbox cannot be read or written: the band says so until it can be again."""
        sentence = error.sentence if error else ""
        if sentence == self.trouble:
            return
        self.trouble = sentence
        if error:
            self._voice.fail(error)
        else:
            self._voice.say(said("The outbox can be read and written again."))
        self.changed.emit()

    def _on_outbox(self, left: list[Queued]) -> None:
        self.outbox = left
        self.changed.emit()

    # What went

    def sent_letter(self, message_id: str) -> Letter | None:
        """A letter that went lately from this computer; only for work in the background."""
        return self._stores.sent_letter(message_id)

    def fetch(
        self,
        entry: Registered,
        done: Callable[["Received"], None],
        failed: Callable[[NebbetError], None],
    ) -> None:
        """Get a sent message and read it: the copy on this machine, else the one in the
        mailbox."""
        accounts, me, secrets = self.accounts, self._shared.my_id, self._parts.secrets

        def fetch() -> "Received":
            from nebbet.core.message.received import open_message

            kept = self._stores.local_copy(entry.message_id)
            if kept is not None:
                return _as_sent(kept)
            if not me or entry.sender != me:
                raise NebbetError(
                    said("The message was sent by somebody else"),
                    advice=said("It can be opened from the mailbox it was sent from"),
                )
            return open_message(_from_one_of(accounts, secrets, entry.message_id))

        self._network.run(fetch, done, failed)

    def read_outgoing(self, entry: Queued, done: Callable[["Received"], None]) -> None:
        """Read the message of a letter that is in the outbox."""
        self._operations.run(
            lambda: _as_sent(self._stores.message_of(entry.item.id)), done, self._voice.fail
        )


def _from_one_of(accounts: tuple[Account, ...], secrets: Secrets, message_id: str) -> bytes:
    """A sent message from the mailbox that has it. Raises NebbetError."""
    from nebbet.post import imap
    from nebbet.post.secret import secret_of

    wrong: list[NebbetError] = []
    for account in accounts:
        try:
            return imap.fetch_sent(account, secret_of(account, secrets), message_id)
        except NebbetError as error:
            wrong.append(error)
    raise wrong[0]


def _as_sent(outgoing: Outgoing) -> "Received":
    """A message as the sender's own copy has it."""
    from nebbet.core.message.compose import with_bcc
    from nebbet.core.message.received import open_message

    return open_message(with_bcc(outgoing.data, outgoing.bcc))
