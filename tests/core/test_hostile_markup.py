"""Markup of others: nothing in it runs, reads a file, or ends the program, whatever way it comes.

The vectors are of the kinds that published filter tests list (OWASP, XSS Filter Evasion); written
from memory.
"""

import re
import time

import pytest
from hypothesis import given
from hypothesis import strategies as st
from lxml import html as lxml_html
from msgspec import ValidationError, convert, json
from msgspec.structs import replace

from nebbet.core import inline
from nebbet.core import letter as letters
from nebbet.core.body import (
    Button,
    Frame,
    Markup,
    Run,
    clean_markup,
    levelled,
    may_lead,
    read,
    read_foreign,
    render_email,
    write,
)
from nebbet.core.body.model import Paragraph
from nebbet.core.inline import Slot
from nebbet.core.letter import Content, Texts
from nebbet.core.message.importing import content_of, picture_addresses, read_file, title_of

FILE = "a" * 64
VECTORS = [
    "<script>alert(1)</script>",
    "<SCRIPT SRC=//x.example/x.js></SCRIPT>",
    "<scr<script>ipt>x</script>",
    "<img src=x onerror=alert(1)>",
    "<img/onerror=alert(1)/src=x>",
    "<svg onload=alert(1)>",
    "<svg><script>alert(1)</script></svg>",
    "<math><mtext><style><img src=x onerror=alert(1)>",
    "<noscript><p title='</noscript><img src=x onerror=alert(1)>'>",
    "<iframe src=javascript:alert(1)>",
    "<a href='javascript:alert(1)'>x</a>",
    "<a href='java\tscript:alert(1)'>x</a>",
    "<a href='&#106;avascript:alert(1)'>x</a>",
    "<a href=' \x01javascript:alert(1)'>x</a>",
    "<a href='data:text/html,<script>x</script>'>x</a>",
    "<a href='vbscript:x'>x</a>",
    "<a href='file:///etc/passwd'>x</a>",
    "<a href='ssh://host.example'>x</a>",
    "<form action='//x.example'><input></form>",
    "<object data=x></object>",
    "<embed src=x>",
    "<style>@import '//x.example'</style>",
    "<style></style><img src=x onerror=alert(1)>",
    "<p style='background:url(//x.example)'>x</p>",
    "<p style='behavior:url(x)'>x</p>",
    "<p style='width:expression(alert(1))'>x</p>",
    "<p style='color:red;background-color:\\75rl(//x.example)'>x</p>",
    "<p style='font:1px url(//x.example)'>x</p>",
    "<p style='color:r/**/gb(1,2,3);border:image(x)'>x</p>",
    "<base href='//x.example/'>",
    "<link rel=stylesheet href=//x.example>",
    "<meta http-equiv=refresh>",
    "<img src=/dev/zero>",
    "<img src=file:///dev/zero>",
    "<img src=//dev/zero>",
    "<img src='../x.png'>",
    "<img src='data:image/svg+xml,<svg onload=alert(1)>'>",
    "<template><script>x</script></template>",
    "<textarea><img src=x onerror=alert(1)></textarea>",
    "<xmp><img src=x onerror=alert(1)></xmp>",
    "<!--><img src=x onerror=alert(1)>-->",
    "<![CDATA[<img src=x onerror=alert(1)>]]>",
    '<p title="{{x|else:"><i title="}}<script>alert(1)</script>">x</i>',
    '<a title="{{x|else:" href="}}" onclick="alert(1)">x</a>',
    '<a href="{{x|else:javascript:alert(1)}}">x</a>',
    "<table><tr><td background='//x.example'>x</table>",
]
_SAFE_SRC = re.compile(r"(?:file:[0-9a-f]{64}|cid:.*|https?://.*)?", re.DOTALL)


