"""Noticing that somebody else changed the library."""

import logging
import sqlite3
import threading
import time
from collections.abc import Callable
from contextlib import closing
from pathlib import Path

from msgspec import Struct
from sqlalchemy import Engine

from nebbet.library.postgres import GONE, Reason, reason_of
from nebbet.library.server_line import ServerLine

PAUSE = 1.0  # seconds between two looks at a file
_log = logging.getLogger(__name__)
_CHANNEL = "nebbet"
# Seconds: so often a server is asked whether it is there, and so long it may take for the answer.
_BEAT, _ANSWER = 1.5, 2.2
# Seconds until a server that is away is tried again: soon at first.
_TRY_AGAIN = (0.5, 1.0, 2.0, 3.0, 5.0)
_REFUSED = 20.0  # seconds, where it is there and says no
_LOOK_ASLEEP = 300.0  # seconds between two looks of a window that nobody looks at


def _nothing(_reason: Reason | None) -> None:
    pass


class Watched(Struct, frozen=True):
    """What a watcher tells and asks, in its own thread.

    changed: the library is another one. reached: a server answers (None), or why it does not.
    losses: how often anybody found it away, for then it is tried anew. asleep: whether nobody looks
    at the window. idle is called now and then, while all is quiet. password is the one of
    now, where it is not in the engine's own address.
    """

    changed: Callable[[], None]
    reached: Callable[[Reason | None], None] = _nothing
    losses: Callable[[], int] = lambda: 0
    asleep: Callable[[], bool] = lambda: False
    idle: Callable[[], None] = lambda: None
    password: Callable[[], str] = str


class Watcher(threading.Thread):
    """Tells, from a thread of its own, soon after the library is another one: within a second or so
    of a change in a file, at once on a server (PostgreSQL's LISTEN). Changes made by this program
    count as well. On a server it also notices, within five seconds, that nothing answers."""

    def __init__(self, engine: Engine, watched: Watched, pause: float = PAUSE) -> None:
        super().__init__(name="watching the library", daemon=True)
        self._engine, self._watched, self._pause = engine, watched, pause
        self._ended, self._woken = threading.Event(), threading.Event()
        self._failures = 0
        self._well = False  # whether the line at hand has answered

    def stop(self) -> None:
        """End; nothing is called any more."""
        self._ended.set()
        self.hurry()
        self.join(2 * self._pause + _ANSWER)

    def hurry(self) -> None:
        """Try a server that is away now."""
        self._failures = 0
        self._woken.set()

    def run(self) -> None:
        """Watch until stopped."""
        watch = self._listen if self._engine.dialect.name == "postgresql" else self._look
        while not self._ended.is_set():
            try:
                watch()
            except Exception as error:
                if not _is_outage(error):  # a mistake of ours: logged whole, and the thread lives
                    _log.exception("the library could not be watched")
                if not self._is_only_cut(error):
                    self._say_away(reason_of(error) or GONE)

    def _is_only_cut(self, error: Exception) -> bool:
        """Whether a line that was well has ended, as that of a machine that slept: then another one
        is tried before anybody is told."""
        from nebbet.library.bounded import Silent

        was_well, self._well = self._well, False
        return was_well and _is_outage(error) and not isinstance(error, Silent)

    def _say_away(self, reason: Reason) -> None:
        """Tell that the server cannot be worked with; it is tried again a while later."""
        if not self._ended.is_set():
            self._watched.reached(reason)
            self._pause_before_next(refused=reason != GONE)

    def _pause_before_next(self, *, refused: bool = False) -> None:
        pause = _TRY_AGAIN[min(self._failures, len(_TRY_AGAIN) - 1)]
        self._failures += 1
        self._woken.wait(_REFUSED if refused else pause)
        self._woken.clear()

    def _tell(self) -> None:
        if not self._ended.is_set():
            self._watched.changed()

    def _look(self) -> None:
        """SQLite numbers the states of a file, as each connection sees them."""
        path = Path(self._engine.url.database or "")
        with closing(sqlite3.connect(f"{path.as_uri()}?mode=ro", uri=True)) as connection:
            known = _version(connection)
            while not self._ended.wait(self._pause):
                now = _version(connection)
                if now != known:
                    known = now
                    self._tell()

    def _listen(self) -> None:
        """Listen on a line of its own, until it is wanted no more, or in doubt."""
        from nebbet.library.bounded import connect

        with connect(self._engine, ServerLine(_ANSWER, self._watched.password())) as connection:
            connection.execute(f"LISTEN {_CHANNEL}")
            losses = self._watched.losses()
            if not self._ended.is_set():
                self._watched.reached(None)
            self._tell()  # what changed while nobody listened
            asked = time.monotonic()
            while not self._ended.is_set() and not self._watched.asleep():
                if self._watched.losses() != losses:
                    self._pause_before_next()
                    return
                if list(connection.notifies(timeout=self._pause, stop_after=1)):
                    self._tell()
                    # Anybody may send notices, as many as they like: whatever comes meanwhile is
                    # told as one.
                    self._ended.wait(self._pause)
                elif time.monotonic() - asked >= _BEAT:
                    connection.execute("SELECT 1")
                    asked, self._failures, self._well = time.monotonic(), 0, True
                self._watched.idle()
        self._sleep()

    def _sleep(self) -> None:
        """Hold no line while nobody looks at the window; see what is new there now and then."""
        told = time.monotonic()
        while self._watched.asleep() and not self._ended.wait(self._pause):
            self._watched.idle()
            if time.monotonic() - told > _LOOK_ASLEEP:
                self._tell()
                told = time.monotonic()


def _version(connection: sqlite3.Connection) -> int:
    return int(connection.execute("PRAGMA data_version").fetchone()[0])


def _is_outage(error: Exception) -> bool:
    """Whether the file or the server is only away for now."""
    import psycopg

    return isinstance(error, sqlite3.OperationalError | psycopg.OperationalError)
