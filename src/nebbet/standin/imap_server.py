"""The IMAP half of the stand-in: pymap on Maildir folders, with plain passwords in memory."""

import asyncio
import socket
import ssl
from argparse import Namespace
from collections.abc import Mapping
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

from proxyprotocol.noop import ProxyProtocolNoop
from proxyprotocol.reader import ProxyProtocolReader
from pymap.backend.maildir import Config, Identity, Login
from pymap.concurrent import Subsystem
from pymap.exceptions import InvalidAuth
from pymap.imap import IMAPServer
from pysasl.creds.server import ServerCredentials
from pysasl.identity import ClearIdentity

from nebbet.standin.smtp_server import Faults


class PlainLogin(Login):
    """Lets in who knows the password."""

    def __init__(self, config: Config, passwords: Mapping[str, str], faults: Faults) -> None:
        super().__init__(config)
        self._plain, self._faults = passwords, faults

    async def authenticate(self, credentials: ServerCredentials) -> Identity:
        """Check a password."""
        user = credentials.authcid
        known = self._plain.get(user)
        if (
            known is None
            or self._faults.refuse_password
            or not credentials.verify(ClearIdentity(user, known))
        ):
            raise InvalidAuth()
        return Identity(self.config, self.tokens, user, None, set())


async def serve(
    folder: Path,
    passwords: Mapping[str, str],
    context: ssl.SSLContext,
    faults: Faults,
    executor: ThreadPoolExecutor,
    sock: socket.socket,
    *,
    at_once: bool = False,
) -> asyncio.Server:
    """Start the server on a listening socket; at_once encrypts lines from their first byte."""
    _write_users(folder, passwords)
    subsystem = Subsystem.for_executor(executor)
    config = Config(
        Namespace(passlib_cfg=None, proxy_protocol=None),
        host="127.0.0.1",
        port=0,
        base_dir=str(folder),
        layout="++",
        colon=None,
        ssl_context=context,
        subsystem=subsystem,
        cpu_subsystem=subsystem,
        proxy_protocol=ProxyProtocolNoop(),
        reject_dnsbl=False,
    )
    config.apply_context()
    server = IMAPServer(PlainLogin(config, passwords, faults), config)
    connected = ProxyProtocolReader(ProxyProtocolNoop()).get_callback(server)
    return await asyncio.start_server(connected, sock=sock, ssl=context if at_once else None)


def _write_users(folder: Path, passwords: Mapping[str, str]) -> None:
    """pymap looks up whose folder is whose in a file by passwd(5); passwords are not in it."""
    lines = [f"{user}:*::::{user}:\r\n" for user in passwords]
    (folder / "pymap-etc-passwd").write_text("".join(lines), "utf-8", newline="")
