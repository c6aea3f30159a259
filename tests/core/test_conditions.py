"""Conditions decide on parts of a body, copies and enclosures; checks of letters and templates."""

import pytest
from msgspec.structs import replace

from nebbet.core import checks, inline
from nebbet.core import letter as letters
from nebbet.core.body import Frame, render_plain
from nebbet.core.checks import Finding
from nebbet.core.errors import NebbetError
from nebbet.core.letter import Content, Copies, Copy, Enclosure, Letter, Texts
from nebbet.core.message.compose import compose
from nebbet.core.message.encoded import EncodedFiles
from nebbet.core.placeholders import Placeholder, World
from nebbet.core.records import Member
from tests.conftest import NOW

FORM, RULES = "f" * 64, "e" * 64
CONTENT = Content(
    {
        "en_GB": Texts(
            "Booking {{case.number}}",
            "<p>{{recipient.greeting}}</p>\n"
            '<div data-when="passengers &gt;= 10">\n<p>As a group: {{leader}}.</p>\n</div>\n'
            '<div data-when="passengers &lt; 10">\n<p>You travel as {{passengers}}.</p>\n</div>\n',
        )
    },
    (
        Placeholder("passengers", source="case", of="passengers"),
        Placeholder("leader"),
        Placeholder("port desk", source="case", of="port_desk"),
    ),
    Copies(
        cc="bookings@lislesound.example",
        conditional=(
            Copy("cc", "groups@lislesound.example", "passengers >= 10"),
            Copy("bcc", "{{port desk}}", "case.from is one of “Quillan”, “Marrowby”"),
        ),
    ),
    (
        Enclosure(RULES, "Conditions.pdf", "application/pdf", 10),
        Enclosure(FORM, "Group {{leader}}.pdf", "application/pdf", 10, "passengers >= 10"),
    ),
)


def started(world: World, content: Content = CONTENT) -> Letter:
    return letters.start("l", content, recipient=world.recipient, case=world.case)


def group(world: World, count: object = 24) -> World:
    fields = {**world.case.fields, "passengers": count, "port_desk": "desk@lislesound.example"}  # type: ignore[union-attr]
    return replace(world, case=replace(world.case, fields=fields))  # type: ignore[type-var]


def found_in(letter: Letter, world: World) -> tuple[Finding, ...]:
    done, particulars = letters.work_out(letter, world)
    return checks.check(done, particulars, lambda _file: True)


def test_a_condition_puts_parts_in_and_leaves_them_out(world: World) -> None:
    few = group(world, 3)
    done, particulars = letters.work_out(started(few), few)
    assert render_plain(done.body) == "Dear Ms Verrell,\n\nYou travel as 3.\n"
    assert [a.name for a in done.attached] == [("Conditions.pdf",)]
    assert inline.shown(done.cc) == "bookings@lislesound.example, "
    assert inline.shown(done.bcc) == "desk@lislesound.example"
    assert "leader" not in {p.name for p in particulars}  # nobody asks for what is left out
    notes = {p.name: p.note for p in particulars}
    assert notes["cc 1"] == "not copied: 3 >= 10: no"
    many = group(world)
    done, particulars = letters.work_out(letters.answer(started(many), "leader", "Ola"), many)
    assert render_plain(done.body) == "Dear Ms Verrell,\n\nAs a group: Ola.\n"
    assert [inline.shown(a.name) for a in done.attached] == ["Conditions.pdf", "Group Ola.pdf"]
    assert inline.shown(done.cc) == "bookings@lislesound.example, groups@lislesound.example"


def test_what_is_decided_can_be_decided_anew(world: World) -> None:
    few, many = group(world, 3), group(world)
    letter = letters.work_out(started(few), few)[0]
    again = letters.work_out(letter, many)[0]
    assert render_plain(again.body).startswith("Dear Ms Verrell,\n\nAs a group")
    assert letters.from_json(letters.to_json(again)) == again
    back = letters.work_out(letters.answer(again, "passengers", "4"), many)[0]
    assert "You travel as 4" in render_plain(back.body)


def test_only_what_belongs_to_the_letter_is_sent(world: World, me: Member) -> None:
    few = group(world, 3)
    done, _ = letters.work_out(started(few), few)
    files = EncodedFiles(lambda _file: b"x")
    sent = compose(done, me, now=NOW, token=lambda: "t", frame=Frame(), files=files)
    assert b"As a group" not in sent.data and b"Group" not in sent.data
    assert set(sent.recipients) == {
        "hanna.verrell@post.example", "bookings@lislesound.example", "desk@lislesound.example"
    }  # fmt: skip


