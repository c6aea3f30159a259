"""Text that other programs made: cleaned to what a person would expect, and stable from then on."""

import re
import textwrap
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from nebbet.core import body
from nebbet.core.body.foreign import plain_markup
from nebbet.standin.world import read_world
from tests.conftest import TODAY

PASTE = Path(__file__).parent / "paste"
CASES = sorted(
    p for p in PASTE.iterdir() if p.suffix in (".html", ".txt") and ".clean." not in p.name
)
WRITTEN = [
    (template.id, code, texts.body)
    for template in read_world(TODAY).templates
    for code, texts in template.content.texts.items()
    if not texts.finished
]


def clean(text: str) -> str:
    return body.write(body.read_foreign(text))


@pytest.mark.parametrize("path", CASES, ids=lambda path: path.name)
def test_a_document_of_another_program_cleans_to_what_one_expects(path: Path) -> None:
    """The documents are real output; paste/README.md says of which programs."""
    text = path.read_text("utf-8")
    made = body.write(body.from_text(text)) if path.suffix == ".txt" else clean(text)
    name = path.name if path.suffix == ".txt" else path.stem
    assert made == (PASTE / f"{name}.clean.html").read_text("utf-8")
    assert clean(made) == made, "cleaning what is clean changes nothing"
    assert not re.search(r"style=|class=|font|color", made)


def test_there_are_enough_bodies_written_by_hand() -> None:
    assert len(WRITTEN) >= 30


@pytest.mark.parametrize(("name", "code", "text"), WRITTEN, ids=lambda value: str(value)[:30])
def test_a_body_written_by_hand_is_clean(name: str, code: str, text: str) -> None:
    """Reading, writing and cleaning it once more give the same body."""
    read = body.read(text)
    written = body.write(read)
    assert body.read(written) == read
    assert clean(written) == written


# No word processor of that make runs here: the markup of its clipboard is from memory.
ITEM = (
    "<p class=MsoListParagraph style='margin-left:{0}.0in;mso-list:l0 level{0} lfo1'>"
    "<![if !supportLists]><span style='mso-list:Ignore'>{1}<span style='font:7.0pt'>&nbsp;&nbsp;"
    "</span></span><![endif]>{2}<o:p></o:p></p>"
)


def test_paragraphs_that_look_like_items_are_lists() -> None:
    made = "".join(
        ITEM.format(*row)
        for row in ((1, "·", "one"), (2, "o", "inner"), (2, "o", "two"), (1, "·", "last"))
    )
    assert clean(made) == ("<ul>\n<li>one\n<ul>\n<li>inner\n<li>two\n</ul>\n<li>last\n</ul>\n")
    numbered = ITEM.format(1, "1.", "first") + ITEM.format(1, "2.", "second")
    assert clean(f"<p>So:</p>{numbered}<p>Done</p>") == (
        "<p>So:</p>\n<ol>\n<li>first\n<li>second\n</ol>\n<p>Done</p>\n"
    )
    assert clean("<p>\uf0b7 a <b>b</b></p>\n<p>• c</p>") == (
        "<ul>\n<li>a <strong>b</strong>\n<li>c\n</ul>\n"
    )


@pytest.mark.parametrize(
    ("given", "made"),
    [
        ('<span style="font-weight: 700">a</span> b', "<strong>a</strong> b"),
        ('<b style="font-weight:normal">a <i>b</i></b>', "a <em>b</em>"),
        ('<span style="font-style:italic;text-decoration:underline">a</span>', "<em><u>a</u></em>"),
        ('<span style="text-decoration-line: line-through">a</span>', "<s>a</s>"),
        ('a <del cite="x" datetime="y">b </del><ins datetime="y">c</ins>', "a c"),
        ("a <del>b</del>", "a <s>b</s>"),
        ('a<span style="DISPLAY: none">secret</span><span style="font-size:0">more</span>', "a"),
        ('a<span style="mso-hide:all">hidden</span> b', "a b"),
    ],
)  # fmt: skip
def test_what_styles_say_becomes_emphasis(given: str, made: str) -> None:
    """CSS Fonts 4 §2.2 (weights), CSS Text Decoration 3 §2.1 (lines); mso-hide is from memory."""
    assert clean(f"<p>{given}</p>") == f"<p>{made}</p>\n"


def test_sides_and_style_sheets_count() -> None:
    assert clean('<p style="text-align:right">a</p>') == '<p data-align="right">a</p>\n'
    assert clean(
        "<style>.x{font-weight:bold} .y{display:none}</style><p class=x>a<i class=y>b</i></p>"
    ) == ("<p><strong>a</strong></p>\n")


def test_rows_of_many_short_cells_stay_rows() -> None:
    rows = "".join(f"<tr><td>{n}</td><td>a{n}</td><td>b{n}</td></tr>" for n in range(2))
    assert clean(f"<table>{rows}</table>") == (
        "<dl>\n<dt>0</dt><dd>a0 · b0</dd>\n<dt>1</dt><dd>a1 · b1</dd>\n</dl>\n"
    )
    laid_out = "<table><tr><td><p>One</p><p>two</p></td><td>b</td><td>c</td></tr></table>"
    assert "<dl>" not in clean(laid_out), "a table that lays a page out is no table of facts"


@given(st.text(alphabet="<>/abpdivspan \"'=:;stylefontweight700-!{}•\x00\ud800", max_size=300))
def test_no_markup_breaks_it(text: str) -> None:
    made = clean(text)
    assert clean(made) == made
    plain_markup(text)


WORDS = st.lists(st.text("abcdefgh", min_size=1, max_size=11), min_size=30, max_size=80)


@given(st.lists(WORDS, min_size=1, max_size=4), st.integers(60, 90))
def test_lines_that_a_margin_broke_are_joined(paragraphs: list[list[str]], width: int) -> None:
    """Checked against the standard library's textwrap, which breaks lines as mail programs do."""
    texts = [" ".join(words) for words in paragraphs]
    wrapped = "\n\n".join(textwrap.fill(text, width) for text in texts)
    assert body.write(body.from_text(wrapped)) == "".join(f"<p>{text}</p>\n" for text in texts)


def test_short_lines_and_marked_ones_stay_apart() -> None:
    address = "Lisle Sound Ferries\nHarbour House\nMarrowby"
    assert body.write(body.from_text(address)) == (
        "<p>Lisle Sound Ferries<br>Harbour House<br>Marrowby</p>\n"
    )
    listed = "We need:\n- the form,\n- two pictures\n\n1. Send it\n2. Wait\n\n7. is no list"
    assert body.write(body.from_text(listed)) == (
        "<p>We need:</p>\n<ul>\n<li>the form,\n<li>two pictures\n</ul>\n"
        "<ol>\n<li>Send it\n<li>Wait\n</ol>\n<p>7. is no list</p>\n"
    )


def test_plain_text_taken_as_it_is() -> None:
    source = body.write(body.verbatim("a\r\nb\n\nc\n\n\n{{d}}"))
    assert source == "<p>a<br>b</p>\n<p>c</p>\n<p>{{d}}</p>\n"
    assert body.verbatim("") == body.from_text("") == ()
