"""Headers keep to their lines whatever is in them; broken messages are read as far as it goes."""

import email
import email.policy
import re
import time
from collections.abc import Callable
from email.message import EmailMessage

import pytest
from msgspec.structs import replace

from nebbet.core import body
from nebbet.core.body import Frame
from nebbet.core.errors import NebbetError
from nebbet.core.letter import Attachment, Letter
from nebbet.core.message.charsets import decoded, known
from nebbet.core.message.compose import compose
from nebbet.core.message.encoded import EncodedFiles
from nebbet.core.message.headers import file_name
from nebbet.core.message.received import LONGEST_TEXT, open_message
from nebbet.core.records import Contact, Member
from tests.conftest import NOW


def made(letter: Letter, sender: Member, token: Callable[[], str], data: bytes = b"x") -> bytes:
    files = EncodedFiles(lambda _file: data)
    return compose(letter, sender, now=NOW, token=token, frame=Frame(), files=files).data


def head_of(data: bytes) -> bytes:
    return data.partition(b"\r\n\r\n")[0]


BREAKS = ["\r\n", "\n", "\r", "\x0b", "\x0c", "\x85", "\u2028", "\u2029", "\r\n ", "\0"]


@pytest.mark.parametrize("cut", BREAKS)
def test_no_name_and_no_subject_makes_a_header_of_its_own(
    cut: str, hanna: Contact, me: Member, token: Callable[[], str]
) -> None:
    evil = f"a{cut}Bcc: eve@evil.example"
    attachment = Attachment("b" * 64, (f"{evil}.pdf",), f"application/pdf{cut}X: 1")
    letter = Letter(
        "l", subject=(evil,), body=body.read("<p>x</p>"), recipient=replace(hanna, first_name=evil),
        attachments=(attachment,),
    )  # fmt: skip
    data = made(letter, replace(me, first_name=evil), token)
    read = email.message_from_bytes(data, policy=email.policy.default)
    assert read["Bcc"] is None
    assert read["X"] is None
    names = [line.split(b":")[0] for line in head_of(data).split(b"\r\n") if line[:1] != b" "]
    assert names == [b"Date", b"From", b"To", b"Subject", b"Message-ID", b"MIME-Version",
                     b"Content-Type"]  # fmt: skip


@pytest.mark.parametrize("name", ["x" * 1000, "x " * 500, "é" * 1000, '"' * 500, "a" * 70 + " b"])
def test_long_names_stay_within_a_line(
    name: str, hanna: Contact, me: Member, token: Callable[[], str]
) -> None:
    """RFC 5322 §2.1.1: 998 characters at most, 78 as it should be."""
    letter = Letter(
        "l", subject=(name,), body=body.read("<p>x</p>"), recipient=replace(hanna, first_name=name),
        attachments=(Attachment("b" * 64, (f"{name}.pdf",), "application/pdf"),),
    )  # fmt: skip
    data = made(letter, replace(me, first_name=name), token)
    assert max(map(len, data.split(b"\r\n"))) <= 998
    assert max(map(len, head_of(data).split(b"\r\n"))) <= 78
    read = email.message_from_bytes(data, policy=email.policy.default)
    assert isinstance(read, EmailMessage)
    assert read["To"].addresses[0].addr_spec == hanna.email
    # The library's parser puts spaces between encoded words of a name (RFC 2047 §6.2 says none).
    shown = re.sub(r"\s+", "", read["From"].addresses[0].display_name)
    assert re.sub(r"\s+", "", name) in shown


@pytest.mark.parametrize("sign", "\u202e\u202d\u2066\u2069\u200f\u061c")
def test_names_of_attachments_are_not_turned_round(sign: str) -> None:
    """Unicode Technical Report 36, §3.3: bidirectional text spoofing."""
    assert file_name(f"conditions{sign}fdp.exe") == "conditionsfdp.exe"


def test_an_attached_message_arrives_byte_for_byte(
    hanna: Contact, me: Member, token: Callable[[], str]
) -> None:
    """RFC 2046 §5.2.1 forbids to encode a message/rfc822 part: it goes as a file."""
    inner = b"From: a@b.example\r\nSubject: inner\r\n\r\n" + "ü\n".encode() + b"x" * 2000
    letter = Letter(
        "l", subject=("s",), body=body.read("<p>x</p>"), recipient=hanna,
        attachments=(Attachment("b" * 64, ("m.eml",), "message/rfc822"),),
    )  # fmt: skip
    ((name, data),) = open_message(made(letter, me, token, inner)).attachments
    assert (name, data) == ("m.eml", inner)


