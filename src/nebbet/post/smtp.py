"""Handing one message to the mail server (RFC 5321)."""

import smtplib
import ssl
from collections.abc import Sequence
from email.utils import unquote

from nebbet.post.connection import (
    TIMEOUT,
    login_refused,
    server_words,
    tls_context,
    unreachable,
)
from nebbet.post.errors import DeliveryError
from nebbet.post.settings import Account

# An address literal (RFC 5321 §4.1.3): smtplib would else ask the network for this machine's name,
# wait for it, and tell it to the world.
_ME = "[127.0.0.1]"


def deliver(
    account: Account,
    password: str,
    sender: str,
    recipients: Sequence[str],
    data: bytes,
    *,
    timeout: float = TIMEOUT,
) -> None:
    """Send a message to all its recipients or to none. Raises DeliveryError.

    Recipients are offered one by one first: if the server refuses one, nothing is sent, so that
    the letter can be mended and sent once.
    """
    try:
        with smtplib.SMTP(
            account.smtp_host, account.smtp_port, local_hostname=_ME, timeout=timeout
        ) as server:
            _enter(server, account, password)
            _offer(server, sender, recipients)
            _hand_over(server, data)
    except DeliveryError:
        raise
    except smtplib.SMTPResponseException as error:
        raise _answer(error.smtp_code, error.smtp_error, "the letter") from None
    except smtplib.SMTPNotSupportedError:
        raise DeliveryError(
            "account",
            f"The mail server {account.smtp_host} offers no encrypted line (STARTTLS)",
            "Nothing was sent; ask whoever runs the mail server",
        ) from None
    except (OSError, smtplib.SMTPException, ssl.SSLError) as error:
        raise unreachable(account.smtp_host, error) from None


def _enter(server: smtplib.SMTP, account: Account, password: str) -> None:
    server.starttls(context=tls_context(account))
    try:
        server.login(account.user, password)
    except smtplib.SMTPAuthenticationError:
        raise login_refused(account) from None


def _offer(server: smtplib.SMTP, sender: str, recipients: Sequence[str]) -> None:
    code, words = server.mail(sender)
    if code != 250:
        raise _answer(code, words, f"the sender {sender}")
    for recipient in recipients:
        code, words = server.rcpt(recipient)
        if code not in (250, 251):
            server.rset()
            raise _answer(code, words, recipient)


def _hand_over(server: smtplib.SMTP, data: bytes) -> None:
    """Send the message. Once the last byte is out, only the server knows whether it took it."""
    code, words = server.docmd("DATA")
    if code != 354:
        raise _answer(code, words, "the letter")
    stuffed = b"\r\n".join(
        b"." + line if line.startswith(b".") else line for line in data.split(b"\r\n")
    )
    end = b"" if stuffed.endswith(b"\r\n") else b"\r\n"
    server.send(stuffed + end + b".\r\n")
    try:
        code, words = server.getreply()
    except (OSError, smtplib.SMTPServerDisconnected):
        raise DeliveryError(
            "uncertain",
            "The line was cut before the mail server said that it took the letter",
            "It may have gone: send it again only if you are sure that it has not",
        ) from None
    if code != 250:
        raise _answer(code, words, "the letter")


def _answer(code: int, words: bytes | str, what: str) -> DeliveryError:
    """A server's refusal in plain words: 4xx is for now, 5xx for good (RFC 5321 §4.2.1)."""
    said = server_words(unquote(words) if isinstance(words, str) else words)
    if 400 <= code < 500 or code == -1:
        return DeliveryError(
            "busy",
            f"The mail server does not take {what} just now ({said or code})",
            "Nebbet tries again by itself",
        )
    reasons = {552: "it is too large", 550: "there is no such mailbox, or it may not be used"}
    reason = reasons.get(code, "")
    detail = f"{reason} (“{said}”)" if reason else f"“{said}”"
    return DeliveryError(
        "refused", f"The mail server refuses {what}: {detail}", "Mend the letter and send it again"
    )
