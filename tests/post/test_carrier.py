"""A letter's way out, and everything that can go wrong on it, over real sockets."""

import re
import threading
from collections.abc import Callable
from datetime import UTC, datetime
from pathlib import Path

import pytest
from msgspec.structs import replace
from sqlalchemy import URL, text

from nebbet.core import body
from nebbet.core import letter as letters
from nebbet.core.body import Frame
from nebbet.core.errors import NebbetError
from nebbet.core.message.compose import compose
from nebbet.core.message.encoded import EncodedFiles
from nebbet.core.message.received import open_message
from nebbet.core.placeholders import Placeholder
from nebbet.core.records import Contact, Member
from nebbet.library import register
from nebbet.library.postgres import Away
from nebbet.library.store import Library
from nebbet.personal import open_letters, outbox, went
from nebbet.personal.alone import alone
from nebbet.personal.items import Item, Queued
from nebbet.personal.secrets import SessionSecrets
from nebbet.post import imap, secret
from nebbet.post.carrier import Carrier
from nebbet.post.delivering import RETRY_SECONDS, Office, deliver_due
from nebbet.post.errors import DeliveryError
from nebbet.post.pace import limits_in_words, read_limits
from nebbet.post.smtp import deliver
from nebbet.post.unsure import Looks
from nebbet.standin.certificate import make_certificate
from nebbet.standin.ports import CATCH_ALL
from nebbet.standin.service import MailService
from tests.conftest import NOW
from tests.post.conftest import ME, PASSWORDS, Clock, make_item


def mailbox(service: MailService, user: str, folder: str = "INBOX") -> list[bytes]:
    with imap.mailbox(service.account(user), PASSWORDS[user]) as client:
        if not client.folder_exists(folder):
            return []
        client.select_folder(folder, readonly=True)
        found = client.search("ALL")
        return [client.fetch([n], ["RFC822"])[n][b"RFC822"] for n in found]


def only(left: list[Queued]) -> Queued:
    (entry,) = left
    return entry


def send(office: Office, item: Item) -> list[Queued]:
    outbox.enqueue(office.personal, item, office.now())
    return deliver_due(office)


# The way out


def test_a_letter_reaches_the_mailbox_the_sent_folder_and_the_register(
    office: Office, item: Item, service: MailService, library: Library
) -> None:
    assert send(office, item) == []
    arrived = mailbox(service, CATCH_ALL)
    assert len(arrived) == 2, "the recipient and the blind copy"
    found = open_message(arrived[0])
    assert found.plain.replace("\r\n", "\n") == "Dear Hanna,\n\n.dots and ümlauts\n"
    assert found.bcc == ""
    (sent,) = mailbox(service, ME, "Sent")
    assert open_message(sent).bcc == "boss@lislesound.example"
    assert [e.title for e in register.latest(library.engine)] == ["Refund agreed"]
    fetched = imap.fetch_sent(office.account, "secret", item.outgoing.message_id)
    assert open_message(fetched).subject == "Your refund"
    assert outbox.sent_item(office.personal, item.outgoing.message_id) == item


def test_a_letter_is_held_until_its_time_and_can_be_taken_back(
    office: Office, item: Item, service: MailService, clock: Clock
) -> None:
    outbox.enqueue(office.personal, item, clock() + 10)
    assert only(deliver_due(office)).state == "held"
    assert mailbox(service, CATCH_ALL) == []
    assert outbox.take_back(office.personal, item.id, 1.0)
    clock.seconds += 60
    assert deliver_due(office) == []
    assert mailbox(service, CATCH_ALL) == []
    assert not outbox.take_back(office.personal, item.id, 1.0)


def test_putting_into_the_outbox_takes_it_off_the_pile(office: Office, item: Item) -> None:
    open_letters.keep_letter(office.personal, item.letter, 1)
    outbox.enqueue(office.personal, item, office.now() + 10)
    assert open_letters.open_letters(office.personal) == ([], 0)


# What goes wrong


