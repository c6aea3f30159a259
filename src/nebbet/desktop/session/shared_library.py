"""The library that the team shares, as the person at the keyboard sees it."""

from collections.abc import Callable, Mapping
from datetime import datetime
from typing import TYPE_CHECKING

from msgspec import Struct
from msgspec.structs import replace
from PySide6.QtCore import QObject, Signal

from nebbet.core.body import FILE, Body, Frame, files_of, render_email, render_plain
from nebbet.core.errors import NebbetError
from nebbet.core.letter import Letter
from nebbet.core.message.encoded import EncodedFiles
from nebbet.core.records import Member
from nebbet.core.sentences import said
from nebbet.desktop.kit.notices import Voice
from nebbet.desktop.kit.operations import Operations
from nebbet.desktop.kit.pictures import Pictures
from nebbet.desktop.paper.speller import Speller
from nebbet.desktop.session.file_texts import FileTexts
from nebbet.desktop.session.intake import Intake
from nebbet.desktop.session.own import Own
from nebbet.desktop.session.parts import Parts
from nebbet.desktop.session.people import PeopleAsked
from nebbet.desktop.session.search import Search
from nebbet.library.catalogue import Catalogue, Unread, seen_by
from nebbet.library.changes import NO_CHANGE, Change
from nebbet.library.entries import Registered
from nebbet.library.holdings import LibraryFile, Proposal
from nebbet.library.writing import Writer
from nebbet.personal.settings import own_addresses

if TYPE_CHECKING:
    from nebbet.library.store import Library
    from nebbet.personal.stores import AtStart, Stores


class Reading(Struct, frozen=True):
    """What was read: all of the library, what of it one sees, what changed, and the register."""

    whole: Catalogue
    catalogue: Catalogue
    change: Change
    entries: list[Registered]


