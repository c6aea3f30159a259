"""Taking a template and completing it for one person; and what the checks find."""

import pytest
from msgspec.structs import replace

from nebbet.core import body, checks, inline
from nebbet.core import letter as letters
from nebbet.core.checks import Finding
from nebbet.core.errors import NebbetError
from nebbet.core.letter import Content, Copies, Enclosure, Letter, Texts
from nebbet.core.placeholders import Particular, Placeholder, World
from nebbet.core.records import Case, Contact, Fact

FILE = "f" * 64
CONTENT = Content(
    texts={
        "en_GB": Texts(
            "Booking {{case.number}}: {{reason}}",
            "<p>Dear {{recipient.first_name}},</p>"
            '<p>because of {{Reason}}, see <a href="https://x.example/{{case.number}}">here</a></p>',
        ),
        "fr": Texts("Réservation {{case.number}}", "<p>Bonjour {{recipient.first_name}},</p>"),
    },
    placeholders=(Placeholder("reason", hint="in a few words"),),
    copies=Copies(cc="desk@host.example, {{case.port_desk}}"),
    enclosures=(Enclosure(FILE, "Form {{case.number}}.pdf", "application/pdf", 1000),),
    frame="plain",
)


def work_out(letter: Letter, world: World) -> tuple[Letter, tuple[Particular, ...]]:
    world = replace(world, recipient=letter.recipient, case=letter.case, language=letter.language)
    return letters.work_out(letter, world)


def check(letter: Letter, world: World, held: str = FILE) -> list[Finding]:
    done, found = work_out(letter, world)
    return list(checks.check(done, found, lambda file: file == held))


@pytest.fixture
def letter(hanna: Contact, case: Case) -> Letter:
    return letters.start("l1", CONTENT, template="t", edition=3, recipient=hanna, case=case)


@pytest.fixture
def complete(letter: Letter) -> Letter:
    answered = letters.answer(letter, "reason", "strong wind")
    return letters.answer(answered, "case.port_desk", "quillan.port@host.example")


def rules(findings: list[Finding]) -> list[tuple[str, str]]:
    return [(f.rule, f.severity) for f in findings]


# Completing


def test_every_occurrence_is_filled_everywhere(complete: Letter, world: World) -> None:
    done, _found = work_out(complete, world)
    assert inline.shown(done.subject) == "Booking LS-48211: strong wind"
    assert body.render_plain(done.body) == (
        "Dear Hanna,\n\nbecause of strong wind, see here (https://x.example/LS-48211)\n"
    )
    assert "because of strong wind" in body.render_email(done.body)
    assert inline.shown(done.cc) == "desk@host.example, quillan.port@host.example"
    assert inline.shown(done.attachments[0].name) == "Form LS-48211.pdf"


def test_completing_is_idempotent_and_keeps_the_placeholders(
    complete: Letter, world: World
) -> None:
    done, found = work_out(complete, world)
    assert letters.complete(done, found) == done
    later = letters.answer(done, "reason", "fog")
    again, _found = work_out(later, world)
    assert inline.shown(again.subject).endswith("fog")
    assert "because of fog" in body.render_plain(again.body)


def test_words_changed_by_hand_survive_a_new_value(complete: Letter, world: World) -> None:
    done, _found = work_out(complete, world)
    _first, *rest = done.body
    reworded = replace(done, body=(body.Paragraph((body.Run("Hello there"),)), *rest))
    again, _found = work_out(letters.answer(reworded, "reason", "ice"), world)
    assert body.render_plain(again.body).startswith("Hello there\n\nbecause of ice")


def test_the_text_is_in_the_recipient_s_language(hanna: Contact) -> None:
    french = letters.start("l", CONTENT, recipient=replace(hanna, language="fr_CA"))
    assert french.language == "fr"
    other = letters.start("l", CONTENT, recipient=replace(hanna, language="fi"))
    assert other.language == "en_GB"


def test_choosing_somebody_of_another_language_turns_the_text_until_it_is_touched(
    letter: Letter, world: World
) -> None:
    done, _found = work_out(letter, world)
    turned = letters.in_language(done, CONTENT, "fr")
    assert turned is not None
    assert inline.source(turned.subject) == "Réservation {{case.number}}"
    touched = replace(done, subject=(*done.subject, "!"))
    assert letters.in_language(touched, CONTENT, "fr") is None
    assert letters.in_language(done, CONTENT, "en_GB") is None