@pytest.mark.parametrize(
    ("fault", "state", "words"),
    [
        ({"refuse": {"hanna.verrell@post.example"}}, "refused", "there is no such mailbox"),
        ({"busy": 421}, "waiting", "just now (Too many connections"),
        ({"busy": 451}, "waiting", "just now (Local error"),
        ({"drop": "before"}, "waiting", "cannot be reached: it closed the connection"),
        ({"drop": "after"}, "uncertain", "The line was cut before"),
        ({"refuse_password": True}, "refused", "does not accept the password"),
    ],
)
def test_a_fault_leaves_the_letter_in_the_outbox_with_plain_words(
    office: Office, item: Item, service: MailService, library: Library, clock: Clock,
    fault: dict, state: str, words: str,
) -> None:  # fmt: skip
    for name, value in fault.items():
        setattr(service.faults, name, value)
    entry = only(send(office, item))
    assert entry.state == state
    assert words in entry.words
    assert "Error" not in entry.words.replace("Local error", "")
    assert register.latest(library.engine) == []
    # The fault is mended: the letter goes, once.
    for name in fault:
        setattr(service.faults, name, type(getattr(service.faults, name))())
    if state == "waiting":
        assert only(deliver_due(office)).state == "waiting", "not before its time"
        clock.seconds += RETRY_SECONDS[0]
    else:
        outbox.mark(office.personal, item.id, state="held", due=clock(), words="")
    assert deliver_due(office) == []
    assert len(register.latest(library.engine)) == 1


def test_a_refused_recipient_stops_the_others_too(
    office: Office, item: Item, service: MailService
) -> None:
    service.faults.refuse = {"boss@lislesound.example"}
    assert only(send(office, item)).state == "refused"
    assert mailbox(service, CATCH_ALL) == []


def test_the_pauses_between_tries_grow(
    office: Office, item: Item, service: MailService, clock: Clock
) -> None:
    service.faults.busy = 421
    entry = only(send(office, item))
    for pause in (*RETRY_SECONDS, RETRY_SECONDS[-1]):
        assert entry.due == pytest.approx(clock() + pause)
        clock.seconds = entry.due
        entry = only(deliver_due(office))


def test_a_server_that_is_gone_and_comes_back(
    office: Office, item: Item, service: MailService, clock: Clock, tmp_path: Path
) -> None:
    service.stop()
    entry = only(send(office, item))
    assert "cannot be reached: nothing answers there" in entry.words
    again = MailService(tmp_path / "mail", PASSWORDS)
    again.start()
    clock.seconds += RETRY_SECONDS[0]
    assert deliver_due(replace(office, account=again.account(ME))) == []
    assert len(mailbox(again, CATCH_ALL)) == 2
    again.stop()


def test_a_slow_server_is_not_waited_for_for_ever(service: MailService, item: Item) -> None:
    service.faults.slow = 3
    outgoing = item.outgoing
    with pytest.raises(DeliveryError) as caught:
        deliver(service.account(ME), "secret", ME, outgoing.recipients, outgoing.data, timeout=0.4)
    assert caught.value.kind == "uncertain"


@pytest.mark.logs
def test_a_bad_certificate_sends_nothing(tmp_path: Path, item: Item) -> None:
    service = MailService(tmp_path / "bad", PASSWORDS, certificate_for="elsewhere.example")
    service.start()
    with pytest.raises(DeliveryError, match=r"certificate of 127\.0\.0\.1 is not to be trusted"):
        deliver(service.account(ME), "secret", ME, item.outgoing.recipients, item.outgoing.data)
    with pytest.raises(NebbetError, match="not to be trusted"):
        imap.fetch_sent(service.account(ME), "secret", "<x@y>")
    untrusted = replace(service.account(ME), certificate=str(tmp_path / "missing.pem"))
    with pytest.raises(DeliveryError, match="cannot be read"):
        deliver(untrusted, "secret", ME, ["a@b.example"], b"")
    service.stop()


@pytest.mark.logs
@pytest.mark.parametrize("year", [2000, 2090])
def test_a_certificate_of_another_time_sends_nothing(tmp_path: Path, item: Item, year: int) -> None:
    """RFC 5280 §4.1.2.5: one that holds no more, or not yet."""
    make_certificate(tmp_path / "bad", now=datetime(year, 1, 1, tzinfo=UTC))
    service = MailService(tmp_path / "bad", PASSWORDS)
    service.start()
    account = service.account(ME)
    with pytest.raises(DeliveryError, match="is not to be trusted"):
        deliver(account, "secret", ME, item.outgoing.recipients, item.outgoing.data)
    with pytest.raises(NebbetError, match="not to be trusted"):
        imap.fetch_sent(account, "secret", "<x@y>")
    service.stop()