class SharedLibrary(QObject):
    """Holds the library as it was read last; changed tells what is another one now, as
    a Change, register_changed that more letters went out.

    Writing is done in the background: `change` returns at once, and a notice tells the outcome.
    """

    changed = Signal(object)
    register_changed = Signal()

    def __init__(
        self, parts: Parts, operations: Operations, keeping: Operations, voice: Voice
    ) -> None:
        super().__init__()
        self._parts, self.operations, self.voice = parts, operations, voice
        self.member = parts.settings.member
        self.addresses = own_addresses(parts.settings.accounts)
        self._whole = self.catalogue = Catalogue()
        self.entries: list[Registered] = []
        self._stores: Stores | None = None
        self._unread: tuple[Unread, ...] = ()
        self._under_way: set[str] = set()  # acts that are not begun again meanwhile
        self.own = Own(lambda: self.stores, keeping, voice)
        self._loads = Operations(self)
        self.reads = Operations(self)  # what a page asks for to show it
        self.pictures = Pictures(self._file_bytes, self._loads)
        self.speller = Speller(lambda: self.catalogue.words, self._loads)
        self.files = EncodedFiles(self._file_bytes)
        self.file_texts = FileTexts(self._file_bytes)
        self.search = Search(voice)
        self.people = PeopleAsked(lambda: self.library, voice)
        self.intake = Intake(lambda: self.library, operations, voice, self.know_files, self.own)
        for part in (self.own, self.pictures, self.speller, self.search, self.people):
            part.setParent(self)
        for source in (self.changed, self.register_changed, self.own.pins_changed):
            source.connect(self._renew_search)

    # Beginning and end

    def take_up(self, stores: "Stores", found: "AtStart") -> None:
        """Take up what was read at the start."""
        self._stores = stores
        self._whole = found.catalogue
        self.catalogue = seen_by(found.catalogue, self.member)
        self.entries = found.entries
        self.own.take_up(found)
        self._tell_unread()

    def finish(self) -> None:
        """Wait for what is being loaded."""
        self._loads.finish()
        self.reads.finish()
        self.people.finish()
        self.search.finish()

    @property
    def is_open(self) -> bool:
        """Whether the library has been read."""
        return self._stores is not None

    @property
    def is_away(self) -> bool:
        """Whether the library's server cannot be worked with just now."""
        return self.is_open and self.stores.is_away

    @property
    def stores(self) -> "Stores":
        """The open files. Raises NebbetError while, or because, they are not."""
        if self._stores is None:
            raise NebbetError(said("The library is not open"), advice=said("Start Nebbet again"))
        return self._stores

    @property
    def whole(self) -> Catalogue:
        """The library as it was read, with what this person does not see."""
        return self._whole

    @property
    def library(self) -> "Library":
        """The open library; only for work in the background."""
        return self.stores.library

    def _file_bytes(self, file: str) -> bytes:
        return self.library.file_bytes(file)

    # Who is at the keyboard

    def now(self) -> datetime:
        """This moment."""
        return self._parts.now()

    def token(self) -> str:
        """Fresh random letters and digits."""
        return self._parts.token()

    @property
    def leads(self) -> bool:
        """Whether the person at the keyboard is a lead of the library that is open."""
        return self.is_open and self.library.role == "lead"

    @property
    def me(self) -> Member | None:
        """The person at the keyboard."""
        return self.catalogue.members.get(self.member)

    @property
    def my_id(self) -> str:
        """The id of the person at the keyboard, empty where the library does not know them."""
        return self.me.id if self.me else ""

    def writer(self) -> Writer:
        """Who writes at this computer, now, with the answers from last time."""
        return Writer(
            self.now(), self.me, self.own.answers, self.entries, own=frozenset(self.addresses)
        )

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
        if len(names) == 1:
            return said("{name} is editing this.", name=names[0])
        first, last = ", ".join(names[:-1]), names[-1]
        return said("{names} and {last} are editing this.", names=first, last=last)

    # Reading again

    def take_in(self, found: "Reading") -> None:
        """Take up what has changed in the library or the register."""
        change = found.change
        if change:  # first of all: the indexes follow the catalogue change by change
            before = self.catalogue.proposals
            self._whole, self.catalogue = found.whole, found.catalogue
            self._tell_unread()
            self.changed.emit(change)
            if change.touches("proposal"):
                self._tell_answers(before)
        if found.entries is not self.entries:
            self.entries = found.entries
            self.register_changed.emit()

    def _tell_answers(self, before: Mapping[str, Proposal]) -> None:
        """Say what became of one's own proposals."""
        for key, now in self.catalogue.proposals.items():
            was = before.get(key)
            if was is None or was.state != "waiting" or now.author != self.my_id:
                continue
            if now.state in ("accepted", "declined"):
                self.voice.say(_answered(now))

    def _tell_unread(self) -> None:
        """Say, once, which rows of the library are passed over because nobody can read them."""
        new = [row for row in self.catalogue.unread if row not in self._unread]
        self._unread = self.catalogue.unread
        if not new:
            return
        places = ", ".join(f"{row.table.rstrip('_')} {row.key}" for row in new[:3])
        what = said("The library holds what nobody can read: {places}", places=places)
        if len(new) > 3:
            what = said(
                "The library holds what nobody can read: {places} and {count} more",
                places=places,
                count=len(new) - 3,
            )
        self.voice.fail(
            NebbetError(
                what,
                kept=said("Everything else is there"),
                advice=said("A lead takes it out with: nebbet library check --mend"),
            )
        )

    def refresh(self) -> None:
        """Read what has changed in the library and the register."""
        self.operations.run(self.reading(), self.take_in, self.voice.fail)

    def reading(self, also: Change = NO_CHANGE) -> Callable[[], "Reading"]:
        """What reads, in the background, what has changed: as the person at the keyboard sees
        it. also is read again in any case."""
        now, known, listed, me = self.now(), self._whole, self.entries, self.member
        shown = self.catalogue

        def read() -> Reading:
            whole, change = self.library.follow(now, known, also)
            entries = self.stores.entries_after(change, listed, me)
            return Reading(whole, seen_by(whole, me) if change else shown, change, entries)

        return read

    def know_files(self, files: Mapping[str, LibraryFile]) -> None:
        """Take up files that are in the library since a moment ago, without reading all of it
        again."""
        known = {**files, **self._whole.files}
        self._whole = replace(self._whole, files=known)
        self.catalogue = replace(self.catalogue, files=known)

    def _renew_search(self, _change: Change = NO_CHANGE) -> None:
        self.search.renew(self.catalogue, self.entries, self.own.pinned, self.now())

    # Writing

    def change(
        self,
        call: Callable[[], object],
        done: Callable[[object], None] | None = None,
        failed: Callable[[NebbetError], None] | None = None,
        *,
        once: str = "",
    ) -> None:
        """Do a write on the library, then read it again. once names an act that is not begun again
        while it is under way: a button pressed twice does it once."""
        if once and once in self._under_way:
            return
        self._under_way.add(once)

        def after(result: object) -> None:
            self._under_way.discard(once)
            if done:
                done(result)
            self.refresh()

        def went_wrong(error: NebbetError) -> None:
            self._under_way.discard(once)
            (failed or self.voice.fail)(error)

        self.operations.run(call, after, went_wrong)

    def keep_word(self, word: str) -> None:
        """Let the whole team's spelling take a word."""
        self.change(
            lambda: self.library.add_word(word),
            lambda _result: self.voice.say(
                said("“{word}” is one of the team's words now.", word=word)
            ),
        )

    # Showing

    def received(self, letter: Letter) -> tuple[str, str]:
        """A letter as its recipient gets it: the HTML, with the pictures that have been read, and
        the plain text."""
        frame = self.catalogue.frame(letter.frame)
        return self._rendered(letter, letter.whole, frame), render_plain(letter.whole, frame)

    def printed(self, letter: Letter, body: Body) -> str:
        """A text in the frame of a letter as HTML for paper, which has no ground of its own."""
        frame = self.catalogue.frame(letter.frame).sound
        return self._rendered(letter, body, replace(frame, ground=frame.paper))

    def _rendered(self, letter: Letter, body: Body, frame: Frame) -> str:
        files = [*files_of(body), *filter(None, [frame.logo])]
        sources = {file: self.pictures.address(file) for file in files}
        known = {file: address for file, address in sources.items() if address}
        return render_email(body, frame, known, letter.language)

    def with_pictures(self, markup: str) -> str:
        """Markup with the library's pictures in it, as far as they have been read."""
        for file in FILE.findall(markup):
            if address := self.pictures.address(file):
                markup = markup.replace(f"file:{file}", address)
        return markup


def _answered(proposal: Proposal) -> str:
    """What became of a proposal, for who made it."""
    title, answer = proposal.title, proposal.answer
    if proposal.state == "accepted":
        if answer:
            return said(
                "Your proposal for “{title}” is in use. The lead says: {answer}",
                title=title,
                answer=answer,
            )
        return said("Your proposal for “{title}” is in use.", title=title)
    if answer:
        return said(
            "Your proposal for “{title}” was declined. The lead says: {answer}",
            title=title,
            answer=answer,
        )
    return said("Your proposal for “{title}” was declined.", title=title)
