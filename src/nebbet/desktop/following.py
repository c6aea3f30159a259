"""Following what others change in the library while the window is open."""

import logging
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal

from nebbet.core.errors import NebbetError
from nebbet.desktop.kit.pause import after_pause
from nebbet.library.catalogue import Catalogue
from nebbet.post.entries import Registered

if TYPE_CHECKING:
    from nebbet.desktop.session import Session
    from nebbet.library.watching import Watcher

_log = logging.getLogger(__name__)
_SETTLED = 200  # milliseconds: changes that come together are read once


class Following(QObject):
    """Reads the library anew when it has changed, and hands over what is another one now."""

    _changed = Signal()

    def __init__(self, session: "Session") -> None:
        super().__init__(session)
        self._session = session
        self._watcher: Watcher | None = None
        self._timer = after_pause(self, _SETTLED, self._look)
        self._changed.connect(self._timer.start)

    def start(self) -> None:
        """Begin to follow the open library."""
        from nebbet.library.watching import Watcher

        self._watcher = Watcher(self._session.library.engine, self._changed.emit)
        self._watcher.start()

    def stop(self) -> None:
        """Follow no longer."""
        self._timer.stop()
        if self._watcher:
            self._watcher.stop()

    def _look(self) -> None:
        session = self._session
        again, known, listed = session.reading(), session.catalogue, session.entries

        def read() -> tuple[Catalogue | None, list[Registered] | None]:
            catalogue, entries = again(), session.stores.entries()
            return (
                None if catalogue == known else catalogue,
                None if entries == listed else entries,
            )

        session.operations.run(read, lambda found: session.take_in(*found), _unheard)


def _unheard(error: NebbetError) -> None:
    """Nobody asked for this reading; the next one that somebody asks for tells what is wrong."""
    _log.warning("the library could not be read again: %s", error.sentence)
