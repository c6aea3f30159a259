"""Templates made of files; finished HTML made safe."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from nebbet.core.body import clean_markup, read, write
from nebbet.core.errors import NebbetError
from nebbet.core.message.importing import content_of, picture_addresses, read_file, with_blanks

EML = b"""\
From: Ana <ana@example.org>
To: Bo <bo@example.org>
Cc: claims@example.org
Subject: =?utf-8?Q?Your_booking_{{case.number}}_=E2=80=93_[date]?=
MIME-Version: 1.0
Content-Type: multipart/mixed; boundary="m"

--m
Content-Type: multipart/related; boundary="r"

--r
Content-Type: text/html; charset=utf-8

<p>Dear [name], see <img src="cid:logo" alt="Plan"> {{order no}}</p>
--r
Content-Type: image/png
Content-ID: <logo>
Content-Transfer-Encoding: base64

iVBORw0KGgo=
--r--
--m
Content-Type: application/pdf
Content-Disposition: attachment; filename="form.pdf"
Content-Transfer-Encoding: base64

JVBERg==
--m--
"""


def test_a_message_becomes_a_template_with_all_that_it_had() -> None:
    draft = read_file("one.eml", EML)
    assert (draft.cc, draft.attachments) == ("claims@example.org", (("form.pdf", b"%PDF"),))
    assert draft.pictures == {"cid:logo": b"\x89PNG\r\n\x1a\n"}
    content, _ = content_of(draft, {"cid:logo": "a" * 64})
    done = with_blanks(content)
    text = done.texts["en_GB"]
    assert text.subject == "Your booking {{case.number}} – {{date}}"
    picture = f'<img src="file:{"a" * 64}" alt="Plan">'
    assert text.body == f"<p>Dear {{{{name}}}}, see {picture} {{{{order no}}}}</p>\n"
    assert [p.name for p in done.placeholders] == ["order no", "date", "name"]


@pytest.mark.parametrize(
    ("name", "data", "title", "source"),
    [
        (
            "note.md",
            b"# A *title*\n\nDear {{name}},\n\n- one\n- two\n\n**bold** ~~gone~~\n\n> said",
            "A title",
            "<p>Dear {{name}},</p>\n<ul>\n<li>one\n<li>two\n</ul>\n"
            "<p><strong>bold</strong> <s>gone</s></p>\n<blockquote>\n<p>said</p>\n</blockquote>\n",
        ),
        ("a.txt", b"one\r\ntwo\r\n\r\n<b>&", "a", "<p>one<br>two</p>\n<p>&lt;b&gt;&amp;</p>\n"),
        ("l.txt", "Grüße".encode("cp1252"), "l", "<p>Grüße</p>\n"),
        ("u.txt", "Grüße".encode("utf-16"), "u", "<p>Grüße</p>\n"),
        (
            "p.html",
            b"<html><head><meta charset='iso-8859-1'><title>A &amp; B</title></head>\xe9<p>x",
            "A & B",
            "<p>é</p>\n<p>x</p>\n",
        ),
    ],
)
def test_other_files_become_templates(name: str, data: bytes, title: str, source: str) -> None:
    draft = read_file(name, data)
    assert (draft.title, content_of(draft, {})[0].texts["en_GB"].body) == (title, source)


def test_a_first_line_may_be_the_subject() -> None:
    draft = read_file("a.txt", b"Subject: Your refund\n\nDear you")
    assert (draft.subject, draft.markup) == ("Your refund", "<p>Dear you</p>\n")


@pytest.mark.parametrize(
    ("name", "data", "said"),
    [
        ("a.docx", b"x", "a.docx is of no kind that becomes a template"),
        ("a.txt", b" \n", "a.txt is empty"),
        ("a.eml", b"x" * (20 * 2**20 + 1), "a.eml is larger than 20 MB"),
    ],
)
def test_what_cannot_be_taken_is_told(name: str, data: bytes, said: str) -> None:
    with pytest.raises(NebbetError, match=said):
        read_file(name, data)


def test_pictures_that_nobody_can_reach_leave_a_prompt() -> None:
    page = (
        '<p>a<img src="file:///C:/Users/x/logo.png"><img src="https://t.example/p?u=1" width=1>'
        '<img src="https://a.example/x.png" alt="Map"></p>'
    )
    assert picture_addresses(page)[0] == "file:///C:/Users/x/logo.png"
    assert write(read(page, {})) == (
        "<p>a[picture to put in again: logo.png][picture to put in again: Map]</p>\n"
    )


FINISHED = """
<html><head><style>td.x { color: #123456 } p { margin: 0 }</style></head>
<body bgcolor="#eeeeee"><table width="600"><tr><td class="x" style="position:absolute">
<p onclick="x()">Dear {{name}}</p><a href="{{fact.website}}/a?b=1&amp;c=2">go</a>
<a href="javascript:x()">run</a><img src="https://t.example/p.gif" width="1" height="1">
<img src="https://a.example/logo.png" alt="Logo"><script>x()</script>
<form><input name="a"></form><span style="display:none">secret</span> tail
<svg><script>x()</script></svg></td></tr></table></body></html>
"""


def test_finished_html_keeps_its_look_and_loses_what_is_unsafe() -> None:
    found = clean_markup(FINISHED)
    assert 'style="color:#123456' in found.source
    assert "Dear {{name}}" in found.source
    assert 'href="{{fact.website}}/a?b=1&amp;c=2"' in found.source
    for gone in ("script", "onclick", "javascript", "t.example", "secret", "position", "<input"):
        assert gone not in found.source, gone
    assert "tail" in found.source
    assert "logo.png" in found.source
    assert sorted(found.removed) == sorted(
        [
            "2 scripts", "1 form", "1 form field", "1 tracking picture", "1 hidden text",
            "1 link that runs something", "1 drawing that may hold a script",
        ]
    )  # fmt: skip


@given(st.text(alphabet="<>/=\"' apdivstyle:{}{}#&;td\n", max_size=120))
def test_cleaning_finished_html_twice_changes_nothing(text: str) -> None:
    once = clean_markup(text).source
    assert clean_markup(once).source == once


@pytest.mark.parametrize("hostile", ["<table><tr><td>" * 300, "<div>" * 5000, "\x00", "<" * 9999])
def test_hostile_finished_html_is_bounded(hostile: str) -> None:
    assert len(clean_markup(hostile + "words").source) < 200_000
