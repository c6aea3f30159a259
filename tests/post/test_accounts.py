"""Several accounts: a letter goes by the one it is sent from, and its copy into the mailbox of
that one. RFC 5322 §3.6.2 (From and Sender), RFC 5321 §3.3 (the sender of the envelope)."""

import email
import email.policy
from collections.abc import Callable
from email.message import EmailMessage
from pathlib import Path

import pytest
from msgspec.structs import replace
from sqlalchemy import Engine

from nebbet.core.body import Frame
from nebbet.core.message.compose import compose
from nebbet.core.message.encoded import EncodedFiles
from nebbet.core.records import Contact, Member
from nebbet.library.store import Library
from nebbet.personal import outbox
from nebbet.personal.items import Item
from nebbet.personal.secrets import SessionSecrets
from nebbet.personal.settings import (
    Account,
    Settings,
    account_for,
    own_addresses,
    read_settings,
    write_settings,
)
from nebbet.post import imap
from nebbet.post.delivering import Office, deliver_due
from nebbet.standin.ports import CATCH_ALL
from nebbet.standin.service import MailService
from tests.conftest import NOW
from tests.post.conftest import ME, Clock, make_item

CLAIMS = "claims@lislesound.example"
CLAIMS_HEADER = f"Claims <{CLAIMS}>"
PASSWORDS = {ME: "mine", CLAIMS: "theirs", CATCH_ALL: "catch"}


@pytest.fixture
def two(tmp_path: Path, personal: Engine, library: Library, clock: Clock):  # type: ignore[no-untyped-def]
    """An office with two accounts, and the service."""
    service = MailService(tmp_path / "two", PASSWORDS)
    service.start()
    claims = replace(service.account(CLAIMS), froms=(CLAIMS_HEADER,))
    secrets = SessionSecrets(PASSWORDS)
    yield Office(personal, library, service.account(ME), secrets, clock, (claims,)), service
    service.stop()


def messages(service: MailService, user: str, folder: str = "Sent") -> list[EmailMessage]:
    with imap.mailbox(service.account(user), PASSWORDS[user]) as client:
        client.select_folder(folder, readonly=True)
        found = client.fetch(client.search(), ["RFC822"]).values()
    read = email.message_from_bytes
    return [read(one[b"RFC822"], policy=email.policy.default) for one in found]  # type: ignore[misc]


def from_claims(item: Item, me: Member, token: Callable[[], str], own: frozenset[str]) -> Item:
    letter = replace(item.letter, id="l2", mailbox=(CLAIMS_HEADER,))
    outgoing = compose(
        letter, me, now=NOW, token=token, frame=Frame(), files=EncodedFiles(lambda _file: b""),
        own=own,
    )  # fmt: skip
    entry = replace(item.entry, message_id=outgoing.message_id)
    return replace(item, id="l2", letter=letter, outgoing=outgoing, entry=entry)


def test_each_letter_goes_by_the_account_it_is_sent_from(
    two: tuple[Office, MailService], hanna: Contact, me: Member, token: Callable[[], str]
) -> None:
    office, service = two
    mine = make_item(hanna, me, token, "l1")
    theirs = from_claims(mine, me, token, frozenset(own_addresses(office.accounts)))
    for item in (mine, theirs):
        outbox.enqueue(office.personal, item, office.now())
    assert deliver_due(office) == []
    sent = {
        str(m["From"]): m for m in messages(service, CATCH_ALL, "INBOX") if m["To"] and not m["Bcc"]
    }
    assert sent.keys() == {f"Benedek Roy <{ME}>", CLAIMS_HEADER}
    assert sent[CLAIMS_HEADER]["Sender"] is None, "whose own mailbox it is need not say for whom"
    for user, item in ((ME, mine), (CLAIMS, theirs)):
        (copy,) = messages(service, user)
        assert copy["Message-ID"] == item.outgoing.message_id


def test_a_mailbox_that_is_nobody_s_account_is_sent_for(
    two: tuple[Office, MailService], hanna: Contact, me: Member, token: Callable[[], str]
) -> None:
    office, service = two
    office = replace(office, more=())
    item = from_claims(make_item(hanna, me, token, "l1"), me, token, frozenset())
    outbox.enqueue(office.personal, item, office.now())
    assert deliver_due(office) == []
    (copy,) = messages(service, ME)
    assert copy["From"] == CLAIMS_HEADER and ME in copy["Sender"]
    assert item.outgoing.sender == ME


def test_limits_and_passwords_are_each_account_s_own(
    two: tuple[Office, MailService], hanna: Contact, me: Member, token: Callable[[], str]
) -> None:
    office, service = two
    claims = replace(office.more[0], limits=(1, 0, 0))
    office = replace(office, more=(claims,), secrets=SessionSecrets({CLAIMS: "theirs"}))
    own = frozenset(own_addresses(office.accounts))
    theirs = from_claims(make_item(hanna, me, token, "l1"), me, token, own)
    second = from_claims(make_item(hanna, me, token, "l1"), me, token, own)
    for item in (theirs, replace(second, id="l3"), make_item(hanna, me, token, "l1")):
        outbox.enqueue(office.personal, item, office.now())
    left = {e.item.id: e for e in deliver_due(office)}
    assert left["l3"].words.startswith("Your account lets no more letters go")
    assert left["l1"].state == "refused" and "password" in left["l1"].words
    assert len(messages(service, CLAIMS)) == 1


def test_an_unsure_letter_is_looked_for_in_its_own_mailbox(
    two: tuple[Office, MailService], hanna: Contact, me: Member, token: Callable[[], str]
) -> None:
    office, service = two
    own = frozenset(own_addresses(office.accounts))
    item = from_claims(make_item(hanna, me, token, "l1"), me, token, own)
    outbox.enqueue(office.personal, item, office.now())
    outbox.claim(office.personal, item)
    outbox.recover(office.personal)
    copies = imap.Copies(office.more[0])
    copies.file("theirs", item.outgoing.data, NOW)
    copies.leave()
    assert deliver_due(office) == []
    assert len(messages(service, CLAIMS)) == 1


def test_accounts_are_kept_in_the_settings(tmp_path: Path) -> None:
    path = tmp_path / "config.toml"
    more = (Account(CLAIMS, froms=(CLAIMS_HEADER, "x@y.example")), Account("third"))
    path.write_text("# mine\nlook = 'dark'  # at night\n")
    for kept in (more, more[1:], ()):
        settings = Settings(look="dark", account=Account(ME), more=kept)
        write_settings(path, settings)
        assert read_settings(path) == settings
        assert "# mine" in path.read_text() and "# at night" in path.read_text()
    accounts = (Account(ME), *more)
    assert account_for(accounts, "X@Y.example") is more[0]
    assert account_for(accounts, "nobody@y.example") is accounts[0]
    assert own_addresses(accounts).keys() == {ME, CLAIMS, "x@y.example"}, "a user may be no address"
