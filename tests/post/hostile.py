"""Servers that answer what no server should: a script of bytes for each line they hear."""

import socket
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager

Answer = Callable[[bytes], bytes | Iterator[bytes]]


@contextmanager
def server(greeting: bytes | Iterator[bytes], answer: Answer = lambda _line: b"") -> Iterator[int]:
    """A server on loopback; gives its port. An answer may be endless."""
    listening = socket.create_server(("127.0.0.1", 0))
    listening.settimeout(0.2)
    ended = threading.Event()

    def serve() -> None:
        while not ended.is_set():
            try:
                connection, _ = listening.accept()
            except OSError:
                continue
            with connection:
                _talk(connection, greeting, answer, ended)

    thread = threading.Thread(target=serve, daemon=True)
    thread.start()
    try:
        yield listening.getsockname()[1]
    finally:
        ended.set()
        thread.join(5)
        listening.close()


def _talk(
    connection: socket.socket, greeting: bytes | Iterator[bytes], answer: Answer,
    ended: threading.Event,
) -> None:  # fmt: skip
    connection.settimeout(0.2)
    try:
        _say(connection, greeting, ended)
        held = b""
        while not ended.is_set():
            try:
                data = connection.recv(4096)
            except TimeoutError:
                continue
            if not data:
                return
            held += data
            while b"\n" in held:
                line, _, held = held.partition(b"\n")
                _say(connection, answer(line), ended)
    except OSError:
        return


def _say(connection: socket.socket, said: bytes | Iterator[bytes], ended: threading.Event) -> None:
    for piece in [said] if isinstance(said, bytes) else said:
        if ended.is_set():
            return
        if piece:
            connection.sendall(piece)


def endless(piece: bytes) -> Iterator[bytes]:
    while True:
        yield piece


def slowly(text: bytes, pause: float = 0.05) -> Iterator[bytes]:
    for byte in text:
        time.sleep(pause)
        yield bytes([byte])
