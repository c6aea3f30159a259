"""One act on one message of a mailbox: over a line of its own, and kept in the person's file."""

from collections.abc import Iterator, Sequence
from contextlib import contextmanager

from imapclient import IMAPClient

from nebbet.core.message.head import Head, Place
from nebbet.personal import arrived as kept
from nebbet.post import arrived
from nebbet.post.imap import mailbox
from nebbet.post.inbox import Inbox
from nebbet.post.secret import secret_of


def read(inbox: Inbox, place: Place) -> bytes:
    """A whole message: what is kept of it, or else from the mailbox. Raises NebbetError."""
    if (found := kept.message(inbox.personal, place)) is not None:
        return found
    with _line(inbox, place) as (client, validity):
        data = arrived.fetch_message(client, place, validity)
    kept.keep_message(inbox.personal, place, data)
    return data


def mark(inbox: Inbox, place: Place, add: Sequence[str], remove: Sequence[str]) -> tuple[str, ...]:
    """Give a message flags, or take some away; the flags that it has then. Raises NebbetError."""
    with _line(inbox, place) as (client, validity):
        flags = arrived.set_flags(client, place, validity, add, remove)
    kept.set_flags(inbox.personal, place, flags)
    return flags


def file_away(inbox: Inbox, place: Place, folder: str) -> None:
    """Move a message into another folder of its mailbox. Raises NebbetError."""
    with _line(inbox, place) as (client, validity):
        arrived.move(client, place, validity, folder)
    kept.forget(inbox.personal, place)


def find(inbox: Inbox, words: Sequence[str]) -> list[Head]:
    """The messages of a mailbox's folders with all of some words, older ones than those that are
    known too; they are known from then on. Raises NebbetError."""
    account, found = inbox.account, list[Head]()
    with mailbox(account, secret_of(account, inbox.secrets)) as client:
        for folder in account.folders:
            validity, change, known = kept.known(inbox.personal, account.user, folder)
            if not known or not client.folder_exists(folder):
                continue
            now, heads = arrived.find(client, account.user, folder, words)
            if now == validity:  # what is known otherwise is read anew at the next look
                new = [head for head in heads if head.place.uid not in known]
                kept.keep(inbox.personal, account.user, folder, (validity, change), new=new)
                found += heads
    return found


@contextmanager
def _line(inbox: Inbox, place: Place) -> Iterator[tuple[IMAPClient, int]]:
    """A line to the mailbox, and the validity of what is known of the message's folder."""
    with mailbox(inbox.account, secret_of(inbox.account, inbox.secrets)) as client:
        yield client, kept.validity_of(inbox.personal, place)
