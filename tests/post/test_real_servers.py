"""The whole post against real servers on loopback: Postfix and Dovecot from Debian's packages.

They are skipped where those are not installed; scripts/real-servers installs them and runs this.
"""

import email
import email.policy
import mailbox
import threading
import time
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest
from msgspec.structs import replace
from sqlalchemy import Engine

from nebbet.core.message.bounces import bounces_in
from nebbet.core.message.head import ANSWERED, MINE, SEEN, Head
from nebbet.core.records import Contact, Member
from nebbet.library.register import latest
from nebbet.library.store import Library
from nebbet.personal import arrived as kept
from nebbet.personal import outbox
from nebbet.personal.secrets import SessionSecrets
from nebbet.personal.settings import Account
from nebbet.post import arrived, imap, smtp
from nebbet.post.acting import file_away, find, mark, read
from nebbet.post.arrived import FolderState, count_changes, look
from nebbet.post.delivering import Office, deliver_due
from nebbet.post.errors import DeliveryError
from nebbet.post.inbox import Inbox, InboxThread, look_into
from tests.post.conftest import ME, PASSWORDS, Clock, make_item
from tests.post.real import GONE, RealServers, why_not
from tests.post.test_killed import KILLS, is_whole, kill_over_and_over, said_by, the_rest

pytestmark = pytest.mark.skipif(bool(why_not()), reason=why_not())
THERE = "ann.pell@post.example"
MAILBOXES = {ME: PASSWORDS[ME], THERE: "catch"}


@pytest.fixture(scope="module")
def servers(tmp_path_factory: pytest.TempPathFactory) -> Iterator[RealServers]:
    made = RealServers(tmp_path_factory.mktemp("real"), MAILBOXES)
    made.start()
    yield made
    made.stop()


@pytest.fixture
def real(
    servers: RealServers, personal: Engine, library: Library, clock: Clock
) -> Iterator[Office]:
    """An office at the real servers; their mailboxes are empty."""
    yield Office(personal, library, servers.account(ME), SessionSecrets(MAILBOXES), clock)
    for user, password in MAILBOXES.items():
        with imap.mailbox(servers.account(user), password) as client:
            for flags, _delimiter, folder in client.list_folders():
                if {b"\\Noselect", b"\\NonExistent"} & set(flags):
                    continue  # it only holds others
                client.select_folder(folder)
                client.delete_messages(client.search())
                client.expunge()


def came(servers: RealServers, user: str, folder: str = "INBOX", least: int = 1) -> list[bytes]:
    """What is in a folder, as soon as there is as much as that."""
    for _ in range(200):
        with imap.mailbox(servers.account(user), MAILBOXES[user]) as client:
            client.select_folder(folder, readonly=True)
            found = client.fetch(client.search(), ["RFC822"])
        if len(found) >= least:
            break
        time.sleep(0.05)
    return [one[b"RFC822"] for one in found.values()]


def message(number: int, to: str = ME, **fields: str) -> bytes:
    lines = [f"From: Ann Pell <{THERE}>", f"To: {to}", f"Subject: Number {number}",
             f"Message-ID: <{number}@post.example>",
             *(f"{name}: {value}" for name, value in fields.items())]  # fmt: skip
    return "\r\n".join([*lines, "", f"Hello {number}", ""]).encode()


def lay(servers: RealServers, number: int, **fields: str) -> None:
    """A message comes, by way of Postfix."""
    smtp.deliver(servers.account(THERE), MAILBOXES[THERE], THERE, [ME], message(number, **fields))


