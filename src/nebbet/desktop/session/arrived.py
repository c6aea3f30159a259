"""Arrived messages: those that are known, read, marked, and what each of them is about."""

from collections.abc import Callable, Iterable, Mapping
from functools import partial
from typing import TYPE_CHECKING

from msgspec import Struct
from msgspec.structs import replace
from PySide6.QtCore import QObject, Signal

from nebbet.core.errors import NebbetError
from nebbet.core.message.answering import Arrived, arrived, asked_in
from nebbet.core.message.bounces import Bounce, bounces_in
from nebbet.core.message.head import ANSWERED, MINE, SEEN, Head, Place
from nebbet.core.message.received import Received, open_message
from nebbet.core.message.threads import in_threads
from nebbet.core.ranking.suggesting import Suggester, Suggestion
from nebbet.core.ranking.words import wanted_words
from nebbet.core.records import Member
from nebbet.core.sentences import said
from nebbet.desktop.kit.notices import Voice
from nebbet.desktop.kit.operations import Operations
from nebbet.desktop.session.noticed import Noticed
from nebbet.desktop.session.parts import Parts
from nebbet.desktop.session.shared_library import SharedLibrary
from nebbet.library.about_message import AboutMessage, about_message
from nebbet.library.catalogue import Catalogue
from nebbet.library.remarks import lessons
from nebbet.library.suggesting import kinds_of, suggester_of
from nebbet.personal.settings import Account

if TYPE_CHECKING:
    from nebbet.post.inbox import Inbox, InboxThread


class Opened(Struct, frozen=True):
    """A message that is read, as it came: its fields, what it says, whom it comes from and what it
    is about, and the templates that may answer it. place is empty for one that came as a file;
    bounces are what it reports of letters that came back."""

    fields: Arrived
    received: Received
    about: AboutMessage = AboutMessage()
    suggestions: tuple[Suggestion, ...] = ()
    place: Place | None = None
    data: bytes = b""
    bounces: tuple[Bounce, ...] = ()


