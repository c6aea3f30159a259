"""Checks find what they are for and nothing else; links lead where their values say."""

from datetime import date
from decimal import Decimal

import pytest
from msgspec.structs import replace

from nebbet.core import addresses, checks, sums
from nebbet.core import letter as letters
from nebbet.core.body import completed, link_address, read, render_email
from nebbet.core.checks import Finding
from nebbet.core.checks.promises import promise_in
from nebbet.core.checks.prompts import prompts_in
from nebbet.core.inline import Line, Slot, parse
from nebbet.core.letter import Content, Copies, Copy, Enclosure, Letter, Texts
from nebbet.core.message import headers
from nebbet.core.placeholders import Placeholder, World, resolve
from nebbet.core.records import Contact, Fact
from nebbet.core.values import Money
from tests.core.test_message import LETTER, made, parsed
from tests.core.test_sums import scope, work

FACTS = {
    "desk_phone": Fact("desk_phone", "+44 1632 960 140", "Desk, telephone"),
    "fare": Fact("fare", {"money": "20", "currency": "GBP"}, "Fare"),
}
AT = World(date(2026, 11, 26), facts=FACTS)


def found_in(
    body: str = "<p>Hello</p>", subject: str = "S", code: str = "en_GB", **more: object
) -> list[Finding]:
    content = Content({code: Texts(subject, body)}, **more)  # type: ignore[arg-type]
    return list(checks.check_content(content, AT))


def found_in_letter(letter: Letter) -> list[Finding]:
    return list(checks.check(letter, (), lambda _file: True))


# Links


def link(text: str, **values: str) -> Line:
    return tuple(
        replace(part, text=values[part.name]) if isinstance(part, Slot) else part
        for part in parse(text)
    )


@pytest.mark.parametrize(
    ("written", "value", "address"),
    [
        ("tel:{{v}}", "+44 1632 960 140", "tel:+441632960140"),
        ("tel:{{v}}", "+44 (0)1632 960-140", "tel:+441632960140"),
        ("tel:+44{{v}}", "1632 960140", "tel:+441632960140"),
        ("mailto:{{v}}", "ana+claims@host.example", "mailto:ana+claims@host.example"),
        ("mailto:{{v}}", "a&b@host.example", "mailto:a%26b@host.example"),
        ("mailto:a@b.example?subject={{v}}", "1 & 2", "mailto:a@b.example?subject=1%20%26%202"),
        ("mailto:a@b.example?body={{v}}", "one\ntwo", "mailto:a@b.example?body=one%0D%0Atwo"),
        ("https://host.example/{{v}}", "LS 1/2", "https://host.example/LS%201%2F2"),
        ("https://{{v}}", "www.host.example/Help?a=1", "https://www.host.example/Help?a=1"),
        ("https://{{v}}", "https://host.example/Help", "https://host.example/Help"),
        ("{{v}}", "www.host.example/Help", "https://www.host.example/Help"),
        ("{{v}}", "ana@host.example", "mailto:ana@host.example"),
        ("{{v}}", "https://host.example/a b", "https://host.example/a%20b"),
        ("{{v}}", "javascript:alert(1)", ""),
    ],
)  # fmt: skip
def test_a_value_in_a_link_is_written_as_its_place_asks(
    written: str, value: str, address: str
) -> None:
    """RFC 3966 §3 (a literal "+", no spaces), RFC 6068 §2 and §5, RFC 3986 §2.3 and §6.2.2.1."""
    assert link_address(link(written, v=value)) == address


@pytest.mark.parametrize(
    "address",
    [
        "tel:{{fact.desk_phone}}", "mailto:{{fact.desk_phone}}",
        "mailto:{{fact.fare}}@host.example", "https://{{fact.fare}}", "{{fact.fare}}", "https://host.example/{{fact.fare}}",
        "tel:+44 1632 960140", "tel:01632960140",
    ],
)  # fmt: skip
def test_links_with_placeholders_lead_somewhere(address: str) -> None:
    assert found_in(f'<p><a href="{address}">here</a></p>') == []


