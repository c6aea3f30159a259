"""Answers to messages. Sources: RFC 5322 appendix A.2 (a conversation of three messages, from
memory), §3.6.2 and §3.6.4; RFC 2369 §3.4 for lists. Words that programs put before subjects are
common practice, no source."""

import email
import email.policy
from datetime import date, datetime, timedelta, timezone

import pytest

from nebbet.core.addresses import Address
from nebbet.core.body import render_plain
from nebbet.core.message.answering import (
    Arrived,
    answer_to,
    arrived,
    forward_subject,
    own_words,
    references_for,
    reply_subject,
    words_of,
)
from nebbet.core.message.received import open_message
from nebbet.core.message.taken import taken_from
from nebbet.core.message.threads import in_threads
from nebbet.core.placeholders import Kind

FIRST = b"""\
From: John Doe <jdoe@machine.example>
To: Mary Smith <mary@example.net>
Subject: Saying Hello
Date: Fri, 21 Nov 1997 09:55:06 -0600
Message-ID: <1234@local.machine.example>

This is a message just to say hello.
"""
SECOND = b"""\
From: Mary Smith <mary@example.net>
To: John Doe <jdoe@machine.example>
Reply-To: "Mary Smith: Personal Account" <smith@home.example>
Subject: Re: Saying Hello
Date: Fri, 21 Nov 1997 10:01:10 -0600
Message-ID: <3456@example.net>
In-Reply-To: <1234@local.machine.example>
References: <1234@local.machine.example>

This is a reply to your hello.
"""


def test_the_conversation_of_the_standard() -> None:
    first, second = arrived(FIRST), arrived(SECOND)
    assert references_for(first) == ("<1234@local.machine.example>",)
    assert answer_to(first, ["mary@example.net"]).to == (
        Address("John Doe", "jdoe@machine.example"),
    )
    assert reply_subject(first.subject) == "Re: Saying Hello" == reply_subject(second.subject)
    assert references_for(second) == ("<1234@local.machine.example>", "<3456@example.net>")
    (to,) = answer_to(second, ["jdoe@machine.example"]).to
    assert to == Address("Mary Smith: Personal Account", "smith@home.example")
    assert first.written == datetime(1997, 11, 21, 9, 55, 6, tzinfo=timezone(timedelta(hours=-6)))


def test_in_reply_to_stands_for_missing_references_only_if_it_names_one() -> None:
    one = arrived(b"In-Reply-To: <a@x>\nMessage-ID: <b@x>\n\n")
    assert references_for(one) == ("<a@x>", "<b@x>")
    two = arrived(b"In-Reply-To: <a@x> <c@x>\nMessage-ID: <b@x>\n\n")
    assert references_for(two) == ("<b@x>",)


def test_a_long_thread_keeps_its_beginning_and_its_end() -> None:
    ids = tuple(f"<{n}@x>" for n in range(200))
    found = references_for(Arrived("<last@x>", ids))
    assert len(found) == 30 and found[0] == "<0@x>" and found[-2:] == ("<199@x>", "<last@x>")


A, B, C = (Address("", f"{name}@x.example") for name in "abc")
ME = Address("Me", "me@lisle.example")


@pytest.mark.parametrize(
    ("message", "all_of_them", "to", "cc"),
    [
        (Arrived(sender=A, to=(ME, B), cc=(C,)), False, (A,), ()),
        (Arrived(sender=A, to=(ME, B), cc=(C, A)), True, (A,), (B, C)),
        (Arrived(sender=A, reply_to=(B,), to=(ME,)), False, (B,), ()),
        (Arrived(sender=A, reply_to=(B, C), to=(ME,)), False, (B, C), ()),
        (Arrived(sender=ME, to=(A, B), cc=(C,)), False, (A, B), ()),
        (Arrived(sender=ME, to=(A,), cc=(C,)), True, (A,), (C,)),
        # A list that sends answers to itself: the answer goes to the writer, that for all to both.
        (Arrived(sender=A, reply_to=(C,), to=(C,), list_post="C@x.example"), False, (A,), ()),
        (Arrived(sender=A, reply_to=(C,), to=(C,), list_post="C@x.example"), True, (A,),
         (Address("", "C@x.example"),)),
    ],
)  # fmt: skip
def test_whom_an_answer_goes_to(
    message: Arrived, all_of_them: bool, to: tuple[Address, ...], cc: tuple[Address, ...]
) -> None:
    found = answer_to(message, ["ME@lisle.example"], all_of_them=all_of_them)
    assert (found.to, found.cc) == (to, cc)


