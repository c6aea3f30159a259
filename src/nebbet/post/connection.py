"""Connecting to mail servers, and their answers in plain words."""

import imaplib
import smtplib
import ssl
from functools import lru_cache
from pathlib import Path

from nebbet.personal.settings import Account
from nebbet.post.errors import DeliveryError

TIMEOUT = 30.0  # seconds for each answer of a server


def tls_context(account: Account) -> ssl.SSLContext:
    """The rules for encrypted lines: the system's certificates and the account's own."""
    if not account.certificate:
        return _context("", 0)
    try:
        return _context(account.certificate, Path(account.certificate).stat().st_mtime_ns)
    except (OSError, ValueError, ssl.SSLError):
        raise DeliveryError(
            "account",
            f"The certificate file {account.certificate} cannot be read",
            "Choose another in your profile",
        ) from None


@lru_cache(8)
def _context(certificate: str, _changed: int) -> ssl.SSLContext:
    """Reading the system's certificates takes longer than many a letter: they are read once, and
    again for a certificate that has changed."""
    context = ssl.create_default_context()
    if certificate:
        context.load_verify_locations(certificate)
    return context


def unreachable(host: str, error: Exception) -> DeliveryError:
    """What to say when a server cannot be talked to."""
    if isinstance(error, ssl.SSLCertVerificationError):
        return DeliveryError(
            "account",
            f"The certificate of {host} is not to be trusted: {error.verify_message}",
            "Nothing was sent over this line; ask whoever runs the mail server",
        )
    if isinstance(error, TimeoutError):
        reason = "it does not answer"
    elif isinstance(error, ConnectionRefusedError):
        reason = "nothing answers there"
    elif isinstance(error, smtplib.SMTPServerDisconnected | imaplib.IMAP4.abort | EOFError):
        reason = "it closed the connection"
    else:
        reason = getattr(error, "strerror", None) or "the connection failed"
    return DeliveryError(
        "unreachable",
        f"The mail server {host} cannot be reached: {reason}",
        "Nebbet tries again by itself",
    )


def no_host(host: str) -> DeliveryError:
    """What to say when the name of a server is none."""
    return DeliveryError(
        "account", f"“{host}” is not the name of a server", "Correct it in your profile"
    )


def not_understood(host: str) -> DeliveryError:
    """What to say when a server's answer makes no sense."""
    return DeliveryError(
        "unreachable",
        f"What {host} answers cannot be understood",
        "Nebbet tries again by itself; the details are in the log",
    )


def login_refused(account: Account) -> DeliveryError:
    """What to say when a server does not take the password."""
    return DeliveryError(
        "login",
        f"The mail server does not accept the password of {account.user}",
        "Correct it in your profile, then send again",
    )


def server_words(text: bytes | str) -> str:
    """A server's reply as one readable line, without its enhanced status code (RFC 3463)."""
    line = text.decode("utf-8", "replace") if isinstance(text, bytes) else text
    words = line.replace("\r", " ").replace("\n", " ").split()
    if words and words[0][:2] in ("2.", "4.", "5.") and words[0].replace(".", "").isdigit():
        words = words[1:]
    return " ".join(words)[:300]
