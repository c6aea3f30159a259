"""What arrives is what was meant: hidden and shown words, finished HTML, the plain part, parts."""

import re

import pytest
from lxml import html

from nebbet.core import body
from nebbet.core import letter as letters
from nebbet.core.body import (
    Cleaned,
    clean_markup,
    completed,
    markup_line,
    markup_source,
    read,
    read_foreign,
    render_email,
    render_plain,
    write,
)
from nebbet.core.body.model import Markup
from nebbet.core.letter import Content, Texts
from nebbet.core.message.importing import Incoming, content_of
from nebbet.core.placeholders import Placeholder
from tests.core.test_message import LETTER, made, parsed
from tests.core.test_parts import COLUMNS

# A page as layout compilers write them: boxes whose gaps are closed by letters without a size.
LAYOUT = """\
<?xml version="1.0" encoding="UTF-8"?>
<!DOCTYPE html PUBLIC "-//W3C//DTD XHTML 1.0 Strict//EN" "x">
<html xmlns="http://www.w3.org/1999/xhtml"><head><title>T</title>
<style>@media only screen and (max-width: 480px) { .w { width: 100% } } .w { color: #123456 }
</style></head>
<body style="background:#eee url(x.png) no-repeat"><div style="display:none">A look ahead</div>
<table><tr><td style="font-size:0px;padding:10px 25px">
<div class="w" style="font:700 14px/1.5 Arial">Hello you</div>
<img src="https://a.example/logo.png" alt="Logo" width="200" /></td></tr>
<tr><td style="font-size:0">unseen<a style="font-size:0.9em" href="https://a.example">seen</a></td>
</tr></table></body></html>
"""


@pytest.mark.parametrize(
    ("style", "seen"),
    [
        ("font-size:0", False),
        ("FONT-SIZE: 0px", False),
        ("font-size:0.0em;color:red", False),
        ("font:0/0 a", False),
        ("font-size:0.9em", True),
        ("font-size:10px", True),
        ("font:700 14px Arial", True),
        ("font-size:0;font-size:12px", True),
        ("display:none", False),
        ("opacity:0", False),
        ("opacity:0.5", True),
        ("max-height:0px;overflow:hidden", False),
        ("max-height:0.5em", True),
        ("line-height:0", True),
    ],
)
def test_only_what_nobody_sees_is_hidden(style: str, seen: bool) -> None:
    page = f'<p>a <span style="{style}">words</span> b</p>'
    for kept in (clean_markup(page).source, write(read_foreign(page))):
        assert ("words" in kept) == seen
        assert "a" in kept and "b" in kept


def test_a_page_of_a_layout_compiler_keeps_its_words_and_pictures() -> None:
    cleaned = clean_markup(LAYOUT)
    assert "Hello you" in cleaned.source and "logo.png" in cleaned.source
    assert "seen</a>" in cleaned.source and ">unseen" not in cleaned.source
    assert "background-color:#eee" in cleaned.source
    assert cleaned.removed == (
        "2 hidden texts", "1 rule for some screens only", "1 background picture",
    )  # fmt: skip
    said = render_plain(read_foreign(LAYOUT))
    assert "Hello you" in said and "seen (https://a.example)" in said and "unseen" not in said


def test_the_columns_of_a_message_of_ours_come_in_as_columns() -> None:
    assert write(read_foreign(render_email(read(COLUMNS)))) == COLUMNS


def test_an_import_says_which_words_are_missing() -> None:
    for finished in (True, False):
        _, removed = content_of(Incoming("T", "T", LAYOUT), {}, finished=finished)
        assert removed[-1] == "the words “look ahead”, “unseen”"
    many = "".join(f'<p style="display:none">word{chr(97 + n)}</p><p>shown</p>' for n in range(5))
    _, (_, words) = content_of(Incoming("T", "T", many), {}, finished=True)
    assert words == "the words “worda”, “wordb”, “wordc” and 2 more"
    assert content_of(Incoming("T", "T", "<p>All of it</p><ol><li>one</ol>"), {})[1] == ()


@pytest.mark.parametrize(
    ("given", "kept", "lost"),
    [
        ('<td style="background:#123456">', "background-color:#123456", False),
        ('<td style="background:red url(a.png) center">', "background-color:red", True),
        ('<td style="background:url(a.png) no-repeat center / cover">', "", True),
        ('<td style="background-image:url(a.png);color:#fff">', "color:#fff", True),
        ('<td style="background:rgb(1, 2, 3)">', "background-color:rgb(1, 2, 3)", False),
        ('<td background="a.png" bgcolor="#222222">', "", True),
    ],
)
def test_the_ground_behind_words_stays_and_its_picture_is_told(
    given: str, kept: str, lost: bool
) -> None:
    cleaned = clean_markup(f"<table><tr>{given}white</td></tr></table>")
    assert f'style="{kept}"' in cleaned.source if kept else "url" not in cleaned.source
    assert ("1 background picture" in cleaned.removed) == lost
    assert clean_markup(cleaned.source) == Cleaned(cleaned.source)


