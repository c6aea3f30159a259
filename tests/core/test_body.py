"""The body model: reading, writing, cleaning, rendering."""

import random
import re
import time
from html.parser import HTMLParser

import pytest
from hypothesis import given
from hypothesis import strategies as st
from lxml import html

from nebbet.core import inline
from nebbet.core.body import (
    Frame,
    Run,
    completed,
    conditions,
    decided,
    figures,
    files_of,
    read,
    render_email,
    render_plain,
    slots,
    standing,
    tidy,
    unconditional,
    write,
)
from nebbet.core.body.figures import reading_ease
from tests.core.bodies import BODIES, FILE


@given(BODIES)
def test_what_is_written_reads_back_byte_for_byte(body: tuple) -> None:
    source = write(body)
    assert read(source) == body
    assert write(read(source)) == source


@given(BODIES)
def test_tidying_twice_is_tidying_once(body: tuple) -> None:
    assert tidy(body) == body


@given(st.text(max_size=300))
def test_any_text_at_all_is_read_without_an_error(text: str) -> None:
    once = write(read(text))
    assert write(read(once)) == once


@pytest.mark.parametrize(
    ("given_html", "expected"),
    [
        ("just words", "<p>just words</p>\n"),
        ("<div>one</div><div>two</div>", "<p>one</p>\n<p>two</p>\n"),
        ("<b>a</b><i>b</i>", "<p><strong>a</strong><em>b</em></p>\n"),
        ("<h3>Sub</h3>", "<h2>Sub</h2>\n"),
        ("<p></p><p> </p><p>x</p>", "<p>x</p>\n"),
        ("<p>x</p><p><br></p><p>y</p>", "<p>x</p>\n<p><br></p>\n<p>y</p>\n"),
        ("a<br>b", "<p>a<br>b</p>\n"),
        (
            "<table><tr><th>Fare</th><td><p>94.50</p><p>GBP</p></td></tr></table>",
            "<dl>\n<dt>Fare</dt><dd>94.50<br>GBP</dd>\n</dl>\n",
        ),
        ("<table><tr><td>A<td>B<td>C</table>", "<p>A</p>\n<p>B</p>\n<p>C</p>\n"),
        ("<table><tr><td>A<td><h2>B</h2></table>", "<p>A</p>\n<h2>B</h2>\n"),
        ("<dl><dt>a<dd>b<dd>c</dl>", "<dl>\n<dt>a</dt><dd>b</dd>\n<dt></dt><dd>c</dd>\n</dl>\n"),
        ("<ul><li><p>one</p></li></ul>", "<ul>\n<li>one\n</ul>\n"),
        (
            "<ul><li>a<ol><li>b</ol></li><li>c</li></ul>",
            "<ul>\n<li>a\n<ol>\n<li>b\n</ol>\n<li>c\n</ul>\n",
        ),
        (
            '<p style="font-family:Comic Sans;font-size:31px"><font color=red>x</font></p>',
            "<p>x</p>\n",
        ),
        ("<p>x<!-- a comment --><o:p>y</o:p></p>", "<p>xy</p>\n"),
        ('<img src="http://track.example/p.gif" alt="Plan">', "<p>Plan</p>\n"),
        ('<img src="http://track.example/p.gif">', ""),
        ("<script>alert(1)</script><style>p{}</style>ok", "<p>ok</p>\n"),
        ("<form><input value=x><button>Go</button></form>", "<p>Go</p>\n"),
        ("", ""),
    ],
)
def test_html_of_other_programs_becomes_clean(given_html: str, expected: str) -> None:
    assert write(read(given_html)) == expected


@pytest.mark.parametrize(
    "address",
    [
        "javascript:alert(1)",
        "JaVaScRiPt:alert(1)",
        "data:text/html,<script>",
        "file:///etc/passwd",
        "vbscript:x",
        " \x01javascript:alert(1)",
        "//evil.example",
    ],
)
def test_links_that_do_something_else_lose_their_address(address: str) -> None:
    assert "href" not in write(read(f'<a href="{address}">x</a>'))


@pytest.mark.parametrize("address", ["https://a.example/x", "mailto:a@b.example", "tel:+44163296"])
def test_links_that_lead_somewhere_stay(address: str) -> None:
    assert f'href="{address}"' in write(read(f'<a href="{address}">x</a>'))


@pytest.mark.timeout(90)  # a guard against a blow-up, not a measurement
def test_hostile_html_is_bounded() -> None:
    """300 nested tables, 2 MB of text, ten thousand nested lists: read in seconds, not minutes."""
    nested = "<table><tr><td>" * 300 + "deep" + "</td></tr></table>" * 300
    assert "deep" in write(read(nested))
    assert len(write(read("<p>word </p>" * 200_000))) > 2_000_000
    read("<ul><li>" * 10_000)
    read("<b>" * 50_000 + "x")