def test_a_letter_survives_being_kept(complete: Letter, world: World) -> None:
    done, _found = work_out(complete, world)
    assert letters.from_json(letters.to_json(done)) == done
    for broken in (b"", b"{}", b"[1]", b'{"id": 3}', letters.to_json(done)[:-5]):
        with pytest.raises(NebbetError, match="cannot be read"):
            letters.from_json(broken)


def test_two_ledgers_merge_and_the_first_wins() -> None:
    one = (Placeholder("a", label="first"), Placeholder("b"))
    two = (Placeholder("A", label="second"), Placeholder("c"))
    merged = {p.name: p.label for p in letters.merge_declared(one, two)}
    assert merged == {"a": "first", "b": "", "c": ""}


def test_an_empty_letter_is_not_written() -> None:
    assert not letters.written(Letter("x"))
    assert letters.written(replace(Letter("x"), subject=("Hi",)))


# Checks: all severities in order, then each rule


def test_a_good_letter_has_no_findings(complete: Letter, world: World) -> None:
    assert check(complete, world) == []


def test_blanks_stop(letter: Letter, world: World) -> None:
    found = check(letter, world)
    assert rules(found) == [("blank", "stop"), ("blank", "stop")]
    assert found[0].sentence == "Reason is not completed: in a few words"
    assert found[1].sentence == "Port desk is not completed: case LS-48211 has no port desk"


def test_an_unknown_placeholder_stops_and_is_mended(complete: Letter, world: World) -> None:
    wrong = replace(complete, subject=inline.parse("About {{resaon}}"))
    found = check(wrong, world)
    assert rules(found) == [("unknown", "stop")]
    assert found[0].sentence == "No placeholder is called “resaon”; did you mean “reason”?"
    assert found[0].remedy is not None
    mended = checks.apply(wrong, found[0].remedy)
    assert check(mended, world) == []
    assert inline.source(mended.subject) == "About {{reason}}"


def test_renaming_reaches_links_image_texts_and_attachments(complete: Letter) -> None:
    source = (
        f'<p><a href="https://x.example/{{{{old}}}}">{{{{old}}}}</a>'
        f'<img src="file:{FILE}" alt="{{{{old}}}}"></p>'
    )
    wrong = replace(complete, body=body.read(source))
    renamed = letters.rename(wrong, "OLD", "new")
    assert body.write(renamed.body) == source.replace("old", "new") + "\n"


@pytest.mark.parametrize(
    ("email", "words"),
    [
        ("", "Hanna Verrell has no address on file: give one"),
        ("hanna.example", "“hanna.example” is not a mail address: there is no @ in it"),
        ("hanna@", "“hanna@” is not a mail address"),
        ("a@b.example\nBcc: x@y.example", "there is a line break or control character in it"),
    ],
)
def test_the_recipient_needs_an_address(
    complete: Letter, world: World, email: str, words: str
) -> None:
    assert complete.recipient
    found = check(replace(complete, recipient=replace(complete.recipient, email=email)), world)
    assert found[0].severity == "stop"
    assert words in found[0].sentence


def test_a_letter_to_nobody(complete: Letter, world: World) -> None:
    found = check(replace(complete, recipient=None), world)
    assert ("recipient", "stop") in rules(found)


def test_a_copy_that_is_no_address(complete: Letter, world: World) -> None:
    found = check(replace(complete, bcc=("boss",)), world)
    assert rules(found) == [("address", "stop")]
    assert found[0].part == "bcc"


def test_a_copy_to_the_recipient_is_doubted_and_taken_out(complete: Letter, world: World) -> None:
    doubled = replace(
        complete, cc=inline.parse("HANNA.verrell@post.example, {{case.port_desk}}; a@b.example")
    )
    found = check(doubled, world)
    assert rules(found) == [("doubled", "doubt")]
    assert found[0].sentence == ("HANNA.verrell@post.example is in Cc and already the recipient")
    done, _particulars = work_out(doubled, world)
    assert found[0].remedy is not None
    mended = checks.apply(done, found[0].remedy)
    assert inline.source(mended.cc) == "{{case.port_desk}}, a@b.example"
    assert check(mended, world) == []


def test_the_same_copy_twice(complete: Letter, world: World) -> None:
    found = check(replace(complete, cc=("a@b.example, c@d.example",), bcc=("a@b.example",)), world)
    assert [f.sentence for f in found] == ["a@b.example is in Bcc and already in Cc"]


def test_an_empty_subject_stops(complete: Letter, world: World) -> None:
    assert rules(check(replace(complete, subject=("  ",)), world)) == [("subject", "stop")]


