"""Messages on the wire against the RFCs, read back by the standard library's parser."""

import binascii
import email
import email.policy
import itertools
import quopri
import re
from collections.abc import Callable
from datetime import datetime
from email.headerregistry import AddressHeader

import pytest
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace

from nebbet.core import addresses, body, inline
from nebbet.core.addresses import Address, Problem
from nebbet.core.body import Frame
from nebbet.core.errors import NebbetError
from nebbet.core.letter import Attachment, Letter
from nebbet.core.message.compose import compose, with_bcc
from nebbet.core.message.encoded import EncodedFiles
from nebbet.core.message.links import mailto
from nebbet.core.message.outgoing import Outgoing
from nebbet.core.message.received import open_message
from nebbet.core.records import Contact, Member
from tests.conftest import NOW

PNG = b"\x89PNG\r\n\x1a\n" + bytes(range(256)) * 20
FILES = {"a" * 64: PNG, "b" * 64: bytes(range(256)) * 500, "c" * 64: b""}
ME = Member("m1", "Benedek", "Roy", "benedek.roy@lislesound.example")
LETTER = Letter(
    "l1",
    subject=("Your refund",),
    body=body.read("<p>Dear Hanna,</p><p>Grüße &amp; more</p>"),
    recipient=Contact("c1", email="hanna@post.example", first_name="Hanna", last_name="Verrell"),
)


def made(letter: Letter = LETTER, me: Member = ME, frame: Frame | None = None) -> Outgoing:
    count = itertools.count()
    return compose(
        letter,
        me,
        now=NOW,
        token=lambda: f"tok{next(count)}",
        frame=frame or Frame(),
        files=EncodedFiles(FILES.__getitem__),
    )


def parsed(outgoing: Outgoing) -> email.message.EmailMessage:
    found = email.message_from_bytes(outgoing.data, policy=email.policy.default)
    assert isinstance(found, email.message.EmailMessage)
    problems = [part.defects for part in found.walk()]
    problems += [value.defects for value in found.values()]
    assert not [d for defects in problems for d in defects], problems
    return found


# RFC 5322: structure


def test_the_headers_that_rfc_5322_asks_for() -> None:
    """RFC 5322 §3.6: Date and From, each once; Message-ID as <left@right>; CRLF line ends."""
    data = made().data
    found = parsed(made())
    assert found["Date"].datetime == NOW
    assert str(found["From"]) == "Benedek Roy <benedek.roy@lislesound.example>"
    assert str(found["To"]) == "Hanna Verrell <hanna@post.example>"
    assert re.fullmatch(r"<[^<>@\s]+@lislesound\.example>", str(found["Message-ID"]))
    assert found["MIME-Version"] == "1.0"
    for name in ("Date", "From", "To", "Subject", "Message-ID", "MIME-Version"):
        assert len(found.get_all(name)) == 1
    assert b"\n" not in data.replace(b"\r\n", b"")


def test_it_is_seven_bit_with_short_lines() -> None:
    """RFC 5321 §4.5.3.1.6: at most 998 octets; RFC 2045 §6.7: 76 in quoted-printable."""
    long = replace(
        LETTER,
        subject=("Ü" * 300,),
        body=body.read("<p>" + "wörd " * 2000 + "</p><p>" + "x" * 5000 + "</p>"),
        attachments=(Attachment("b" * 64, ("ä" * 120 + ".bin",)),),
    )
    data = made(long).data
    assert max(data) < 128
    lines = data.split(b"\r\n")
    assert max(map(len, lines)) <= 998
    assert max(len(line) for line in lines if not line.startswith(b" ")) <= 78
    assert str(parsed(made(long))["Subject"]) == "Ü" * 300


def test_plain_and_formatted_say_the_same() -> None:
    """RFC 2046 §5.1.4: the plain part goes first, the richest last."""
    found = parsed(made())
    assert found.get_content_type() == "multipart/alternative"
    kinds = [part.get_content_type() for part in found.get_payload()]
    assert kinds == ["text/plain", "text/html"]
    contents = (part.get_content() for part in found.get_payload())
    plain, formatted = (text.replace("\r\n", "\n") for text in contents)
    assert plain == "Dear Hanna,\n\nGrüße & more\n"
    assert "Grüße &amp; more" in formatted