def test_a_condition_that_cannot_be_told_stops_the_letter(world: World, me: Member) -> None:
    unknown = group(world)
    fields = {k: v for k, v in unknown.case.fields.items() if k != "passengers"}  # type: ignore[union-attr]
    unknown = replace(unknown, case=replace(unknown.case, fields=fields))  # type: ignore[type-var]
    letter, particulars = letters.work_out(started(unknown), unknown)
    assert "As a group" in render_plain(letter.body)  # nothing goes missing by itself
    found = [f for f in checks.check(letter, particulars, lambda _: True) if f.rule == "condition"]
    assert found[0].sentence == (
        "A part belongs to the letter only if passengers >= 10; that cannot be told: "
        "Passengers is missing: case LS-48211 has no passengers"
    )
    files = EncodedFiles(lambda _file: b"x")
    with pytest.raises(NebbetError, match="cannot go"):
        answered = letters.work_out(letters.answer(letter, "leader", "Ola"), unknown)[0]
        compose(answered, me, now=NOW, token=lambda: "t", frame=Frame(), files=files)
    assert found[0].remedy
    mended = checks.apply(letter, found[0].remedy)
    assert "As a group" not in render_plain(mended.body)
    assert len(mended.attachments) == 1
    kept = letters.keep_part(letter, "passengers >= 10", keep=True)
    assert "passengers >= 10" not in letters.work_out(kept, unknown)[0].undecided


def test_an_answer_that_cannot_be_read_stops_and_is_mended_by_one_key(world: World) -> None:
    content = Content({"en_GB": Texts("S", "<p>{{day}}</p>")}, (Placeholder("day", kind="date"),))
    letter = letters.answer(started(world, content), "day", "12/25/2026")
    (found,) = [f for f in found_in(letter, world) if f.rule == "value"]
    assert (found.severity, found.sentence) == (
        "stop",
        "Day: “12/25/2026” has no such month: is 25 December 2026 meant?",
    )
    assert found.remedy and found.remedy.words == "Use 25 December 2026"
    assert found_in(checks.apply(letter, found.remedy), world) == ()
    free = letters.answer(
        started(world, Content({"en_GB": Texts("S", "<p>{{case.sailing}}</p>")})),
        "case.sailing",
        "3/12",
    )
    assert [f.severity for f in found_in(free, world)] == ["doubt"]


def test_a_modifier_that_does_not_fit_stops(world: World) -> None:
    letter = started(world, Content({"en_GB": Texts("S", '<p>{{case.from|"HH:mm"}}</p>')}))
    (found,) = found_in(letter, world)
    assert (found.severity, found.rule) == ("stop", "modifier")
    assert found.sentence == '{{case.from|"HH:mm"}}: The format “HH:mm” does not fit a text'


def test_mistyped_braces_stop_and_are_mended_by_one_key(world: World) -> None:
    letter = started(world, Content({"en_GB": Texts("S", "<p>From {case.from}} on</p>")}))
    (found,) = found_in(letter, world)
    assert found.severity == "stop"
    assert "“{case.from}}” is mistyped: did you mean “{{case.from}}”" in found.sentence
    assert found.remedy
    mended = checks.apply(letter, found.remedy)
    assert found_in(mended, world) == ()
    assert "From Marrowby on" in render_plain(letters.work_out(mended, world)[0].body)


BODY = "<p>{{a}}</p>"


