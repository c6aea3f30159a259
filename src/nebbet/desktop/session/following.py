"""Following what others change in the library while the window is open, and whether its server is
there at all."""

import logging
from collections.abc import Callable
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, QTimer, Signal

from nebbet.core.errors import NebbetError
from nebbet.core.sentences import counted, said
from nebbet.desktop.kit.operations import Operations, nothing
from nebbet.desktop.kit.pause import after_pause
from nebbet.desktop.session.shared_library import SharedLibrary

if TYPE_CHECKING:
    from nebbet.library.team import TeamLibrary
    from nebbet.library.watching import Watcher

_log = logging.getLogger(__name__)
_SETTLED = 200  # milliseconds: changes that come together are read once
_PRESENCE = 60_000  # milliseconds between two looks at who edits what
_QUIET = 1500  # milliseconds after a change until the copy on this machine is brought up to date


class Following(QObject):
    """Reads the library anew when it has changed, and hands over what is another one now.

    reach_changed tells that one works on the server's library again, or on the copy of it.
    """

    reach_changed = Signal()
    _changed = Signal()
    _reached = Signal(bool)

    def __init__(self, shared: SharedLibrary, hurry: Callable[[], None]) -> None:
        super().__init__(shared)
        self._shared, self._hurry = shared, hurry
        self._watcher: Watcher | None = None
        self._waiting = 0  # writes that wait for the server
        self._team: TeamLibrary | None = None
        self._copying = Operations(self)
        self._timer = after_pause(self, _SETTLED, self.look)
        self._copy_timer = after_pause(self, _QUIET, self._keep_copy)
        # Whoever was ended while editing is not heard of any more, which changes nothing.
        self._presence_timer = QTimer(self)
        self._presence_timer.setInterval(_PRESENCE)
        self._presence_timer.timeout.connect(self._look_who_is_there)
        self._changed.connect(self._timer.start)
        self._reached.connect(self._on_reached)

    def start(self) -> None:
        """Begin to follow the open library."""
        from nebbet.library.team import TeamLibrary
        from nebbet.library.watching import Watcher

        library = self._shared.library
        if isinstance(library, TeamLibrary):
            self._team = library
            for changed in (self._shared.changed, self._shared.register_changed):
                changed.connect(self._copy_timer.start)
            self._shared.changed.connect(self._count)
            self._copy_timer.start()
            if library.away:
                self._tell_away()
        self._watcher = Watcher(
            library.engine,
            self._changed.emit,
            reached=self._reached.emit,
            doubts=lambda: self._team is not None and self._team.away,
        )
        self._watcher.start()
        self._presence_timer.start()

    def stop(self) -> None:
        """Follow no longer."""
        self._timer.stop()
        self._copy_timer.stop()
        self._presence_timer.stop()
        if self._watcher:
            self._watcher.stop()
        self._copying.finish()

    @property
    def state(self) -> str:
        """Which library one works on, in words; empty for the one that is there."""
        team = self._team
        if team is None or not team.away:
            return ""
        moment, waiting = team.kept_at, self._waiting
        if moment is None:
            return ""
        kept = f"{moment.astimezone():%H:%M}"
        if waiting:
            return said(
                "Server away: copy of {kept}, {waiting} waiting", kept=kept, waiting=waiting
            )
        return said("Server away: copy of {kept}", kept=kept)

    def _on_reached(self, answers: bool) -> None:
        """The server answers, or does not any more."""
        team, shared = self._team, self._shared
        if team is None or (not answers and team.away):
            return
        if not answers:
            shared.operations.run(team.gone, lambda _done: self._tell_away(), _unheard)
            return

        def back() -> int | None:
            """How much waited and was handed in; nothing where the server had not been away."""
            waited = team.count_waiting()
            if not team.away and not waited:
                return None
            team.back()
            return waited

        shared.operations.run(back, self._came_back, self._not_back)
        self._hurry()

    def _came_back(self, waited: int | None) -> None:
        if waited is None:
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
        self._shared.voice.fail(error)
        self._look_again()

    def _tell_away(self) -> None:
        self._shared.voice.say(
            said(
                "The library's server does not answer. You go on with the copy on this computer: "
                "letters go out, and what you propose is handed in later."
            )
        )
        self._look_again()

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
            self._shared.operations.run(team.count_waiting, counted, _unheard)

    def _look_who_is_there(self) -> None:
        if self._shared.catalogue.editing:
            self.look()

    def look(self) -> None:
        """Read what has changed."""
        shared = self._shared
        shared.operations.run(shared.reading(), shared.take_in, _unheard)
        self._count()

    def _keep_copy(self) -> None:
        shared, now = self._shared, self._shared.now()
        catalogue, entries = shared.catalogue, shared.entries
        self._copying.run(
            lambda: shared.stores.keep_copy(now, catalogue, entries), nothing, _unheard
        )


def _unheard(error: NebbetError) -> None:
    """Nobody asked for this; the next thing that somebody asks for tells what is wrong."""
    _log.info("the library could not be followed: %s", error.sentence)
