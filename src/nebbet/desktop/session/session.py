"""The life of the program: the files are opened, work goes on, everything is kept at the end."""

from collections.abc import Callable, Mapping
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal

from nebbet.core import dates, sums
from nebbet.core.errors import NebbetError
from nebbet.core.records import Member
from nebbet.core.sentences import counted, said
from nebbet.desktop.kit.notices import Voice
from nebbet.desktop.kit.operations import Operations, nothing
from nebbet.desktop.session.arrived import ArrivedMail
from nebbet.desktop.session.following import Following
from nebbet.desktop.session.linking import Linking
from nebbet.desktop.session.offered import Offered
from nebbet.desktop.session.open_letters import OpenLetters
from nebbet.desktop.session.parts import Parts
from nebbet.desktop.session.sending import Sending
from nebbet.desktop.session.shared_library import SharedLibrary
from nebbet.library.changes import EVERYTHING
from nebbet.personal.settings import Settings, own_addresses, write_settings

if TYPE_CHECKING:
    from nebbet.personal.stores import AtStart, Stores

_AT_END = 2.0  # seconds that a server may keep silent while the program ends


class Session(QObject):
    """Owns what all places share: the library, the open letters, sending.

    opened tells that the files have been read, not_opened why they cannot be.
    """

    opened = Signal()
    not_opened = Signal(object)
    settings_changed = Signal()

    def __init__(self, parts: Parts, voice: Voice, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.parts, self.voice, self.settings = parts, voice, parts.settings
        self._putting: Member | None = None  # oneself, on the way into the library
        self.operations, self.network = Operations(self), Operations(self)
        # What one keeps for oneself waits for no server; only for its file to be open.
        self.keeping = Operations(self, held=True)
        # Nor does the outbox.
        self.posting = Operations(self)
        self.shared = SharedLibrary(parts, self.operations, self.keeping, voice)
        shared = self.shared  # what they hold on to is this, and not the whole session
        self.letters = OpenLetters(
            lambda: shared.stores, self.keeping, voice, lambda: parts.now().timestamp()
        )
        self.sending = Sending(parts, self.shared, self.letters, self.posting, self.network, voice)
        self.arrived = ArrivedMail(parts, self.shared, self.network, voice)
        self.sending.answered.connect(self.arrived.answered)
        self.following = Following(self.shared, self.sending.hurry)
        self.offered = Offered(self.shared)
        self.linking = Linking(self.shared, parts.secrets)
        for part in (self.shared, self.letters, self.sending, self.arrived, self.offered):
            part.setParent(self)

    # Beginning

    def open(self) -> None:
        """Open the files and read everything, in the background: the window is there before the
        database is. What is asked for meanwhile is done afterwards, in order."""
        self.operations.run(self._open, self._on_opened, self.not_opened.emit)

    def _open(self) -> "tuple[Stores, AtStart]":
        from nebbet.personal.stores import open_stores

        parts, settings = self.parts, self.settings
        password = parts.secrets.get(settings.library) or "" if settings.library else ""
        stores = open_stores(parts.home, settings, parts.role, password)
        return stores, stores.read_all(self.parts.now(), settings.member)

    def _on_opened(self, opened: "tuple[Stores, AtStart]") -> None:
        stores, found = opened
        self.shared.take_up(stores, found)
        self.keeping.let_go()
        self._tell_start(found)
        self.shared.changed.emit(EVERYTHING)
        self.letters.take_up(found.letters)
        self.shared.register_changed.emit()
        self.sending.start(found.outbox)
        self.arrived.start()
        self._warm_up()
        self.following.start()
        self.linking.start()
        self.opened.emit()

    def _tell_start(self, found: "AtStart") -> None:
        waiting = sum(entry.state in ("held", "waiting") for entry in found.outbox)
        told = []
        if found.recovered:
            told.append(
                counted(
                    "1 letter may or may not have gone: see the outbox.",
                    "{count} letters may or may not have gone: see the outbox.",
                    count=found.recovered,
                )
            )
        if waiting:
            told.append(
                counted(
                    "1 letter from last time goes out now.",
                    "{count} letters from last time go out now.",
                    count=waiting,
                )
            )
        if found.broken:
            told.append(
                counted(
                    "1 kept letter could not be read; the file keeps it.",
                    "{count} kept letters could not be read; the file keeps them.",
                    count=found.broken,
                )
            )
        if found.on_network:
            told.append(
                said(
                    "The library is a file on another machine: a slower journal keeps it safe "
                    "there."
                )
            )
        if told:
            self.voice.say(" ".join(told))

    def _warm_up(self) -> None:
        """Load in the background what the first letter will need, so that it need not wait."""
        calendar, today = self.shared.catalogue.calendar, self.parts.now().date()

        def load() -> None:
            import nebbet.core.message.compose
            import nebbet.post.imap
            import nebbet.post.smtp  # noqa: F401 - loading is what this is for

            calendar.is_working(today)
            dates.read("today")
            sums.read("1")

        self.network.run(load, nothing, self.voice.fail)

    # End

    def keep(self, seconds: float) -> list[NebbetError]:
        """Keep everything that is written, and wait for that; what could not be kept."""
        self.letters.keep_now()
        return self.keeping.settle(seconds)

    def close(self) -> None:
        """Let go of everything, after what is under way: a letter that is on the line is handed
        over first, however long the server takes."""
        self.letters.keep_now()
        self.keeping.finish()
        if self.shared.is_open:
            self.shared.stores.hurry_library(_AT_END)
        self.following.stop()
        self.linking.stop()
        self.arrived.stop()
        for work in (self.posting, self.operations):
            work.finish()
        self.sending.stop()
        self.network.finish()
        self.shared.finish()
        if self.shared.is_open:
            self.shared.stores.close()

    # Settings

    def save_settings(
        self,
        settings: Settings,
        member: Member | None,
        passwords: Mapping[str, str],
        server_password: str = "",
    ) -> None:
        """Keep the profile: settings in one's own file, passwords by the users of their mailboxes
        in the keyring, oneself (if anything is said of that) in the library. Another library is
        tried before it is kept, and opened at the next start."""
        before = self.settings.library
        save = self._saving(settings, member, passwords, server_password)

        def done(kept: object) -> None:
            self._putting = None
            self.settings, self.shared.member = settings, settings.member
            self.following.hurry()
            self.shared.addresses = own_addresses(settings.accounts)
            self.sending.use(settings.accounts, settings.hold_seconds)
            self.arrived.use(settings.accounts)
            self.settings_changed.emit()
            told = [said("Your profile is kept.")]
            if not kept:
                told.append(said("There is no keyring here: the password lasts until you quit."))
            if settings.library != before:
                told.append(said("The other library is opened when Nebbet is started again."))
            self.voice.say(" ".join(told))

        def failed(error: NebbetError) -> None:
            self._putting = None
            self.voice.fail(error)

        self.shared.change(save, done, failed)

    def keep_choice(self, settings: Settings) -> None:
        """Keep a choice that was made in passing, as a setting of one's own."""
        self.settings = settings
        path = self.parts.home.settings_file
        self.keeping.run(lambda: write_settings(path, settings), nothing, self.voice.fail)

    def choose_server_password(self, password: str) -> None:
        """Give one's own login on the library's server another password, for good."""
        shared, parts, where = self.shared, self.parts, self.settings.library

        def act() -> bool:
            from nebbet.library.logins import choose_password

            shared.library.check_reach(said("The password cannot be changed"))
            choose_password(shared.library.engine, password)
            shared.stores.use_password(password)
            return parts.secrets.keep(where, password)

        def done(kept: object) -> None:
            told = [said("The password for the server is another one now.")]
            if not kept:
                told.append(said("There is no keyring here: the password lasts until you quit."))
            self.voice.say(" ".join(told))

        shared.change(act, done, once="own password")

    def _saving(
        self,
        settings: Settings,
        member: Member | None,
        passwords: Mapping[str, str],
        server_password: str,
    ) -> Callable[[], bool]:
        """What keeps a profile; says whether the passwords outlive the program."""
        parts, before = self.parts, self.settings.library
        # What is on its way is in the library before this is.
        seen, self._putting = self._putting or self.shared.me, member

        def save() -> bool:
            if settings.library != before or server_password:
                from nebbet.personal.stores import try_library

                known = server_password or parts.secrets.get(settings.library) or ""
                try_library(parts.home, settings, known)
            write_settings(parts.home.settings_file, settings)
            kept = [parts.secrets.keep(user, given) for user, given in passwords.items()]
            if server_password:
                kept.append(parts.secrets.keep(settings.library, server_password))
                if settings.library == before:
                    self.shared.stores.use_password(server_password)
            if member is not None:
                self.shared.library.put(member, seen=seen)
            return all(kept)

        return save
