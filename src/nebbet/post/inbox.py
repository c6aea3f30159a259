"""The inbox: one thread that keeps what is known of a mailbox's folders up to date."""

import contextlib
import logging
import socket
import threading
import time
from collections.abc import Callable

from imapclient import IMAPClient
from msgspec import Struct
from sqlalchemy import Engine

from nebbet.core.errors import NebbetError
from nebbet.core.sentences import said
from nebbet.personal import arrived as kept
from nebbet.personal.secrets import Secrets
from nebbet.personal.settings import Account
from nebbet.post.arrived import FolderState, count_changes, look
from nebbet.post.imap import mailbox
from nebbet.post.secret import secret_of

PAUSES = (5.0, 30.0, 120.0, 600.0)  # seconds until the next try after one that failed
_POLL = 60.0  # seconds between two looks where the server cannot tell of news
_IDLE = 9 * 60.0  # seconds: RFC 2177 asks for less than 29 minutes, and home routers for less
_STEP = 0.5  # seconds within which the thread ends
_CLOSED = 5  # answers without words, from which on a line counts as closed
_log = logging.getLogger(__name__)


class Inbox(Struct, frozen=True):
    """All that looking needs."""

    personal: Engine
    account: Account
    secrets: Secrets


class Seen(Struct, frozen=True):
    """What a look gave: whether anything is new, and the folders that are not there."""

    news: bool = False
    missing: tuple[str, ...] = ()


def look_into(inbox: Inbox, client: IMAPClient) -> Seen:
    """Look into every folder once, and keep what is found."""
    found, missing = False, list[str]()
    for folder in inbox.account.folders:
        user = inbox.account.user
        if not client.folder_exists(folder):
            missing.append(folder)
            continue
        validity, change, known = kept.known(inbox.personal, user, folder)
        looked = look(client, user, folder, FolderState(validity, change), known)
        news = bool(looked.heads or looked.flags or looked.gone or looked.anew)
        if news or looked.state.change != change:
            kept.keep(
                inbox.personal, user, folder, (looked.state.validity, looked.state.change),
                new=looked.heads, flags=looked.flags, gone=looked.gone, anew=looked.anew,
            )  # fmt: skip
        found = found or news
    return Seen(found, tuple(missing))


class InboxThread:
    """Looks when it starts, when it is nudged, and when the server tells of news (RFC 2177), or
    every minute where it cannot. changed is called from the thread when something is new, troubled
    with what stands in the way, or None when it is over."""

    def __init__(
        self,
        inbox: Inbox,
        changed: Callable[[], None],
        troubled: Callable[[NebbetError | None], None],
    ) -> None:
        self._inbox, self._changed, self._troubled = inbox, changed, troubled
        self._wake, self._stopped = threading.Event(), threading.Event()
        self._failed = 0
        self._missing: tuple[str, ...] = ()
        self._line: IMAPClient | None = None
        self._thread = threading.Thread(target=self._run, name="nebbet-inbox", daemon=True)

    def start(self) -> None:
        """Begin to look."""
        self._thread.start()

    def nudge(self) -> None:
        """Look now."""
        self._wake.set()

    def stop(self, seconds: float = 5.0) -> None:
        """End: the line is closed, so that nothing is waited for."""
        self._stopped.set()
        self._wake.set()
        if (line := self._line) is not None:
            with contextlib.suppress(Exception):  # it may just be gone
                line.socket().shutdown(socket.SHUT_RDWR)
        if self._thread.is_alive():
            self._thread.join(seconds)

    def _run(self) -> None:
        while not self._stopped.is_set():
            try:
                self._stay()
            except NebbetError as error:
                self._fail(error)
            except Exception:  # a mistake of ours: logged whole, and tried again
                _log.exception("the arrived messages could not be looked at")
                self._fail(NebbetError(said("The arrived messages cannot be looked at")))

    def _fail(self, error: NebbetError) -> None:
        self._line = None
        pause = PAUSES[min(self._failed, len(PAUSES) - 1)]
        self._failed += 1
        if not self._stopped.is_set():
            self._troubled(error)
            self._wake.wait(pause)
            self._wake.clear()

    def _stay(self) -> None:
        """Be connected, and look whenever there may be something."""
        inbox = self._inbox
        password = secret_of(inbox.account, inbox.secrets)
        with mailbox(inbox.account, password) as client:
            self._line = client
            count_changes(client)
            while not self._stopped.is_set():
                seen = look_into(inbox, client)
                if self._failed or seen.missing != self._missing:
                    self._failed, self._missing = 0, seen.missing
                    self._troubled(_no_folders(seen.missing))
                if seen.news:
                    self._changed()
                self._wait(client)

    def _wait(self, client: IMAPClient) -> None:
        """Wait until the server tells of something, somebody nudges, or time is up."""
        can_idle = client.has_capability("IDLE") and len(self._inbox.account.folders) == 1
        if not can_idle:
            self._wake.wait(_POLL)
            self._wake.clear()
            if not self._stopped.is_set():
                client.noop()
            return
        client.idle()
        try:
            end, silent = time.monotonic() + _IDLE, 0
            while time.monotonic() < end and not self._wake.is_set() and silent < _CLOSED:
                began = time.monotonic()
                if client.idle_check(timeout=_STEP):
                    break
                # A line that was closed answers at once, and says nothing.
                silent = silent + 1 if time.monotonic() - began < _STEP / 2 else 0
        finally:
            client.idle_done()
        self._wake.clear()


def _no_folders(missing: tuple[str, ...]) -> NebbetError | None:
    if not missing:
        return None
    return NebbetError(
        said("The mailbox has no folder {folders}", folders=", ".join(missing)),
        advice=said("Correct it in your profile"),
    )
