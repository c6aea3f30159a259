"""Parts of a body: columns, fact rows, buttons, what is repeated, passages; moved as a whole."""

import re
from datetime import date

import pytest
from hypothesis import given
from hypothesis import strategies as st
from lxml import html
from msgspec.structs import replace

from nebbet.core import body, checks, inline
from nebbet.core import letter as letters
from nebbet.core.body import Body, Frame, read, render_email, render_plain, write
from nebbet.core.contrast import contrast
from nebbet.core.letter import Content, Copies, Copy, Passage, Texts
from nebbet.core.placeholders import Placeholder, World
from nebbet.core.records import Case, Contact, Fact
from tests.core.test_body import BODIES

COLUMNS = (
    "<div data-columns>\n<div data-column>\n<p>left</p>\n</div>\n"
    "<div data-column>\n<p>right</p>\n</div>\n</div>\n"
)
TICKETS = (
    '<div data-each="case.tickets">\n<dl>\n'
    "<dt>Ticket</dt><dd>{{case.tickets}}</dd>\n</dl>\n</div>\n"
)


def world(*tickets: str, **facts: str) -> World:
    case = Case("c", "LS-1", fields={"tickets": list(tickets), "price": ["1", "2"]})
    return World(
        date(2026, 11, 25),
        recipient=Contact("k", email="kit@example.org", first_name="Kit"),
        case=case,
        facts={name: Fact(name, value) for name, value in facts.items()},
    )


def worked(content: Content, at: World) -> letters.Letter:
    letter = letters.start("l", content, recipient=at.recipient, case=at.case)
    return letters.work_out(letter, at)[0]


def plain(letter: letters.Letter) -> str:
    return render_plain(letter.body)


# Moving


@given(BODIES, st.integers(0, 8), st.sampled_from([-1, 1]))
def test_what_is_moved_there_and_back_is_where_it_was(found: Body, at: int, by: int) -> None:
    at = min(at, max(len(found) - 1, 0))
    there, place = body.moved(found, (at, at + 1), by)
    words = sorted(inline.source(body.text_of(b)) for b in found if body.text_of(b))
    assert sorted(inline.source(body.text_of(b)) for b in there if body.text_of(b)) == words
    if there != found and len(there) == len(found):  # no empty paragraph at an edge fell away
        assert body.moved(there, (place, place + 1), -by)[0] == found


@given(BODIES.filter(lambda found: not body.lists_of(found)), st.integers(0, 8))
def test_a_duplicate_is_removed_without_a_trace(found: Body, at: int) -> None:
    at = min(at, max(len(found) - 1, 0))
    double, place = body.duplicated(found, (at, at + 1))
    assert body.tidy(double) == double
    if found and len(double) > len(found):
        assert body.removed(double, (place, place + 1))[0] == found


def test_columns_and_what_is_repeated_together_move_as_a_whole() -> None:
    found = read("<p>one</p>" + COLUMNS + TICKETS + "<p>end</p>")
    up, at = body.moved(found, (2, 3), -1)
    assert (write(up), at) == (COLUMNS + "<p>one</p>\n" + TICKETS + "<p>end</p>\n", 0)
    gone, _ = body.removed(found, (1, 2))
    assert write(gone) == "<p>one</p>\n" + TICKETS + "<p>end</p>\n"


def test_other_columns_keep_what_stands_in_each() -> None:
    two, _ = body.in_columns(read("<p>a</p>"), (0, 1), 2)
    two = (two[0], replace(two[1], inlines=read("<p>b</p>")[0].inlines))
    three, _ = body.in_columns(two, (0, 1), 3)
    assert [block.column for block in three] == [1, 2, 3]
    assert [block.inlines for block in three[:2]] == [block.inlines for block in two]
    again, _ = body.in_columns(three, (2, 3), 2)
    assert [block.column for block in again] == [1, 2, 2]