class ArrivedMail(QObject):
    """changed tells that other messages are known now."""

    changed = Signal()
    _came = Signal()
    _troubled = Signal(str, object)

    def __init__(
        self, parts: Parts, shared: SharedLibrary, network: Operations, voice: Voice
    ) -> None:
        super().__init__()
        self._parts, self._shared, self._voice = parts, shared, voice
        self._network = network
        self.accounts = parts.settings.accounts
        self.heads: dict[str, Head] = {}
        self._troubles: dict[str, str] = {}
        self.noticed = Noticed(shared, network, voice)
        self.noticed.setParent(self)
        self._threads: list[InboxThread] = []
        self._suggester: tuple[Catalogue, Suggester] | None = None
        self._came.connect(self._load)
        self.noticed.changed.connect(self._on_noticed)
        self._troubled.connect(self._on_troubled)

    # Beginning and end

    def start(self) -> None:
        """Show what is known, and begin to look."""
        self._load()
        self._look()

    def use(self, accounts: tuple[Account, ...]) -> None:
        """Go on with other accounts, or other passwords."""
        if accounts != self.accounts or self.trouble:
            self.accounts = accounts
            self._end()
            self.start()

    def _look(self) -> None:
        from nebbet.post.inbox import InboxThread

        for account in self.looked_into:
            troubled = partial(self._troubled.emit, account.user)
            thread = InboxThread(self._inbox(account.user), self._came.emit, troubled)
            self._threads.append(thread)
            thread.start()

    @property
    def looked_into(self) -> list[Account]:
        """The mailboxes of which folders are looked into."""
        return [one for one in self.accounts if one.user and one.imap_host and one.folders]

    def _inbox(self, user: str) -> "Inbox":
        """What a mailbox is looked into with, by its user; that of a message says whose it is."""
        from nebbet.post.inbox import Inbox

        account = next((one for one in self.accounts if one.user == user), self.accounts[0])
        return Inbox(self._shared.stores.personal, account, self._parts.secrets)

    def _end(self) -> None:
        for thread in self._threads:
            thread.stop()
        self._threads.clear()
        self._troubles.clear()

    @property
    def trouble(self) -> str:
        """Why a mailbox cannot be looked into, as a sentence; empty where all can."""
        return next(iter(self._troubles.values()), "")

    def stop(self) -> None:
        """Look no more."""
        self._end()

    def nudge(self) -> None:
        """Look now."""
        for thread in self._threads:
            thread.nudge()

    def _on_troubled(self, user: str, error: NebbetError | None) -> None:
        self._troubles.pop(user, None)
        if error:
            self._troubles[user] = _of_messages(error).sentence
        self.changed.emit()

    # What is known

    def _load(self) -> None:
        from nebbet.personal.arrived import heads

        personal = self._shared.stores.personal
        users = {account.user for account in self.accounts}
        self._shared.reads.run(
            lambda: [one for one in heads(personal) if one.place.account in users],
            self._take_up,
            self._voice.fail,
        )

    def _take_up(self, heads: list[Head]) -> None:
        self.heads = {one.key: one for one in heads}
        self.changed.emit()
        self.noticed.refresh()
        reports = (one for one in heads if one.is_report)
        self.noticed.look_at((one.key, self._reading(one)) for one in reports)

    def _reading(self, head: Head) -> Callable[[], bytes]:
        """What reads a message in the background."""
        inbox, place = self._inbox(head.place.account), head.place

        def read() -> bytes:
            from nebbet.post import acting

            return acting.read(inbox, place)

        return read

    def _on_noticed(self) -> None:
        self._suggester = None  # others answered something, or what they did is forgotten
        self.changed.emit()

    @property
    def members(self) -> Mapping[str, Member]:
        """The members of the team, by their ids: a message may be one's."""
        return self._shared.catalogue.members

    def threads(self) -> list[list[Head]]:
        """The messages in threads, each with the newest first; that with the newest one first."""
        found = in_threads({key: head.ids for key, head in self.heads.items()})
        return [[self.heads[key] for key in keys] for keys in found]

    def of_addresses(self, addresses: Iterable[str]) -> list[Head]:
        """The messages that came from some addresses, the newest first."""
        wanted = {address.casefold() for address in addresses}
        found = (h for h in self.heads.values() if h.fields.sender.spec.casefold() in wanted)
        return sorted(found, key=lambda head: -head.came)

    def find(self, words: str, most: int) -> list[Head]:
        """The messages whose sender or subject has all the words, each as it begins; the newest
        first."""
        asked = wanted_words(words)
        found = (head for head in self.heads.values() if asked and _has(head, asked))
        return sorted(found, key=lambda head: -head.came)[:most]

    def find_in_mailboxes(self, words: str, done: Callable[[list[Head]], object]) -> None:
        """Find messages by their texts in the whole of the mailboxes, the newest first; they are
        known from then on."""
        asked, inboxes = words.split(), [self._inbox(one.user) for one in self.looked_into]

        def look() -> list[Head]:
            from nebbet.post import acting

            found = [head for inbox in inboxes for head in acting.find(inbox, asked)]
            return sorted(found, key=lambda head: -head.came)

        def came(found: list[Head]) -> None:
            self.heads = {head.key: head for head in found} | self.heads
            self.changed.emit()
            done(found)

        self._network.run(look, came, lambda error: self._voice.fail(_of_messages(error)))

    # Reading

    def open(self, head: Head, done: Callable[[Opened], object]) -> None:
        """Read a message: what is kept of it, or else from the mailbox. Only by that it counts as
        read."""
        place = head.place

        def came(data: bytes) -> None:
            self.open_data(data, done, place)
            if not head.is_read:
                self.mark(head, (SEEN,))

        self._network.run(
            self._reading(head), came, lambda error: self._voice.fail(_of_messages(error))
        )

    def open_data(
        self, data: bytes, done: Callable[[Opened], object], place: Place | None = None
    ) -> None:
        """Read a message that is at hand."""
        shared = self._shared
        catalogue, people = shared.catalogue, shared.library.people
        known = self._suggester

        engine = shared.library.register_engine

        def read() -> tuple[Opened, Suggester]:
            fields, received = arrived(data), open_message(data)
            if known and known[0] is catalogue:
                suggester = known[1]
            else:
                suggester = suggester_of(catalogue, lessons(engine))
            about = about_message(people, fields, received)
            asked = asked_in(fields, received)
            bounces = bounces_in(data)
            suggestions = () if bounces else suggester.suggest(asked, kinds_of(about.cases))
            made = Opened(fields, received, about, suggestions, place, data, bounces)
            return made, suggester

        def came(found: tuple[Opened, Suggester]) -> None:
            self._suggester = (catalogue, found[1])
            done(found[0])

        shared.reads.run(read, came, self._voice.fail)

    # Acts

    def mark(self, head: Head, add: Iterable[str] = (), remove: Iterable[str] = ()) -> None:
        """Give a message flags on the server, or take some away."""
        flags = tuple(dict.fromkeys(one for one in (*head.flags, *add) if one not in remove))
        self._show_flags(head.key, flags)
        inbox, place = self._inbox(head.place.account), head.place
        added, removed = tuple(add), tuple(remove)

        def change() -> tuple[str, ...]:
            from nebbet.post import acting

            return acting.mark(inbox, place, added, removed)

        def failed(error: NebbetError) -> None:
            self._show_flags(head.key, head.flags)
            self._voice.fail(_of_messages(error))

        def done(found: tuple[str, ...]) -> None:
            self._show_flags(head.key, found)

        self._network.run(change, done, failed)

    def _show_flags(self, key: str, flags: tuple[str, ...]) -> None:
        if head := self.heads.get(key):
            self.heads[key] = replace(head, flags=flags)
            self.changed.emit()

    def take(self, head: Head) -> None:
        """Take a message, so that no colleague answers it too, or let go of it. Those who read the
        mailbox without Nebbet see it there, where the server keeps such marks."""
        mine = (MINE + self._shared.my_id,)

        def marked(taken: bool) -> None:
            self.mark(head, mine if taken else (), () if taken else mine)

        self.noticed.take(head, marked)

    def answered(self, message_id: str, template: str) -> None:
        """A letter that answers a message has gone: the message counts as answered, and what was
        answered with the template is learned."""
        for head in list(self.heads.values()):
            if head.fields.message_id == message_id:
                if not head.is_answered:
                    self.mark(head, (ANSWERED, SEEN))
                if template:
                    self.noticed.learn(message_id, self._reading(head), template)

    def file_away(self, head: Head, folder: str) -> None:
        """Move a message into another folder of its mailbox."""
        inbox, place = self._inbox(head.place.account), head.place
        held = self.heads.pop(head.key, None)
        self.changed.emit()

        def act() -> None:
            from nebbet.post import acting

            acting.file_away(inbox, place, folder)

        def failed(error: NebbetError) -> None:
            if held:
                self.heads[head.key] = held
                self.changed.emit()
            self._voice.fail(_of_messages(error))

        def done(_result: object) -> None:
            self._voice.say(said("The message is in the folder {folder} now.", folder=folder))

        self._network.run(act, done, failed)


def _has(head: Head, asked: Iterable[str]) -> bool:
    sender = head.fields.sender
    words = wanted_words(f"{sender.name} {sender.spec} {head.fields.subject}")
    return all(any(word.startswith(one) for word in words) for one in asked)


def _of_messages(error: NebbetError) -> NebbetError:
    """What went wrong at a server, without what that means for a letter on its way."""
    return NebbetError(error.what, advice=error.advice)
