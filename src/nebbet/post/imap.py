"""Filing sent messages in one's own mailbox and finding them again (RFC 3501)."""

import ssl
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import datetime

from imapclient import IMAPClient
from imapclient.exceptions import IMAPClientError, LoginError

from nebbet.core.errors import NebbetError
from nebbet.post.connection import TIMEOUT, login_refused, server_words, tls_context, unreachable
from nebbet.post.settings import Account


@contextmanager
def mailbox(account: Account, password: str, timeout: float = TIMEOUT) -> Iterator[IMAPClient]:
    """An open, encrypted connection to the mailbox. Raises DeliveryError."""
    try:
        with IMAPClient(account.imap_host, account.imap_port, ssl=False, timeout=timeout) as client:
            client.starttls(tls_context(account))
            try:
                client.login(account.user, password)
            except LoginError:
                raise login_refused(account) from None
            yield client
    except (OSError, ssl.SSLError, EOFError, IMAPClientError) as error:
        if isinstance(error, IMAPClientError) and not isinstance(error, IMAPClient.AbortError):
            raise NebbetError(
                f"The mailbox says: {server_words(str(error))}", advice="Try again later"
            ) from error
        raise unreachable(account.imap_host, error) from error


def file_sent(
    account: Account, password: str, data: bytes, moment: datetime, *, unless_there: str = ""
) -> None:
    """Put a message into the Sent folder, as read; the folder is made if it is not there.

    unless_there is a Message-ID: with it, a message that was filed before is not filed again.
    """
    with mailbox(account, password) as client:
        if not client.folder_exists(account.sent_folder):
            client.create_folder(account.sent_folder)
        if unless_there and _search(client, account, unless_there):
            return
        client.append(account.sent_folder, data, flags=(b"\\Seen",), msg_time=moment)


def _search(client: IMAPClient, account: Account, message_id: str) -> list[int]:
    client.select_folder(account.sent_folder, readonly=True)
    return list(client.search(["HEADER", "Message-ID", message_id]))


def fetch_sent(account: Account, password: str, message_id: str) -> bytes:
    """Fetch a sent message by its Message-ID. Raises NebbetError when it is not there."""
    with mailbox(account, password) as client:
        if client.folder_exists(account.sent_folder):
            found = _search(client, account, message_id)
            if found:
                return bytes(client.fetch(found[-1:], [b"RFC822"])[found[-1]][b"RFC822"])
    raise NebbetError(
        f"The message is not in the folder {account.sent_folder} of your mailbox",
        advice="It may have been moved or deleted there",
    )