def test_repeated_paragraphs_act_as_a_whole() -> None:
    rows = read('<p>a</p><div data-each="case.tickets"><p>b</p><p>c</p></div>')
    assert body.first_of(rows, (2, 3)) == 1
    assert body.first_of(rows, (0, 1)) == 0


def test_a_paragraph_is_put_into_columns_and_out_of_them() -> None:
    found, _ = body.in_columns(read("<p>a</p><p>b</p>"), (0, 1), 2)
    assert [block.column for block in found] == [1, 2, 0]
    out, _ = body.in_columns(found, (0, 1), 0)
    assert write(out) == "<p>a</p>\n<p><br></p>\n<p>b</p>\n"


# How they arrive


def test_columns_stand_side_by_side_or_below_each_other_by_their_width_alone() -> None:
    """Common practice, no source: boxes as wide as a column at most, and no media query."""
    sent = render_email(read(COLUMNS), Frame(width=600))
    boxes = re.findall(r"display:inline-block;width:100%;max-width:(\d+)px", sent)
    assert boxes == ["272", "272"]
    assert "@media" not in sent
    assert render_plain(read(COLUMNS)) == "left\n\nright\n"


def test_facts_and_buttons_read_as_such_in_both_parts() -> None:
    found = read(
        "<dl><dt>Booking</dt><dd>LS-1</dd><dt>Fare:</dt><dd>£5</dd></dl>"
        '<p data-button><a href="https://a.example/x">Change it</a></p>'
    )
    assert render_plain(found) == "Booking: LS-1\nFare: £5\n\nChange it: https://a.example/x\n"
    page = html.fromstring(render_email(found).encode())
    rows = [[cell.text_content() for cell in row] for row in page.xpath("//tr[th[@scope='row']]")]
    assert rows == [["Booking", "LS-1"], ["Fare:", "£5"]]
    (link,) = page.xpath("//td[@bgcolor]/a")
    assert (link.text, link.get("href")) == ("Change it", "https://a.example/x")


def test_a_linked_picture_keeps_its_size_and_its_words() -> None:
    file = "b" * 64
    picture = f'<img src="file:{file}" alt="Plan" width="40" height="30">'
    source = f'<p><a href="https://a.example">{picture}</a></p>\n'
    assert write(read(source)) == source
    assert render_plain(read(source)) == "[Plan] (https://a.example)\n"
    sent = render_email(read(source), sources={file: "cid:x"})
    assert 'width="40" height="30"' in sent


def test_finished_html_keeps_its_markup_and_escapes_values() -> None:
    source = '<table bgcolor="#eee"><tbody><tr><td>Dear {{recipient.first_name}},<br>see <a href="https://a.example">this</a></td></tr></tbody></table>'
    content = Content({"en_GB": Texts("S", source, finished=True)})
    at = world()
    at = replace(at, recipient=Contact("k", email="kit@example.org", first_name="<Kit>"))
    letter = worked(content, at)
    inside = source.replace("{{recipient.first_name}}", "&lt;Kit&gt;")
    assert f"<body>\n{inside}\n</body>" in render_email(letter.body)
    assert plain(letter) == "Dear <Kit>,\nsee this (https://a.example)\n"
    assert letters.renamed(content, "recipient.first_name", "recipient.name").texts[
        "en_GB"
    ].body == source.replace("first_name", "name")


# Repeating


def test_a_row_stands_once_for_each_member_of_a_list() -> None:
    content = Content({"en_GB": Texts("S", TICKETS + "<p>{{case.tickets}}</p>")})
    two = worked(content, world("A1", "B2"))
    assert plain(two) == "Ticket: A1\nTicket: B2\n\nA1 and B2\n"
    three = letters.work_out(two, world("A1", "B2", "C3"))[0]
    assert plain(three).startswith("Ticket: A1\nTicket: B2\nTicket: C3\n")
    one = letters.work_out(three, world("C3"))[0]
    assert plain(one) == "Ticket: C3\n\nC3\n"


