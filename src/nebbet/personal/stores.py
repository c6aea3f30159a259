"""Everything that is kept on disk, opened together: the library and the person's own file."""

from collections.abc import Iterable
from datetime import UTC, datetime
from pathlib import Path

from msgspec import Struct
from msgspec.structs import replace
from sqlalchemy import Engine

from nebbet.core.errors import NebbetError
from nebbet.core.letter import Letter
from nebbet.core.message.outgoing import Outgoing
from nebbet.core.sentences import said
from nebbet.library.catalogue import Catalogue
from nebbet.library.changes import Change
from nebbet.library.entries import Registered
from nebbet.library.holdings import Role
from nebbet.library.local_copy import LocalCopy
from nebbet.library.opening import open_team
from nebbet.library.postgres import is_url, parted, shown_url, with_password
from nebbet.library.server_line import ServerLine
from nebbet.library.store import Library, open_library
from nebbet.library.team import TeamLibrary
from nebbet.library.would_find import SentLetter
from nebbet.personal import open_letters, outbox, own_templates, tables, went
from nebbet.personal.home import Home
from nebbet.personal.items import Queued, State
from nebbet.personal.secrets import Secrets
from nebbet.personal.settings import Settings, write_settings
from nebbet.personal.waiting import WaitingWrites

# Seconds that the copy of a sent message stays on this machine, and what the letter said.
KEEP_COPIES, KEEP_LETTERS = 30 * 86400.0, 90 * 86400.0


class AtStart(Struct, frozen=True):
    """All that is read when the program starts. recovered counts letters that may have gone,
    broken those that could not be read; on_network says that the library is a file on another
    machine."""

    letters: dict[str, Letter]
    drafts: dict[str, bytes]
    catalogue: Catalogue
    entries: list[Registered]
    outbox: list[Queued]
    answers: dict[str, dict[str, str]]
    pinned: frozenset[str]
    letter_files: frozenset[str]
    recovered: int
    broken: int
    on_network: bool = False


class Stores(Struct, frozen=True):
    """The open files, with what a window does with them."""

    library: Library
    personal: Engine

    def read_all(self, now: datetime, member: str) -> AtStart:
        """Read everything, after putting the outbox in order; member is the person."""
        catalogue, entries = self._shared(now, member)
        recovered = outbox.recover(self.personal)
        went.put_away(self.personal, now.timestamp() - KEEP_COPIES)
        went.forget(self.personal, now.timestamp() - KEEP_LETTERS)
        letters, broken = open_letters.open_letters(self.personal)
        waiting, damaged = outbox.looked_through(self.personal)
        return AtStart(
            letters={letter.id: letter for letter in letters},
            drafts=own_templates.drafts(self.personal),
            catalogue=catalogue,
            entries=entries,
            outbox=waiting,
            answers=open_letters.answers(self.personal),
            pinned=own_templates.pins(self.personal),
            letter_files=own_templates.letter_files(self.personal),
            recovered=recovered,
            broken=broken + damaged,
            on_network=self.library.on_network,
        )

    def close(self) -> None:
        """Let go of the files."""
        self.library.close()
        self.personal.dispose()

    def keep_letter(self, letter: Letter, now: float) -> None:
        """Keep an open letter."""
        open_letters.keep_letter(self.personal, letter, now)

    def drop_letter(self, letter_id: str) -> None:
        """Forget an open letter."""
        open_letters.drop_letter(self.personal, letter_id)

    def keep_draft(self, template: str, data: bytes | None) -> None:
        """Keep an unsaved state of a template, or forget it."""
        own_templates.keep_draft(self.personal, template, data)

    def note_letter_files(self, files: Iterable[str], only_in_letters: bool) -> None:
        """Remember files as those of one's own letters alone, or as the team's."""
        own_templates.note_letter_files(self.personal, files, only_in_letters)

    def set_pinned(self, templates: Iterable[str], pinned: bool) -> None:
        """Pin templates for oneself, or take their pins away."""
        own_templates.set_pinned(self.personal, templates, pinned)

    def queued(self) -> list[Queued]:
        """What is in the outbox."""
        return outbox.queued(self.personal)

    def take_back(self, item_id: str, now: float) -> Letter | None:
        """Bring a letter back from the outbox onto the pile, unless it is on its way."""
        return outbox.take_back(self.personal, item_id, now)

    def settle(self, item_id: str, state: State, due: float) -> bool:
        """Bring a letter in the outbox into another state; says whether it may come there."""
        return outbox.settle(self.personal, item_id, state, due=due)

    def message_of(self, item_id: str) -> Outgoing:
        """The message of a letter in the outbox. Raises NebbetError where it is not there."""
        found = outbox.whole(self.personal, item_id)
        if found is None:
            raise NebbetError(said("The letter is not in the outbox any more"))
        return found.outgoing

    def local_copy(self, message_id: str) -> Outgoing | None:
        """The message of a letter that went lately."""
        found = outbox.sent_item(self.personal, message_id)
        return found.outgoing if found else None

    def sent_letters(self) -> list[SentLetter]:
        """The letters that went lately from here."""
        return [
            SentLetter(letter, datetime.fromtimestamp(sent, UTC))
            for letter, sent in went.letters(self.personal)
        ]

    def sent_letter(self, message_id: str) -> Letter | None:
        """A letter that went lately."""
        return went.letter_of(self.personal, message_id)

    def _shared(self, now: datetime, member: str) -> tuple[Catalogue, list[Registered]]:
        if isinstance(self.library, TeamLibrary):
            opening = self.library.at_opening(now, member)
            return opening.catalogue, opening.entries
        return self.library.catalogue(now), self.library.latest_letters(member)

    def entries_after(
        self, change: Change, listed: list[Registered], member: str
    ) -> list[Registered]:
        """The newest letters of the register as they were listed, with what changed."""
        messages = change.of("register")
        if change.everything or len(messages) > 500:
            return self.library.latest_letters(member)
        return self.library.letters_like(listed, messages, member) if messages else listed

    def keep_copy(self, moment: datetime, catalogue: Catalogue, sent: list[Registered]) -> None:
        """Keep a copy of a server's library on this machine."""
        if isinstance(self.library, TeamLibrary):
            self.library.keep_copy(moment, catalogue, sent)

    def hurry_library(self, seconds: float) -> None:
        """The program ends: a server is not waited for longer than that."""
        if isinstance(self.library, TeamLibrary):
            self.library.hurry(seconds)

    @property
    def is_away(self) -> bool:
        """Whether the library is on a server that cannot be worked with just now."""
        return isinstance(self.library, TeamLibrary) and self.library.away is not None

    def use_password(self, password: str) -> None:
        """Go on with another password for the library's server."""
        if isinstance(self.library, TeamLibrary):
            self.library.line.password = password

    def hurry(self) -> None:
        """Let what was sent, but is not in the register yet, be entered now."""
        for entry in outbox.queued(self.personal, ("sent",)):
            outbox.mark(self.personal, entry.item.id, due=0.0)