def test_every_slot_is_completed_also_in_links_and_image_texts() -> None:
    body = read(
        f'<h1>{{{{a}}}}</h1><p>{{{{a}}}} <a href="https://x.example/{{{{a}}}}">{{{{b}}}}</a>'
        f'<img src="file:{FILE}" alt="Of {{{{a}}}}"></p><ul><li>{{{{a}}}}</ul>'
    )
    assert sorted(slot.name for slot in slots(body)) == ["a", "a", "a", "a", "a", "b"]
    done = completed(body, lambda slot: {"a": "1", "b": "2"}[slot.name])
    assert render_plain(done) == "1\n\n1 2 (https://x.example/1)[Of 1]\n\n- 1\n"
    assert write(done) == write(body), "completing never loses the placeholder"
    assert files_of(body) == [FILE]


# Rendering


class _Check(HTMLParser):
    """An independent reader of the rendered HTML: tags are balanced, nothing dangerous."""

    def __init__(self) -> None:
        super().__init__()
        self.open: list[str] = []
        self.text: list[str] = []

    def handle_starttag(self, tag: str, attrs: list) -> None:
        assert tag not in ("script", "style", "link", "form", "iframe")
        assert not [name for name, _value in attrs if name.startswith("on")]
        if tag not in ("meta", "br", "img", "li"):
            self.open.append(tag)

    def handle_endtag(self, tag: str) -> None:
        if tag != "li":
            assert self.open.pop() == tag

    def handle_data(self, data: str) -> None:
        self.text.append(data)


FRAME = Frame(band="Band & Co", foot=("Harbour <House>",))


@given(BODIES)
def test_rendered_html_is_balanced_and_plain_says_the_same_words(body: tuple) -> None:
    chance = random.Random(1)
    value = "v" + str(chance.randrange(10))
    done = completed(body, lambda _name: value)
    check = _Check()
    check.feed(render_email(done, FRAME, {FILE: "cid:1"}))
    assert check.open == []
    formatted = "".join(check.text)
    plain = render_plain(done, FRAME)
    for line in (
        part for block in standing(done) for part in block.inlines if isinstance(part, Run)
    ):
        for word in re.findall(r"[a-z]{3,}", inline.shown((line.content,))):
            assert word in formatted
            assert word in plain.lower()


def test_values_are_escaped_wherever_they_stand() -> None:
    body = read('<p>{{v}} <a href="https://x.example/?q={{v}}">{{v}}</a></p>')
    done = completed(body, lambda _name: '"><script>alert(1)</script>&')
    rendered = render_email(done, Frame(band="<b>", foot=("<i>",)))
    assert "<script" not in rendered
    assert "<b>" not in rendered
    tree = html.fromstring(rendered)
    link = tree.xpath("//a/@href")[0]
    assert link == "https://x.example/?q=%22%3E%3Cscript%3Ealert%281%29%3C%2Fscript%3E%26"


def test_a_picture_without_a_source_leaves_its_text() -> None:
    body = read(f'<p><img src="file:{FILE}" alt="Plan of the port" width="480"></p>')
    assert 'src="cid:x"' in render_email(body, Frame(), {FILE: "cid:x"})
    assert "max-width:100%" in render_email(body, Frame(), {FILE: "cid:x"})
    without = render_email(body)
    assert "<img" not in without
    assert "Plan of the port" in without


@pytest.mark.parametrize(
    ("source", "plain"),
    [
        ("<h1>Refund</h1><p>Hello</p>", "REFUND\n\nHello\n"),
        ("<h2>Next</h2>", "Next\n"),
        ("<ul><li>a<li>b</ul><p>c</p>", "- a\n- b\n\nc\n"),
        ("<ol><li>a<ul><li>x</ul><li>b</ol>", "1. a\n  - x\n2. b\n"),
        ('<a href="mailto:a@b.example">write to us</a>', "write to us (a@b.example)\n"),
        ('<a href="https://www.a.example">www.a.example</a>', "www.a.example\n"),
        ('<a href="https://a.example">a <b>bold</b> link</a>', "a bold link (https://a.example)\n"),
        ("<p>a<br>b</p>", "a\nb\n"),
    ],
)
def test_the_plain_part(source: str, plain: str) -> None:
    assert render_plain(read(source)) == plain


def test_a_value_of_several_lines_breaks_in_both_parts() -> None:
    done = completed(read("<p>{{long}}</p>"), lambda _name: "one\ntwo")
    assert render_plain(done) == "one\ntwo\n"
    assert "one<br>\ntwo" in render_email(done)


# Parts under a condition

PARTS = (
    "<p>One</p>\n"
    '<div data-when="passengers &gt;= 10">\n<h2>Two</h2>\n<ul>\n<li>a\n</ul>\n</div>\n'
    '<div data-when="case.vehicle is blank">\n<p>Three {{x}}</p>\n</div>\n<p>Four</p>\n'
)


