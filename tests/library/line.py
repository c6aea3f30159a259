"""A line to a server that can be cut and mended: a relay between two sockets."""

import socket
import threading
from contextlib import closing, suppress
from pathlib import Path

from sqlalchemy import make_url

_FILE = ".s.PGSQL.5432"


class Line:
    """Relays what comes to a socket in a folder to the server; url leads through it."""

    def __init__(self, url: str, folder: Path) -> None:
        made = make_url(url)
        self._to = str(Path(str(made.query["host"])) / _FILE)
        self._at = folder / _FILE
        query = {**made.query, "host": str(folder)}
        self.url = made.set(query=query).render_as_string(hide_password=False)
        self._open: list[socket.socket] = []
        self._listener: socket.socket | None = None
        self._threads: list[threading.Thread] = []
        self.mend()

    def mend(self) -> None:
        """Let the server be reached."""
        self._listener = listener = socket.socket(socket.AF_UNIX)
        listener.bind(str(self._at))
        listener.listen(20)
        self._run(self._accept, listener)

    def cut(self) -> None:
        """Let it be away, for those that are connected, too."""
        if self._listener is None:
            return
        self._at.unlink()
        for opened in (self._listener, *self._open):
            with suppress(OSError):
                opened.shutdown(socket.SHUT_RDWR)
            opened.close()
        self._listener = None
        self._open.clear()
        for thread in self._threads:
            thread.join(5)
        self._threads.clear()

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
                self._run(_relay, near, far)
                self._run(_relay, far, near)


def _relay(one: socket.socket, other: socket.socket) -> None:
    with suppress(OSError), closing(one), closing(other):
        while data := one.recv(65536):
            other.sendall(data)
        with suppress(OSError):
            other.shutdown(socket.SHUT_RDWR)