def assert_harmless(markup: str) -> None:
    """Read by another parser than the one that cleaned."""
    for node in lxml_html.document_fromstring(f"<div>{markup}</div>").iter():
        assert node.tag not in (
            "script",
            "style",
            "iframe",
            "object",
            "embed",
            "form",
            "input",
            "link",
            "base",
            "svg",
            "math",
            "template",
        ), markup
        for name, value in node.attrib.items():
            assert not name.startswith("on"), markup
            assert name != "background", markup
            if name == "href":
                assert may_lead(value), markup
            if name == "src":
                assert _SAFE_SRC.fullmatch(value), markup
            if name == "style":
                assert "url" not in value, markup
                assert "expression" not in value, markup


@pytest.mark.parametrize("vector", VECTORS)
def test_nothing_that_runs_is_left_in_any_form(vector: str) -> None:
    for text in (vector, f"<p>a</p>{vector}<p>b</p>", f"<style>p{{color:red}}</style>{vector}"):
        clean = clean_markup(text).source
        assert clean_markup(clean).source == clean
        for values in ({}, {"x": "javascript:alert(1)"}, {"x": '"><script>alert(1)</script>'}):
            filled = inline.completed(inline.parse(text), lambda s, v=values: v.get(s.name, s.name))
            assert_harmless(render_email((Markup(filled),)))
            else_said = inline.completed(
                inline.parse(clean), lambda s: s.modifiers.removeprefix("else:")
            )
            assert_harmless(render_email((Markup(else_said),)))
        assert_harmless(render_email(read(text)))
        assert_harmless(render_email(read_foreign(text)))


def test_styles_lay_out_and_colour_and_call_nothing() -> None:
    kept = "color:rgb(1, 2, 3);width:calc(100% - 2px)"
    source = clean_markup(f'<p style="{kept};color:var(--x);height:expression(x)">a</p>').source
    assert source == f'<p style="{kept}">a</p>'


def test_a_link_is_judged_when_its_values_are_in() -> None:
    line = (Slot("x", "javascript:alert(1)"),)
    for block in (
        Paragraph((Run("go", link=line),)),
        Button((Run("go"),), line),
    ):
        made = render_email((block,))
        assert "javascript" not in made
        assert "go" in made
    assert 'href="https://host.example' in render_email(
        (Paragraph((Run("go", link=(Slot("x", "https://host.example"),)),)),)
    )


@pytest.mark.parametrize(
    "wrong",
    [
        {"accent": '#fff"><script>alert(1)</script>'},
        {"ink": "red;background:url(x)"},
        {"font": "x;background:url(//x.example)"},
        {"font": '"><script>'},
        {"logo": "/dev/zero"},
        {"width": 10**9},
        {"logo_width": -1},
    ],
)
def test_what_is_no_frame_is_not_read_as_one(wrong: dict[str, object]) -> None:
    with pytest.raises(ValidationError):
        convert(wrong, Frame)
    with pytest.raises(ValidationError):
        json.decode(json.encode(wrong), type=Frame)
    if all(isinstance(value, str) for value in wrong.values()):
        # One that came past the types all the same is written with Nebbet's own colours.
        made = render_email(read("<h1>a</h1>"), replace(Frame(band="B", foot=("f",)), **wrong))
        assert "script" not in made
        assert "url(" not in made


def test_only_the_library_the_message_and_the_web_give_pictures() -> None:
    kept = [f"file:{FILE}", "cid:i1", "https://host.example/a.png", "{{picture}}"]
    gone = [
        "/dev/zero",
        "file:///dev/zero",
        "a.png",
        "//host/a.png",
        "data:image/png;base64,AA",
        "",
    ]
    markup = "".join(f'<img src="{address}">' for address in (*kept, *gone))
    cleaned = clean_markup(markup)
    assert [a for a in kept if a in cleaned.source] == kept
    assert cleaned.source.count("<img") == len(kept)
    assert cleaned.removed == ("6 pictures from this computer",)