def test_pictures_travel_with_the_formatted_part() -> None:
    """RFC 2387 and RFC 2392: multipart/related, and cid: is the Content-ID without brackets."""
    source = f'<p><img src="file:{"a" * 64}" alt="Plan"></p>'
    found = parsed(made(replace(LETTER, body=body.read(source))))
    related = found.get_payload()[1]
    assert related.get_content_type() == "multipart/related"
    formatted, picture = related.get_payload()
    used = re.search(r'src="cid:([^"]+)"', formatted.get_content())
    assert used is not None
    assert picture["Content-ID"] == f"<{used[1]}>"
    assert picture.get_content_type() == "image/png"
    assert picture.get_content() == PNG
    shown = open_message(made(replace(LETTER, body=body.read(source))).data)
    assert shown.pictures[used[1]] == PNG


def test_a_frame_s_logo_travels_too() -> None:
    found = parsed(made(frame=Frame(logo="a" * 64, logo_alt="Lisle")))
    assert [p for p in found.walk() if p.get_content_type() == "image/png"]


# Attachments


@pytest.mark.parametrize(
    "name",
    [
        "Claim form.pdf",
        "Reçu – n° 5.pdf",
        'quote"and\\slash.pdf',
        "x" * 150 + ".pdf",
        "附件.pdf",
        "semi;colon=1.pdf",
        "émoji 👍 and a very long name that has to be continued over several parameters.pdf",
    ],
)
def test_attachments_arrive_byte_for_byte_under_their_names(name: str) -> None:
    """RFC 2231 §3 and §4 for long and non-ASCII names, read by the standard library."""
    letter = replace(LETTER, attachments=(Attachment("b" * 64, (name,), "application/pdf"),))
    (part,) = parsed(made(letter)).iter_attachments()
    assert part.get_filename() == name
    assert part.get_content_type() == "application/pdf"
    assert part.get_content() == FILES["b" * 64]


@pytest.mark.parametrize(
    ("media_type", "expected"),
    [
        ("application/pdf", "application/pdf"),
        ("nonsense", "application/octet-stream"),
        ("text/html\r\nX-Evil: 1", "application/octet-stream"),
        ("multipart/mixed", "application/octet-stream"),
        ("", "application/octet-stream"),
    ],
)
def test_a_media_type_cannot_break_the_message(media_type: str, expected: str) -> None:
    letter = replace(LETTER, attachments=(Attachment("c" * 64, ("x",), media_type),))
    (part,) = parsed(made(letter)).iter_attachments()
    assert part.get_content_type() == expected


def test_base64_is_the_reference_s(token: Callable[[], str]) -> None:
    """RFC 2045 §6.8: lines of 76; reference: binascii on the whole."""
    encoded = EncodedFiles(FILES.__getitem__).base64("b" * 64)
    lines = encoded.split(b"\r\n")
    assert all(len(line) == 76 for line in lines[:-2])
    assert binascii.a2b_base64(encoded) == FILES["b" * 64]


def test_files_are_read_once_and_let_go_when_there_are_too_many() -> None:
    asked: list[str] = []

    def read(file: str) -> bytes:
        asked.append(file)
        return b"x" * 1000

    files = EncodedFiles(read, limit=3000)
    for file in ("1", "1", "2", "1", "3", "4", "1"):
        files.base64(file)
    assert asked == ["1", "2", "3", "4", "1"]


# Nothing gets into a header


@pytest.mark.parametrize(
    "evil", ["\r\nBcc: x@evil.example", "\nX: 1", "\rX: 1", "\u2028X: 1", "\x00"]
)
def test_line_breaks_never_get_into_headers(evil: str) -> None:
    assert LETTER.recipient is not None
    letter = replace(
        LETTER,
        subject=("Hello" + evil,),
        recipient=replace(LETTER.recipient, first_name="Hanna" + evil),
        attachments=(Attachment("c" * 64, ("a" + evil + ".txt",)),),
    )
    found = parsed(made(letter))
    assert found["Bcc"] is None
    assert found["X"] is None
    assert str(found["Subject"]).startswith("Hello ") or evil == "\x00"
    (part,) = found.iter_attachments()
    assert set(part.keys()) == {
        "Content-Type",
        "Content-Disposition",
        "Content-Transfer-Encoding",
    }


