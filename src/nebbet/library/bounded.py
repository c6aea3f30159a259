"""Connections to a PostgreSQL server, which may fall silent: every call on one comes to an end."""

import time
from collections.abc import Generator
from typing import Any

import psycopg
from sqlalchemy import Engine, QueuePool, event
from sqlalchemy.exc import DisconnectionError

from nebbet.library.server_line import ServerLine

IDLE = 20.0  # seconds after which a connection that nobody uses is closed
_FRESH = 5.0  # seconds in which a connection that was used is taken to be alive
CONNECTING: dict[str, Any] = {
    "connect_timeout": 4,
    "keepalives_idle": 5,
    "keepalives_interval": 2,
    "keepalives_count": 2,
    "tcp_user_timeout": 4000,
}


class Silent(psycopg.OperationalError):
    """Nothing was heard on a line for too long; it may be there, for all anybody knows."""


class BoundedConnection(psycopg.Connection[Any]):
    """A connection that is given up when nothing is heard on it for too long. The operating system
    tells when the other machine is gone, but nobody tells when it only keeps silent."""

    line: ServerLine | None = None

    def wait(
        self, gen: Generator[Any, Any, Any], interval: float = 0.1, timeout: float | None = None
    ) -> Any:
        """As psycopg waits for the server; at most as long as the patience lasts."""
        if self.line is not None:
            gen = self._heard(gen, self.line)
        return super().wait(gen, interval, timeout)

    def _heard(self, steps: Generator[Any, Any, Any], line: ServerLine) -> Generator[Any, Any, Any]:
        heard = time.monotonic()
        try:
            wanted = next(steps)
            while True:
                ready = yield wanted
                if ready:
                    heard = time.monotonic()
                elif time.monotonic() - heard > line.quiet:
                    self.pgconn.finish()  # what was asked may still be answered: to nobody
                    raise Silent("nothing was heard in time")
                wanted = steps.send(ready)
        except StopIteration as ended:
            return ended.value


def connect(engine: Engine, line: ServerLine) -> BoundedConnection:
    """A connection to where an engine leads, in which each statement stands alone. It is to be used
    every few seconds: the server ends that of a machine that sleeps."""
    url = engine.url.set(drivername="postgresql").render_as_string(hide_password=False)
    asked = CONNECTING | {"options": "-c idle_session_timeout=30s"}
    made = BoundedConnection.connect(url, autocommit=True, **line.asked(asked))
    made.line = line
    return made


def bound(engine: Engine, line: ServerLine | None) -> None:
    """Let an engine make its connections so, and notice one that has died before it is used. One
    that was used a moment ago is not asked first: each question is a way to the server and back."""

    @event.listens_for(engine, "do_connect")
    def _connect(_dialect: Any, _record: Any, args: Any, options: Any) -> BoundedConnection:
        made = BoundedConnection.connect(*args, **line.asked(options) if line else options)
        made.line = line
        return made

    @event.listens_for(engine, "checkin")
    def _back(_connection: Any, record: Any) -> None:
        record.info["used"] = time.monotonic()
        if line:
            line.used = record.info["used"]

    @event.listens_for(engine, "checkout")
    def _sound(connection: BoundedConnection, record: Any, _proxy: Any) -> None:
        used = record.info.get("used")  # nothing for one that was made just now
        if used is not None and not (line and time.monotonic() - used < _FRESH):
            try:
                connection.execute("SELECT 1")
                connection.rollback()
            except psycopg.Error as error:
                raise DisconnectionError from error


def let_go(engine: Engine, line: ServerLine, idle: float = IDLE) -> None:
    """Close the connections of an engine if none is in use, nor was for some seconds: a server has
    only so many for a whole team."""
    pool = engine.pool
    if not isinstance(pool, QueuePool) or pool.checkedout() or not pool.checkedin():
        return
    if time.monotonic() - line.used > idle:
        pool.dispose()  # of what is idle, and the pool goes on
