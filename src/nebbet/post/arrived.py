"""Looking into a folder of a mailbox: new messages, other flags, what is gone.

RFC 9051 (IMAP4rev2), RFC 7162 (CONDSTORE, QRESYNC). Nothing is marked by looking: headers and texts
are fetched with PEEK from a folder that is selected for reading only.
"""

import re
from collections.abc import Iterable, Iterator, Mapping, Sequence
from datetime import UTC, datetime
from typing import Any

from imapclient import IMAPClient
from msgspec import Struct

from nebbet.core.errors import NebbetError
from nebbet.core.message.answering import fields_of
from nebbet.core.message.head import Head, Place
from nebbet.core.message.received import LARGEST, parsed
from nebbet.core.portions import portions
from nebbet.core.sentences import said
from nebbet.post.bounded import BoundedIMAPClient

MOST = 2000  # messages of a folder that are read by their headers at first, the newest ones
FOUND = 100  # messages that are read of those that words find, the newest ones
_FLAGS = 200  # messages whose flags are asked for again where the server counts no changes
_AT_ONCE = 100  # headers in one answer
_FIELDS = (
    "FROM TO CC REPLY-TO SUBJECT DATE MESSAGE-ID IN-REPLY-TO REFERENCES LIST-POST CONTENT-TYPE"
)
_HEADERS = f"BODY.PEEK[HEADER.FIELDS ({_FIELDS})]".encode()
_RECENT = "\\Recent"  # of one look alone (RFC 3501 §2.3.2), and no mark of anybody's
_ANSWERED = b"BODY[HEADER.FIELDS"


class FolderState(Struct, frozen=True):
    """What is known of a folder: its UIDVALIDITY and, where the server has one, the number of its
    last change (RFC 7162 §3.1)."""

    validity: int = 0
    change: int = 0


class Looked(Struct, frozen=True):
    """What was found in a folder. anew says that what was known of it before holds no more; flags
    are those of known messages that are other ones now, gone the numbers of those that are not
    there any more."""

    state: FolderState
    heads: tuple[Head, ...] = ()
    flags: dict[int, tuple[str, ...]] = {}
    gone: frozenset[int] = frozenset()
    anew: bool = False


def count_changes(client: IMAPClient) -> None:
    """Ask a server that can to count what changes in folders (RFC 7162 §3.1), and to tell what is
    gone (§3.2): some begin only then. To be called before a folder is opened."""
    if not client.has_capability("ENABLE"):
        return
    if client.has_capability("QRESYNC") and isinstance(client, BoundedIMAPClient):
        client.tells_gone = b"QRESYNC" in client.enable("QRESYNC")
    elif client.has_capability("CONDSTORE"):
        client.enable("CONDSTORE")


def look(
    client: IMAPClient,
    account: str,
    folder: str,
    state: FolderState,
    known: Mapping[int, tuple[str, ...]],
) -> Looked:
    """Look into a folder, of which some messages are known, with their flags."""
    selected = client.select_folder(folder, readonly=True)
    now = FolderState(
        _number(selected.get(b"UIDVALIDITY")), _number(selected.get(b"HIGHESTMODSEQ"))
    )
    anew = now.validity != state.validity
    before = {} if anew else known
    tells_gone = isinstance(client, BoundedIMAPClient) and client.tells_gone
    if before and tells_gone and now.change and state.change:
        wanted, flags, gone = _changes(client, state.change, now.change, before)
    else:
        wanted, flags, gone = _compared(client, state.change, now.change, before)
    heads = tuple(_heads(client, account, folder, wanted))
    return Looked(now, heads, flags, gone, anew)


_Compared = tuple[list[int], dict[int, tuple[str, ...]], frozenset[int]]


def _changes(
    client: BoundedIMAPClient, since: int, now: int, known: Mapping[int, tuple[str, ...]]
) -> _Compared:
    """What is new, marked otherwise and gone, as the server tells it (RFC 7162 §3.2)."""
    if since == now:
        return [], {}, frozenset()
    changed, told = client.changes_since(since)
    newest = max(known)
    flags = {uid: _words(found) for uid, found in changed.items() if uid in known}
    new = sorted((uid for uid in changed if uid > newest), reverse=True)
    return new[:MOST], _other(flags, known), frozenset(_within(told, known))


def _within(told: str, known: Iterable[int]) -> Iterator[int]:
    """Which of some numbers are in sets of numbers, as `(EARLIER) 41,43:116`."""
    spans = [
        (int(first), int(last or first)) for first, last in re.findall(r"(\d+)(?::(\d+))?", told)
    ]
    return (uid for uid in known if any(first <= uid <= last for first, last in spans))


def _compared(
    client: IMAPClient, since: int, now: int, known: Mapping[int, tuple[str, ...]]
) -> _Compared:
    """What is new, marked otherwise and gone, by all the numbers that there are."""
    there = [one for one in client.search("ALL") if isinstance(one, int)]
    wanted = [uid for uid in sorted(there, reverse=True)[:MOST] if uid not in known]
    left = frozenset(known).intersection(there)
    flags: dict[int, tuple[str, ...]] = {}
    if left and not (now and now == since):
        # A server that counts no changes is asked for the newest alone: older flags rarely change.
        asked = left if now else sorted(left)[-_FLAGS:]
        flags = _other(_flags(client, asked, since if now else 0), known)
    return wanted, flags, frozenset(known) - left


