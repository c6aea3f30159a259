"""Handing one message to the mail server (RFC 5321)."""

import base64
import logging
import smtplib
import ssl
from collections.abc import Callable, Sequence
from contextlib import suppress
from email.utils import unquote
from functools import cache

from nebbet.core.errors import NebbetError
from nebbet.core.message.bounces import explained
from nebbet.personal.settings import Account
from nebbet.post.bounded import BoundedSMTP
from nebbet.post.connection import (
    TIMEOUT,
    login_refused,
    no_host,
    not_understood,
    server_words,
    tls_context,
    unreachable,
)
from nebbet.post.conversation import begin
from nebbet.post.errors import DeliveryError
from nebbet.post.login import Way, ways
from nebbet.post.secret import forget_token

# An address literal (RFC 5321 §4.1.3): smtplib would else ask the network for this machine's name,
# wait for it, and tell it to the world.
_ME = "[127.0.0.1]"
_QUESTIONS = 4  # that a server asks while one logs in
_PATIENCE = 4  # times as long as for any other answer
_log = logging.getLogger(__name__)


class Line:
    """A line to the mail server of an account, over which letters go one after the other. It is
    opened for the first one, and anew after whatever went wrong."""

    def __init__(self, account: Account, timeout: float = TIMEOUT) -> None:
        self._account, self._timeout = account, timeout
        self._server: BoundedSMTP | None = None

    def deliver(
        self,
        password: str,
        sender: str,
        recipients: Sequence[str],
        data: bytes,
        may_go: Callable[[], bool] = lambda: True,
    ) -> bool:
        """Send a message to all its recipients or to none; says whether it went. Raises
        DeliveryError.

        Recipients are offered one by one first: if the server refuses one, nothing is sent, so that
        the letter can be mended and sent once. may_go is asked when all was said but the end of
        the message, before which no server takes it (RFC 5321 §4.1.1.4).
        """
        message = (sender, recipients, data, cache(may_go))
        if self._server is not None:
            try:
                return self._hand_over(password, *message)
            except DeliveryError as error:
                # A line that was idle, or had its share of letters, is closed by many a server:
                # nothing has gone, and what a fresh one says counts.
                if error.kind not in ("busy", "unreachable"):
                    raise
        return self._hand_over(password, *message)

    def leave(self) -> None:
        """Say goodbye, if anything was said."""
        server, self._server = self._server, None
        if server is not None:
            _leave(server)

    def _is_let_go(self, may_go: Callable[[], bool]) -> bool:
        """Whether the end of the message may be said. Otherwise the line is closed without a word:
        in the middle of a message, any would be part of it."""
        let_go = False
        try:
            let_go = may_go()
        finally:
            server = self._server
            if not let_go and server is not None:
                self._server = None
                server.close()
        return let_go

    def _hand_over(
        self,
        password: str,
        sender: str,
        recipients: Sequence[str],
        data: bytes,
        may_go: Callable[[], bool],
    ) -> bool:
        host, handed, done = self._account.smtp_host, False, False
        try:
            if self._server is None:
                self._server = _connection(self._account, self._timeout)
                _enter(self._server, self._account, password)
            server = self._server
            _offer(server, sender, recipients)
            _begin(server)
            _send_text(server, data)
            if not self._is_let_go(may_go):
                return False
            handed = True  # from here on the server may take it
            _end(server, self._timeout)
            done = True
            return True
        except NebbetError:
            raise
        except smtplib.SMTPResponseException as error:
            raise _answer(error.smtp_code, error.smtp_error, "the letter") from None
        except (OSError, smtplib.SMTPException, ssl.SSLError) as error:
            raise _uncertain() if handed else unreachable(host, error) from None
        except Exception as error:
            # Whatever a server may say that no library foresaw: before the first byte of the letter
            # nothing has gone, after it only the server knows.
            _log.exception("handing over a letter failed")
            raise _uncertain() if handed else not_understood(host) from error
        finally:
            if not done:
                self.leave()


def deliver(
    account: Account,
    password: str,
    sender: str,
    recipients: Sequence[str],
    data: bytes,
    *,
    timeout: float = TIMEOUT,
) -> None:
    """Send one message over a line of its own. Raises DeliveryError."""
    line = Line(account, timeout)
    try:
        line.deliver(password, sender, recipients, data)
    finally:
        line.leave()


def try_login(account: Account, password: str, timeout: float = TIMEOUT) -> None:
    """Connect and log in, and send nothing. Raises DeliveryError."""
    server: BoundedSMTP | None = None
    try:
        server = _connection(account, timeout)
        _enter(server, account, password)
    except DeliveryError:
        raise
    except smtplib.SMTPResponseException as error:
        raise _answer(error.smtp_code, error.smtp_error, "your login") from None
    except (OSError, smtplib.SMTPException, ssl.SSLError) as error:
        raise unreachable(account.smtp_host, error) from None
    except Exception as error:
        _log.warning("%s answered what cannot be understood: %r", account.smtp_host, error)
        raise not_understood(account.smtp_host) from error
    finally:
        if server is not None:
            _leave(server)


