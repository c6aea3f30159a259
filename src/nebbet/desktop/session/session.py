"""What all places share: the library's picture, open letters, the outbox, and work on them."""

import logging
from collections.abc import Callable, Mapping
from datetime import datetime
from functools import partial
from secrets import token_hex
from typing import TYPE_CHECKING

from msgspec import Struct
from msgspec.structs import replace
from PySide6.QtCore import QObject, Signal

from nebbet.core import checks, dates, sums
from nebbet.core.body import FILE, files_of, render_email, render_plain
from nebbet.core.checks import Finding
from nebbet.core.errors import NebbetError
from nebbet.core.letter import Enclosure, Letter
from nebbet.core.message.encoded import EncodedFiles
from nebbet.core.placeholders import Particular, World
from nebbet.core.records import Member
from nebbet.desktop.kit.notices import Voice
from nebbet.desktop.kit.operations import Operations
from nebbet.desktop.kit.pause import after_pause
from nebbet.desktop.kit.pictures import Pictures, image_address
from nebbet.desktop.paper.speller import Speller
from nebbet.desktop.session.following import Following
from nebbet.desktop.session.intake import Intake
from nebbet.desktop.session.search import Finds
from nebbet.library.catalogue import (
    Catalogue,
    LibraryFile,
    Role,
    Template,
    Unread,
    seen_by,
)
from nebbet.library.entries import Registered, entry_for
from nebbet.personal.home import Home
from nebbet.personal.items import Item, Queued, State
from nebbet.personal.secrets import Secrets
from nebbet.personal.settings import Settings, write_settings

if TYPE_CHECKING:
    from nebbet.library.store import Library
    from nebbet.personal.stores import AtStart, Stores
    from nebbet.post.carrier import Carrier, Office

_log = logging.getLogger(__name__)
AUTOSAVE = 500  # milliseconds after the last keystroke


class Parts(Struct, frozen=True):
    """What a session is made of; everything that differs between real life and tests."""

    home: Home
    settings: Settings
    secrets: Secrets
    now: Callable[[], datetime]
    token: Callable[[], str] = lambda: token_hex(12)
    role: Role | None = None  # what one may do in the library; the library says, if none is given