@pytest.mark.parametrize("at_once", [False, True], ids=["STARTTLS", "at once"])
def test_letters_go_and_their_copies_lie_in_the_folder_of_sent_ones(
    servers: RealServers, real: Office, at_once: bool, hanna: Contact, me: Member,
    token: Callable[[], str],
) -> None:  # fmt: skip
    office = replace(real, account=servers.account(ME, at_once=at_once))
    recipient = replace(hanna, email=THERE)
    items = [make_item(recipient, me, token, f"l{number}") for number in range(5)]
    items = [_without_copies(item) for item in items]
    for item in items:
        outbox.enqueue(office.personal, item, 0.0)
    assert deliver_due(office) == []
    wanted = {item.outgoing.message_id for item in items}
    for user, folder in ((THERE, "INBOX"), (ME, "Sent")):
        found = [
            email.message_from_bytes(one, policy=email.policy.default)
            for one in came(servers, user, folder, 5)
        ]
        assert sorted(str(one["Message-ID"]) for one in found) == sorted(wanted)
        assert all(".dots and ümlauts" in one.get_body(("plain",)).get_content() for one in found)
    assert {entry.message_id for entry in latest(office.library.engine)} == wanted


def _without_copies(item):  # type: ignore[no-untyped-def]
    return replace(item, outgoing=replace(item.outgoing, recipients=(THERE,), bcc=""))


def test_refusals_and_what_comes_back(
    servers: RealServers, real: Office, hanna: Contact, me: Member, token: Callable[[], str]
) -> None:
    """RFC 3463 codes in a refusal, RFC 3464 in what comes back later."""
    account = real.account

    def hand_over(to: str, data: bytes) -> None:
        smtp.deliver(account, PASSWORDS[ME], ME, [to], data)

    for to, data, words in (
        (f"nobody@{THERE.partition('@')[2]}", message(1), "no such mailbox"),
        (THERE, message(2) + b"x" * 76 + b"\r\n" * 800_000, "larger than the server takes"),
    ):
        with pytest.raises(DeliveryError, match=words) as refused:
            hand_over(to, data)
        assert refused.value.kind == "refused"
    item = make_item(replace(hanna, email=f"hanna@{GONE}"), me, token, "l1")
    item = replace(item, outgoing=replace(item.outgoing, recipients=(f"hanna@{GONE}",)))
    outbox.enqueue(real.personal, item, 0.0)
    deliver_due(real)
    back = came(servers, ME)
    (bounce,) = bounces_in(back[0])
    assert bounce.letter == item.outgoing.message_id
    assert bounce.address == f"hanna@{GONE}" and "no such mailbox" in bounce.why


def test_the_inbox(servers: RealServers, real: Office) -> None:
    """Changes (RFC 7162), marks that stay, folders with any letters (RFC 3501 §5.1.3), moves
    (RFC 6851), and numbers that hold no more (RFC 9051 §2.3.1.1)."""
    box = Inbox(real.personal, real.account, real.secrets)
    for number in (1, 2, 3):
        lay(servers, number)
    came(servers, ME, least=3)
    heads = _seen(box)
    assert {head.fields.subject for head in heads} == {f"Number {n}" for n in (1, 2, 3)}
    assert not any(head.flags for head in heads), "nothing is marked by looking"
    assert b"Hello" in read(box, heads[0].place)
    flags = mark(box, heads[0].place, (SEEN, ANSWERED, f"{MINE}m1"), ())
    assert {SEEN, ANSWERED, f"{MINE}m1"} <= set(flags), "this server keeps them"
    mark(box, heads[1].place, (SEEN,), ())
    with imap.mailbox(box.account, PASSWORDS[ME]) as client:
        count_changes(client)
        validity, _change, _known = kept.known(box.personal, ME, "INBOX")
        looked = look(
            client, ME, "INBOX", FolderState(validity, 1), {h.place.uid: () for h in heads}
        )
        assert looked.state.change > 1, "it counts changes"
        assert set(looked.flags) == {heads[0].place.uid, heads[1].place.uid}
        known = {head.place.uid: head.flags for head in _seen(box)}
        again = look(client, ME, "INBOX", looked.state, known)
        assert not (again.heads or again.flags or again.gone or again.anew)
    for head, folder in zip(
        _seen(box), ("Zürich & Co", "日本.内", "Fähre \U0001f600"), strict=True
    ):
        file_away(box, head.place, folder)
        assert b"Hello" in came(servers, ME, folder)[0]
    assert not came(servers, ME, least=0)
    with imap.mailbox(box.account, PASSWORDS[ME]) as client:
        client.create_folder("Team")
        client.append("Team", message(7))
    team = replace(box, account=replace(box.account, folders=("Team",)))
    assert [head.fields.subject for head in _seen(team)] == ["Number 7"]
    with imap.mailbox(box.account, PASSWORDS[ME]) as client:
        client.delete_folder("Team")
        time.sleep(1.1)  # its number is made of the seconds
        client.create_folder("Team")
        client.append("Team", message(8))
    assert [head.fields.subject for head in _seen(team)] == ["Number 8"], "known anew"