def test_other_lists_in_a_row_go_along() -> None:
    row = TICKETS.replace("{{case.tickets}}", "{{case.tickets}}, £{{case.price}}")
    assert plain(worked(Content({"en_GB": Texts("S", row)}), world("A", "B"))) == (
        "Ticket: A, £1\nTicket: B, £2\n"
    )


def test_without_members_the_row_is_left_out_and_comes_back() -> None:
    content = Content({"en_GB": Texts("S", TICKETS + "<p>end</p>")})
    none = worked(content, world())
    assert plain(none) == "end\n"
    assert plain(letters.work_out(none, world("A"))[0]) == "Ticket: A\n\nend\n"


def test_what_a_person_changed_in_one_row_stays_there() -> None:
    content = Content({"en_GB": Texts("S", TICKETS)})
    letter = letters.answer(worked(content, world("A", "B")), "case.tickets#2", "B, seat 4")
    done, found = letters.work_out(letter, world("A", "B"))
    assert plain(done) == "Ticket: A\nTicket: B, seat 4\n"
    changed = {key: p.changed for key, p in letters.by_place(done, found).items() if "#" in key}
    assert changed == {"case.tickets#1": False, "case.tickets#2": True}
    emptied, found = letters.work_out(letters.answer(letter, "case.tickets#2", ""), world("A", "B"))
    said = [f.sentence for f in checks.check(emptied, found, lambda _file: True)]
    assert "Number 2 of Tickets is not completed" in said


def test_a_row_that_a_person_took_out_stays_out() -> None:
    content = Content({"en_GB": Texts("S", TICKETS)})
    letter = worked(content, world("A", "B"))
    fewer = replace(letter, body=letter.body[:1])
    assert plain(letters.work_out(fewer, world("A", "B"))[0]) == "Ticket: A\n"


def test_an_untouched_letter_with_rows_still_changes_its_language() -> None:
    content = Content({"en_GB": Texts("S", TICKETS), "fr": Texts("S", TICKETS.replace("T", "B"))})
    turned = letters.in_language(worked(content, world("A", "B")), content, "fr")
    assert turned is not None
    assert turned.language == "fr"


# Passages


HOURS = Passage(
    "hours",
    "When we are there",
    {
        "en_GB": Texts(body="<p>Open {{fact.hours}}, from {{opens}}</p>"),
        "fr": Texts(body="<p>fr</p>"),
    },
    (Placeholder("opens", source="date", of="today + 1 day"),),
)


def test_a_passage_stands_in_its_place_in_the_language_of_the_text() -> None:
    when = 'data-when="case.number is &quot;LS-1&quot;"'
    place = f'<div {when}>\n<div data-passage="hours"></div>\n</div>\n'
    texts = {code: Texts("S", f"<p>a</p>{place}<p>b</p>") for code in ("en_GB", "fr", "de")}
    filled = letters.included(Content(texts), {"hours": HOURS})
    at = world(hours="daily")
    assert plain(worked(filled, at)) == "a\n\nOpen daily, from 26 November 2026\n\nb\n"
    assert "<p>fr</p>" in filled.texts["fr"].body
    assert "{{opens}}" in filled.texts["de"].body  # the original, where there is no other
    assert 'data-when="case.number' in filled.texts["fr"].body
    assert letters.passages_in(Content(texts)) == ["hours"]


def test_a_passage_that_is_gone_stops_the_letter_and_the_template() -> None:
    content = Content({"en_GB": Texts("S", '<p>a</p><div data-passage="hours"></div>')})
    letter = worked(letters.included(content, {}), world())
    for found in (
        checks.check(letter, (), lambda _file: True),
        checks.check_content(content, world()),
    ):
        assert any("The passage “hours” is not in the library" in f.sentence for f in found)


# Who it comes from, to whom it goes, how it looks