@pytest.mark.parametrize("part", ["cc", "bcc", "reply_to"])
def test_an_address_with_a_line_break_is_refused(part: str) -> None:
    letter = replace(LETTER, **{part: ("a@b.example\r\nBcc: x@evil.example",)})
    with pytest.raises(NebbetError, match="line break"):
        made(letter)


def test_a_blank_is_never_sent() -> None:
    for change in (
        {"subject": inline.parse("{{reason}}")},
        {"cc": inline.parse("{{desk}}")},
        {"body": body.read('<a href="https://x.example/{{n}}">x</a>')},
        {"attachments": (Attachment("c" * 64, inline.parse("{{n}}.pdf")),)},
    ):
        with pytest.raises(NebbetError, match="not completed"):
            made(replace(LETTER, **change))
    with pytest.raises(NebbetError, match="no recipient"):
        made(replace(LETTER, recipient=None))


def test_blind_copies_are_in_the_envelope_and_in_the_own_copy_only() -> None:
    letter = replace(LETTER, cc=("A <a@b.example>; hanna@post.example",), bcc=("boss@b.example",))
    outgoing = made(letter)
    assert outgoing.recipients == ("hanna@post.example", "a@b.example", "boss@b.example")
    assert b"boss" not in outgoing.data
    assert parsed(outgoing)["Bcc"] is None
    own = open_message(with_bcc(outgoing.data, outgoing.bcc))
    assert own.bcc == "boss@b.example"
    assert with_bcc(outgoing.data, "") == outgoing.data


def test_names_with_signs_are_quoted() -> None:
    """RFC 5322 §3.2.4: specials in a display name stand in quotes."""
    assert LETTER.recipient is not None
    recipient = replace(LETTER.recipient, first_name='Hanna "H."', last_name="Verrell, jun.")
    found = parsed(made(replace(LETTER, recipient=recipient)))
    assert isinstance(found["To"], AddressHeader)
    (address,) = found["To"].addresses
    assert address.display_name == 'Hanna "H." Verrell, jun.'
    accents = replace(LETTER.recipient, first_name="Jürgen", last_name="Ångström-Łukasiewicz")
    (address,) = parsed(made(replace(LETTER, recipient=accents)))["To"].addresses
    assert address.display_name == "Jürgen Ångström-Łukasiewicz"


WORDS = st.text(st.characters(blacklist_categories=["Cs", "Cc", "Zl", "Zp"]), max_size=120)


@given(WORDS)
def test_any_subject_comes_back(text: str) -> None:
    """RFC 2047: encoded words; read by the standard library. Runs of spaces may fold into one."""
    found = email.message_from_bytes(
        made(replace(LETTER, subject=(text or "x",))).data, policy=email.policy.default
    )
    squeezed = " ".join((text or "x").split(" "))
    assert "".join(str(found["Subject"]).split()) == "".join(squeezed.split())


@given(st.text(st.characters(blacklist_categories=["Cs", "Cc", "Zl", "Zp"]), max_size=400))
def test_any_text_comes_back_from_quoted_printable(text: str) -> None:
    """Reference: the quopri module."""
    source = body.tidy([body.Paragraph((body.Run(text),))])
    data = made(replace(LETTER, body=source)).data
    plain = data.split(b"quoted-printable\r\n\r\n", 1)[1].split(b"\r\n--=_")[0]
    decoded = quopri.decodestring(plain).decode("utf-8").replace("\r\n", "\n")
    assert decoded == body.render_plain(source)


# RFC 5322 Appendix A: messages of the standard are read


APPENDIX_A_1_1 = (
    b"From: John Doe <jdoe@machine.example>\r\nTo: Mary Smith <mary@example.net>\r\n"
    b"Subject: Saying Hello\r\nDate: Fri, 21 Nov 1997 09:55:06 -0600\r\n"
    b"Message-ID: <1234@local.machine.example>\r\n\r\n"
    b'This is a message just to say hello.\r\nSo, "Hello".\r\n'
)


def test_the_standard_s_first_example_is_read() -> None:
    """RFC 5322, Appendix A.1.1."""
    found = open_message(APPENDIX_A_1_1)
    assert (found.sender, found.subject) == ("John Doe <jdoe@machine.example>", "Saying Hello")
    assert found.plain.startswith("This is a message")