def _seen(box: Inbox) -> list[Head]:
    with imap.mailbox(box.account, PASSWORDS[ME]) as client:
        count_changes(client)
        look_into(box, client)
    return [head for head in kept.heads(box.personal) if head.place.folder in box.account.folders]


def test_news_come_by_themselves(servers: RealServers, real: Office) -> None:
    """IDLE (RFC 2177): what comes is there within moments, and the thread ends when it is told."""
    news = threading.Event()
    thread = InboxThread(
        Inbox(real.personal, real.account, real.secrets), news.set, lambda _error: None
    )
    thread.start()
    time.sleep(0.5)
    try:
        lay(servers, 1)
        while not kept.heads(real.personal):
            news.clear()
            assert news.wait(10)
        assert [head.fields.subject for head in kept.heads(real.personal)] == ["Number 1"]
    finally:
        began = time.monotonic()
        thread.stop()
        assert time.monotonic() - began < 3


def test_a_letter_that_may_have_gone_is_found(
    real: Office, hanna: Contact, me: Member, token: Callable[[], str], servers: RealServers
) -> None:
    item = _without_copies(make_item(hanna, me, token, "l1"))
    outbox.enqueue(real.personal, item, 0.0)
    outbox.claim(real.personal, item)
    outbox.recover(real.personal)
    with imap.mailbox(real.account, PASSWORDS[ME]) as client:
        client.append("Sent", item.outgoing.data)
    assert deliver_due(real) == []
    assert len(came(servers, ME, "Sent")) == 1, "its copy is not filed twice"


@pytest.mark.parametrize("name", ["PLAIN", "LOGIN", "CRAM-MD5", "SCRAM-SHA-256"])
def test_each_way_to_log_in(tmp_path_factory: pytest.TempPathFactory, name: str) -> None:
    """RFC 4616, RFC 2195, RFC 7677, each alone, with a password that is not of ASCII."""
    boxes = {ME: "Schlüssel 9", THERE: "catch"}
    servers = RealServers(tmp_path_factory.mktemp("way"), boxes, mechanisms=name.lower())
    servers.start()
    try:
        account = servers.account(ME)
        smtp.deliver(account, boxes[ME], ME, [THERE], message(1, THERE))
        with imap.mailbox(account, boxes[ME]) as client:
            assert client.folder_exists("Sent")
        for attempt in (smtp.try_login, _into_mailbox):
            with pytest.raises(DeliveryError) as refused:
                attempt(account, "wrong")
            assert refused.value.kind == "login"
    finally:
        servers.stop()
    assert f"sasl_method={name}" in servers.log() and f"method={name}" in servers.log()


def _into_mailbox(account: Account, password: str) -> None:
    with imap.mailbox(account, password):
        pass


def test_a_server_that_lets_only_some_letters_go(
    tmp_path_factory: pytest.TempPathFactory, personal: Engine, library: Library, clock: Clock,
    hanna: Contact, me: Member, token: Callable[[], str],
) -> None:  # fmt: skip
    """Postfix answers 450 4.7.1 from the third letter of a minute on: they wait, none is lost."""
    servers = RealServers(tmp_path_factory.mktemp("limit"), MAILBOXES, limit=2)
    servers.start()
    try:
        office = Office(personal, library, servers.account(ME), SessionSecrets(MAILBOXES), clock)
        for number in range(4):
            item = _without_copies(make_item(hanna, me, token, f"l{number}"))
            outbox.enqueue(personal, item, 0.0)
        left = deliver_due(office)
        assert [entry.state for entry in left] == ["waiting", "waiting"]
        assert all("does not take" in entry.words for entry in left)
        assert len(came(servers, THERE, least=2)) == 2
    finally:
        servers.stop()


