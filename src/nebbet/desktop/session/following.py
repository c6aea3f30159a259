"""Following what others change in the library while the window is open, and whether its server is
there at all."""

import logging
from collections.abc import Callable
from datetime import datetime
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Qt, QTimer, Signal
from PySide6.QtGui import QGuiApplication

from nebbet.core.errors import NebbetError
from nebbet.core.sentences import counted, said
from nebbet.desktop.kit.operations import Operations, nothing
from nebbet.desktop.kit.pause import after_pause
from nebbet.desktop.session.shared_library import Reading, SharedLibrary
from nebbet.library.changes import NO_CHANGE, Change

if TYPE_CHECKING:
    from nebbet.library.postgres import Reason
    from nebbet.library.team import TeamLibrary
    from nebbet.library.watching import Watched, Watcher

_log = logging.getLogger(__name__)
_SETTLED = 200  # milliseconds: changes that come together are read once
_PRESENCE = 60_000  # milliseconds between two looks at who edits what
_SLEEPS = 600_000  # milliseconds without use until the line to the server is given back
# How often templates were used is counted in weeks before now: a copy is of another day.
READ_AT_START = Change({"usage": frozenset({"*"})})
_QUIET = 1500  # milliseconds after a change until the copy on this machine is brought up to date


class Following(QObject):
    """Reads the library anew when it has changed, and hands over what is another one now.

    reach_changed tells that one works on the server's library again, or on the copy of it;
    profile_wanted that somebody is to look at the address or the password of the library.
    """

    reach_changed = Signal()
    profile_wanted = Signal()
    _changed = Signal()
    _reached = Signal(bool)

    def __init__(self, shared: SharedLibrary, hurry: Callable[[], None]) -> None:
        super().__init__(shared)
        self._shared, self._hurry = shared, hurry
        self._watcher: Watcher | None = None
        self._waiting = 0  # writes that wait for the server
        self._told: Reason | None = None  # why the server is away, as it was said last
        self._also = READ_AT_START  # what is read again whether it changed or not
        self._awake, self._password_told = True, False
        self._team: TeamLibrary | None = None
        self._closed = False  # the library could not be opened at all
        self._copying = Operations(self)
        self._timer = after_pause(self, _SETTLED, self.look)
        self._copy_timer = after_pause(self, _QUIET, self._keep_copy)
        self._sleep_timer = after_pause(self, _SLEEPS, self._fall_asleep)
        # Whoever was ended while editing is not heard of any more, which changes nothing.
        self._presence_timer = QTimer(self)
        self._presence_timer.setInterval(_PRESENCE)
        self._presence_timer.timeout.connect(self._look_who_is_there)
        self._changed.connect(self._timer.start)
        self._reached.connect(self._on_reached)

    def start(self) -> None:
        """Begin to follow the open library."""
        from nebbet.library.closed import ClosedLibrary
        from nebbet.library.team import TeamLibrary
        from nebbet.library.watching import Watcher

        library = self._shared.library
        if isinstance(library, ClosedLibrary):
            self._closed = True
            self._shared.voice.say(
                library.why.sentence, said("Look at the profile"), self.profile_wanted.emit
            )
            self.reach_changed.emit()
            return
        if isinstance(library, TeamLibrary):
            self._team = library
            for changed in (self._shared.changed, self._shared.register_changed):
                changed.connect(self._copy_soon)
            self._shared.changed.connect(self._count)
            self._copy_timer.start()
            self._tell_reach()
            self._watch_sleep()
        self._watcher = Watcher(library.engine, self._watched())
        self._watcher.start()
        self.look()
        self._presence_timer.start()

    def _watched(self) -> "Watched":
        from nebbet.library.watching import Watched

        team = self._team
        if team is None:
            return Watched(self._changed.emit)

        def reached(reason: "Reason | None") -> None:
            """In the watcher's thread: whatever waits for the server is to end at once."""
            if reason is not None and not team.away:
                team.gone(reason)
            self._reached.emit(reason is None)

        return Watched(
            self._changed.emit,
            reached,
            losses=lambda: team.losses,
            asleep=lambda: not self._awake,
            idle=team.rest,
            password=lambda: team.line.password,
        )

    def _watch_sleep(self) -> None:
        """A window that nobody has used for a while gives its line to the server back."""
        application = QGuiApplication.instance()
        assert isinstance(application, QGuiApplication)
        application.applicationStateChanged.connect(self._used)

    def _used(self, state: Qt.ApplicationState) -> None:
        if state == Qt.ApplicationState.ApplicationActive:
            self._sleep_timer.stop()
            self._awake = True
        else:
            self._sleep_timer.start()

    def _fall_asleep(self) -> None:
        self._awake = False

    def hurry(self) -> None:
        """Try a server that is away now: somebody has mended something."""
        if self._watcher:
            self._watcher.hurry()

    def stop(self) -> None:
        """Follow no longer."""
        for timer in (self._timer, self._copy_timer, self._sleep_timer):
            timer.stop()
        self._presence_timer.stop()
        if self._watcher:
            self._watcher.stop()
        self._copying.finish()

    @property
    def state(self) -> str:
        """Which library one works on, in words; empty for the one that is there."""
        if self._closed:
            return said("Library not open")
        team = self._team
        if team is None or not team.away:
            return ""
        why, moment, waiting = team.away.band, team.read_at, self._waiting
        if moment is None:
            return why
        kept = _clock(moment.astimezone(), self._shared.now().astimezone())
        if waiting:
            return said(
                "{why}: copy of {kept}, {waiting} waiting", why=why, kept=kept, waiting=waiting
            )
        return said("{why}: copy of {kept}", why=why, kept=kept)

    def _on_reached(self, answers: bool) -> None:
        """The server answers, or does not any more."""
        team, shared = self._team, self._shared
        if team is None:
            return
        if not answers:
            self._tell_reach()
            return

        def back() -> int | None:
            """How much waited and was handed in; nothing where the server had not been away."""
            waited = team.count_waiting()
            if not team.away and not waited:
                return None
            team.back()
            return waited

        shared.operations.run(back, self._came_back, self._not_back)

    def _came_back(self, waited: int | None) -> None:
        self._hurry()
        told, self._told = self._told, None
        if waited is None or (told is None and not waited):
            return
        words = said("The library is there again.")
        if waited:
            words = counted(
                "The library is there again. What waited was handed in.",
                "The library is there again. {count} things that waited were handed in.",
                count=waited,
            )
        self._shared.voice.say(words)
        self._look_again()

    def _not_back(self, error: NebbetError) -> None:
        from nebbet.library.postgres import Away

        if isinstance(error, Away):
            self._tell_reach()
        else:  # the library did not take something; the rest went up
            self._hurry()
            self._told = None
            self._shared.voice.fail(error)
        self._look_again()

    def _tell_reach(self) -> None:
        """Say, once, why one works on the copy."""
        from nebbet.library.postgres import GONE

        team = self._team
        if team is None or team.away is None or team.away == self._told:
            return
        self._told = reason = team.away
        words = said(
            "The library cannot be worked with: {why}. You go on with the copy on this computer: "
            "letters go out, and what you propose is handed in later. {advice}.",
            why=reason.what,
            advice=reason.advice,
        )
        if team.read_at is None:
            words = said(
                "The library cannot be worked with: {why}. There is no copy of it on this computer "
                "yet. {advice}.",
                why=reason.what,
                advice=reason.advice,
            )
        if reason == GONE:
            if team.read_at is not None:
                words = said(
                    "The library's server does not answer. You go on with the copy on this "
                    "computer: letters go out, and what you propose is handed in later."
                )
            self._shared.voice.say(words)
        else:
            self._shared.voice.say(words, said("Look at the profile"), self.profile_wanted.emit)
        self._look_again()

    def _tell_password(self) -> None:
        """Say, once, that a password was only to begin with."""
        ends = self._team.password_ends if self._team else None
        if ends is None or self._password_told:
            return
        self._password_told = True
        self._shared.voice.say(
            said(
                "Your password for the library's server holds until {day}: choose one of your own.",
                day=f"{ends.astimezone():%d %b %Y}",
            ),
            said("Choose it"),
            self.profile_wanted.emit,
        )

    def _look_again(self) -> None:
        self.look()
        self.reach_changed.emit()

    def _count(self) -> None:
        """See how much waits for the server, and tell where that is something else now."""
        team = self._team

        def counted(waiting: int) -> None:
            if waiting != self._waiting:
                self._waiting = waiting
                self.reach_changed.emit()

        if team is not None:
            self._copying.run(team.count_waiting, counted, _unheard)

    def _look_who_is_there(self) -> None:
        if self._shared.catalogue.editing:
            self.look()

    def look(self) -> None:
        """Read what has changed."""
        shared, also = self._shared, self._also

        def read(found: Reading) -> None:
            if self._team is None or not self._team.away:
                self._also = NO_CHANGE
            shared.take_in(found)
            self._tell_reach()
            self._tell_password()

        shared.operations.run(shared.reading(also), read, _unheard)
        self._count()

    def _copy_soon(self) -> None:
        """Not put off by further changes: in a large team there is always one."""
        if not self._copy_timer.isActive():
            self._copy_timer.start()

    def _keep_copy(self) -> None:
        shared, now = self._shared, self._shared.now()
        catalogue, entries = shared.whole, shared.entries
        self._copying.run(
            lambda: shared.stores.keep_copy(now, catalogue, entries), nothing, _unheard
        )


def _clock(moment: datetime, now: datetime) -> str:
    """A moment as it is told: of today by the clock alone."""
    return f"{moment:%H:%M}" if moment.date() == now.date() else f"{moment:%d %b %H:%M}"


def _unheard(error: NebbetError) -> None:
    """Nobody asked for this; the next thing that somebody asks for tells what is wrong."""
    _log.info("the library could not be followed: %s", error.sentence)