def _other(
    flags: Mapping[int, tuple[str, ...]], known: Mapping[int, tuple[str, ...]]
) -> dict[int, tuple[str, ...]]:
    return {uid: words for uid, words in flags.items() if set(words) != set(known[uid])}


def find(
    client: IMAPClient, account: str, folder: str, words: Sequence[str]
) -> tuple[int, tuple[Head, ...]]:
    """The newest messages of a folder whose fields or text have all of some words, as the server
    finds them (RFC 9051 §6.4.4), with the validity of their numbers."""
    selected = client.select_folder(folder, readonly=True)
    asked = [part for word in words for part in ("TEXT", word)]
    found = client.search(asked, "UTF-8" if any(not word.isascii() for word in words) else None)
    uids = sorted((one for one in found if isinstance(one, int)), reverse=True)[:FOUND]
    return _number(selected.get(b"UIDVALIDITY")), tuple(_heads(client, account, folder, uids))


def _number(value: object) -> int:
    return value if isinstance(value, int) else 0


def _flags(client: IMAPClient, uids: Iterable[int], since: int) -> dict[int, tuple[str, ...]]:
    """The flags of messages; where the server counts changes, of those alone that were changed."""
    kept = sorted(uids)
    asked = [f"CHANGEDSINCE {since}"] if since and client.has_capability("CONDSTORE") else None
    answer = client.fetch(kept, [b"FLAGS"], modifiers=asked)
    return {uid: _words(found.get(b"FLAGS")) for uid, found in answer.items() if uid in kept}


def _words(flags: object) -> tuple[str, ...]:
    found = flags if isinstance(flags, tuple | list) else ()
    words = (one.decode("ascii", "replace") if isinstance(one, bytes) else one for one in found)
    return tuple(str(word) for word in words if word != _RECENT)


def _heads(client: IMAPClient, account: str, folder: str, uids: list[int]) -> Iterator[Head]:
    for some in portions(uids, _AT_ONCE):
        answer = client.fetch(some, [b"FLAGS", b"INTERNALDATE", b"RFC822.SIZE", _HEADERS])
        for uid in some:
            if (found := answer.get(uid)) is not None:
                yield _head(Place(account, folder, uid), found)


def _head(place: Place, found: dict[bytes, Any]) -> Head:
    # Servers name the fields in the order they like.
    raw = next((value for key, value in found.items() if key.startswith(_ANSWERED)), b"")
    message = parsed(raw if isinstance(raw, bytes) else b"")
    moment = found.get(b"INTERNALDATE")
    came = moment if isinstance(moment, datetime) else datetime.fromtimestamp(0, UTC)
    return Head(
        place,
        fields_of(message),
        came.timestamp(),
        _number(found.get(b"RFC822.SIZE")),
        _words(found.get(b"FLAGS")),
        message.get_content_type() == "multipart/mixed",
        message.get_content_type() == "multipart/report",
    )


def fetch_message(client: IMAPClient, place: Place, validity: int) -> bytes:
    """Fetch a whole message, without marking it as read. Raises NebbetError where it is not there
    any more, or too large."""
    selected = client.select_folder(place.folder, readonly=True)
    if _number(selected.get(b"UIDVALIDITY")) == validity:
        size = client.fetch([place.uid], [b"RFC822.SIZE"]).get(place.uid, {})
        if _number(size.get(b"RFC822.SIZE")) > LARGEST:
            raise NebbetError(said("The message is larger than {size} MB", size=LARGEST // 2**20))
        answer = client.fetch([place.uid], [b"BODY.PEEK[]"]).get(place.uid, {})
        if isinstance(data := answer.get(b"BODY[]"), bytes):
            return data
    raise NebbetError(
        said("The message is not in the folder {folder} any more", folder=place.folder),
        advice=said("Somebody may have moved or deleted it"),
    )


def set_flags(
    client: IMAPClient, place: Place, validity: int, add: Iterable[str], remove: Iterable[str] = ()
) -> tuple[str, ...]:
    """Give a message flags, or take some away; the flags that it has then. Raises NebbetError where
    it is not there any more."""
    selected = client.select_folder(place.folder)
    if _number(selected.get(b"UIDVALIDITY")) != validity:
        raise NebbetError(said("The folder {folder} is another one now", folder=place.folder))
    for change, flags in ((client.add_flags, [*add]), (client.remove_flags, [*remove])):
        if flags:
            change([place.uid], flags, silent=True)
    answer = client.fetch([place.uid], [b"FLAGS"]).get(place.uid, {})
    if b"FLAGS" not in answer:
        raise NebbetError(said("The message is not there any more"))
    return _words(answer[b"FLAGS"])


def move(client: IMAPClient, place: Place, validity: int, folder: str) -> None:
    """Move a message into another folder of its mailbox, which is made if it is not there
    (RFC 6851, or a copy of it)."""
    if not client.folder_exists(folder):
        client.create_folder(folder)
    selected = client.select_folder(place.folder)
    if _number(selected.get(b"UIDVALIDITY")) != validity:
        raise NebbetError(said("The folder {folder} is another one now", folder=place.folder))
    if client.has_capability("MOVE"):
        client.move([place.uid], folder)
    else:
        client.copy([place.uid], folder)
        client.delete_messages([place.uid])
        # Without UIDPLUS, what others marked would go as well: then it stays marked.
        if client.has_capability("UIDPLUS"):
            client.expunge([place.uid])