class Session(QObject):
    """The state of the program, with signals for what changed. All writing is done off the
    window's thread; a method returns at once and a signal or a notice tells the outcome."""

    opened = Signal()
    not_opened = Signal(object)
    catalogue_changed = Signal()
    letters_changed = Signal()
    outbox_changed = Signal()
    register_changed = Signal()
    settings_changed = Signal()
    sent = Signal(str)
    taken_back = Signal(str)
    _carried = Signal(object)
    _troubled = Signal(object)

    def __init__(self, parts: Parts, voice: Voice) -> None:
        super().__init__()
        self.parts, self.voice = parts, voice
        self.settings = parts.settings
        self.catalogue = Catalogue()
        self.letters: dict[str, Letter] = {}
        self.outbox: list[Queued] = []
        self.outbox_trouble = ""  # why it cannot be looked through, as a sentence
        self._unread: tuple[Unread, ...] = ()
        self.entries: list[Registered] = []
        self.drafts: dict[str, bytes] = {}
        self.pinned: frozenset[str] = frozenset()
        self._answers: dict[str, dict[str, str]] = {}
        self.operations = Operations(self)
        self.network = Operations(self)
        self.picture_loads = Operations(self)
        self.pictures = Pictures(self._file_bytes, self.picture_loads)
        self.speller = Speller(lambda: self.catalogue.words, self.picture_loads)
        self.files = EncodedFiles(self._file_bytes)
        self._stores: Stores | None = None
        self._carrier: Carrier | None = None
        self.following = Following(self)
        self.finds = Finds(self)
        self.intake = Intake(self)
        self._unkept: dict[str, Letter] = {}
        self._on_the_way: set[str] = set()  # letters between the pile and the outbox
        self._timer = after_pause(self, AUTOSAVE, self.keep_now)
        self._carried.connect(self._on_carried)
        self._troubled.connect(self._on_troubled)

    # Beginning and end

    def open(self) -> None:
        """Open the files and read everything, in the background: the window is there before the
        database is. What is asked for meanwhile is done afterwards, in order."""
        self.operations.run(self._open, self._on_opened, self.not_opened.emit)

    def _open(self) -> "AtStart":
        from nebbet.personal.stores import open_stores

        parts, settings = self.parts, self.settings
        password = parts.secrets.get(settings.library) or "" if settings.library else ""
        self._stores = open_stores(parts.home, settings, parts.role, password)
        return self._stores.read_all(self.parts.now())

    def _on_opened(self, found: "AtStart") -> None:
        from nebbet.post.carrier import Carrier

        self.letters = found.letters | self.letters  # one begun before the files were open stays
        self.drafts = found.drafts
        self.catalogue = seen_by(found.catalogue, self.settings.member)
        self.entries, self.outbox = found.entries, found.outbox
        self._answers, self.pinned = found.answers, found.pinned
        self._tell_start(found)
        self._carrier = Carrier(self._office(), self._carried.emit, self._troubled.emit)
        self._carrier.start()
        self._tell_unread()
        for changed in (self.catalogue_changed, self.letters_changed, self.register_changed):
            changed.emit()
        self.outbox_changed.emit()
        self._warm_up()
        self.following.start()
        self.opened.emit()

    @property
    def is_open(self) -> bool:
        """Whether the library has been read."""
        return self._stores is not None

    @property
    def stores(self) -> "Stores":
        """The open files. Raises NebbetError while, or because, they are not."""
        if self._stores is None:
            raise NebbetError("The library is not open", advice="Start Nebbet again")
        return self._stores

    @property
    def leads(self) -> bool:
        """Whether the person at the keyboard is a lead of the library that is open."""
        return self.is_open and self.library.role == "lead"

    @property
    def library(self) -> "Library":
        """The open library; only for work in the background."""
        return self.stores.library

    def _file_bytes(self, file: str) -> bytes:
        return self.library.file_bytes(file)

    def _tell_start(self, found: "AtStart") -> None:
        waiting = sum(entry.state in ("held", "waiting", "sent") for entry in self.outbox)
        said = []
        if found.recovered:
            said.append(
                f"{_count(found.recovered, 'letter')} may or may not have gone: see the outbox."
            )
        if waiting:
            go = "goes" if waiting == 1 else "go"
            said.append(f"{_count(waiting, 'letter')} from last time {go} out now.")
        if found.broken:
            said.append(
                f"{_count(found.broken, 'kept letter')} could not be read; the file keeps them."
            )
        if found.on_network:
            said.append(
                "The library is a file on another machine: a slower journal keeps it safe there."
            )
        if said:
            self.voice.say(" ".join(said))

    def _warm_up(self) -> None:
        """Load in the background what the first letter will need, so that it need not wait."""
        calendar, today = self.catalogue.calendar, self.parts.now().date()

        def load() -> None:
            import nebbet.core.message.compose
            import nebbet.post.imap
            import nebbet.post.smtp  # noqa: F401 - loading is what this is for

            calendar.is_working(today)
            dates.read("today")
            sums.read("1")

        self.network.run(load, _nothing, self.voice.fail)

    def close(self) -> None:
        """Keep what is open and let the letter on the line finish."""
        self.keep_now()
        self.following.stop()
        if self._carrier:
            self._carrier.stop()
        self.operations.finish()
        self.network.finish()
        self.picture_loads.finish()
        self.finds.finish()
        if self._stores:
            self._stores.close()

    def _office(self) -> "Office":
        from nebbet.post.carrier import Office

        stores, account = self.stores, self.settings.account
        return Office(stores.personal, stores.library, account, self.parts.secrets, self._seconds)

    def _nudge(self) -> None:
        if self._carrier:
            self._carrier.nudge()

    def hurry(self) -> None:
        """Enter into the register what was sent while its library was away."""
        self.operations.run(self.stores.hurry, lambda _done: self._nudge(), self.voice.fail)

    def _seconds(self) -> float:
        return self.parts.now().timestamp()

    @property
    def me(self) -> Member | None:
        """The person at the keyboard."""
        return self.catalogue.members.get(self.settings.member)

    @property
    def my_id(self) -> str:
        """The id of the person at the keyboard, empty where the library does not know them."""
        return self.me.id if self.me else ""

    def others_editing(self, template: str) -> str:
        """Who else has a template open in the editor, as a sentence; empty for nobody."""
        if template not in self.catalogue.editing:
            return ""
        names = [
            self.catalogue.members[key].name
            for key in self.catalogue.editing[template]
            if key != self.my_id and key in self.catalogue.members
        ]
        if not names:
            return ""
        return f"{' and '.join(names)} {'is' if len(names) == 1 else 'are'} editing this."

    def world_for(self, letter: Letter) -> World:
        """What the values of a letter can come from, now."""
        return self.catalogue.world(
            self.parts.now(),
            self.me,
            letter.language,
            letter.recipient,
            letter.case,
            letter.calendar,
            self._answers.get(letter.template),
        )

    def findings(self, letter: Letter, particulars: tuple[Particular, ...]) -> tuple[Finding, ...]:
        """What the checks find in a letter, now."""
        day, catalogue = self.parts.now().date(), self.catalogue
        return checks.check(
            letter,
            particulars,
            catalogue.files.__contains__,
            lambda file: catalogue.expired(file, day),
        )

    # Open letters

    def keep(self, letter: Letter) -> None:
        """Keep an open letter as it is now; written to disk a moment later. One that is being put
        into the outbox is not: it would come back to the pile and could be sent twice."""
        if letter.id in self._on_the_way:
            return
        self.letters[letter.id] = letter
        self._unkept[letter.id] = letter
        self._timer.start()

    def keep_now(self) -> None:
        """Write what has changed to disk."""
        unkept, self._unkept = self._unkept, {}
        now = self._seconds()
        for letter in unkept.values():
            keep = partial(self._keep_letter, letter, now)
            self.operations.run(keep, _nothing, self.voice.fail)

    def _keep_letter(self, letter: Letter, now: float) -> None:
        self.stores.keep_letter(letter, now)

    def discard(self, letter_id: str) -> Letter | None:
        """Take an open letter off the pile; returns it, so that it can be put back."""
        letter = self.letters.pop(letter_id, None)
        self._unkept.pop(letter_id, None)
        self.operations.run(lambda: self.stores.drop_letter(letter_id), _nothing, self.voice.fail)
        self.letters_changed.emit()
        return letter

    def put_back(self, letter: Letter) -> None:
        """Put a letter onto the pile."""
        self.keep(letter)
        self.letters_changed.emit()

    # Sending

    def send(self, letter: Letter) -> bool:
        """Finish the message of a checked letter and put it into the outbox.

        Composing reads files and may take a moment; it is done in the background. The letter
        stays open until the outbox has it.
        """
        me = self.me
        if me is None:
            self.voice.say("Nebbet does not know who you are: complete your profile first.")
            return False
        if letter.id in self._on_the_way:
            return False
        self._on_the_way.add(letter.id)
        self._unkept.pop(letter.id, None)
        moment, hold = self.parts.now(), self.settings.hold_seconds
        self.operations.run(
            lambda: self._enqueue(letter, me, moment, moment.timestamp() + hold),
            lambda kept: self._on_enqueued(letter, kept),
            partial(self._on_not_enqueued, letter),
        )
        return True

    def _on_not_enqueued(self, letter: Letter, error: NebbetError) -> None:
        self._on_the_way.discard(letter.id)
        self.keep(letter)
        self.voice.fail(error)

    def _enqueue(self, letter: Letter, me: Member, moment: datetime, due: float) -> dict[str, str]:
        from nebbet.core.message.compose import compose  # in the background, where it may take time

        frame = self.catalogue.frame(letter.frame)
        outgoing = compose(
            letter, me, now=moment, token=self.parts.token, frame=frame, files=self.files
        )
        entry = entry_for(letter, me, outgoing, moment)
        return self.stores.enqueue(Item(letter.id, letter, outgoing, entry), due)

    def _on_enqueued(self, letter: Letter, kept: dict[str, str]) -> None:
        if kept:
            self._answers.setdefault(letter.template, {}).update(kept)
        self._on_the_way.discard(letter.id)
        self.letters.pop(letter.id, None)
        self._unkept.pop(letter.id, None)
        self._nudge()
        self.letters_changed.emit()
        self.refresh_outbox()
        name = letter.recipient.name or letter.recipient.email if letter.recipient else ""
        hold = self.settings.hold_seconds
        if hold:
            self.voice.say(
                f"The letter to {name} goes in {hold} seconds.",
                "Take back",
                lambda: self.take_back(letter.id),
                hold,
            )
        self.sent.emit(letter.id)

    def take_back(self, item_id: str) -> None:
        """Bring a letter back from the outbox onto the pile."""
        now = self._seconds()

        def taken(letter: Letter | None) -> None:
            if letter is None:
                self.voice.say("The letter has already gone.")
            else:
                self.letters[letter.id] = letter
                self.letters_changed.emit()
                self.voice.say("The letter is back on your pile.")
                self.taken_back.emit(letter.id)
            self.refresh_outbox()

        self.operations.run(lambda: self.stores.take_back(item_id, now), taken, self.voice.fail)

    def move_on(self, item_id: str, state: State) -> None:
        """Try a letter in the outbox again now, or take it as gone, if it is still where it was."""
        due = self._seconds()

        def done(moved: bool) -> None:
            if not moved:
                self.voice.say("The letter has moved on meanwhile: this is where it stands now.")
            self._nudge()
            self.refresh_outbox()

        self.operations.run(lambda: self.stores.settle(item_id, state, due), done, self.voice.fail)

    def refresh_outbox(self) -> None:
        """Read the outbox again."""
        self.operations.run(self._read_outbox, self._on_outbox, self.voice.fail)

    def _read_outbox(self) -> list[Queued]:
        return self.stores.queued()

    def _read_register(self) -> list[Registered]:
        return self.stores.entries()

    def _on_carried(self, left: list[Queued]) -> None:
        before = {e.item.id: e.state for e in self.outbox}
        self._on_outbox(left)
        gone = before.keys() - {e.item.id for e in left}
        if gone or any(e.state == "sent" for e in left):
            self.refresh_register()
        for entry in left:
            if entry.state in ("refused", "uncertain") and before.get(entry.item.id) != entry.state:
                self.voice.fail(NebbetError(entry.words.rstrip(".")))

    def _on_troubled(self, error: NebbetError | None) -> None:
        """The outbox cannot be read or written: the band says so until it can be again."""
        sentence = error.sentence if error else ""
        if sentence == self.outbox_trouble:
            return
        self.outbox_trouble = sentence
        if error:
            self.voice.fail(error)
        else:
            self.voice.say("The outbox can be read and written again.")
        self.outbox_changed.emit()

    def _on_outbox(self, left: list[Queued]) -> None:
        self.outbox = left
        self.outbox_changed.emit()

    # Register and mailbox

    def refresh_register(self) -> None:
        """Read the register again, and with it how often templates were used."""

        def done(entries: list[Registered]) -> None:
            self.entries = entries
            self.register_changed.emit()

        self.operations.run(self._read_register, done, self.voice.fail)
        self.refresh_catalogue()

    def fetch_sent(
        self,
        entry: Registered,
        done: Callable[[bytes], None],
        failed: Callable[[NebbetError], None],
    ) -> None:
        """Get a sent message: the copy on this machine, else the one in the mailbox."""
        account = self.settings.account
        password = self.parts.secrets.get(account.user) or ""

        def fetch() -> bytes:
            from nebbet.core.message.compose import with_bcc
            from nebbet.post import imap

            kept = self.stores.local_copy(entry.message_id)
            if kept is not None:
                return with_bcc(kept.data, kept.bcc)
            if self.me is None or entry.sender != self.me.id:
                raise NebbetError(
                    "The message was sent by somebody else",
                    advice="It can be opened from the mailbox it was sent from",
                )
            return imap.fetch_sent(account, password, entry.message_id)

        self.network.run(fetch, done, failed)

    # Library

    def take_in(self, catalogue: Catalogue | None, entries: list[Registered] | None) -> None:
        """Take up what others changed in the library or the register."""
        if entries is not None:
            self.entries = entries
            self.register_changed.emit()
        if catalogue is not None:
            self.catalogue = catalogue
            self._tell_unread()
            self.catalogue_changed.emit()

    def _tell_unread(self) -> None:
        """Say, once, which rows of the library are passed over because nobody can read them."""
        new = [row for row in self.catalogue.unread if row not in self._unread]
        self._unread = self.catalogue.unread
        if not new:
            return
        places = ", ".join(f"{row.table.rstrip('_')} {row.key}" for row in new[:3])
        more = f" and {len(new) - 3} more" if len(new) > 3 else ""
        self.voice.fail(
            NebbetError(
                f"The library holds what nobody can read: {places}{more}",
                kept="Everything else is there",
                advice="A lead takes it out with: nebbet library check --mend",
            )
        )

    def refresh_catalogue(self) -> None:
        """Read the library again."""
        read = self.reading()

        def done(catalogue: Catalogue) -> None:
            self.catalogue = catalogue
            self._tell_unread()
            self.catalogue_changed.emit()

        self.operations.run(read, done, self.voice.fail)

    def reading(self) -> Callable[[], Catalogue]:
        """What reads the library again, for the background: as the person at the keyboard sees
        it, and only what is not known yet."""
        now, known, me = self.parts.now(), self.catalogue, self.settings.member
        return lambda: seen_by(self.library.catalogue(now, known), me)

    def know_file(self, enclosure: Enclosure) -> None:
        """Take up a file that is in the library since a moment ago."""
        made = LibraryFile(enclosure.name, enclosure.media_type, enclosure.size)
        self.know_files({enclosure.file: made, **self.catalogue.files})

    def know_files(self, files: Mapping[str, LibraryFile]) -> None:
        """Take up what files the library has, without reading all of it again."""
        self.catalogue = replace(self.catalogue, files=files)

    def change_library(
        self,
        call: Callable[[], object],
        done: Callable[[object], None] | None = None,
        failed: Callable[[NebbetError], None] | None = None,
    ) -> None:
        """Do a write on the library, then read it again."""

        def after(result: object) -> None:
            if done:
                done(result)
            self.refresh_catalogue()

        self.operations.run(call, after, failed or self.voice.fail)

    def received(self, letter: Letter) -> tuple[str, str]:
        """A letter as its recipient gets it: the HTML, with the pictures that have been read, and
        the plain text."""
        frame = self.catalogue.frame(letter.frame)
        files = [*files_of(letter.body), *filter(None, [frame.logo])]
        images = {file: self.pictures.get(file) for file in files}
        sources = {file: image_address(image) for file, image in images.items() if image}
        html = render_email(letter.body, frame, sources, letter.language)
        return html, render_plain(letter.body, frame)

    def with_pictures(self, markup: str) -> str:
        """Markup with the library's pictures in it, as far as they have been read."""
        for file in FILE.findall(markup):
            image = self.pictures.get(file)
            if image is not None:
                markup = markup.replace(f"file:{file}", image_address(image))
        return markup

    def is_pinned(self, template: Template) -> bool:
        """Whether a template is pinned, by a lead for all or by the person for themselves."""
        return template.pinned or template.id in self.pinned

    def pin(self, templates: list[str], pinned: bool) -> None:
        """Pin templates for the person at the keyboard, or take their pins away."""
        changed = frozenset(templates)
        self.pinned = self.pinned | changed if pinned else self.pinned - changed
        keep = partial(self.stores.set_pinned, templates, pinned)
        self.operations.run(keep, _nothing, self.voice.fail)
        self.catalogue_changed.emit()

    def keep_word(self, word: str) -> None:
        """Let the whole team's spelling take a word."""
        self.change_library(
            lambda: self.library.add_word(word),
            lambda _result: self.voice.say(f"“{word}” is one of the team's words now."),
        )

    def keep_draft(self, template: str, data: bytes | None) -> None:
        """Keep an unsaved state of a template, or forget it."""
        if data is None:
            self.drafts.pop(template, None)
        else:
            self.drafts[template] = data
        self.operations.run(
            lambda: self.stores.keep_draft(template, data), _nothing, self.voice.fail
        )

    # Settings

    def save_settings(
        self, settings: Settings, member: Member, password: str, server_password: str = ""
    ) -> None:
        """Keep the profile: settings in one's own file, oneself in the library. Another library is
        tried before it is kept, and opened at the next start."""
        parts, before = self.parts, self.settings.library

        def save() -> bool:
            if settings.library != before or server_password:
                from nebbet.personal.stores import try_library

                try_library(parts.home, settings, server_password)
            write_settings(parts.home.settings_file, settings)
            self.library.put(member)
            kept = not password or parts.secrets.keep(settings.account.user, password)
            if server_password:
                kept = parts.secrets.keep(settings.library, server_password) and kept
            return kept

        def done(kept: bool) -> None:
            self.settings = settings
            if self._carrier:
                self._carrier.use(self._office())
            self.settings_changed.emit()
            note = "" if kept else " There is no keyring here: the password lasts until you quit."
            if settings.library != before:
                note += " The other library is opened when Nebbet is started again."
            self.voice.say("Your profile is kept." + note)

        self.change_library(save, done)  # type: ignore[arg-type]


def _count(number: int, what: str) -> str:
    return f"{number} {what}{'' if number == 1 else 's'}"


def _nothing(_result: object) -> None:
    """Nothing is to be done when this went well."""