def _leave(server: BoundedSMTP) -> None:
    """Say goodbye and go. What the server answers to that is nothing to the letter."""
    with suppress(OSError, smtplib.SMTPException, ValueError):
        server.putcmd("QUIT")
    server.close()


def _connection(account: Account, timeout: float) -> BoundedSMTP:
    try:
        context = tls_context(account) if account.smtp_at_once else None
        heard = begin(account.user, "sending")
        return BoundedSMTP(account.smtp_host, account.smtp_port, _ME, timeout, context, heard)
    except UnicodeError:
        raise no_host(account.smtp_host) from None


def _enter(server: BoundedSMTP, account: Account, password: str) -> None:
    try:
        if not account.smtp_at_once:
            server.starttls(context=tls_context(account))
    except smtplib.SMTPNotSupportedError:
        raise DeliveryError(
            "account",
            f"The mail server {account.smtp_host} offers no encrypted line (STARTTLS)",
            "Nothing was sent; ask whoever runs the mail server",
        ) from None
    server.ehlo_or_helo_if_needed()
    _log_in(server, account, password)


def _log_in(server: BoundedSMTP, account: Account, password: str) -> None:
    """Log in (RFC 4954) in the best way that is offered. A server may offer one for which it does
    not hold what it needs: then the next one is tried, once."""
    offered = server.esmtp_features.get("auth", "").split()
    known = ways(account, account.smtp_host, account.smtp_port, password, offered)
    if not known:
        raise DeliveryError(
            "account",
            f"The mail server {account.smtp_host} offers no way to log in that Nebbet knows",
            "Nothing was sent; ask whoever runs the mail server for AUTH PLAIN or LOGIN",
        )
    for way in known[:2]:
        code, words = _exchange(server, way)
        if code in (235, 503):
            return
    if code in (535, 534, 538, 530):
        forget_token(account)
        raise login_refused(account)
    raise _answer(code, words, "your login")


def _exchange(server: BoundedSMTP, way: Way) -> tuple[int, bytes]:
    """Ask to be let in and answer what is asked (RFC 4954 §4)."""
    begin = f"{way.name} {_base64(way.answer(b''))}" if way.speaks_first else way.name
    code, words = server.docmd("AUTH", begin)
    for _ in range(_QUESTIONS):
        if code != 334:
            break
        asked = base64.b64decode(words + b"==")
        code, words = server.docmd(_base64(way.answer(asked)))
    return code, words


def _base64(data: bytes) -> str:
    return base64.b64encode(data).decode("ascii")


def _offer(server: BoundedSMTP, sender: str, recipients: Sequence[str]) -> None:
    code, words = server.mail(sender)
    if code != 250:
        raise _answer(code, words, f"the sender {sender}")
    for recipient in recipients:
        code, words = server.rcpt(recipient)
        if code not in (250, 251):
            with suppress(OSError, smtplib.SMTPException):
                server.rset()  # whatever it says to that, its answer is the one before
            raise _answer(code, words, recipient)


def _begin(server: BoundedSMTP) -> None:
    code, words = server.docmd("DATA")
    if code != 354:
        raise _answer(code, words, "the letter")


def _send_text(server: BoundedSMTP, data: bytes) -> None:
    """Send the message but for its end: until that is sent, no server can have taken it."""
    stuffed = b"\r\n".join(
        b"." + line if line.startswith(b".") else line for line in data.split(b"\r\n")
    )
    server.send_message_text(stuffed if stuffed.endswith(b"\r\n") else stuffed + b"\r\n")


def _end(server: BoundedSMTP, timeout: float) -> None:
    """Say that the message ends. Then only the server knows whether it took it; looking through a
    letter takes servers longer than any other answer (RFC 5321 §4.5.3.2.6)."""
    server.be_patient(_PATIENCE * timeout)
    server.send(b".\r\n")
    try:
        code, words = server.getreply()
    except (OSError, smtplib.SMTPException):
        raise _uncertain() from None
    server.be_patient(timeout)  # for the next letter, no longer than for the first
    if code != 250:
        raise _answer(code, words, "the letter")


def _uncertain() -> DeliveryError:
    return DeliveryError(
        "uncertain",
        "The line was cut before the mail server said that it took the letter",
        "It may have gone: send it again only if you are sure that it has not",
    )


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
    plain = words.decode("utf-8", "replace") if isinstance(words, bytes) else words
    reason = explained(plain) or reasons.get(code, "")
    detail = f"{reason} (“{said}”)" if reason else f"“{said}”"
    return DeliveryError(
        "refused", f"The mail server refuses {what}: {detail}", "Mend the letter and send it again"
    )
