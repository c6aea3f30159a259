"""Looking into a mailbox: on the stand-in, which is a real IMAP server (pymap), and on one that
says what a test wants. Sources: RFC 9051 §2.3.1 (numbers that hold no more), §6.4.5 (PEEK), RFC
7162 §3.1 (changes), RFC 2177 (IDLE)."""

import mailbox
import threading
from datetime import datetime
from email.message import EmailMessage

import pytest
from msgspec.structs import replace
from sqlalchemy import Engine

from nebbet.core.errors import NebbetError
from nebbet.core.message.head import ANSWERED, SEEN, Place
from nebbet.personal import arrived as kept
from nebbet.personal.secrets import SessionSecrets
from nebbet.post import imap
from nebbet.post.arrived import FolderState, fetch_message, look, move, set_flags
from nebbet.post.inbox import Inbox, InboxThread, look_into
from nebbet.standin.service import MailService
from tests.post.conftest import ME, PASSWORDS


def lay(service: MailService, number: int, *, seen: bool = False, **fields: str) -> None:
    """Lay a message into the inbox, as it would come."""
    made = EmailMessage()
    made["From"] = f"Ann Pell {number} <ann{number}@post.example>"
    made["Subject"] = f"Über {number}"
    made["Message-ID"] = f"<{number}@post.example>"
    made["Date"] = "Wed, 25 Nov 2026 10:12:00 +0100"
    for name, value in fields.items():
        made[name.replace("_", "-")] = value
    made.set_content(f"Hello {number}\n")
    message = mailbox.MaildirMessage(made)
    message.set_subdir("cur" if seen else "new")
    message.set_flags("S" if seen else "")
    box = service._maildir(ME)
    box.add(message)


@pytest.fixture
def inbox(service: MailService, personal: Engine) -> Inbox:
    return Inbox(personal, service.account(ME), SessionSecrets({ME: PASSWORDS[ME]}))


def see(inbox: Inbox) -> bool:
    with imap.mailbox(inbox.account, PASSWORDS[ME]) as client:
        return look_into(inbox, client).news


def test_what_arrived_is_known_by_its_headers_and_nothing_is_marked(
    service: MailService, inbox: Inbox
) -> None:
    lay(service, 1, seen=True)
    lay(service, 2, References="<1@post.example>", Reply_To="Other <o@x.example>")
    assert see(inbox) and not see(inbox), "the second time nothing is new"
    second, first = sorted(kept.heads(inbox.personal), key=lambda head: -head.place.uid)
    assert first.is_read and not second.is_read
    assert second.fields.subject == "Über 2" and second.fields.sender.name == "Ann Pell 2"
    assert second.fields.references == ("<1@post.example>",)
    assert second.fields.reply_to[0].spec == "o@x.example"
    assert isinstance(second.fields.written, datetime)
    with imap.mailbox(inbox.account, PASSWORDS[ME]) as client:
        validity = kept.validity_of(inbox.personal, second.place)
        assert b"Hello 2" in fetch_message(client, second.place, validity)
    assert not see(inbox), "reading by itself marks nothing"


def test_flags_moves_and_what_is_gone_follow(service: MailService, inbox: Inbox) -> None:
    for number in (1, 2, 3):
        lay(service, number)
    see(inbox)
    places = {head.fields.subject: head.place for head in kept.heads(inbox.personal)}
    with imap.mailbox(inbox.account, PASSWORDS[ME]) as client:
        validity = kept.validity_of(inbox.personal, places["Über 1"])
        assert {SEEN, ANSWERED} <= set(
            set_flags(client, places["Über 1"], validity, (SEEN, ANSWERED))
        )
        move(client, places["Über 2"], validity, "Done & filed")
    assert see(inbox)
    now = {head.fields.subject: head for head in kept.heads(inbox.personal)}
    assert set(now) == {"Über 1", "Über 3"} and now["Über 1"].is_answered
    with imap.mailbox(inbox.account, PASSWORDS[ME]) as client:
        assert client.folder_exists("Done & filed")
        with pytest.raises(NebbetError, match="not in the folder INBOX any more"):
            fetch_message(client, places["Über 2"], validity)
        with pytest.raises(NebbetError, match="another one now"):
            set_flags(client, places["Über 1"], validity + 1, (SEEN,))


