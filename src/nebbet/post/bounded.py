"""Answers of servers within limits: of size, and of time for the whole answer.

The time limit of a socket is one for each byte: a server that says one a second is never cut off by
it, and one that never stops fills the memory.
"""

import imaplib
import smtplib
import socket
import ssl
import time
from typing import Any

from imapclient import IMAPClient
from imapclient.imap4 import IMAP4WithTimeout
from imapclient.response_parser import parse_fetch_response

from nebbet.post.conversation import Conversation

SECONDS = 60.0  # for an answer
SLOWEST = 20_000  # bytes a second: what is announced as long may take as long as this asks for
LONGEST_LINE = 100_000  # bytes; SMTP servers send short ones (RFC 5321 §4.5.3.1)
LONGEST_OF_IMAP = 8 * 2**20  # bytes: the numbers of a million messages are one line
LARGEST_REPLY = 64 * 1024  # bytes of one SMTP reply
LARGEST_ANSWER = 64 * 2**20  # bytes of everything that answers one IMAP command
_AT_ONCE = 65_536
_COMMAND = 2_000  # bytes: what is longer is a message and not a command


class Babble(OSError):
    """A server says more, or says it more slowly, than an answer can be."""

    def __init__(self, why: str) -> None:
        super().__init__(why)
        self.strerror = why


class BoundedReader:
    """Reads lines and blocks from a socket; begin starts the limits of another answer."""

    def __init__(
        self, sock: socket.socket, seconds: float, largest: int, longest: int = LONGEST_LINE
    ) -> None:
        self.sock = sock
        self.seconds, self._largest, self._longest = seconds, largest, longest
        self._held = bytearray()
        self.begin()

    def begin(self) -> None:
        """Another answer begins."""
        self._end = time.monotonic() + self.seconds
        self._left = self._largest

    def readline(self, limit: int = -1) -> bytes:
        """A line with its end, or what there is at the end of the line, or of the limit."""
        longest = min(limit, self._longest) if limit > 0 else self._longest
        searched = 0
        while (found := self._held.find(b"\n", searched)) < 0:
            if len(self._held) >= longest:
                raise Babble("it sends a line without an end")
            searched = len(self._held)
            if not self._fill():
                return self._take(len(self._held))
        return self._take(found + 1)

    def read(self, size: int) -> bytes:
        """Exactly so many bytes, fewer only where the line ends."""
        if size < 0 or size > self._left + len(self._held):
            raise Babble("it announces more than an answer can be")
        self._end += size / SLOWEST
        while len(self._held) < size and self._fill():
            pass
        return self._take(min(size, len(self._held)))

    def close(self) -> None:
        """Let go; the socket belongs to whoever made it."""
        self._held.clear()

    def _take(self, size: int) -> bytes:
        taken = bytes(self._held[:size])
        del self._held[:size]
        return taken

    def _fill(self) -> bool:
        """Read some more, within what is left of time and size; says whether something came."""
        patience = self._end - time.monotonic()
        if patience <= 0:
            raise TimeoutError("the answer took too long")
        if self._left <= 0:
            raise Babble("it sends without an end")
        held = self.sock.gettimeout()
        self.sock.settimeout(min(patience, held) if held is not None else patience)
        try:
            data = self.sock.recv(min(_AT_ONCE, self._left))
        finally:
            self.sock.settimeout(held)
        self._left -= len(data)
        self._held += data
        return bool(data)


def _prompt(made: socket.socket) -> socket.socket:
    """A socket that sends a short line at once, and does not wait for what was sent before it to
    be acknowledged."""
    made.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
    return made


