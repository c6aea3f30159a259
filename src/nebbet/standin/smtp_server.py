"""The SMTP half of the stand-in: it takes messages for everybody, and fails when told to."""

import asyncio
import base64
import logging
import mailbox
import ssl
import warnings
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any, Literal

from aiosmtpd.smtp import SMTP, AuthResult, Envelope, LoginPassword, Session

# aiosmtpd warns about its own old parts at every login, and logs every fault that is played here.
logging.getLogger("mail.log").setLevel(logging.CRITICAL)


@dataclass
class Faults:
    """What goes wrong; may be changed while the service runs.

    refuse holds addresses answered with 550, busy is 421 or 451, drop cuts the line before or
    after the message was taken, slow is a pause in seconds before each answer to DATA, no_auth
    offers no way to log in, rude answers a goodbye with an error.
    """

    refuse: set[str] = field(default_factory=set)
    busy: Literal[0, 421, 451] = 0
    drop: Literal["", "before", "after"] = ""
    slow: float = 0.0
    refuse_password: bool = False
    no_auth: bool = False
    rude: bool = False


class Handler:
    """Decides about senders, recipients and messages, and puts these into mailboxes."""

    def __init__(
        self,
        store: Callable[[str, bytes], None],
        faults: Faults,
        passwords: Mapping[str, str],
    ) -> None:
        self._store, self._faults, self._passwords = store, faults, passwords

    async def handle_MAIL(
        self,
        _server: SMTP,
        _session: Session,
        envelope: Envelope,
        address: str,
        _options: list[str],
    ) -> str:
        """Take a sender, unless the service plays busy."""
        if self._faults.busy == 421:
            return "421 4.3.2 Too many connections, come back later"
        envelope.mail_from = address
        return "250 2.1.0 OK"

    async def handle_RCPT(
        self,
        _server: SMTP,
        _session: Session,
        envelope: Envelope,
        address: str,
        _options: list[str],
    ) -> str:
        """Take a recipient, unless it is one to refuse."""
        if address in self._faults.refuse:
            return "550 5.1.1 No such user here"
        envelope.rcpt_tos.append(address)
        return "250 2.1.5 OK"

    async def auth_XOAUTH2(self, _server: SMTP, args: list[str]) -> AuthResult:
        """Let in whoever shows a token; here that is the password."""
        try:
            said = base64.b64decode(args[1], validate=True).decode("utf-8")
        except (IndexError, ValueError):
            return AuthResult(success=False, handled=False)
        user, _, rest = said.removeprefix("user=").partition("\x01")
        token = rest.removeprefix("auth=Bearer ").rstrip("\x01")
        fits = bool(token) and self._passwords.get(user) == token
        return AuthResult(success=fits and not self._faults.refuse_password, handled=False)

    async def handle_DATA(self, server: SMTP, _session: Session, envelope: Envelope) -> str:
        """Put the message into the mailbox of each recipient."""
        if self._faults.slow:
            await asyncio.sleep(self._faults.slow)
        if self._faults.busy == 451:
            return "451 4.3.0 Local error, try again later"
        content = envelope.content if isinstance(envelope.content, bytes) else b""
        for address in envelope.rcpt_tos:
            self._store(address, content)
        if self._faults.drop == "after":
            _cut(server)
        return "250 2.0.0 OK"


def _cut(server: SMTP) -> None:
    if isinstance(server.transport, asyncio.WriteTransport):
        server.transport.abort()


class Server(SMTP):
    """aiosmtpd's server, with a line that can be cut in the middle."""

    faults: Faults

    async def smtp_DATA(self, arg: str) -> None:
        """Cut the line instead of taking the message, when told to."""
        if self.faults.drop == "before":
            _cut(self)
            return
        await super().smtp_DATA(arg)

    async def smtp_QUIT(self, arg: str) -> None:
        """Be rude to whoever leaves, when told to."""
        if self.faults.rude:
            await self.push("500 5.5.1 What?")
            return
        await super().smtp_QUIT(arg)


def server_factory(
    handler: Handler,
    passwords: Mapping[str, str],
    context: ssl.SSLContext,
    faults: Faults,
    loop: asyncio.AbstractEventLoop,
    *,
    at_once: bool = False,
) -> Callable[[], Server]:
    """What asyncio calls for each connection; at_once says that its line is encrypted already."""

    def authenticate(
        _server: SMTP, _session: Session, _envelope: Envelope, _mechanism: str, data: Any
    ) -> AuthResult:
        known = isinstance(data, LoginPassword) and passwords.get(
            data.login.decode("utf-8", "replace")
        ) == data.password.decode("utf-8", "replace")
        return AuthResult(success=bool(known) and not faults.refuse_password, handled=False)

    def make() -> Server:
        with warnings.catch_warnings():
            # It sees that TLS is not asked for, and not that the line has it already.
            warnings.simplefilter("ignore", UserWarning)
            return _made()

    def _made() -> Server:
        server = Server(
            handler,
            hostname="stand-in.example",
            data_size_limit=32 * 2**20,
            enable_SMTPUTF8=False,
            tls_context=None if at_once else context,
            require_starttls=not at_once,
            auth_require_tls=not at_once,
            auth_required=True,
            authenticator=authenticate,
            auth_exclude_mechanism=["LOGIN", "PLAIN"] if faults.no_auth else None,
            loop=loop,
        )
        server.faults = faults
        return server

    return make


def deliver_to(folder: mailbox.Maildir, content: bytes) -> None:
    """Put a message into a mailbox as new mail."""
    message = mailbox.MaildirMessage(content)
    message.set_subdir("new")
    folder.add(message)