@pytest.mark.parametrize(
    ("subject", "reply", "forward"),
    [
        ("Booking", "Re: Booking", "Fwd: Booking"),
        ("RE: RE: Booking", "Re: Booking", "Fwd: Booking"),
        ("AW: WG: Buchung", "Re: Buchung", "Fwd: Buchung"),
        ("Re[3]: Booking", "Re: Booking", "Fwd: Booking"),
        ("SV: VS: Tur", "Re: Tur", "Fwd: Tur"),
        ("Réf : Billets", "Re: Réf : Billets", "Fwd: Réf : Billets"),
        ("Return trip", "Re: Return trip", "Fwd: Return trip"),
        ("", "", ""),
    ],
)
def test_one_re_and_no_more(subject: str, reply: str, forward: str) -> None:
    assert (reply_subject(subject), forward_subject(subject)) == (reply, forward)


def test_own_words_end_where_others_begin() -> None:
    text = "Yes please.\n\nOn Monday Ivo wrote:\n> Would you like a refund?\n> Ivo\n"
    message = open_message(b"Subject: x\n\n" + text.encode())
    assert own_words(message) == "Yes please."
    below = "Ja.\n\n-----Ursprüngliche Nachricht-----\nVon: Ivo\nKommen Sie?"
    assert own_words(open_message(b"Subject: x\n\n" + below.encode())) == "Ja."
    marked = b"Content-Type: text/html\n\n<p>Only <b>this</b></p>"
    assert own_words(open_message(marked)) == "Only this"
    assert render_plain(words_of(open_message(marked))) == "Only this\n"


def test_threads_join_whatever_comes_first() -> None:
    assert in_threads({"b": ["<2>", "<1>"], "x": ["<9>"], "a": ["<1>"], "c": ["<3>", "<2>"]}) == [
        ("b", "a", "c"), ("x",),
    ]  # fmt: skip
    assert in_threads({"a": [], "b": []}) == [("a",), ("b",)]
    many = {str(n): [f"<{n}>", f"<{n - 1}>"] for n in range(5000)}
    assert len(in_threads(many)) == 1


def test_what_nothing_can_be_read_of_is_empty() -> None:
    found = arrived(b"From: \xff\xfe <<>>\nDate: yesterday\nMessage-ID: none\n\n")
    assert found.message_id == "" and found.written is None and references_for(found) == ()
    assert answer_to(arrived(b""), []).to == ()


def test_another_parser_reads_the_fields_of_an_answer() -> None:
    """Python's own, which shares no code with what writes them."""
    from nebbet.core.message import headers

    made = headers.ids("In-Reply-To", ("<3456@example.net>",))
    made += headers.ids("References", references_for(arrived(SECOND)))
    read = email.message_from_bytes(made + b"\n", policy=email.policy.default)
    assert str(read["References"]).split() == [
        "<1234@local.machine.example>", "<3456@example.net>",
    ]  # fmt: skip
    assert str(read["In-Reply-To"]) == "<3456@example.net>"
    assert headers.ids("References", ("evil>\r\nBcc: x", "<a b>")) == b""


@pytest.mark.parametrize(
    ("kind", "found"),
    [
        ("date", ["3 December 2026"]),
        ("money", ["£64.00", "12.50 EUR"]),
        ("time", ["16:30"]),
        ("text", ["LS-48260", "01632 960 123", "Ann Pell"]),
        ("link", ["https://x.example/a?b=1"]),
        ("yes/no", []),
    ],
)
def test_what_a_message_says_for_a_blank(kind: Kind, found: list[str]) -> None:
    message = (
        "I paid £64.00 and 12.50 EUR on 3 December 2026 at 16:30 for LS-48260. Call 01632 960 123, "
        "or see https://x.example/a?b=1\nAnn Pell"
    )
    taken = taken_from(message, kind, "", "en_GB", date(2026, 11, 25))
    assert [one.text for one in taken] == found
    assert all(one.text.split()[0].rstrip(",") in one.around for one in taken)


def test_only_so_much_is_offered_and_only_what_the_blank_takes() -> None:
    many = " ".join(f"£{n}.00" for n in range(1, 50))
    assert len(taken_from(many, "money", "", "en_GB", date(2026, 11, 25))) == 6
    assert taken_from("£1,2,3,4", "money", "", "en_GB", date(2026, 11, 25)) == ()