def test_without_a_password_nothing_is_tried(office: Office, item: Item) -> None:
    entry = only(send(replace(office, secrets=SessionSecrets()), item))
    assert (entry.state, "is not known" in entry.words) == ("refused", True)


def test_sent_but_not_filed_is_finished_later_and_never_sent_twice(
    office: Office, item: Item, service: MailService, library: Library, clock: Clock
) -> None:
    broken = replace(office, account=replace(office.account, imap_port=1))
    entry = only(send(broken, item))
    assert entry.state == "sent"
    assert entry.words.startswith("Sent. Its copy for your mailbox waits:")
    assert len(register.latest(library.engine)) == 1
    clock.seconds += 3600
    assert deliver_due(office) == []
    assert len(mailbox(service, CATCH_ALL)) == 2, "not sent again"
    assert len(mailbox(service, ME, "Sent")) == 1
    outbox.mark(office.personal, item.id, state="sent", due=clock())
    assert deliver_due(office) == []
    assert len(mailbox(service, ME, "Sent")) == 1, "not filed again"
    assert len(register.latest(library.engine)) == 1


def test_a_register_that_cannot_be_written_is_written_later(
    office: Office, item: Item, library: Library, clock: Clock
) -> None:
    with library.engine.begin() as connection:
        connection.execute(text("ALTER TABLE register RENAME TO hidden"))
    entry = only(send(office, item))
    assert entry.state == "sent"
    assert "The register cannot be written" in entry.words
    with library.engine.begin() as connection:
        connection.execute(text("ALTER TABLE hidden RENAME TO register"))
    clock.seconds += 3600
    assert deliver_due(office) == []
    assert len(register.latest(library.engine)) == 1


def test_one_bad_letter_does_not_stop_the_next(
    office: Office, item: Item, service: MailService, hanna: Contact, me: Member,
    token: Callable[[], str],
) -> None:  # fmt: skip
    service.faults.refuse = {"hanna.verrell@post.example"}
    other = make_item(replace(hanna, email="bo@post.example"), me, token, "l2")
    outbox.enqueue(office.personal, item, office.now())
    outbox.enqueue(office.personal, other, office.now())
    assert only(deliver_due(office)).item.id == "l1"
    assert len(mailbox(service, CATCH_ALL)) == 2


def test_killed_on_the_line_is_told_and_not_sent_again(office: Office, item: Item) -> None:
    outbox.enqueue(office.personal, item, office.now())
    assert outbox.claim(office.personal, item)
    assert not outbox.claim(office.personal, item), "two carriers never take one letter"
    assert outbox.recover(office.personal) == 1
    entry = only(deliver_due(office))
    assert entry.state == "uncertain"
    assert "It may have gone" in entry.words
    assert outbox.recover(office.personal) == 0


def test_what_may_have_gone_is_looked_for_among_the_sent_ones(
    office: Office, item: Item, service: MailService, clock: Clock
) -> None:
    """A server that files a copy of what it sends says so that it took the letter."""
    service.faults.drop = "after"
    assert only(send(office, item)).state == "uncertain"
    service.faults.drop = ""
    # It was looked for at once, and not found: the next look has its time.
    assert only(deliver_due(office)).due == pytest.approx(clock() + 60)
    copies = imap.Copies(office.account)
    copies.file("secret", item.outgoing.data, NOW)
    copies.leave()
    assert only(deliver_due(office)).state == "uncertain"
    clock.seconds += 60
    assert deliver_due(office) == []
    assert len(register.latest(office.library.engine)) == 1
    assert len(mailbox(service, CATCH_ALL)) == 2, "it did not go again"
    assert len(mailbox(service, ME, "Sent")) == 1