# Finished HTML


def test_what_stands_between_the_braces_is_read_as_html_says_it() -> None:
    source = "<p>{{R&amp;D}} {{x|else: Tom &amp; Co}} &amp; {{n|plural: a / b}}</p>"
    texts = Texts("S", source, finished=True)
    content = Content({"en_GB": texts}, (Placeholder("R&D"), Placeholder("x")))
    letter = letters.start("l", content)
    assert [slot.name for slot in body.slots(letter.body)] == ["R&D", "x", "n"]
    assert markup_source(markup_line(source)) == source
    renamed = letters.renamed(content, "R&D", "Q&A").texts["en_GB"]
    assert "{{Q&amp;A}}" in renamed.body and renamed.finished


def test_values_in_finished_html_break_their_lines_and_are_escaped_once() -> None:
    line = markup_line('<p title="{{v}}">{{v}}</p>')
    (filled,) = completed((Markup(line),), lambda _slot: "Tom & Co\nof <x>")
    sent = render_email((filled,))
    assert "Tom &amp; Co<br>of &lt;x&gt;</p>" in sent
    assert 'title="Tom &amp; Co\nof' in sent
    assert "Tom & Co\nof <x>" in render_plain((filled,))


@pytest.mark.parametrize(("language", "said"), [("fr", '<html lang="fr">'), ("", "<html>")])
def test_finished_html_is_sent_as_a_whole_document(language: str, said: str) -> None:
    sent = render_email((Markup(("<p>a</p>",)),), language=language)
    assert sent.startswith(f"<!DOCTYPE html>\n{said}")
    assert "charset=utf-8" in sent and sent.endswith("<body>\n<p>a</p>\n</body>\n</html>\n")


# The plain part


@pytest.mark.parametrize(
    ("source", "plain"),
    [
        ('<h1>See <a href="https://a.example/Path">here</a></h1>', "SEE HERE (https://a.example/Path)"),
        ("<ul><li>a<li>b</ul><ol><li>c<li>d</ol>", "- a\n- b\n1. c\n2. d"),
        ("<ol><li>a<li>b</ol><ul><li>c</ul><ol><li>d</ol>", "1. a\n2. b\n- c\n1. d"),
        ("<ol><li>a<ul><li>x</ul><li>b</ol>", "1. a\n  - x\n2. b"),
        ("<p>now £4 <s>not <b>£5</b></s> each</p>", "now £4 ~~not £5~~ each"),
    ],
)  # fmt: skip
def test_the_plain_part_says_the_same(source: str, plain: str) -> None:
    assert render_plain(read(source)) == plain + "\n"


# Parts and sides


def test_a_message_with_one_part_is_not_wrapped_in_another() -> None:
    """RFC 2046 §5.1.3: "mixed" is for independent parts; a letter without attachments has none."""
    assert parsed(made()).get_content_type() == "multipart/alternative"
    attached = letters.Attachment("b" * 64, ("a.bin",))
    found = parsed(made(LETTER.__class__("l", **_fields(LETTER) | {"attachments": (attached,)})))
    kinds = [part.get_content_type() for part in found.get_payload()]
    assert (found.get_content_type(), kinds[0]) == ("multipart/mixed", "multipart/alternative")


def _fields(letter: letters.Letter) -> dict[str, object]:
    return {n: getattr(letter, n) for n in letter.__struct_fields__ if n != "id"}


def test_rows_of_facts_have_heads_that_screen_readers_say() -> None:
    """WCAG 2.2, technique H63: scope on the cell that heads a row."""
    page = html.fromstring(render_email(read("<dl><dt>Fare</dt><dd>£5</dd></dl>")).encode())
    (head,) = page.xpath("//th")
    assert (head.get("scope"), head.text_content()) == ("row", "Fare")
    assert "font-weight:normal" in head.get("style")


@pytest.mark.parametrize(
    ("language", "side"), [("ar", "right"), ("he_IL", "right"), ("en_GB", "left"), ("xx", "left")]
)
def test_a_language_from_right_to_left_is_laid_out_so(language: str, side: str) -> None:
    """HTML Living Standard, dir; CLDR layout/orientation."""
    sent = render_email(read("<ul><li>a</ul><blockquote>b</blockquote>"), language=language)
    assert ('<html lang="' + language.replace("_", "-") + '" dir="rtl">' in sent) == (
        side == "right"
    )
    assert f"text-align:{side}" in sent
    assert f"border-{side}:3px" in sent
    assert len(re.findall('dir="rtl"', sent)) == (2 if side == "right" else 0)


def test_the_colours_are_said_to_be_for_light_paper() -> None:
    """CSS Color Adjustment 1, §2.2: <meta name="color-scheme">."""
    assert '<meta name="color-scheme" content="light">' in render_email(read("<p>a"))