@pytest.mark.parametrize("finished", [False, True])
@pytest.mark.parametrize("value", ["javascript:alert(1)", "data:text/html,x", "file:///etc/passwd"])
def test_a_value_that_would_run_is_found_and_does_not_go_out(value: str, finished: bool) -> None:
    source = '<p>See <a href="{{v}}">this</a></p>'
    content = Content({"en_GB": Texts("S", source, finished=finished)}, (Placeholder("v"),))
    letter = letters.start("l", content, recipient=LETTER.recipient)
    letter = replace(letter, body=completed(letter.body, lambda _slot: value))
    assert [f.rule for f in found_in_letter(letter) if f.severity == "stop"] == ["link"]
    assert value not in render_email(letter.body)


def test_a_value_that_leads_nowhere_is_found_in_the_letter() -> None:
    letter = replace(
        LETTER, body=completed(read('<a href="{{v}}">x</a>'), lambda _slot: "see desk")
    )
    (found,) = found_in_letter(letter)
    assert (found.rule, found.sentence) == ("link", "The link “see desk” leads nowhere")


# Addresses and headers


def test_a_name_with_a_comma_is_one_name_in_a_copy() -> None:
    """RFC 5322 §3.2.4 and §3.4: such a name is a quoted string."""
    content = Content(
        {"en_GB": Texts("S", "<p>a</p>")},
        copies=Copies(cc="{{recipient.first_name}} <b@x.example>"),
    )
    who = Contact("c", email="c@x.example", first_name='Roy, "Ana"', last_name="Roy")
    letter = letters.start("l", content, recipient=who)
    letter, _ = letters.work_out(letter, replace(AT, recipient=who))
    (address,) = addresses.read(addresses.shown(letter.cc))[0]
    assert (address.name, address.spec) == ('Roy, "Ana"', "b@x.example")
    assert found_in_letter(replace(letter, subject=("S",))) == []
    sent = parsed(made(replace(letter, subject=("S",))))
    assert [a.display_name for a in sent["Cc"].addresses] == ['Roy, "Ana"']


def test_a_value_inside_quotes_stays_inside_them() -> None:
    line = ('"', Slot("last", "Roy, Jr"), " ", Slot("first", "Ana"), '" <a@x.example>')
    (address,) = addresses.read(addresses.shown(line))[0]
    assert address.name == "Roy, Jr Ana"


@pytest.mark.parametrize(
    "name", ['"' * 60, "a <b " * 11, "X, " * 20, "x" * 59, "Ü" * 300, "a " * 900, "=?" * 40]
)
def test_header_lines_are_short_whatever_the_name(name: str) -> None:
    """RFC 5322 §2.1.1: at most 998 characters in a line, and 78 where it can be."""
    field = headers.addresses("Reply-To", [addresses.Address(name, "ana@host.example")])
    assert max(map(len, field.split(b"\r\n"))) <= 78
    who = replace(LETTER, recipient=Contact("c", email="ana@host.example", first_name=name.strip()))
    (address,) = parsed(made(who))["To"].addresses
    # The parser of Python 3.11 puts a space between the encoded words of a name: not compared.
    assert "".join(address.display_name.split()) == "".join(headers.clean(name).split())


@pytest.mark.parametrize(
    "subject",
    [
        "a" * 90 + " " + "b" * 90,
        "short " + "c" * 80 + " " + "d" * 75 + " end",
        "x" * 60 + " " + "y" * 72,
    ],
)
def test_two_long_words_of_a_subject_keep_the_space_between_them(subject: str) -> None:
    """RFC 2047 §6.2: white space between encoded words is not shown."""
    assert str(parsed(made(replace(LETTER, subject=(subject,))))["Subject"]) == subject


# Sums and conditions


@pytest.mark.parametrize(
    ("text", "value"),
    [
        ("missing > 3 or paid", True),
        ("paid or missing > 3", True),
        ("missing > 3 and not paid", False),
        ("not paid and missing > 3", False),
        ("count(ports) is 2", True),
        ("count(none)", Decimal(0)),
        ("sum(passengers, 4)", Decimal(7)),
        ("sum(fare, fee)", Money(Decimal("154.50"), "GBP")),
        ("sum(none)", Decimal(0)),
        ("max(passengers, 1, 9)", Decimal(9)),
        ("vehicle is not one of “Car”, “Bike”", True),
        ("vehicle is not one of “van UP to 6 m”, “Bike”", False),
        ("vehicle starts with “van”", True),
        ("vehicle ends with “6 M”", True),
        ("not vehicle starts with “Car”", True),
    ],
)
def test_what_cannot_be_told_does_not_decide_and_what_people_ask_for(
    text: str, value: object
) -> None:
    assert work(text) == value
    assert sums.wording(sums.read(sums.wording(sums.read(text)))) == sums.wording(sums.read(text))