def place_of(home: Home, settings: Settings) -> Path | str:
    """Where the library is: a file, or the URL of a server."""
    if is_url(settings.library):
        return settings.library
    return home.data / settings.library if settings.library else home.library_file


def without_password(home: Home, settings: Settings, secrets: Secrets) -> Settings:
    """The settings without a password that somebody wrote into the library's address: it goes into
    the keyring, and out of the file."""
    if not is_url(settings.library):
        return settings
    bare, password = parted(settings.library)
    if not password:
        return settings
    secrets.keep(bare, password)
    changed = replace(settings, library=bare)
    write_settings(home.settings_file, changed)
    return changed


def reached(home: Home, settings: Settings, secrets: Secrets) -> Path | str:
    """Where the library is, with the password of its server."""
    place = place_of(home, settings)
    if isinstance(place, Path):
        return place
    return with_password(place, secrets.get(settings.library) or "")


def try_library(home: Home, settings: Settings, password: str) -> None:
    """Open the library that settings name, and close it again. Raises NebbetError with what stands
    in the way."""
    place = place_of(home, settings)
    if isinstance(place, str):
        open_library(place, line=ServerLine(password=password)).close()
    else:
        open_library(place).close()


def open_stores(
    home: Home, settings: Settings, role: Role | None = None, password: str = ""
) -> Stores:
    """Open the library, in a role if one is given, and the personal file. password is the one of
    the library's server, where its URL does not say it. A library that cannot be opened is there as
    one that is closed.

    Raises NebbetError with what stands in the way of the personal file.
    """
    place = place_of(home, settings)
    own = tables.open_personal(home.personal_file)
    try:
        if isinstance(place, Path):
            return Stores(_opened(place, role), own)
        copy = LocalCopy(home.copy_folder, shown_url(place))
        url = with_password(place, password)
        return Stores(open_team(url, role, copy, WaitingWrites(own)), own)
    except Exception:
        own.dispose()
        raise


def _opened(place: Path, role: Role | None) -> Library:
    try:
        return open_library(place, role)
    except NebbetError as error:
        from nebbet.library.closed import ClosedLibrary

        return ClosedLibrary(error)