def test_what_lies_in_a_maildir_is_what_went(servers: RealServers, real: Office) -> None:
    """Lines that begin with a dot, long lines, and no line end at the end, byte for byte."""
    data = message(9) + b".\r\n..two\r\n" + b"x" * 990 + b"\r\nlast"
    smtp.deliver(real.account, PASSWORDS[ME], ME, [THERE], data)
    came(servers, THERE)
    box = mailbox.Maildir(Path(servers.maildir(THERE)), create=False)
    (held,) = [box.get_bytes(key) for key in box.iterkeys()]
    body = held.split(b"\n\n", 1)[1]
    assert body == b"Hello 9\n.\n..two\n" + b"x" * 990 + b"\nlast\n"


@pytest.mark.logs
@pytest.mark.timeout(600 + 2 * KILLS)
def test_killed_while_letters_go(tmp_path: Path, tmp_path_factory: pytest.TempPathFactory) -> None:
    """As on the stand-in: nothing is lost, nothing goes twice, unsure only by a kill."""
    servers = RealServers(tmp_path_factory.mktemp("killed"), MAILBOXES)
    servers.start()
    try:
        account = servers.account(ME)
        told = kill_over_and_over(tmp_path, account, lambda _chance: False)
        with the_rest(tmp_path, account) as office:
            _until_delivered(servers)
            taken = said_by(servers.maildir(THERE))
            is_whole(office, tmp_path, told, taken, said_by(servers.maildir(ME) / ".Sent"))
    finally:
        servers.stop()


def _until_delivered(servers: RealServers) -> None:
    """Wait until nothing is on its way inside Postfix any more."""
    ways = [servers.folder / "queue" / name for name in ("incoming", "active", "deferred")]
    while any(path.is_file() for way in ways for path in way.rglob("*")):
        time.sleep(0.1)


def test_older_messages_are_found_and_what_changes_is_told(
    servers: RealServers, real: Office, monkeypatch: pytest.MonkeyPatch
) -> None:
    """QRESYNC (RFC 7162 §3.2): changes and what is gone are told, and no list of numbers is asked
    for; words are looked for by the server (RFC 9051 §6.4.4)."""
    monkeypatch.setattr(arrived, "MOST", 2)
    box = Inbox(real.personal, real.account, real.secrets)
    for number in range(1, 6):
        lay(servers, number)
    came(servers, ME, least=5)
    assert len(_seen(box)) == 2, "of a large folder the newest alone"
    found = find(box, ["hello", "NUMBER"])
    assert len(found) == 5 and len(_seen(box)) == 5, "they stay known"
    assert not find(box, ["hello", "für"])
    before = {head.fields.subject: head.place for head in _seen(box)}
    mark(box, before["Number 1"], (SEEN,), ())
    with imap.mailbox(box.account, PASSWORDS[ME]) as client:
        client.select_folder("INBOX")
        client.add_flags([before["Number 2"].uid], [ANSWERED])
        client.delete_messages([before["Number 3"].uid])
        client.expunge()
    lay(servers, 6)
    came(servers, ME, least=5)
    with imap.mailbox(box.account, PASSWORDS[ME]) as client:
        count_changes(client)
        assert client.tells_gone
        monkeypatch.setattr(client, "search", lambda *_: pytest.fail("all numbers were asked for"))
        look_into(box, client)
    now = {head.fields.subject: head for head in kept.heads(box.personal)}
    assert set(now) == {f"Number {n}" for n in (1, 2, 4, 5, 6)}
    assert ANSWERED in now["Number 2"].flags and now["Number 1"].is_read