def test_a_message_within_a_message_is_a_whole_file() -> None:
    outer, inner = EmailMessage(), EmailMessage()
    inner["Subject"] = "Your booking"
    inner.set_content("inner text")
    outer.set_content("see below")
    outer.add_attachment(inner)
    ((name, data),) = open_message(outer.as_bytes()).attachments
    assert name == "Your booking.eml"
    assert b"inner text" in data


HEAD = b"From: a@b.example\r\nSubject: kept\r\n"
BROKEN = [
    b"To: a@\r\n",
    b"To: <\r\n",
    b"To: ;:,<>@\r\n",
    b'To: "\r\n',
    b"To: (((((((\r\n",
    b"Cc: =?utf-8?B?/?=\r\n",
    b"To: " + b"(" * 5000 + b"\r\n",
    b"To: " + b"<" * 20000 + b"\r\n",
    b"To: " + b"a@b.example," * 20000 + b"\r\n",
    b"Date: Mon, 32 Jan 99999999999 99:99:99 +9999\r\n",
    b"Date: x\r\n",
    b"To: \x00\x01\r\n",
    b"Subject: =?punycode?Q?" + b"a" * 9000 + b"?=\r\n",
    b"Subject: =?x?Q?a?=\r\n",
    b"To: \xff\xfe\r\n",
    b"Content-Type: text/plain; charset=no-such\r\n",
    b"Content-Type: text/plain; charset=idna\r\n",
    b"Content-Type: text/plain; charset=zlib\r\n",
    b'Content-Type: text/plain; charset="\xff"\r\n',
    b"Content-Type: text/plain; charset*0*=utf-8; charset*1*=x\r\n",
    b"Content-Type: /\r\n",
    b"Content-Type: ;;;=\r\n",
    b"Content-Type: text/plain; charset*=x'y'%\r\n",
    b"Content-Type: message/rfc822\r\n",
    b"Content-Type: multipart/mixed\r\n",
    b"Content-Type: multipart/mixed; boundary=\r\n",
    b"Content-Type: multipart/related; boundary=b; start=<x>\r\n",
    b"Content-Disposition: attachment; filename*0*=\r\n",
    b"Content-Disposition: attachment; filename*=\r\n",
    b"Content-Disposition: attachment; filename*0*=x'y; filename*2=z\r\n",
    b"Content-Disposition: ;\r\n",
    b"Content-Transfer-Encoding: base64\r\n",
    b"Content-Transfer-Encoding: uuencode\r\n",
    b"Content-ID: <\r\n",
    b"Content-ID: =?utf-8?Q?=FF?=\r\n",
    b"MIME-Version: 9\r\n",
    b": x\r\n",
    b"no colon\r\n",
    b" folded first\r\n",
]


@pytest.mark.parametrize("broken", BROKEN, ids=range(len(BROKEN)))
def test_a_broken_message_is_read_as_far_as_it_goes(broken: bytes) -> None:
    started = time.process_time()
    for data in (
        broken + HEAD + b"\r\nbody",
        HEAD + broken + b"\r\nbody",
        HEAD
        + b"Content-Type: multipart/mixed; boundary=q\r\n\r\n--q\r\n"
        + broken
        + b"\r\nx\r\n--q--",
    ):
        found = open_message(data)
        for words in (found.sender, found.to, found.subject, found.plain, found.html):
            words.encode("utf-8")
    assert time.process_time() - started < 20


def test_parts_within_parts_are_refused_with_a_sentence() -> None:
    deep = b""
    for level in range(3000):
        deep += b"Content-Type: multipart/mixed; boundary=b%d\r\n\r\n--b%d\r\n" % (level, level)
    try:
        open_message(deep)
    except NebbetError as error:
        assert "parts within parts" in error.sentence


def test_no_more_text_is_read_than_a_letter_has() -> None:
    found = open_message(HEAD + b"\r\n" + b"line\r\n" * 2_000_000)
    assert (len(found.plain), found.cut) == (LONGEST_TEXT, True)


@pytest.mark.parametrize(
    "name", ["punycode", "idna", "zlib", "hex", "rot13", "unicode_escape", "", "x\0"]
)
def test_what_is_no_charset_of_mail_is_not_used(name: str) -> None:
    assert known(name) == ""
    assert decoded("ü".encode(), name) == "ü"