def test_looking_ends_and_a_wrong_password_is_not_tried_over_and_over(
    office: Office, item: Item, service: MailService, clock: Clock
) -> None:
    service.faults.drop = "after"
    send(office, item)
    for _ in range(9):
        clock.seconds += 3600
        left = only(deliver_due(office))
    assert not office.looks.is_to_be(left) and left.state == "uncertain"
    wrong = replace(office, looks=Looks(), secrets=SessionSecrets({ME: "wrong"}))
    clock.seconds += 3600
    assert not wrong.looks.is_to_be(only(deliver_due(wrong)))


def test_a_server_that_never_takes_a_letter_is_told_after_five_days(
    office: Office, item: Item, service: MailService, clock: Clock
) -> None:
    service.faults.busy = 451
    entry = only(send(office, item))
    outbox.mark(office.personal, item.id, attempts=119)
    clock.seconds = entry.due
    entry = only(deliver_due(office))
    assert entry.state == "refused" and "has not in 120 attempts" in entry.words


def test_copies_of_old_letters_are_let_go(office: Office, item: Item, clock: Clock) -> None:
    send(office, item)
    known = item.outgoing.message_id
    went.put_away(office.personal, clock() - 1)
    assert outbox.sent_item(office.personal, known)
    assert len([*went.letters(office.personal)]) == 1
    went.put_away(office.personal, clock() + 1)
    assert outbox.sent_item(office.personal, known) is None
    # What it said is known for longer.
    assert went.letter_of(office.personal, known) == item.letter
    ((letter, sent),) = went.letters(office.personal)
    assert letter == item.letter and abs(sent - clock()) < 60
    went.forget(office.personal, clock() + 1)
    assert went.letter_of(office.personal, known) is None and not [*went.letters(office.personal)]
    with pytest.raises(NebbetError, match="is not in the folder Sent"):
        imap.fetch_sent(office.account, "secret", "<nobody@nowhere>")


# The thread


def test_the_carrier_wakes_when_nudged_and_when_something_is_due(
    office: Office, item: Item
) -> None:
    left: list[list[Queued]] = []
    empty = threading.Event()

    def changed(found: list[Queued]) -> None:
        left.append(found)
        if len(left) > 1 and not found:
            empty.set()

    carrier = Carrier(office, changed)
    carrier.start()
    outbox.enqueue(office.personal, item, office.now())
    carrier.nudge()
    assert empty.wait(20)
    carrier.stop()
    carrier.stop()


@pytest.mark.logs
def test_the_carrier_outlives_a_full_disk(office: Office, caplog: pytest.LogCaptureFixture) -> None:
    seen = threading.Event()
    broken = replace(office, personal=_Broken(seen, office.personal.url))  # type: ignore[arg-type]
    carrier = Carrier(broken, lambda _left: None)
    carrier.start()
    assert seen.wait(10)
    carrier.stop()
    assert "the disk is full" in caplog.text


class _Broken:
    """An engine whose disk is full."""

    def __init__(self, seen: threading.Event, url: URL) -> None:
        self._seen, self.url = seen, url

    def connect(self) -> object:
        import sqlite3

        self._seen.set()
        error = sqlite3.OperationalError("database or disk is full")
        error.sqlite_errorcode = sqlite3.SQLITE_FULL
        raise error


# Secrets


def test_passwords_are_never_shown(office: Office) -> None:
    assert "secret" not in repr(office.secrets)
    assert "secret" not in repr(office.account)
    assert not set(PASSWORDS.values()) & set(re.findall(r"\w+", repr(office)))


# The sending day


def promise(library: Library, item: Item, me: Member, token: Callable[[], str], rule: str) -> Item:
    """The letter with a date that counts as the rule says, finished today."""
    library.put(me)
    library.put_calendar("GB-SCT", {})
    letter = replace(
        item.letter,
        body=body.read("<p>Paid by {{by}}.</p>"),
        placeholders=(Placeholder("by", source="date", of=rule),),
    )
    letter, _ = letters.work_out(letter, library.catalogue(NOW).world(NOW, me, "en_GB"))
    files = EncodedFiles(lambda _file: b"")
    outgoing = compose(letter, me, now=NOW, token=token, frame=Frame(), files=files)
    return replace(
        item,
        letter=letter,
        outgoing=outgoing,
        entry=replace(item.entry, message_id=outgoing.message_id),
    )