@pytest.mark.parametrize(
    ("content", "severity", "sentence"),
    [
        (Content({"en_GB": Texts("S", '<div data-when="a >"><p>{{a}}</p></div>')},
                 (Placeholder("a"),)), "stop", "The condition “a >”: The sum “a >” cannot be read"),
        (Content({"en_GB": Texts("S", '<div data-when="b is blank"><p>{{a}}</p></div>')},
                 (Placeholder("a"),)), "stop", "needs “b”, which nothing declares"),
        (Content({"en_GB": Texts("S", BODY)}, (Placeholder("a", source="sum", of="pasengers * 2"),
                                               Placeholder("passengers"))),
         "stop", "A needs “pasengers”, which nothing declares; did you mean {{passengers}}?"),
        (Content({"en_GB": Texts("S", BODY)}, (Placeholder("a", source="sum", of="b + 1"),
                                               Placeholder("b", source="sum", of="a + 1"))),
         "stop", "A: a circle: “a” needs “b” needs “a”"),
        (Content({"en_GB": Texts("S", BODY)}, (Placeholder("a", source="date", of="saling + 1 day"),
                                               Placeholder("sailing"))),
         "stop", "it counts from “saling”, which nothing declares; did you mean “sailing”?"),
        (Content({"en_GB": Texts("S", BODY)},
                 (Placeholder("a", source="date", of="2026-12-01 + 1 hour"),)),
         "stop", "A: on 2026-11-25 it gives nothing: 2026-12-01 has no time of day"),
        (Content({"en_GB": Texts("S", BODY)}, (Placeholder("a", source="first", of=" , "),)),
         "stop", "A does not say which placeholders to try"),
        (Content({"en_GB": Texts("S", BODY)}, (Placeholder("a", source="sum"),)),
         "stop", "A does not say what it is worked out from"),
        (Content({"en_GB": Texts("S", BODY)}, (Placeholder("a", kind="choice"),)),
         "stop", "A: it is a choice without anything to choose from"),
        (Content({"en_GB": Texts("S", BODY)}, (Placeholder("a", kind="number", least="x"),)),
         "stop", "A: The limit “x” is not a number"),
        (Content({"en_GB": Texts("S", "<p>{{a|shout}}</p>")}, (Placeholder("a"),)),
         "stop", "{{a|shout}}: “shout” is no modifier"),
        (Content({"en_GB": Texts("S {a}}", BODY)}, (Placeholder("a"),)),
         "stop", "“{a}}” is mistyped: did you mean “{{a}}”?"),
        (Content({"en_GB": Texts("S", BODY)}, (Placeholder("a"),),
                 Copies(conditional=(Copy("cc", "nobody", "a is blank"),))),
         "stop", "“nobody” in Cc is not a mail address"),
    ],
)  # fmt: skip
def test_what_is_wrong_with_a_template_is_found(
    world: World, content: Content, severity: str, sentence: str
) -> None:
    found = checks.check_content(content, world)
    assert any(f.severity == severity and sentence in f.sentence for f in found), found


def test_a_good_template_has_no_findings(world: World) -> None:
    assert checks.check_content(CONTENT, world) == ()


@pytest.mark.parametrize(
    ("subject", "body", "severity", "sentence"),
    [
        ("S " * 50, "<p>x</p>", "doubt", "The subject is longer than 78 signs (en_GB)"),
        (
            "S",
            "<p>Dear [name], about ____</p>",
            "doubt",
            "“[name]” in the text looks like a prompt",
        ),
        ("About XXXX", "<p>x</p>", "doubt", "“XXXX” in the subject looks like a prompt"),
        ("S", f'<p><img src="file:{FORM}" alt=""></p>', "doubt", "A picture has no words"),
        ("S", '<p><a href="https://nowhere">x</a></p>', "stop", "The link “https://nowhere” leads"),
        ("S", '<p><a href="mailto:nobody">x</a></p>', "stop", "The link “mailto:nobody” leads"),
        ("S", '<p><a href="tel:none">x</a></p>', "stop", "The link “tel:none” leads nowhere"),
    ],
)
def test_what_will_not_serve_every_reader_is_found(
    world: World, subject: str, body: str, severity: str, sentence: str
) -> None:
    """RFC 5322 §2.1.1 for the length of a line; alternative texts: WCAG 2.2 §1.1.1."""
    found = checks.check_content(Content({"en_GB": Texts(subject, body)}), world)
    assert any(f.severity == severity and f.sentence.startswith(sentence) for f in found), found


@pytest.mark.parametrize(
    "link", ["https://a.example/x?y={{case.number}}", "{{fact.claims_phone}}", "tel:+44123",
             "mailto:a@b.example?subject=x", "https://{{fact.claims_phone}}/x"]
)  # fmt: skip
def test_links_that_lead_somewhere_are_left_alone(world: World, link: str) -> None:
    found = checks.check_content(
        Content({"en_GB": Texts("S", f'<p><a href="{link}">x</a></p>')}), world
    )
    assert found == ()


def test_a_text_that_is_older_than_its_original_is_noted(world: World) -> None:
    first = Texts("S", "<p>x</p>")
    content = Content({"en_GB": Texts("S", "<p>y</p>"), "fr": replace(first, original="a")})
    (found,) = checks.check_content(content, world)
    assert (found.severity, found.sentence) == (
        "note",
        "The text in French is older than the one in English",
    )
