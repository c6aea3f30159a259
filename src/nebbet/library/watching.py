"""Noticing that somebody else changed the library."""

import logging
import sqlite3
import threading
from collections.abc import Callable
from contextlib import closing
from pathlib import Path

from sqlalchemy import Engine

from nebbet.library.postgres import CONNECTING

PAUSE = 1.0  # seconds between two looks at a file
_log = logging.getLogger(__name__)
_CHANNEL = "nebbet"
_TRY_AGAIN = 2.0  # seconds, while a server does not answer


class Watcher(threading.Thread):
    """Calls changed, in a thread of its own, soon after the library is another one: within a second
    or so of a change in a file, at once on a server (PostgreSQL's LISTEN). Changes made by this
    program count as well.

    reached tells that a server answers, or does not any more; doubts asks whether somebody else
    found it away, for then it is tried anew."""

    def __init__(
        self,
        engine: Engine,
        changed: Callable[[], None],
        pause: float = PAUSE,
        reached: Callable[[bool], None] | None = None,
        doubts: Callable[[], bool] | None = None,
    ) -> None:
        super().__init__(name="watching the library", daemon=True)
        self._engine, self._changed, self._pause = engine, changed, pause
        self._reached, self._doubts = reached, doubts
        self._ended = threading.Event()

    def stop(self) -> None:
        """End; nothing is called any more."""
        self._ended.set()
        self.join(2 * self._pause)

    def run(self) -> None:
        """Watch until stopped."""
        watch = self._listen if self._engine.dialect.name == "postgresql" else self._look
        while not self._ended.is_set():
            try:
                watch()
            except Exception as error:
                if not _is_outage(error):  # a mistake of ours: logged whole, and the thread lives
                    _log.exception("the library could not be watched")
                self._say_reached(False)
                self._ended.wait(_TRY_AGAIN)

    def _say_reached(self, answers: bool) -> None:
        if self._reached and not self._ended.is_set():
            self._reached(answers)

    def _tell(self) -> None:
        if not self._ended.is_set():
            self._changed()

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
        import psycopg

        url = self._engine.url.set(drivername="postgresql").render_as_string(hide_password=False)
        with psycopg.connect(url, autocommit=True, **CONNECTING) as connection:
            connection.execute(f"LISTEN {_CHANNEL}")
            self._say_reached(True)
            self._tell()  # what changed while nobody listened
            while not self._ended.is_set():
                if self._doubts and self._doubts():
                    return
                if list(connection.notifies(timeout=self._pause, stop_after=1)):
                    self._tell()
                    # Anybody may send notices, as many as they like: whatever comes meanwhile is
                    # told as one.
                    self._ended.wait(self._pause)


def _version(connection: sqlite3.Connection) -> int:
    return int(connection.execute("PRAGMA data_version").fetchone()[0])


def _is_outage(error: Exception) -> bool:
    """Whether the file or the server is only away for now."""
    import psycopg

    return isinstance(error, sqlite3.OperationalError | psycopg.OperationalError)
