"""Where the stand-in mail service listens, and how its users reach it."""

import socket
from pathlib import Path

from nebbet.personal.settings import Account

HOST = "127.0.0.1"
CATCH_ALL = "passengers@standin.example"


def certificate_path(folder: Path, host: str = HOST) -> Path:
    """Where the certificate for a host lies in the service's folder."""
    return folder / f"{host}.certificate.pem"


def listening() -> socket.socket:
    """A socket that listens on a free port of loopback."""
    # With the protocol named, asyncio sends small answers at once (TCP_NODELAY).
    made = socket.socket(socket.AF_INET, socket.SOCK_STREAM, socket.IPPROTO_TCP)
    made.bind((HOST, 0))
    made.listen()
    return made


def account_at(
    sockets: tuple[socket.socket, socket.socket], certificate: Path, user: str
) -> Account:
    """The account of a user whose servers listen on these sockets for SMTP and IMAP."""
    smtp_port, imap_port = (one.getsockname()[1] for one in sockets)
    return Account(
        user=user,
        smtp_host=HOST,
        smtp_port=smtp_port,
        imap_host=HOST,
        imap_port=imap_port,
        certificate=str(certificate),
    )