@pytest.mark.parametrize(
    ("text", "severity"),
    [
        ("Dear [name],", "doubt"),
        ("Order <order no> is", "doubt"),
        ("Code XXXX is", "doubt"),
        ("Sign: ______", "doubt"),
        ("Dear {name}}", "stop"),
        ("Dear {{name", "stop"),
        ("{{ }}", "stop"),
    ],
)
def test_leftovers(complete: Letter, world: World, text: str, severity: str) -> None:
    rule = "leftover" if severity == "stop" else "prompt"
    left = replace(complete, body=(body.Paragraph((body.Run(text),)),))
    assert rules(check(left, world)) == [(rule, severity)]
    left = replace(complete, subject=(text,))
    assert rules(check(left, world)) == [(rule, severity)]


@pytest.mark.parametrize(
    "text", ["see [1] and (2)", "a < b and c > d", "Mail <a@b.example>", "MAXXX", "x__y"]
)
def test_what_only_looks_like_a_leftover(complete: Letter, world: World, text: str) -> None:
    assert check(replace(complete, body=(body.Paragraph((body.Run(text),)),)), world) == []


def test_a_missing_attachment_stops_and_can_be_left_out(complete: Letter, world: World) -> None:
    found = check(complete, world, held="")
    assert rules(found) == [("attachment", "stop")]
    assert found[0].sentence == "The attachment Form LS-48211.pdf is not in the library any more"
    assert found[0].remedy is not None
    assert checks.apply(complete, found[0].remedy).attached == ()


@pytest.mark.parametrize(
    "text",
    [
        "The form is attached.",
        "Vous trouverez la pièce jointe.",
        "Das Formular ist beigefügt.",
        "Skjemaet er vedlagt.",
    ],
)
def test_a_promised_attachment_that_is_not_there(complete: Letter, world: World, text: str) -> None:
    bare = replace(complete, attachments=(), body=(body.Paragraph((body.Run(text),)),))
    found = check(bare, world)
    assert rules(found) == [("promise", "doubt")]
    assert "nothing is attached" in found[0].sentence


def test_heavy_attachments_are_doubted(complete: Letter, world: World) -> None:
    heavy = tuple(replace(a, size=10 * 2**20) for a in complete.attachments * 2)
    found = rules(check(replace(complete, attachments=heavy), world))
    assert ("size", "doubt") in found and set(found) == {("size", "doubt"), ("same file", "doubt")}


def test_stops_come_before_doubts(complete: Letter, world: World) -> None:
    mixed = replace(complete, subject=("[x]",), recipient=None)
    severities = [f.severity for f in check(mixed, world)]
    assert severities == sorted(severities, key=["stop", "doubt", "note"].index)
    assert checks.worst(check(mixed, world)) == "stop"
    assert checks.worst([]) is None


# Templates


@pytest.mark.parametrize(
    ("change", "rule", "severity", "words"),
    [
        (
            {"texts": {"en_GB": Texts("a", "<p>{{resaon}}</p>")}},
            "unknown",
            "doubt",
            "{{resaon}} is used but not declared; did you mean {{reason}}?",
        ),
        (
            {"placeholders": (Placeholder("reason", source="date", of="next Tuesdy"),)},
            "declaration",
            "stop",
            "Reason: The date rule “next Tuesdy” cannot be read at character 6",
        ),
        (
            {"placeholders": (Placeholder("reason", source="case"),)},
            "declaration",
            "stop",
            "Reason does not say which case field it takes",
        ),
        (
            {"placeholders": (Placeholder("reason", format="EEEEEEEEEE;;"),)},
            "declaration",
            "stop",
            "Reason: The format “EEEEEEEEEE;;” does not fit",
        ),
        ({"texts": {"en_GB": Texts("", "<p>x</p>")}}, "subject", "doubt", "The subject is empty"),
        ({"texts": {"en_GB": Texts("x", "")}}, "body", "doubt", "The text is empty"),
        ({"copies": Copies(cc="{{a}}, nobody")}, "address", "stop", "“nobody” in Cc is not"),
    ],
)
def test_a_template_is_checked_before_it_is_an_edition(
    world: World, change: dict, rule: str, severity: str, words: str
) -> None:
    found = checks.check_content(replace(CONTENT, **change), world)
    mine = [f for f in found if f.rule == rule]
    assert mine, found
    assert mine[0].severity == severity
    assert mine[0].sentence.startswith(words)


def test_a_good_template_passes(world: World) -> None:
    good = replace(world, facts={"x": Fact("x", "y")})
    assert checks.check_content(CONTENT, good) == ()