@pytest.mark.parametrize("text", ["missing > 3 or not paid", "missing > 3 and paid"])
def test_what_cannot_be_told_is_asked_where_it_decides(text: str) -> None:
    with pytest.raises(sums.Unanswered):
        sums.work_out(sums.read(text), scope())


def test_sums_over_sums_round_only_where_they_are_written() -> None:
    rows = [
        Placeholder("third", source="sum", of="100 GBP / 3"),
        Placeholder("whole", source="sum", of="third * 3"),
        Placeholder("enough", source="sum", of="third * 3 >= 100 GBP"),
        Placeholder("first", source="first", of="third"),
        Placeholder("price", source="sum", of="33.333 GBP * 1"),
        Placeholder("alike", source="sum", of="price is 33.33 GBP"),
    ]
    found = {p.name: p for p in resolve([row.name for row in rows], rows, AT, {})}
    assert [found[name].text for name in ("third", "whole", "first")] == [
        "£33.33", "£100.00", "£33.33",
    ]  # fmt: skip
    assert (found["enough"].value, found["alike"].value) == (True, True)
    assert found["third"].note == "£100.00 / 3 = £33.33, rounded"
    assert found["whole"].note == "£33.33 (not rounded) × 3 = £100.00, rounded"
    typed = {p.name: p for p in resolve(["whole"], rows, AT, {"third": "£33.33"})}
    assert typed["whole"].text == "£99.99"


def test_a_conditional_copy_that_names_itself_is_a_circle() -> None:
    content = Content(
        {"en_GB": Texts("S", "<p>a</p>")},
        copies=Copies(conditional=(Copy("cc", "{{cc 1}}", "1 > 0"),)),
    )
    letter = letters.start("l", content, recipient=LETTER.recipient)
    name = letter.placeholders[-1].name
    looped = replace(content, copies=Copies(conditional=(Copy("cc", f"{{{{{name}}}}}", "1 > 0"),)))
    letter, particulars = letters.work_out(letters.start("l", looped), AT)
    (found,) = [p for p in particulars if p.name == name]
    assert found.is_blank and "a circle" in found.note


# What a template's checks missed


@pytest.mark.parametrize(
    ("rule", "more"),
    [
        ("fact", {"body": "<p>Call {{fact.desk_phnoe}}</p>"}),
        ("fact", {"placeholders": (Placeholder("p", source="fact", of="desk_phnoe"),)}),
        ("fact", {"body": '<div data-when="fact.faer &gt; 1 GBP"><p>a</p></div>'}),
        ("sum", {"body": '<div data-when="n is 3 or 4"><p>a</p></div>',
                 "placeholders": (Placeholder("n", kind="number"),)}),
        ("sum", {"body": '<div data-when="fact.fare &gt; 100"><p>a</p></div>'}),
        ("sum", {"body": '<div data-when="n"><p>a</p></div>',
                 "placeholders": (Placeholder("n", kind="number"),)}),
        ("sum", {"placeholders": (
            Placeholder("n", kind="number"),
            Placeholder("s", source="sum", of="by n: 3 → 75%, 14 → 100%, else 0%"))}),
        ("modifier", {"body": "<p>{{n|plural: a / b / c}}</p>",
                      "placeholders": (Placeholder("n", kind="number"),)}),
        ("modifier", {"body": "<p>{{n|plural: a / b}}</p>", "code": "pl",
                      "placeholders": (Placeholder("n", kind="number"),)}),
        ("enclosure", {"enclosures": (Enclosure("f" * 64, "Form {{n}.pdf"),)}),
    ],
)  # fmt: skip
def test_what_can_never_be_worked_out_stops_before_it_is_in_use(rule: str, more: dict) -> None:
    found = found_in(**more)
    assert rule in [f.rule for f in found if f.severity == "stop"]


