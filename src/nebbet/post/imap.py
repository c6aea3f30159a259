"""Filing sent messages in one's own mailbox and finding them again (RFC 3501)."""

import logging
from collections.abc import Callable, Collection, Iterable, Iterator
from contextlib import ExitStack, contextmanager, suppress
from datetime import datetime
from functools import partial

from imapclient import IMAPClient
from imapclient.exceptions import IMAPClientError, LoginError

from nebbet.core.errors import NebbetError
from nebbet.personal.settings import Account
from nebbet.post.bounded import BoundedIMAPClient
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
from nebbet.post.login import ways
from nebbet.post.secret import forget_token

_DRAFTS = "Drafts"
_log = logging.getLogger(__name__)


@contextmanager
def mailbox(account: Account, password: str, timeout: float = TIMEOUT) -> Iterator[IMAPClient]:
    """An open, encrypted connection to the mailbox. Raises DeliveryError."""
    try:
        context = tls_context(account) if account.imap_at_once else None
        heard = begin(account.user, "mailbox")
        client = BoundedIMAPClient(account.imap_host, account.imap_port, timeout, context, heard)
    except UnicodeError:
        raise no_host(account.imap_host) from None
    except NebbetError:
        raise
    except Exception as error:
        raise _explained(account, error) from error
    try:
        with client:
            _enter(client, account, password)
            yield client
    except NebbetError:
        raise
    except Exception as error:
        raise _explained(account, error) from error


def _explained(account: Account, error: Exception) -> NebbetError:
    """What went wrong at a server. The libraries let out whatever an odd answer makes them stumble
    over: it is the server's, and never a traceback."""
    host = account.imap_host
    if isinstance(error, IMAPClient.AbortError) or not isinstance(error, IMAPClientError):
        if isinstance(error, OSError | EOFError | IMAPClientError):
            return unreachable(host, error)
        _log.warning("%s answered what cannot be understood: %r", host, error)
        return not_understood(host)
    return NebbetError(f"The mailbox says: {server_words(str(error))}", advice="Try again later")


def _enter(client: IMAPClient, account: Account, password: str) -> None:
    """Encrypt the line and log in, in the best way that is offered; where that is refused, once in
    the next one: a server may offer one for which it does not hold what it needs."""
    if not account.imap_at_once:
        client.starttls(tls_context(account))
    offered = [one.decode("ascii", "replace").removeprefix("AUTH=")
               for one in client.capabilities() if one.startswith(b"AUTH=")]  # fmt: skip
    known = ways(account, account.imap_host, account.imap_port, password, offered)[:2]
    tries: list[Callable[[], object]] = [
        partial(client.sasl_login, way.name, way.answer) for way in known
    ]
    # LOGIN has no way to say what is outside ASCII (RFC 3501 §6.2.3).
    if not tries and (account.user + password).isascii():
        tries.append(lambda: client.login(account.user, password))
    for log_in in tries:
        with suppress(LoginError):
            log_in()
            # What a server offers may be another list for whoever is in (RFC 9051 §6.1.1).
            client._cached_capabilities = None
            return
    forget_token(account)
    raise login_refused(account)


class Copies:
    """Files the copies of letters that went, one after the other over one line. It is opened for
    the first one, and anew after whatever went wrong."""

    def __init__(self, account: Account) -> None:
        self._account = account
        self._line = ExitStack()
        self._client: IMAPClient | None = None
        self._folder = ""

    def file(self, password: str, data: bytes, moment: datetime, *, unless_there: str = "") -> None:
        """Put a message into the Sent folder, as read; the folder is made if it is not there.
        Raises NebbetError.

        unless_there is a Message-ID: a message that is there already, filed before or by a server
        that does so by itself, is not filed again.
        """
        try:
            client = self._client or self._open(password)
            client.noop()  # the server tells what came into the folder meanwhile
            if unless_there and _numbers_of(client, unless_there):
                return
            client.append(self._folder, data, flags=(b"\\Seen",), msg_time=moment)
        except Exception as error:
            self._client = None
            # The line is given up by what opened it, which knows what to say of the error.
            if not self._line.__exit__(type(error), error, error.__traceback__):
                raise

    def leave(self) -> None:
        """Say goodbye, if anything was said; whatever the server answers."""
        self._client = None
        with suppress(NebbetError):
            self._line.close()

    def _open(self, password: str) -> IMAPClient:
        client = self._line.enter_context(mailbox(self._account, password))
        self._folder = _sent_folder(client, self._account)
        if not client.folder_exists(self._folder):
            client.create_folder(self._folder)
        client.select_folder(self._folder, readonly=True)
        self._client = client
        return client


def _sent_folder(client: IMAPClient, account: Account) -> str:
    """The folder of sent messages: the one that was chosen, where it is there, else the one that
    the server names so (RFC 6154)."""
    if client.folder_exists(account.sent_folder):
        return account.sent_folder
    return _special(client, b"\\Sent") or account.sent_folder


def file_drafts(account: Account, password: str, some: Iterable[bytes], moment: datetime) -> str:
    """Put messages into the folder of drafts, as such (RFC 9051 §2.3.2), and return the folder: the
    one that the server names so (RFC 6154), or “Drafts”, which is made if it is not there."""
    with mailbox(account, password) as client:
        folder = _special(client, b"\\Drafts") or _DRAFTS
        if not client.folder_exists(folder):
            client.create_folder(folder)
        for data in some:
            client.append(folder, data, flags=(b"\\Draft", b"\\Seen"), msg_time=moment)
        return folder


def folder_names(account: Account, password: str) -> list[str]:
    """The folders of the mailbox in which messages can lie. Raises NebbetError."""
    with mailbox(account, password) as client:
        found = client.list_folders()
    none = {b"\\Noselect", b"\\NonExistent"}
    return sorted(str(name) for flags, _delimiter, name in found if not none & set(flags))


def _special(client: IMAPClient, use: bytes) -> str:
    """The folder that the server has for a use; empty where it names none."""
    for flags, _delimiter, name in client.list_folders():
        if use in flags:
            return str(name)
    return ""


def _search(client: IMAPClient, folder: str, message_id: str) -> list[int]:
    client.select_folder(folder, readonly=True)
    return _numbers_of(client, message_id)


def _numbers_of(client: IMAPClient, message_id: str) -> list[int]:
    """The messages of the folder that is open which have a Message-ID."""
    found = client.search(["HEADER", "Message-ID", message_id])
    return [number for number in found if isinstance(number, int)]


def which_are_sent(account: Account, password: str, message_ids: Collection[str]) -> set[str]:
    """Which of some messages are among the sent ones of the mailbox. Raises NebbetError."""
    with mailbox(account, password) as client:
        folder = _sent_folder(client, account)
        if not client.folder_exists(folder):
            return set()
        client.select_folder(folder, readonly=True)
        return {one for one in message_ids if _numbers_of(client, one)}


def fetch_sent(account: Account, password: str, message_id: str) -> bytes:
    """Fetch a sent message by its Message-ID. Raises NebbetError when it is not there."""
    with mailbox(account, password) as client:
        folder = _sent_folder(client, account)
        if client.folder_exists(folder):
            found = _search(client, folder, message_id)
            if found:
                answer = client.fetch(found[-1:], [b"RFC822"]).get(found[-1], {})
                if isinstance(data := answer.get(b"RFC822"), bytes):
                    return data
    raise NebbetError(
        f"The message is not in the folder {account.sent_folder} of your mailbox",
        advice="It may have been moved or deleted there",
    )
