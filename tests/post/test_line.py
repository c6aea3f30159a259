"""One line serves many letters (RFC 5321 §3.3 allows any number of them), and what goes wrong with
it on the way costs no letter."""

import smtplib
from collections.abc import Callable

import pytest
from msgspec.structs import replace

from nebbet.core.records import Contact, Member
from nebbet.library import register
from nebbet.personal import outbox
from nebbet.post import imap, smtp
from nebbet.post.delivering import Office, deliver_due
from nebbet.post.errors import DeliveryError
from nebbet.standin.ports import CATCH_ALL
from nebbet.standin.service import MailService
from tests.post.conftest import ME, make_item
from tests.post.test_carrier import mailbox


@pytest.fixture
def opened(monkeypatch: pytest.MonkeyPatch) -> list[smtplib.SMTP]:
    """The lines that are opened for sending."""
    made: list[smtplib.SMTP] = []
    connection = smtp._connection

    def counted(*args: object) -> smtplib.SMTP:
        made.append(connection(*args))  # type: ignore[arg-type]
        return made[-1]

    monkeypatch.setattr(smtp, "_connection", counted)
    return made


def enqueue(
    office: Office, hanna: Contact, me: Member, token: Callable[[], str], names: list[str]
) -> None:
    for count, name in enumerate(names):
        to = replace(hanna, email=f"{name}@post.example")
        outbox.enqueue(office.personal, make_item(to, me, token, name), count / 10)


def test_many_letters_go_over_one_line(
    office: Office, hanna: Contact, me: Member, token: Callable[[], str], service: MailService,
    opened: list[smtplib.SMTP], monkeypatch: pytest.MonkeyPatch,
) -> None:  # fmt: skip
    boxes, entered = [], imap._enter
    monkeypatch.setattr(imap, "_enter", lambda *args: (boxes.append(1), entered(*args)))
    enqueue(office, hanna, me, token, ["a", "b", "c"])
    assert deliver_due(office) == []
    assert len(opened) == 1 and len(boxes) == 1
    assert len(register.latest(office.library.engine)) == 3
    assert len(mailbox(service, ME, "Sent")) == 3
    assert deliver_due(office) == [] and len(opened) == 1, "with nothing to send there is no line"


def test_a_line_that_was_closed_between_two_letters_is_opened_anew(
    office: Office, service: MailService, hanna: Contact, me: Member, token: Callable[[], str],
    opened: list[smtplib.SMTP],
) -> None:  # fmt: skip
    line = smtp.Line(office.account)
    for name in ("a", "b"):
        outgoing = make_item(hanna, me, token, name).outgoing
        line.deliver("secret", ME, outgoing.recipients, outgoing.data)
        sock = opened[-1].sock
        assert sock is not None
        sock.shutdown(2)  # as a server does that has waited long enough
    line.leave()
    assert len(opened) == 2
    assert len(mailbox(service, CATCH_ALL)) == 4


def test_a_refused_recipient_costs_the_next_letter_nothing(
    office: Office, service: MailService, hanna: Contact, me: Member, token: Callable[[], str]
) -> None:
    service.faults.refuse = {"b@post.example"}
    enqueue(office, hanna, me, token, ["a", "b", "c"])
    (left,) = deliver_due(office)
    assert (left.item.id, left.state) == ("b", "refused")
    assert len(register.latest(office.library.engine)) == 2


def test_what_was_cut_off_after_the_end_is_never_tried_again_by_itself(
    office: Office, service: MailService, hanna: Contact, me: Member, token: Callable[[], str]
) -> None:
    line, outgoing = smtp.Line(office.account), make_item(hanna, me, token, "a").outgoing
    line.deliver("secret", ME, outgoing.recipients, outgoing.data)
    service.faults.drop = "after"
    other = make_item(hanna, me, token, "b").outgoing
    with pytest.raises(DeliveryError) as caught:
        line.deliver("secret", ME, other.recipients, other.data)
    line.leave()
    assert caught.value.kind == "uncertain"
    assert len(mailbox(service, CATCH_ALL)) == 4, "once to each of the two recipients"


def test_a_busy_server_is_asked_once_more_over_a_fresh_line(
    office: Office, service: MailService, hanna: Contact, me: Member, token: Callable[[], str],
    opened: list[smtplib.SMTP],
) -> None:  # fmt: skip
    line, outgoing = smtp.Line(office.account), make_item(hanna, me, token, "a").outgoing
    line.deliver("secret", ME, outgoing.recipients, outgoing.data)
    service.faults.busy = 421
    with pytest.raises(DeliveryError) as caught:
        line.deliver("secret", ME, outgoing.recipients, outgoing.data)
    line.leave()
    assert caught.value.kind == "busy" and len(opened) == 2