class Scripted:
    """A server that answers what a test wants; says what it was asked for."""

    def __init__(self, validity: int, uids: list[int], change: int = 0) -> None:
        self.validity, self.uids, self.change = validity, uids, change
        self.asked: list[tuple[object, ...]] = []

    def select_folder(self, _folder: str, readonly: bool = False) -> dict[bytes, object]:
        assert readonly, "looking never opens a folder for writing"
        found: dict[bytes, object] = {b"UIDVALIDITY": self.validity}
        return found | ({b"HIGHESTMODSEQ": self.change} if self.change else {})

    def search(self, _what: str) -> list[int]:
        return self.uids

    def has_capability(self, name: str) -> bool:
        return name == "CONDSTORE" and bool(self.change)

    def fetch(self, uids: list[int], items: list[bytes], modifiers: object = None) -> dict:  # type: ignore[type-arg]
        self.asked.append((len(uids), next(iter(items)), modifiers))
        return {uid: {b"FLAGS": (b"\\Seen",)} for uid in uids}


def test_numbers_that_hold_no_more_are_asked_for_anew() -> None:
    server = Scripted(8, [1, 2, 3])
    found = look(server, "me", "INBOX", FolderState(7), {1: (), 2: ()})  # type: ignore[arg-type]
    assert found.anew and {head.place.uid for head in found.heads} == {1, 2, 3}
    assert found.gone == frozenset()
    again = look(server, "me", "INBOX", found.state, dict.fromkeys((1, 2, 3, 9), ()))  # type: ignore[arg-type]
    assert not again.anew and again.gone == {9} and again.flags[1] == ("\\Seen",)


def test_only_changes_are_asked_for_where_the_server_counts_them() -> None:
    server = Scripted(8, [1, 2], change=40)
    look(server, "me", "INBOX", FolderState(8, 40), {1: (), 2: ()})  # type: ignore[arg-type]
    assert server.asked == [], "nothing has changed"
    look(server, "me", "INBOX", FolderState(8, 39), {1: (), 2: ()})  # type: ignore[arg-type]
    assert server.asked == [(2, b"FLAGS", ["CHANGEDSINCE 39"])]


def test_of_a_large_folder_the_newest_are_fetched_in_portions() -> None:
    server = Scripted(8, list(range(1, 50_001)))
    found = look(server, "me", "INBOX", FolderState(), {})  # type: ignore[arg-type]
    assert len(found.heads) == 2000 and found.heads[0].place.uid == 50_000
    assert max(count for count, *_rest in server.asked) == 100  # type: ignore[type-var]


def test_the_thread_tells_of_news_within_seconds_and_ends_at_once(
    service: MailService, inbox: Inbox
) -> None:
    came, troubles = threading.Event(), list[object]()
    thread = InboxThread(inbox, came.set, troubles.append)
    lay(service, 1)
    thread.start()
    assert came.wait(10)
    came.clear()
    lay(service, 2)
    thread.nudge()
    assert came.wait(10)
    thread.stop()
    assert not thread._thread.is_alive() and troubles == []


def test_a_wrong_password_is_told_and_a_right_one_goes_on(
    service: MailService, inbox: Inbox
) -> None:
    service.faults.refuse_password = True
    told, came = list[object](), threading.Event()
    ready = threading.Event()

    def tell(error: object) -> None:
        told.append(error)
        ready.set()

    thread = InboxThread(inbox, came.set, tell)
    thread.start()
    assert ready.wait(10)
    assert isinstance(told[0], NebbetError) and "password" in told[0].sentence
    ready.clear()
    service.faults.refuse_password = False
    lay(service, 1)
    thread.nudge()
    assert came.wait(10) and ready.wait(5) and told[-1] is None
    thread.stop()


def test_a_message_is_kept_for_reading_without_a_line(personal: Engine) -> None:
    place = Place("me", "INBOX", 1)
    assert kept.message(personal, place) is None
    kept.keep_message(personal, place, b"nothing to keep it with")
    assert kept.message(personal, place) is None


def test_a_folder_that_is_not_there_is_told_and_the_others_are_shown(
    service: MailService, inbox: Inbox
) -> None:
    lay(service, 1)
    both = replace(inbox, account=replace(inbox.account, folders=("Nowhere", "INBOX")))
    told, came = list[object](), threading.Event()
    thread = InboxThread(both, came.set, told.append)
    thread.start()
    assert came.wait(10)
    thread.stop()
    assert isinstance(told[0], NebbetError) and "no folder Nowhere" in told[0].sentence
    assert len(kept.heads(inbox.personal)) == 1
