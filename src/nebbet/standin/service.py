"""The stand-in mail service: SMTP and IMAP on loopback, one Maildir folder per mailbox."""

import asyncio
import mailbox
import socket
import ssl
import threading
from collections.abc import Mapping
from concurrent.futures import ThreadPoolExecutor
from datetime import UTC, datetime
from pathlib import Path

from msgspec.structs import replace

from nebbet.personal.settings import Account
from nebbet.standin import imap_server, smtp_server
from nebbet.standin.certificate import make_certificate
from nebbet.standin.ports import CATCH_ALL, HOST, account_at, listening
from nebbet.standin.smtp_server import Faults


class MailService:
    """A mail server for a handful of users; mail to anybody else lands in the catch-all.

    passwords maps mailbox addresses to passwords. Ports are free ones, chosen at each start, unless
    listening sockets for SMTP and IMAP are handed over.
    """

    def __init__(
        self,
        folder: Path,
        passwords: Mapping[str, str],
        *,
        certificate_for: str = HOST,
        sockets: tuple[socket.socket, socket.socket] | None = None,
        at_once: bool = False,
    ) -> None:
        self._at_once = at_once  # lines are encrypted from their first byte (RFC 8314)
        self._sockets = sockets or (listening(), listening())
        self.faults = Faults()
        self._folder = folder
        self.passwords = dict(passwords)
        self._host = certificate_for
        self._loop = asyncio.new_event_loop()
        self._thread = threading.Thread(target=self._run, name="nebbet-stand-in", daemon=True)
        self._ready = threading.Event()
        self._stop = asyncio.Event()
        self._certificate = Path()

    def start(self) -> None:
        """Start both servers and wait until they listen."""
        self._thread.start()
        if not self._ready.wait(30):
            raise RuntimeError("the stand-in mail service did not start")

    def stop(self) -> None:
        """End both servers and every connection."""
        if self._thread.is_alive():
            self._loop.call_soon_threadsafe(self._stop.set)
            self._thread.join(10)

    def account(self, user: str) -> Account:
        """How a user reaches the service, exactly as for a real server."""
        made = account_at(self._sockets, self._certificate, user)
        return replace(made, smtp_tls="at once", imap_tls="at once") if self._at_once else made

    def _run(self) -> None:
        asyncio.set_event_loop(self._loop)
        try:
            self._loop.run_until_complete(self._serve())
        finally:
            self._loop.close()

    async def _serve(self) -> None:
        self._folder.mkdir(parents=True, exist_ok=True)
        self._certificate, key = make_certificate(self._folder, self._host, now=datetime.now(UTC))
        context = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
        context.load_cert_chain(self._certificate, key)
        for user in self.passwords:
            self._maildir(user)
        with ThreadPoolExecutor(2, "nebbet-stand-in") as executor:
            handler = smtp_server.Handler(self._store, self.faults, self.passwords)
            factory = smtp_server.server_factory(
                handler, self.passwords, context, self.faults, self._loop, at_once=self._at_once
            )
            smtp_socket, imap_socket = self._sockets
            encrypted = context if self._at_once else None
            smtp = await self._loop.create_server(factory, sock=smtp_socket, ssl=encrypted)
            imap = await imap_server.serve(
                self._folder, self.passwords, context, self.faults, executor, imap_socket,
                at_once=self._at_once,
            )  # fmt: skip
            self._ready.set()
            await self._stop.wait()
            for server in (smtp, imap):
                server.close()
            await _cancel_all()

    def _maildir(self, user: str) -> mailbox.Maildir:
        return mailbox.Maildir(self._folder / user, create=True)

    def _store(self, address: str, content: bytes) -> None:
        known = {user.casefold(): user for user in self.passwords}
        user = known.get(address.casefold(), CATCH_ALL)
        smtp_server.deliver_to(self._maildir(user), content)


async def _cancel_all() -> None:
    tasks = [task for task in asyncio.all_tasks() if task is not asyncio.current_task()]
    for task in tasks:
        task.cancel()
    await asyncio.gather(*tasks, return_exceptions=True)