def test_further_recipients_and_a_team_mailbox_may_hang_on_conditions() -> None:
    copies = Copies(
        mailbox="Claims <claims@lislesound.example>",
        conditional=(Copy("to", "port@lislesound.example", 'case.number is "LS-1"'),),
    )
    letter = worked(Content({"en_GB": Texts("S", "<p>a</p>")}, copies=copies), world())
    assert inline.shown(letter.to) == "port@lislesound.example"
    assert inline.shown(letter.mailbox) == "Claims <claims@lislesound.example>"
    two = replace(letter, mailbox=("a@b.example, c@d.example",))
    assert [f.part for f in checks.check(two, (), lambda _file: True) if f.rule == "address"] == [
        "mailbox"
    ]


@pytest.mark.parametrize(
    ("one", "other", "ratio"),
    [
        ("#000000", "#ffffff", 21.0),
        ("#777777", "#FFFFFF", 4.48),  # the well-known grey that just fails: WCAG 2.2, from memory
        ("#767676", "#FFFFFF", 4.54),
        ("#FF0000", "#FFFFFF", 4.0),
    ],
)
def test_contrast_is_that_of_wcag(one: str, other: str, ratio: float) -> None:
    assert contrast(one, other) == pytest.approx(ratio, abs=0.005)
    assert contrast(other, one) == contrast(one, other)


def test_pictures_that_finished_html_loads_from_elsewhere_are_told() -> None:
    source = '<p>a<img src="https://a.example/x.png" alt="x"></p>'
    content = Content({"en_GB": Texts("S", source, finished=True)})
    found = checks.check_content(content, world())
    assert any("loads 1 picture from elsewhere" in f.sentence for f in found)


def test_a_frame_that_nobody_can_read_is_told() -> None:
    assert list(checks.check_frame(Frame(band="x"))) == []
    (faint,) = checks.check_frame(Frame(faint="#999999"))
    assert (faint.severity, "2.8 to 1" in faint.sentence) == ("stop", True)
    (wrong,) = checks.check_frame(Frame(ink="black"))
    assert (wrong.severity, wrong.sentence) == ("stop", "“black” is not a colour")


@pytest.mark.parametrize(
    ("source", "severity", "words"),
    [
        ('<p data-button><a href="https://">Go</a></p>', "stop", "The button “Go” leads nowhere"),
        (f'<p><img src="file:{"a" * 64}" alt="Open daily"></p>', "doubt", "only in a picture"),
        ('<div data-each="guests"><p>{{guests}}</p></div>', "stop", "“guests”, which nothing"),
    ],
)
def test_what_would_not_arrive_well_is_told(source: str, severity: str, words: str) -> None:
    found = checks.check_content(Content({"en_GB": Texts("S", source)}), world())
    assert any(f.severity == severity and words in f.sentence for f in found)


def test_a_passage_does_not_make_a_translation_older() -> None:
    """What is older is judged by what the template's own texts say."""
    original = Texts("Hello", '<div data-passage="p"></div>\n')
    after = Texts("Bonjour", "<p>x</p>\n", original.fingerprint)
    passages = {"p": Passage("p", "P", {"en_GB": Texts(body="<p>Said once.</p>\n")})}
    content = Content({"en_GB": original, "fr": after})
    assert letters.older(letters.included(content, passages)) == letters.older(content) == ()
    stale = replace(content, texts={"en_GB": replace(original, subject="Hi"), "fr": after})
    assert letters.older(letters.included(stale, passages)) == letters.older(stale) == ("fr",)


def test_finished_markup_is_checked_and_counted_by_its_words() -> None:
    source = (
        '<p style="color:red">Dear [name], <a href="{{x|short}}">see &lt;here&gt;</a> {{b}}</p>'
    )
    markup = Texts("S", source, finished=True).blocks
    said = [inline.source(line) for line in body.lines_of(body.spoken(markup))]
    assert [line.split() for line in said] == [["Dear", "[name],", "see", "<here>", "{{b}}"]]
    assert body.figures(markup, "en_GB").words == 5
