"""Reading links that open a message. Source: RFC 6068, the examples of §6 and the rules of §2, §4
and §5."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from nebbet.core.errors import NebbetError
from nebbet.core.message.links import Prepared, mailto, read_mailto


@pytest.mark.parametrize(
    ("link", "found"),
    [
        # §6.1
        ("mailto:chris@example.com", Prepared("chris@example.com")),
        ("mailto:infobot@example.com?subject=current-issue",
         Prepared("infobot@example.com", subject="current-issue")),
        ("mailto:infobot@example.com?body=send%20current-issue",
         Prepared("infobot@example.com", body="send current-issue")),
        ("mailto:infobot@example.com?body=send%20current-issue%0D%0Asend%20index",
         Prepared("infobot@example.com", body="send current-issue\nsend index")),
        ("mailto:list@example.org?In-Reply-To=%3C3469A91.D10AF4C@example.com%3E",
         Prepared("list@example.org", left_out=("in-reply-to",))),
        ("mailto:majordomo@example.com?body=subscribe%20bamboo-l",
         Prepared("majordomo@example.com", body="subscribe bamboo-l")),
        ("mailto:joe@example.com?cc=bob@example.com&body=hello",
         Prepared("joe@example.com", "bob@example.com", body="hello")),
        ("mailto:gorby%25kremvax@example.com", Prepared("gorby%kremvax@example.com")),
        ("mailto:unlikely%3Faddress@example.com?blat=foop",
         Prepared("unlikely?address@example.com", left_out=("blat",))),
        ("mailto:?to=joe@example.com&cc=bob@example.com&body=hello",
         Prepared("joe@example.com", "bob@example.com", body="hello")),
        # §6.2: local parts that need to be quoted
        ("mailto:%22not%40me%22@example.org", Prepared('"not@me"@example.org')),
        # §6.3: UTF-8
        ("mailto:user@example.org?subject=caf%C3%A9", Prepared("user@example.org", subject="café")),
        ("mailto:user@example.org?subject=caf%C3%A9&body=caf%C3%A9",
         Prepared("user@example.org", subject="café", body="café")),
        # §2: several addresses; §5: a plus is a plus
        ("mailto:addr1@an.example,addr2@an.example", Prepared("addr1@an.example,addr2@an.example")),
        ("mailto:bill+ietf@example.org", Prepared("bill+ietf@example.org")),
        # §5: a link in HTML writes the & as &amp;
        ("mailto:joe@an.example?cc=bob@an.example&amp;body=hello",
         Prepared("joe@an.example", "bob@an.example", body="hello")),
        # §4: what would harm is left out
        ("MAILTO:a@x.example?Bcc=b@x.example&From=boss@x.example&attach=/etc/passwd",
         Prepared("a@x.example", bcc="b@x.example", left_out=("from", "attach"))),
    ],
)  # fmt: skip
def test_links_are_read(link: str, found: Prepared) -> None:
    assert read_mailto(link) == found


@pytest.mark.parametrize("link", ["", "http://x.example", "mailto", "mailto:" + "a" * 200_000])
def test_what_is_none_gets_one_sentence(link: str) -> None:
    with pytest.raises(NebbetError, match="That is no link to a message"):
        read_mailto(link)


_TEXT = st.text(st.characters(blacklist_categories=("Cs", "Cc")), max_size=40)


@given(_TEXT, st.lists(_TEXT.map(str.strip).filter(bool), max_size=3))
def test_what_is_written_is_read(subject: str, lines: list[str]) -> None:
    body = "\n".join(lines)
    found = read_mailto(mailto(["a@x.example", "b@x.example"], subject, body, ["c@x.example"]))
    assert found.to == "a@x.example,b@x.example" and found.cc == "c@x.example"
    assert found.subject == " ".join(subject.split()) and found.body == body


@given(st.text(max_size=200))
def test_no_text_gets_anything_but_a_message_or_a_sentence(text: str) -> None:
    read_mailto(f"mailto:{text}")