def test_pictures_are_named_by_their_whole_address() -> None:
    """One address that begins like another is another."""
    draft = read_file("a.html", b'<img src="cid:i1"><img src="cid:i10"><p>cid:i1</p>')
    files = {"cid:i1": "1" * 64, "cid:i10": "2" * 64}
    content, _ = content_of(draft, files, finished=True)
    body = content.texts["en_GB"].body
    assert f'src="file:{"1" * 64}"' in body
    assert f'src="file:{"2" * 64}"' in body
    assert "<p>cid:i1</p>" in body


DEEP = {
    "divs": "<div>" * 12_000 + "kept",
    "divs and a sheet": "<style>p{}</style>" + "<div>" * 12_000 + "kept",
    "tables": "<table><tr><td>" * 5_000 + "kept",
    "lists": "<ul><li>" * 5_000 + "kept",
    "emphasis": "".join(f'<b title="{n}"><p>' for n in range(4_000)) + "kept",
    "open tags": "kept" + "<img " * 20_000,
    "quotes": "kept" + "<img '" * 20_000,
    "titles": "kept" + "<title>" * 20_000,
    "comments": "kept" + "<!--" * 20_000,
    "attributes": "<p " + " ".join(f"a{n}=1" for n in range(20_000)) + ">kept",
    "ends": "<b>" * 150 + "</i>" * 20_000 + "kept",
    "stray": "kept" + "</" * 20_000,
    "sheet in a drawing": "<svg><style>" + "<div>" * 20_000 + "</style></svg>kept",
    "noscript": "<div><noscript></div></noscript>" * 5_000 + "kept",
    "links": "<a href=x>" * 20_000 + "kept",
    "less than": "kept" + "<" * 50_000,
}


@pytest.mark.timeout(60)
@pytest.mark.parametrize("kind", DEEP)
def test_deep_and_endless_markup_is_read_in_bounded_time(kind: str) -> None:
    started = time.process_time()
    for words in (
        clean_markup(DEEP[kind]).source,
        write(read(DEEP[kind])),
        write(read_foreign(DEEP[kind])),
        "".join(picture_addresses(DEEP[kind])) + title_of(DEEP[kind]) + "kept",
    ):
        assert "kept" in words
    assert time.process_time() - started < 30


def test_what_was_cut_is_told() -> None:
    assert clean_markup("<div>" * 300 + "x").removed == ("nesting that was too deep",)
    assert clean_markup("<div>" * 150 + "x").removed == ()


@given(
    st.lists(
        st.sampled_from(
            [
                "<p>",
                "</p>",
                "<b>",
                "</b>",
                "<table>",
                "<tr>",
                "<td>",
                "</td>",
                "</table>",
                "<ul>",
                "<li>",
                "</ul>",
                "a",
                "<",
                ">",
                "<!--",
                "-->",
                "<style>",
                "</style>",
                "<svg>",
                "</svg>",
                "<title>",
                "<a href='",
                "'",
                '"',
                "<br>",
                "&lt;",
                "</div>",
                "<div ",
                "=",
                "/>",
                "{{x}}",
            ]
        ),
        max_size=60,
    ).map("".join)
)
def test_even_markup_stays_as_it_is(text: str) -> None:
    once = levelled(text, deepest=5).text
    assert levelled(once, deepest=5).text == once


def test_paragraphs_without_end_tags_are_not_nesting() -> None:
    """HTML lets paragraphs, items and cells go without end tags: that is not nesting."""
    page = "".join(f"<p>para {n}" for n in range(500))
    page += "<ul>" + "".join(f"<li>item {n}" for n in range(500)) + "</ul>"
    page += "<table>" + "".join(f"<tr><td>a{n}<td>b{n}" for n in range(500)) + "</table>"
    assert not levelled(page).cut
    assert len(read(page)) == 1500


def test_a_finished_text_of_the_library_is_cleaned_on_its_way_out() -> None:
    """Whoever can write into the library can write anything there."""
    content = Content({"en": Texts("s", "<p onclick=x()>a<script>x()</script></p>", finished=True)})
    letter = letters.start("l", content)
    assert "<body>\n<p>a</p>\n</body>" in render_email(letter.body)