@pytest.mark.parametrize(
    "when",
    ["n is one of 3, 4", "fact.fare > 100 GBP", "case.passengers > 3", "n is 3 or n is 4",
     "today >= 2026-01-01", "n is blank or n > 3", "case.tickets contains “A”", "not (n > 3)"],
)  # fmt: skip
def test_conditions_that_can_be_told_are_not_doubted(when: str) -> None:
    source = f'<div data-when="{when.replace(">", "&gt;")}"><p>a</p></div>'
    found = found_in(source, placeholders=(Placeholder("n", kind="number"),))
    assert [f for f in found if f.rule == "sum"] == []


def test_a_mistaken_or_says_what_was_meant() -> None:
    kinds = {"n": "number"}.get
    (sentence,) = sums.mistakes(sums.read("n is 3 or 4"), kinds, condition=True)  # type: ignore[arg-type]
    assert sentence.endswith("did you mean “n is one of 3, 4”?")


def test_a_mistyped_fact_is_mended_in_one_press() -> None:
    content = Content({"en_GB": Texts("S", "<p>Call {{fact.desk_phnoe}}</p>")})
    (found,) = checks.check_content(content, AT)
    assert found.sentence == "The library has no fact “desk_phnoe”; did you mean “desk_phone”?"
    assert found.remedy is not None
    mended = checks.mend_content(content, found.remedy)
    assert mended.texts["en_GB"].body == "<p>Call {{fact.desk_phone}}</p>\n"


def test_braces_in_the_name_of_an_enclosure_are_mended() -> None:
    content = Content(
        {"en_GB": Texts("S", "<p>a</p>")},
        (Placeholder("n"),),
        enclosures=(Enclosure("f" * 64, "Form {{n}.pdf"),),
    )
    found = next(f for f in checks.check_content(content, AT) if f.rule == "enclosure")
    assert found.remedy is not None
    assert checks.mend_content(content, found.remedy).enclosures[0].name == "Form {{n}}.pdf"


def test_pictures_of_finished_html_need_words_too() -> None:
    shown = '<p>a</p><img src="https://host.example/a.png"{}>'
    for alt, count in (("", 1), (' alt=""', 1), (' alt="Map"', 0)):
        content = Content({"en_GB": Texts("S", shown.format(alt), finished=True)})
        found = [f.sentence for f in checks.check_content(content, AT)]
        assert len([s for s in found if "no words" in s]) == count


# What a letter's checks missed, and where they cried wolf


@pytest.mark.parametrize("body", ["", "<p></p>", "<aside>only a note</aside>"])
def test_an_empty_text_is_doubted(body: str) -> None:
    found = found_in_letter(replace(LETTER, body=read(body)))
    assert [(f.rule, f.severity) for f in found] == [("body", "doubt")]


@pytest.mark.parametrize(
    "text",
    [
        "Please find attached the form.", "I enclose the form.", "We are enclosing it.",
        "See the attachment.", "It is attached to this message.", "Das Formular liegt bei.",
        "Anbei das Formular.", "Wir fügen das Formular bei.", "Je joins le formulaire.",
        "Vous trouverez ci-joint le plan.", "Jeg legger ved skjemaet.", "Vedlagt er planen.",
        "Adjunto el formulario.", "In allegato il modulo.", "In de bijlage staat het.",
        "Jag bifogar planen.", "W załączeniu formularz.", "Segue em anexo.",
    ],
)  # fmt: skip
def test_promises_of_an_attachment_in_many_words(text: str) -> None:
    """Common practice, no source; written from memory."""
    assert promise_in(text)
    found = found_in_letter(replace(LETTER, subject=(text,)))
    assert [f.part for f in found if f.rule == "promise"] == ["attachments"]


@pytest.mark.parametrize(
    "text",
    ["A deck is attached to this ferry.", "Please attach your ticket to your reply.",
     "You can send us the form later.", "We look forward to it."],
)  # fmt: skip
def test_what_promises_no_attachment(text: str) -> None:
    assert promise_in(text) == ""


@pytest.mark.parametrize(
    "text", ["TBC", "(name)", "(insert date)", "%NAME%", "(Vorname)", "[name]"]
)
def test_prompts_that_were_missed(text: str) -> None:
    assert prompts_in(f"Dear {text}, hello") == [text]


@pytest.mark.parametrize(
    "text",
    ["as he said [sic]", "a shirt of size XXX", "50 % of 20 %", "25% off and 10% more",
     "the deck (aft)", "TB is treated"],
)  # fmt: skip
def test_what_only_looks_like_a_prompt(text: str) -> None:
    assert prompts_in(text) == []