@pytest.mark.parametrize(
    ("rule", "said"),
    [
        ("the sending day + 2 days", "Paid by 29 November 2026."),
        ("today + 2 days", "Paid by 27 November 2026."),
    ],
)
def test_a_promise_from_the_sending_day_is_worked_out_when_the_letter_goes(
    office: Office,
    item: Item,
    me: Member,
    token: Callable[[], str],
    service: MailService,
    clock: Clock,
    library: Library,
    rule: str,
    said: str,
) -> None:
    waiting = promise(library, item, me, token, rule)
    assert "27 November" in open_message(waiting.outgoing.data).plain
    outbox.enqueue(office.personal, waiting, clock() + 10)
    clock.seconds += 2 * 86400
    assert deliver_due(office) == []
    sent = open_message(mailbox(service, CATCH_ALL)[0])
    assert sent.plain.strip() == said
    (entry,) = register.latest(library.engine)
    assert entry.message_id == waiting.outgoing.message_id, "it is the same letter"
    assert outbox.sent_item(office.personal, entry.message_id)


def test_a_promise_that_cannot_be_made_any_more_brings_the_letter_back(
    office: Office,
    item: Item,
    me: Member,
    token: Callable[[], str],
    service: MailService,
    clock: Clock,
    library: Library,
) -> None:
    waiting = promise(library, item, me, token, "the sending day + 2 days")
    blank = replace(
        waiting.letter,
        body=body.read("<p>Paid by {{by}}. {{extra}}</p>"),
        placeholders=(*waiting.letter.placeholders, Placeholder("extra")),
    )
    outbox.enqueue(office.personal, replace(waiting, letter=blank), clock() + 10)
    clock.seconds += 86400
    entry = only(deliver_due(office))
    assert entry.state == "refused"
    assert "and now it cannot go: Extra is not completed" in entry.words
    assert mailbox(service, CATCH_ALL) == []
    assert outbox.take_back(office.personal, waiting.id, 1.0)


def test_a_library_that_is_only_away_makes_a_letter_wait(
    office: Office, item: Item, me: Member, token: Callable[[], str], library: Library,
    clock: Clock, service: MailService, monkeypatch: pytest.MonkeyPatch,
) -> None:  # fmt: skip
    waiting = promise(library, item, me, token, "the sending day + 2 days")
    outbox.enqueue(office.personal, waiting, clock() + 10)
    clock.seconds += 86400

    def away(*_args: object) -> None:
        raise Away("The library cannot be read: the server does not answer")

    with monkeypatch.context() as patched:
        patched.setattr(library, "catalogue", away)
        entry = only(deliver_due(office))
    assert entry.state == "waiting"
    assert "the server does not answer" in entry.words
    clock.seconds += RETRY_SECONDS[-1]
    assert deliver_due(office) == []
    assert len(mailbox(service, CATCH_ALL)) == 2


def test_what_is_written_anew_is_checked_anew(
    office: Office, item: Item, me: Member, token: Callable[[], str], library: Library,
    clock: Clock, service: MailService,
) -> None:  # fmt: skip
    """A file that was valid yesterday is not today: what a person was told no longer holds."""
    waiting = promise(library, item, me, token, "the sending day + 2 days")
    file = library.put_file(b"terms", "terms.pdf", "application/pdf")
    library.set_valid_until(file, NOW.date())
    attached = (letters.Attachment(file, ("terms.pdf",), "application/pdf", 5),)
    waiting = replace(waiting, letter=replace(waiting.letter, attachments=attached))
    outbox.enqueue(office.personal, waiting, clock() + 10)
    clock.seconds += 86400
    entry = only(deliver_due(office))
    assert entry.state == "refused"
    assert "now it cannot go: The attachment terms.pdf was valid until" in entry.words
    assert mailbox(service, CATCH_ALL) == []