class BoundedSMTP(smtplib.SMTP):
    """The standard library's client, with limits for every reply."""

    def __init__(
        self,
        host: str,
        port: int,
        local: str,
        timeout: float,
        context: ssl.SSLContext | None = None,
        heard: Conversation | None = None,
    ) -> None:
        self._context = context  # for a line that is encrypted at once
        self._heard = heard or Conversation()
        self._seconds = min(SECONDS, 2 * timeout)
        super().__init__(host, port, local_hostname=local, timeout=timeout)

    def _get_socket(self, host: str, port: int, timeout: float) -> socket.socket:
        made = _prompt(super()._get_socket(host, port, timeout))  # type: ignore[misc]
        return self._context.wrap_socket(made, server_hostname=host) if self._context else made

    def putcmd(self, cmd: str, args: str = "") -> None:
        """Say a command."""
        self._heard.say(f"{cmd} {args}".rstrip())
        super().putcmd(cmd, args)

    def send_message_text(self, data: bytes) -> None:
        """Send a part of a message."""
        self._heard.send(len(data))
        self.send(data)

    def be_patient(self, seconds: float) -> None:
        """Let the next replies take that long."""
        if self.sock is not None:
            self.sock.settimeout(seconds)
        if isinstance(self.file, BoundedReader):
            self.file.seconds = seconds

    def getreply(self) -> tuple[int, bytes]:
        """A reply within the limits. Raises OSError where it is beyond them."""
        if self.file is None and self.sock is not None:
            self.file = BoundedReader(self.sock, self._seconds, LARGEST_REPLY)
        if isinstance(self.file, BoundedReader):
            self.file.begin()
        try:
            code, words = super().getreply()
            self._heard.hear(f"{code} {words.decode('utf-8', 'replace')}")
            return code, words
        except smtplib.SMTPServerDisconnected as error:
            # The library tells every OSError as a line that was closed.
            if isinstance(error.__context__, Babble | TimeoutError):
                raise error.__context__ from None
            raise


class _BoundedIMAP4(IMAP4WithTimeout):  # type: ignore[misc]  # the library has no types
    """imaplib's client, with limits for all that answers one command."""

    _reader: BoundedReader | None = None

    def __init__(
        self,
        host: str,
        port: int,
        timeout: float | None,
        context: ssl.SSLContext | None,
        heard: Conversation,
    ) -> None:
        self._context, self._heard = context, heard
        super().__init__(host, port, timeout)

    def _create_socket(self, timeout: float | None = None) -> socket.socket:
        made = _prompt(super()._create_socket(timeout))
        return self._context.wrap_socket(made, server_hostname=self.host) if self._context else made

    def _bounded(self) -> BoundedReader:
        if self._reader is None or self._reader.sock is not self.sock:  # TLS is another socket
            self._reader = BoundedReader(self.sock, SECONDS, LARGEST_ANSWER, LONGEST_OF_IMAP)
        return self._reader

    def read(self, size: int) -> bytes:
        return self._bounded().read(size)

    def readline(self) -> bytes:
        line = self._bounded().readline()
        self._heard.hear(line.decode("utf-8", "replace"))
        return line

    def send(self, data: Any) -> None:
        if len(data) < _COMMAND:
            self._heard.say(bytes(data).decode("utf-8", "replace"))
        else:
            self._heard.send(len(data))
        super().send(data)

    def _command(self, name: str, *args: Any) -> Any:
        self._bounded().begin()
        return super()._command(name, *args)


class BoundedIMAPClient(IMAPClient):  # type: ignore[misc]
    """IMAPClient over such a client; with a context the line is encrypted at once."""

    def __init__(
        self,
        host: str,
        port: int,
        timeout: float,
        context: ssl.SSLContext | None = None,
        heard: Conversation | None = None,
    ) -> None:
        self._at_once, self._heard = context, heard or Conversation()
        super().__init__(host, port, ssl=False, timeout=timeout)
        self.tells_gone = False  # QRESYNC was begun (RFC 7162 §3.2.3)

    def changes_since(self, change: int) -> tuple[dict[int, tuple[Any, ...]], str]:
        """What changed in the folder that is open since a number of its changes (RFC 7162 §3.2.6):
        the flags of messages that are new or other ones, by their numbers, and which are gone, as
        the server writes sets of numbers. Only where tells_gone."""
        wanted = f"(CHANGEDSINCE {change} VANISHED)"
        tag = self._imap._command("UID", "FETCH", "1:*", "(FLAGS)", wanted)
        how, words = self._imap._command_complete("FETCH", tag)
        self._checkok("fetch", how, words)
        how, found = self._imap._untagged_response(how, words, "FETCH")
        _how, gone = self._imap._untagged_response(how, words, "VANISHED")
        flags = parse_fetch_response(found, True, True)
        told = b" ".join(one for one in gone if one).decode("ascii", "replace")
        return {uid: one.get(b"FLAGS", ()) for uid, one in flags.items()}, told

    def idle_check(self, timeout: float | None = None) -> Any:
        """Whether the server has said something. Each time is an answer of its own, however long
        the one before it was waited for."""
        self._imap._bounded().begin()
        return super().idle_check(timeout)

    def idle_done(self) -> Any:
        """End waiting, which is answered."""
        self._imap._bounded().begin()
        return super().idle_done()

    def _create_IMAP4(self) -> imaplib.IMAP4:
        patience = getattr(self._timeout, "connect", self._timeout)
        return _BoundedIMAP4(self.host, self.port, patience, self._at_once, self._heard)
