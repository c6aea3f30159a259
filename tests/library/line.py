"""A line to a server that can be cut, stalled, slowed and mended: a relay between two sockets."""

import queue
import random
import socket
import threading
import time
from contextlib import suppress
from pathlib import Path

from sqlalchemy import make_url

_FILE = ".s.PGSQL.5432"


class Line:
    """Relays what comes to a socket in a folder to the server; url leads through it.

    delay is how long each piece takes one way, stalls how often (of one) it takes a second more;
    trips counts how often the client spoke after the server had.
    """

    def __init__(self, url: str, folder: Path, delay: float = 0.0, stalls: float = 0.0) -> None:
        made = make_url(url)
        self._to = str(Path(str(made.query["host"])) / _FILE)
        self._at = folder / _FILE
        query = {**made.query, "host": str(folder)}
        self.url = made.set(query=query).render_as_string(hide_password=False)
        self.delay, self.stalls, self._chance = delay, stalls, random.Random(7)
        self.trips = 0
        self._flows = threading.Event()
        self._flows.set()
        self._open: list[socket.socket] = []
        self._listener: socket.socket | None = None
        self._threads: list[threading.Thread] = []
        self.mend()

    def mend(self) -> None:
        """Let the server be reached."""
        self._flows.set()
        if self._listener is not None:
            return
        self._listener = listener = socket.socket(socket.AF_UNIX)
        listener.bind(str(self._at))
        listener.listen(20)
        self._run(self._accept, listener)

    def stall(self) -> None:
        """Keep silent: what is sent is taken, and goes nowhere until the line is mended."""
        self._flows.clear()

    def drop(self) -> None:
        """End the connections there are; others may be made."""
        opened, self._open = self._open, []
        for one in opened:
            with suppress(OSError):
                one.shutdown(socket.SHUT_RDWR)

    def cut(self) -> None:
        """Let it be away, for those that are connected, too."""
        if self._listener is None:
            return
        self._at.unlink()
        with suppress(OSError):
            self._listener.shutdown(socket.SHUT_RDWR)
        self._listener.close()
        self._listener = None
        self._flows.set()
        self.drop()
        for thread in self._threads:
            thread.join(5)
        self._threads.clear()

    @property
    def connections(self) -> int:
        """How many are open."""
        return sum(one.fileno() >= 0 for one in self._open) // 2

    def _run(self, act, *args) -> None:  # type: ignore[no-untyped-def]
        thread = threading.Thread(target=act, args=args, name="nebbet-line", daemon=True)
        self._threads.append(thread)
        thread.start()

    def _accept(self, listener: socket.socket) -> None:
        with suppress(OSError):
            while True:
                near, _ = listener.accept()
                far = socket.socket(socket.AF_UNIX)
                far.connect(self._to)
                self._open += [near, far]
                spoke = [False]  # whether the server was the last to speak
                for one, other, asks in ((near, far, True), (far, near, False)):
                    pieces: queue.Queue[tuple[float, bytes]] = queue.Queue()
                    self._run(self._take, one, pieces, asks, spoke)
                    self._run(self._give, other, pieces)

    def _take(
        self, one: socket.socket, pieces: "queue.Queue[tuple[float, bytes]]", asks: bool,
        spoke: list[bool],
    ) -> None:  # fmt: skip
        data = b"?"
        while data:
            try:
                data = one.recv(65536)
            except OSError:
                data = b""
            if asks and data:
                self.trips += not spoke[0]
            spoke[0] = asks
            late = 1.0 if self._chance.random() < self.stalls else 0.0
            pieces.put((time.monotonic() + self.delay + late, data))

    def _give(self, other: socket.socket, pieces: "queue.Queue[tuple[float, bytes]]") -> None:
        data = b"?"
        with suppress(OSError):
            while data:
                due, data = pieces.get()
                self._flows.wait()
                time.sleep(max(due - time.monotonic(), 0.0))
                other.sendall(data)
        with suppress(OSError):
            other.shutdown(socket.SHUT_RDWR)
        other.close()