def test_a_line_that_is_encrypted_at_once(tmp_path: Path, item: Item) -> None:
    """RFC 8314 §3: implicit TLS for both; the port says so where nothing else does."""
    service = MailService(tmp_path / "mail at once", PASSWORDS, at_once=True)
    service.start()
    account = service.account(ME)
    outgoing = item.outgoing
    deliver(account, PASSWORDS[ME], outgoing.sender, outgoing.recipients, outgoing.data)
    assert len(mailbox(service, CATCH_ALL)) == 2
    with (
        pytest.raises(NebbetError, match="not to be trusted"),
        imap.mailbox(replace(account, certificate=""), PASSWORDS[ME]),
    ):
        pass
    service.stop()
    assert replace(account, smtp_tls="", smtp_port=465).smtp_at_once
    assert not replace(account, imap_tls="", imap_port=143).imap_at_once


def test_a_token_lets_in_and_is_asked_for_once(
    office: Office, item: Item, service: MailService, tmp_path: Path
) -> None:
    """RFC 7628 and what came before it; the stand-in's SMTP takes the password as the token."""
    count = tmp_path / "count"
    command = f"sh -c 'echo x >> {count}; echo {PASSWORDS[ME]}'"
    account = replace(service.account(ME), token_command=command)
    secret.forget_token(account)
    token = secret.secret_of(account, SessionSecrets({}))
    for _ in range(2):
        assert secret.secret_of(account, SessionSecrets({})) == token == PASSWORDS[ME]
    outgoing = item.outgoing
    deliver(account, token, outgoing.sender, outgoing.recipients, outgoing.data)
    assert len(mailbox(service, CATCH_ALL)) == 2
    with pytest.raises(DeliveryError, match="does not accept"):
        deliver(account, "stale", outgoing.sender, outgoing.recipients, outgoing.data)
    secret.secret_of(account, SessionSecrets({}))
    assert count.read_text() == "x\nx\n", "after a refusal it is asked for anew"


@pytest.mark.parametrize("command", ["false", "no-such-program", "'unclosed", "true", "sh -c exit"])
def test_a_command_that_gives_no_token_is_told(service: MailService, command: str) -> None:
    account = replace(service.account(ME), token_command=command)
    with pytest.raises(DeliveryError, match="command that gives the token"):
        secret.secret_of(account, SessionSecrets({}))


def test_an_account_s_limits_are_kept_over_restarts(
    office: Office, me: Member, token: Callable[[], str], hanna: Contact, clock: Clock
) -> None:
    account = replace(office.account, limits=(2, 3, 0))
    slow = replace(office, account=account)
    for number in range(4):
        outbox.enqueue(office.personal, make_item(hanna, me, token, f"l{number}"), clock())
    left = deliver_due(slow)
    assert len(left) == 2 and {entry.state for entry in left} == {"held"}
    assert all("no more letters go just now" in entry.words for entry in left)
    assert min(entry.due for entry in left) == clock() + 60
    assert len(deliver_due(replace(slow))) == 2, "before its time nothing goes, whoever asks"
    clock.seconds += 61
    (last,) = deliver_due(slow)
    assert last.due > clock() + 3000, "the hour allows three"
    clock.seconds += 3600
    assert deliver_due(slow) == []


@pytest.mark.parametrize("text", ["many", "ten a minute", "5 a year", "3"])
def test_what_is_no_limit_is_told(text: str) -> None:
    with pytest.raises(NebbetError, match="no limit"):
        read_limits(text)


def test_limits_are_read_as_they_are_shown() -> None:
    for limits in ((0, 0, 0), (1, 2, 3), (0, 200, 0)):
        assert read_limits(limits_in_words(limits)) == limits
    assert read_limits("10/minute and 500 per day") == (10, 0, 500)


# One process at a time


def test_what_another_process_delivers_is_left_to_it(
    office: Office, item: Item, service: MailService
) -> None:
    outbox.enqueue(office.personal, item, office.now())
    with alone(office.personal) as nobody_else:
        assert nobody_else
        assert only(deliver_due(office)).state == "held"
        assert outbox.claim(office.personal, item), "as the other process does"
        assert outbox.recover(office.personal) == 0, "it is on its way, and not left behind"
    assert outbox.recover(office.personal) == 1


@pytest.mark.logs
def test_a_folder_without_locks_keeps_no_letter(office: Office, item: Item) -> None:
    Path(f"{office.personal.url.database}.delivering").mkdir()
    assert send(office, item) == []
