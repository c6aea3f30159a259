"""What is kept of the last lines of an account: enough to see what is wrong, and no secret."""

import base64
import logging
import subprocess
import sys

import pytest
from msgspec.structs import replace

from nebbet.core.errors import NebbetError
from nebbet.personal import outbox
from nebbet.personal.home import LETTERS_LOG
from nebbet.personal.items import Item
from nebbet.post import conversation, imap
from nebbet.post.delivering import Office, deliver_due
from tests.post.conftest import ME, PASSWORDS


def test_both_lines_are_told_without_what_is_secret(office: Office, item: Item) -> None:
    outbox.enqueue(office.personal, item, office.now())
    deliver_due(office)
    sending, mailbox = (conversation.last(ME, side) for side in ("sending", "mailbox"))
    for text in (sending, mailbox):
        for secret in (PASSWORDS[ME], base64.b64encode(PASSWORDS[ME].encode()).decode(), "Dear"):
            assert secret not in text
        assert base64.b64encode(f"\0{ME}\0{PASSWORDS[ME]}".encode()).decode() not in text
    assert "→ AUTH PLAIN •••" in sending and "← 235" in sending
    assert f"→ rcpt TO:<{item.outgoing.recipients[0]}>" in sending
    assert "bytes)" in sending and "← 250" in sending
    assert "AUTHENTICATE PLAIN" in mailbox and "APPEND" in mailbox and "bytes)" in mailbox


def test_a_refused_password_is_told_and_hidden(office: Office) -> None:
    with pytest.raises(NebbetError), imap.mailbox(office.account, "wr0ng-pass"):
        pass
    text = conversation.last(ME, "mailbox")
    assert "NO" in text and "wr0ng-pass" not in text
    assert base64.b64encode(f"\0{ME}\0wr0ng-pass".encode()).decode() not in text


@pytest.mark.parametrize(
    ("lines", "shown"),
    [
        ((">A1 LOGIN ann secret", "<A1 OK in", ">A2 NOOP"),
         "→ A1 LOGIN •••\n← A1 OK in\n→ A2 NOOP"),
        ((">AUTH LOGIN", "<334 VXNlcm5hbWU6", ">YW5u", "<334 UGFzc3dvcmQ6", ">c2VjcmV0", "<235 in"),
         "→ AUTH LOGIN\n← 334 •••\n→ •••\n← 334 •••\n→ •••\n← 235 in"),
        ((">A3 APPEND Sent {5}", "<+ go on", ">Hello", "<A3 OK"),
         "→ A3 APPEND Sent {5}\n← + go on\n→ (5 bytes)\n← A3 OK"),
        (("<* " + "x" * 500,), "← * " + "x" * 238 + "…"),
        (("<250 a\x1b[31mb\r\n",), "← 250 a [31mb"),
    ],
)  # fmt: skip
def test_what_is_hidden(lines: tuple[str, ...], shown: str) -> None:
    heard = conversation.Conversation()
    for line in lines:
        (heard.say if line[0] == ">" else heard.hear)(line[1:])
    assert heard.text == shown


def test_a_long_conversation_keeps_its_end() -> None:
    heard = conversation.begin("x", "sending")
    for number in range(1000):
        heard.say(f"NOOP {number}")
    assert heard.text.splitlines()[0] == "→ NOOP 600" and heard.text.endswith("999")
    assert conversation.last("nobody", "sending") == ""


def test_the_log_says_which_letter_went_and_nothing_of_it(
    office: Office, item: Item, caplog: pytest.LogCaptureFixture
) -> None:
    caplog.set_level(logging.INFO, LETTERS_LOG)
    outbox.enqueue(office.personal, item, office.now())
    deliver_due(replace(office))
    told = "\n".join(r.getMessage() for r in caplog.records if r.name == LETTERS_LOG)
    assert f"{item.outgoing.message_id} sent to h…l@post.example" in told
    assert f"{item.outgoing.message_id} gone" in told
    assert "hanna.verrell" not in told and "refund" not in told


def test_the_log_lies_in_the_state_folder(tmp_path) -> None:  # type: ignore[no-untyped-def]
    """XDG Base Directory Specification, “$XDG_STATE_HOME”."""
    script = (
        "import logging; from nebbet.personal.home import find_home, make_home, LETTERS_LOG\n"
        "from nebbet.cli.log import keep_log\n"
        "home = find_home({}); make_home(home); keep_log(home)\n"
        "logging.getLogger(LETTERS_LOG).info('a letter'); logging.getLogger('x').info('chatter')"
    )
    names = ("CONFIG", "DATA", "STATE")
    environment = {f"XDG_{name}_HOME": str(tmp_path / name) for name in names}
    done = subprocess.run(
        [sys.executable, "-c", script], env=environment, capture_output=True, check=True
    )
    log = tmp_path / "STATE" / "nebbet" / "nebbet.log"
    assert "a letter" in log.read_text() and "chatter" not in log.read_text()
    assert done.stderr == b"" and oct(log.stat().st_mode)[-3:] == "600"