def test_the_standard_s_addresses_are_read() -> None:
    """RFC 5322, Appendix A.1.2: quoted names and several addresses."""
    found, problems = addresses.read(
        '"Joe Q. Public" <john.q.public@example.com>, Mary Smith <mary@x.example>, '
        "jdoe@example.org, Who? <one@y.example>, <boss@nil.example>, "
        '"Giant; \\"Big\\" Box" <sysservices@example.net>'
    )
    assert problems == ()
    assert [a.name for a in found] == [
        "Joe Q. Public",
        "Mary Smith",
        "",
        "Who?",
        "",
        'Giant; "Big" Box',
    ]


@pytest.mark.parametrize("broken", [b"", b"\xff\xfe", b"Subject: =?x?q?=ff?=\r\n\r\n", b"a" * 5000])
def test_a_broken_message_is_shown_as_far_as_it_goes(broken: bytes) -> None:
    open_message(broken)


# Addresses


@pytest.mark.parametrize(
    ("text", "spec"),
    [
        ("ana@host.example", "ana@host.example"),
        (" Ana <ana@HOST.example> ", "ana@host.example"),
        ("ana@münchen.example", "ana@xn--mnchen-3ya.example"),
        ("ana+tag@host.example", "ana+tag@host.example"),
    ],
)
def test_addresses_as_people_type_them(text: str, spec: str) -> None:
    found = addresses.one(text)
    assert isinstance(found, Address)
    assert found.spec == spec


@pytest.mark.parametrize(
    "text",
    ["", "ana", "ana@", "@host.example", "ana@host", "a b@host.example", "a@b@c.example",
     "ana@-host.example", "änä@host.example", "<>", '"', "a" * 70 + "@host.example"],
)  # fmt: skip
def test_what_is_no_address(text: str) -> None:
    found = addresses.one(text)
    assert isinstance(found, Problem)
    assert found.reason


def test_one_bad_address_does_not_hide_the_others() -> None:
    found, problems = addresses.read("a@b.example; nobody, c@d.example")
    assert [a.spec for a in found] == ["a@b.example", "c@d.example"]
    assert [p.text for p in problems] == ["nobody"]


# RFC 6068: links


@pytest.mark.parametrize(
    ("arguments", "link"),
    [
        ({"to": ["chris@example.com"]}, "mailto:chris@example.com"),
        (
            {"to": ["infobot@example.com"], "subject": "current-issue"},
            "mailto:infobot@example.com?subject=current-issue",
        ),
        (
            {"to": ["infobot@example.com"], "body": "send current-issue\nsend index"},
            "mailto:infobot@example.com?body=send%20current-issue%0D%0Asend%20index",
        ),
        ({"to": ["gorby%kremvax@example.com"]}, "mailto:gorby%25kremvax@example.com"),
        (
            {"to": ["unlikely?address@example.com"], "subject": "Q"},
            "mailto:unlikely%3Faddress@example.com?subject=Q",
        ),
        (
            {"to": ["user@example.org"], "subject": "café"},
            "mailto:user@example.org?subject=caf%C3%A9",
        ),
        (
            {"to": ["joe@example.com"], "cc": ["bob@example.com"], "body": "hello"},
            "mailto:joe@example.com?cc=bob@example.com&body=hello",
        ),
    ],
)  # fmt: skip
def test_the_examples_of_rfc_6068(arguments: dict, link: str) -> None:
    """RFC 6068 §6.1 to §6.3; the last one with its address in the path."""
    assert mailto(**arguments) == link


@given(WORDS, st.text(max_size=200))
def test_a_link_says_what_was_put_in(subject: str, text: str) -> None:
    """Reference: urllib.parse.unquote, and RFC 6068 §2 on what must be encoded."""
    from urllib.parse import unquote

    text = text.encode("utf-8", "ignore").decode()
    link = mailto(["a@b.example"], subject, text)
    assert re.fullmatch(r"[A-Za-z0-9\-._~!$'()*+,;:@/?&=%]+", link)
    fields = dict(p.split("=", 1) for p in link.partition("?")[2].split("&") if p)
    assert unquote(fields.get("subject", "")) == re.sub(r"[\r\n]+", " ", subject)
    assert unquote(fields.get("body", "")) == re.sub(r"\r\n|\r|\n", "\r\n", text)


def test_the_date_is_written_with_its_zone(now: datetime) -> None:
    assert b"Date: Wed, 25 Nov 2026 09:30:00 +0000\r\n" in made().data
    assert mailto() == "mailto:"