def test_a_part_that_is_left_out_is_in_no_rendering_and_asks_for_nothing() -> None:
    body = read(PARTS)
    assert conditions(body) == ["passengers >= 10", "case.vehicle is blank"]
    shown = decided(body, lambda when: when == "passengers >= 10")
    assert render_plain(shown) == "One\n\nTwo\n\n- a\n\nFour\n"
    assert "Three" not in render_email(shown)
    assert list(slots(shown)) == []
    assert write(shown) == write(body)  # nothing is lost
    assert decided(shown, lambda _when: True) == body


def test_a_condition_can_be_done_away_with() -> None:
    body = decided(read(PARTS), lambda _when: False)
    kept = unconditional(body, "passengers >= 10", keep=True)
    assert render_plain(kept) == "One\n\nTwo\n\n- a\n\nFour\n"
    dropped = unconditional(body, "passengers >= 10", keep=False)
    assert conditions(dropped) == ["case.vehicle is blank"]


def test_parts_within_parts_need_both_conditions() -> None:
    nested = '<div data-when="a"><p>x</p><div data-when="b"><p>y</p></div><p>z</p></div>'
    assert [block.when for block in read(nested)] == ["a", "(a) and (b)", "a"]
    deep = '<div data-when="a">' * 300 + "x" + "</div>" * 300
    assert len(read(deep)[0].when) < 100


# Quotes, dividers, sides, guidance, the start mark

FULL = (
    '<h1 data-align="center">Title</h1>\n'
    "<aside>Ring the port first.</aside>\n"
    "<p>Dear <u>you</u> and <s>him</s>,<span data-start></span></p>\n"
    "<blockquote>\n<p>I want<br>my bag.</p>\n<ul>\n<li>red\n</ul>\n</blockquote>\n"
    "<hr>\n"
    '<p data-align="right">Yours</p>\n'
)


def test_the_whole_model_is_written_back_byte_for_byte() -> None:
    assert write(read(FULL)) == FULL


def test_guidance_and_start_mark_are_never_sent() -> None:
    assert render_plain(read(FULL)) == (
        "TITLE\n\nDear you and ~~him~~,\n\n> I want\n> my bag.\n>\n> - red\n\n"
        "------------------------\n\nYours\n"
    )
    sent = render_email(read(FULL))
    assert "Ring the port" not in sent and "data-start" not in sent
    assert "<u>you</u>" in sent and "<s>him</s>" in sent
    assert "border-left:3px solid" in sent and ";text-align:center" in sent
    assert list(slots(read("<aside>{{x}}</aside>"))) == []


def test_what_others_write_for_the_same_is_read() -> None:
    """HTML 4 and 5 (WHATWG HTML §4.5, §16): ins, del, strike, center, align."""
    body = read("<center><ins>a</ins></center><p align=RIGHT><del>b</del><strike>c</strike></p>")
    assert write(body) == (
        '<p data-align="center"><u>a</u></p>\n<p data-align="right"><s>bc</s></p>\n'
    )
    nested = read("<blockquote><blockquote><p>x</p></blockquote></blockquote>")
    assert write(nested) == "<blockquote>\n<p>x</p>\n</blockquote>\n"


# Length and reading ease


def test_reading_ease_is_flesch_s() -> None:
    """Flesch 1948; the two sentences and their scores (116.1 and 37.5) are handbook examples,
    quoted from memory."""
    easy = "The cat sat on the mat"
    hard = "The Australian platypus is seemingly a hybrid of a mammal and reptilian creature"
    assert round(reading_ease(easy.split(), 1), 1) == 116.1
    assert round(reading_ease(hard.split(), 1), 1) == 37.5


def test_figures_of_a_body() -> None:
    body = read(
        "<aside>Never counted.</aside><h2>Your refund</h2>"
        "<p>Dear {{name}}, we pay £12.50 by Monday. It is there at once! Is it?</p>"
    )
    found = figures(body, "en_GB")
    assert (found.words, found.sentences, found.ease) == (16, 4, None)
    long = read("<p>" + "The cat sat on the mat. " * 10 + "</p>")
    assert figures(long, "en_GB").ease == 100, "within the 0 to 100 of the table"
    assert figures(long, "de").ease is None
    assert figures((), "en_GB").words == 0


@pytest.mark.parametrize("tag", ["blockquote", "aside", "center", "u", "div", "table"])
def test_words_are_not_lost_however_deep_they_stand(tag: str) -> None:
    body = read(f"<{tag}>" * 3000 + "kept {{name}}" + f"</{tag}>" * 3000)
    assert "kept " in write(body)
    assert "{{name}}" in write(body)


def test_many_start_marks_are_one_in_bounded_time() -> None:
    started = time.process_time()
    assert write(read("x" + "<span data-start></span>" * 50_000)).count("data-start") == 1
    assert time.process_time() - started < 5
