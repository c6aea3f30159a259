"""Filling text, and working out particulars with their explanations."""

import time
from datetime import date
from decimal import Decimal

import pytest
from babel.lists import format_list
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace

from nebbet.core import inline
from nebbet.core.inline import Slot
from nebbet.core.placeholders import (
    Particular,
    Placeholder,
    World,
    fill,
    implied,
    known_names,
    nearest,
    resolve,
)
from nebbet.core.placeholders.languages import greeting
from nebbet.core.records import Contact, Fact, fold
from nebbet.core.values import Money

NAMES = st.from_regex(r"[A-Za-z][A-Za-z0-9_ .-]{0,20}[A-Za-z0-9]", fullmatch=True)
# A backslash before braces means the braces themselves; that has a test of its own.
PLAIN = st.text(st.characters(blacklist_categories=["Cs"], blacklist_characters="{}\\"))


def one(world: World, placeholder: Placeholder, answer: str | None = None) -> Particular:
    answers = {} if answer is None else {fold(placeholder.name): answer}
    return resolve([placeholder.name], [placeholder], world, answers)[0]


# Reading text


@given(st.lists(st.one_of(PLAIN, NAMES.map(Slot))))
def test_reading_and_writing_a_line_is_the_identity(parts: list[str | Slot]) -> None:
    text = inline.source(parts)
    assert inline.source(inline.parse(text)) == text
    found = [slot.name for slot in inline.slots(inline.parse(text))]
    assert found == [p.name for p in parts if isinstance(p, Slot)]


@pytest.mark.parametrize(
    "text", ["{name}}", "{{name}", "{{ }}", "{{}}", "{{a\nb}}", "{{a{b}}", "{{" + "x" * 81 + "}}"]
)
def test_broken_braces_are_left_as_text(text: str) -> None:
    assert list(inline.slots(inline.parse(text))) == []
    assert inline.source(inline.parse(text)) == text


def test_a_megabyte_of_braces_is_read_in_bounded_time() -> None:
    text = "{{" * 500_000
    assert inline.source(inline.parse(text)) == text
    assert fill(text, {"a": "b"}).text == text


# Filling


@given(PLAIN, NAMES, PLAIN, PLAIN)
def test_filling_fills_every_occurrence_and_nothing_else(
    before: str, name: str, value: str, after: str
) -> None:
    text = f"{before}{{{{{name}}}}}{after}{{{{{name}}}}}"
    assert fill(text, {name: value}).text == f"{before}{value}{after}{value}"


@given(PLAIN, st.dictionaries(NAMES, PLAIN))
def test_filling_again_changes_nothing(text: str, values: dict[str, str]) -> None:
    once = fill(text, values)  # type: ignore[arg-type]
    assert fill(once.text, values).text == once.text  # type: ignore[arg-type]


@pytest.mark.parametrize("spelling", ["Booking-Ref", "booking ref", "BOOKING_REF", "bookingref"])
def test_names_match_whatever_their_case_and_separators(spelling: str) -> None:
    assert fill(f"{{{{{spelling}}}}}", {"booking_ref": "X"}).text == "X"


def test_a_value_that_holds_braces_is_not_filled_again() -> None:
    filled = fill("{{a}} {{b}}", {"a": "{{b}}", "b": "secret"})
    assert filled.text == "{{b}} secret"


def test_html_is_escaped_on_request() -> None:
    values = {"name": "<script>alert('1 & 2')</script>"}
    assert "<script" in fill("{{name}}", values).text  # type: ignore[arg-type]
    shown = fill("<p>{{name}}</p>", values, as_html=True).text  # type: ignore[arg-type]
    assert shown == "<p>&lt;script&gt;alert(&#x27;1 &amp; 2&#x27;)&lt;/script&gt;</p>"


def test_missing_names_are_told_once_with_the_nearest_known() -> None:
    filled = fill("{{bokking}} {{bokking}}\n{{zzz}}", {"booking": "1", "name": "2"})
    assert filled.text == "{{bokking}} {{bokking}}\n{{zzz}}"
    found = [(p.line, p.column, p.name, p.nearest) for p in filled.problems]
    assert found == [(1, 1, "bokking", "booking"), (2, 1, "zzz", None)]
    assert filled.problems[0].sentence == "no value for “bokking”; did you mean “booking”?"


def test_typed_values_are_written_in_the_language() -> None:
    values = {"day": date(2026, 12, 7), "sum": Money(Decimal("5"), "GBP"), "n": Decimal("1234")}
    assert fill("{{day}}, {{sum}}, {{n}}", values, "de").text == (
        "7. Dezember 2026, 5,00\xa0£, 1.234"
    )


@pytest.mark.parametrize("name", ["__class__", "__init__.__globals__", "mro", "format"])
def test_python_s_own_names_mean_nothing(name: str, world: World) -> None:
    assert fill(f"{{{{{name}}}}}", {"a": "b"}).text == f"{{{{{name}}}}}"
    for source in ("recipient", "case", "sender", "fact"):
        found = resolve([f"{source}.{name}"], [], world, {})[0]
        assert found.is_blank


def test_text_of_every_script_goes_through() -> None:
    value = "שלום, مرحبا, 👩‍👩‍👧, e\u0301, 日本"
    assert fill("<{{v}}>", {"v": value}).text == f"<{value}>"


# Working out


@pytest.mark.parametrize(
    ("name", "text", "note"),
    [
        ("recipient.first_name", "Hanna", "the recipient: first name"),
        ("Recipient.Last-Name", "Verrell", "the recipient: last name"),
        ("recipient.loyalty card", "G-77", "the recipient: loyalty card"),
        ("case.from", "Marrowby", "case LS-48211: from"),
        ("case.fare", "£148.50", "case LS-48211: fare"),
        ("case.passengers", "3", "case LS-48211: passengers"),
        ("sender.name", "Benedek Roy", "the sender: name"),
        ("fact.claims_phone", "01632 960 140", "the fact “Claims, telephone”"),
    ],
)
def test_every_source_gives_its_value_and_says_so(
    world: World, name: str, text: str, note: str
) -> None:
    found = resolve([name], [], world, {})[0]
    assert (found.text, found.note, found.known) == (text, note, True)


def test_a_date_rule_is_explained(world: World) -> None:
    rule = Placeholder("refund by", source="date", of="today + 7 working days", format="full")
    found = one(world, rule)
    assert found.text == "Monday, 7 December 2026"
    assert found.note.startswith("7 working days after Wed 25 Nov 2026: Mon 7 Dec; skips")


@pytest.mark.parametrize(
    ("placeholder", "reason"),
    [
        (Placeholder("x", source="case", of="ship"), "case LS-48211 has no ship"),
        (Placeholder("x", source="recipient", of="fax"), "the recipient has no fax"),
        (Placeholder("x", source="fact", of="fee"), "the library has no fact “fee”"),
        (Placeholder("x", hint="ask the port"), "ask the port"),
        (Placeholder("x"), "to be completed by you"),
    ],
)
def test_what_is_missing_is_a_blank_with_its_reason(
    world: World, placeholder: Placeholder, reason: str
) -> None:
    found = one(world, placeholder)
    assert found.is_blank
    assert found.note == reason


def test_without_recipient_case_and_sender(world: World) -> None:
    bare = replace(world, recipient=None, case=None, sender=None)
    names = ["recipient.name", "case.number", "sender.name"]
    notes = [p.note for p in resolve(names, [], bare, {})]
    assert notes == [
        "no recipient is chosen yet",
        "no case is chosen yet",
        "the sender is not known",
    ]


def test_a_broken_rule_or_format_never_raises(world: World) -> None:
    broken = one(world, Placeholder("d", source="date", of="today plus 3"))
    assert broken.is_blank
    assert broken.note.startswith("The date rule “today plus 3” cannot be read at character 7")
    fact = replace(world, facts={"odd": Fact("odd", {"date": "never"})})
    assert one(fact, Placeholder("o", source="fact", of="odd")).is_blank
    circle = one(world, Placeholder("c", source="sum", of="c + 1"))
    assert circle.note == "a circle: “c” needs “c”"
    shape = Placeholder("s", source="date", of="today", format="EEEEEEEEE")
    assert "does not fit a date" in one(world, shape).note


def test_a_fallback_stands_in_and_is_told(world: World) -> None:
    found = one(world, Placeholder("seen by", source="case", of="witness", fallback="our crew"))
    assert (found.text, found.is_blank) == ("our crew", False)
    assert found.note == "case LS-48211 has no witness; “our crew” stands in"


def test_what_need_not_be_completed_stays_empty(world: World) -> None:
    found = one(world, Placeholder("remark", required=False))
    assert (found.text, found.is_blank) == ("", False)


def test_an_answer_wins_and_can_be_taken_back(world: World) -> None:
    name = Placeholder("name", source="recipient", of="first_name")
    answered = one(world, name, "Hannah")
    assert (answered.text, answered.default, answered.changed) == ("Hannah", "Hanna", True)
    emptied = one(world, name, "")
    assert (emptied.text, emptied.is_blank) == (None, True)
    assert not one(world, name).changed


def test_each_name_is_worked_out_once_in_order_of_use(world: World) -> None:
    found = resolve(["case.to", "Case.To", "case.from", "case-to"], [], world, {})
    assert [p.name for p in found] == ["case.to", "case.from", "case-to"]


def test_an_unknown_name_is_told_with_the_nearest(world: World) -> None:
    found = resolve(["reasn"], [Placeholder("reason")], world, {})[0]
    assert (found.known, found.is_blank, found.meant) == (False, True, "reason")
    assert found.note == "no placeholder is called “reasn”; did you mean “reason”?"
    assert resolve(["qqqq"], [], world, {})[0].meant is None


def test_known_names_hold_fields_facts_and_declared(world: World) -> None:
    names = known_names([Placeholder("reason")], world)
    expected = {"reason", "recipient.loyalty_card", "case.sailing", "fact.claims_phone"}
    assert expected <= set(names)
    assert nearest("case.saling", names) == "case.sailing"


@pytest.mark.parametrize("name", ["booking", "recipient.", ".name", "weather.today", "recipient"])
def test_only_dotted_names_of_a_source_declare_themselves(name: str) -> None:
    assert implied(name) is None


# What needs other values


LEDGER = (
    Placeholder("sailing", source="case", of="sailing"),
    Placeholder("fare", source="case", of="fare"),
    Placeholder("days before", source="sum", of="days between today and sailing"),
    Placeholder(
        "refund", source="sum", of="fare * by days before: 14 → 100%, 3 → 75%, else 0% - fee"
    ),
    Placeholder("fee", kind="money", currency="GBP"),
    Placeholder("form back by", source="date", of="sailing + 28 days", format="full"),
    Placeholder("reach me on", source="first", of="recipient.mobile, sender.phone, fee"),
)


def test_values_are_worked_out_in_the_order_of_their_dependence(world: World) -> None:
    found = {p.name: p for p in resolve(["refund"], LEDGER, world, {"fee": "6"})}
    assert list(found) == ["refund", "fare", "sailing", "days before", "fee"]
    assert found["days before"].text == "1"
    assert found["refund"].text == "-£6.00"
    assert found["refund"].note == (
        "£148.50 × 0% (days before: 1, below every step) - £6.00 = -£6.00"
    )


def test_what_a_sum_waits_for_is_asked_for(world: World) -> None:
    found = {p.name: p for p in resolve(["refund"], LEDGER, world, {})}
    assert found["refund"].is_blank
    assert found["refund"].note == "Fee is not completed yet"
    assert found["fee"].is_blank  # it stands nowhere in the text, but has to be completed
    typed = {p.name: p for p in resolve(["refund"], LEDGER, world, {"fee": "a lot"})}
    assert typed["refund"].note == "“a lot” is not an amount of money"


def test_a_date_rule_counts_from_a_placeholder(world: World) -> None:
    found = resolve(["form back by"], LEDGER, world, {})[0]
    assert found.text == "Thursday, 24 December 2026"
    assert found.note.startswith("28 days after sailing (Thu 26 Nov 2026 at 16:30): Thu 24 Dec")
    bare = replace(world, case=None)
    assert resolve(["form back by"], LEDGER, bare, {})[0].note == (
        "Sailing is missing: no case is chosen yet"
    )
    rule = Placeholder("d", source="date", of="fare + 1 day")
    assert resolve(["d"], (rule, *LEDGER), world, {})[0].note == "“fare” is an amount, not a date"


def test_the_first_that_has_a_value_is_taken(world: World) -> None:
    found = resolve(["reach me on"], LEDGER, world, {})[0]
    assert (found.text, found.note) == ("01632 960 121", "the sender: phone")
    none = resolve(["reach me on"], LEDGER, replace(world, sender=None), {})[0]
    assert none.is_blank
    assert none.note.endswith("Fee is not completed yet")


def test_an_answer_to_a_worked_out_value_changes_what_needs_it(world: World) -> None:
    found = {
        p.name: p
        for p in resolve(
            ["refund", "fare"], LEDGER, world, {"fee": "6", "fare": "100", "daysbefore": "20"}
        )
    }
    assert (found["fare"].text, found["fare"].changed) == ("£100.00", True)
    assert found["refund"].text == "£94.00"
    words = {
        p.name: p
        for p in resolve(["refund", "fare"], LEDGER, world, {"fee": "6", "fare": "what you paid"})
    }
    assert words["fare"].text == "what you paid"  # anything may be reworded by hand
    assert words["refund"].is_blank


@pytest.mark.parametrize("length", [1, 2, 3, 30])
def test_a_circle_is_told_with_its_path(world: World, length: int) -> None:
    ring = tuple(
        Placeholder(f"p{n}", source="sum", of=f"p{(n + 1) % length} + 1") for n in range(length)
    )
    found = resolve(["p0"], ring, world, {})
    path = " needs ".join(f"“p{n % length}”" for n in range(length + 1))
    assert found[0].note == f"a circle: {path}"
    assert all(p.is_blank for p in found)


def test_a_very_long_chain_is_refused_not_crashed(world: World) -> None:
    chain = tuple(Placeholder(f"p{n}", source="sum", of=f"p{n + 1} + 1") for n in range(3000))
    found = resolve(["p0"], chain, world, {})[0]
    assert found.is_blank
    assert "more than 40 placeholders need each other in a row" in found.note


def test_the_last_answer_is_offered_again_where_the_template_says_so(world: World) -> None:
    seen = replace(world, remembered={"port": "Quillan"})
    port = Placeholder("port", kind="choice", choices=("Quillan", "Stennick"), remember=True)
    found = one(seen, port)
    assert (found.text, found.note) == ("Quillan", "as you answered last time")
    assert one(seen, replace(port, remember=False)).is_blank
    assert one(seen, replace(port, choices=("Stennick",))).is_blank  # no longer to be had
    assert one(seen, port, "Stennick").changed


def test_lists_are_joined_as_the_language_joins_them(world: World) -> None:
    """Reference: CLDR list patterns through Babel."""
    case = replace(world.case, fields={"names": ["Ana", "Bo", "Cy"]})  # type: ignore[type-var]
    seen = replace(world, case=case)
    assert resolve(["case.names"], [], seen, {})[0].text == "Ana, Bo and Cy"
    assert resolve(["case.names"], [], replace(seen, language="de"), {})[0].text == (
        format_list(["Ana", "Bo", "Cy"], locale="de")
    )


# How a person is greeted


@pytest.mark.parametrize(
    ("contact", "language", "said"),
    [
        ({"title": "Ms", "first_name": "Hanna", "last_name": "Verrell"}, "en", "Dear Ms Verrell,"),
        ({"title": "Dr", "last_name": "Verrell"}, "en", "Dear Dr Verrell,"),
        ({"first_name": "Hanna", "last_name": "Verrell"}, "en", "Dear Hanna,"),
        ({"last_name": "Verrell"}, "en", "Hello,"),
        ({"organisation": "Quillan School"}, "en", "Hello,"),
        ({"title": "Mme", "last_name": "Morel"}, "fr", "Bonjour Madame Morel,"),
        ({"title": "Mr", "last_name": "Morel"}, "fr", "Bonjour Monsieur Morel,"),
        ({"title": "Frau", "last_name": "Weber"}, "de", "Guten Tag Frau Weber,"),
        ({"title": "Mr", "first_name": "Jan", "last_name": "Weber"}, "de", "Guten Tag Herr Weber,"),
        ({"title": "Mx", "first_name": "Jan", "last_name": "Weber"}, "de", "Guten Tag Jan,"),
        ({"title": "Mx", "last_name": "Weber"}, "de", "Guten Tag,"),
        ({"last_name": "Weber", "more": {"Gender": "female"}}, "de", "Guten Tag Frau Weber,"),
        ({"title": "Mr", "first_name": "Ola", "last_name": "Moe"}, "nb", "Hei Ola Moe,"),
        ({"first_name": "Ola"}, "nb", "Hei Ola,"),
        ({}, "nb", "Hei,"),
        ({"first_name": "Ola"}, "fi", "Hei Ola,"),
        ({"title": "Mr", "first_name": "Jan", "last_name": "Nowak"}, "pl", "Dzień dobry,"),
        # By name alone, never in English: nobody here knows how the language greets.
        ({"title": "Ms", "first_name": "Aiko", "last_name": "Mori"}, "ja", "Aiko Mori,"),
        ({"first_name": "Ola"}, "xx", "Ola,"),
        ({}, "xx", ""),
    ],
)
def test_greetings(contact: dict[str, object], language: str, said: str) -> None:
    """No source: the forms are common practice, written from memory."""
    assert greeting(Contact("c", **contact), language)[0] == said  # type: ignore[arg-type]


@given(
    st.builds(Contact, st.just("c"), title=PLAIN, first_name=PLAIN, last_name=PLAIN),
    st.sampled_from(["en", "fr", "de", "nb", "nl", "es", "it", "sv"]),
)
def test_no_greeting_has_a_hole(contact: Contact, language: str) -> None:
    said, why = greeting(contact, language)
    assert why
    known = {contact.title, contact.first_name, contact.last_name}
    if not any(known):
        assert " ," not in said and "  " not in said


def test_the_greeting_is_a_field_of_the_recipient(world: World) -> None:
    found = resolve(["recipient.greeting"], [], world, {})[0]
    assert (found.text, found.note) == ("Dear Ms Verrell,", "by title and last name")
    assert resolve(["recipient.greeting"], [], replace(world, recipient=None), {})[0].is_blank


# Braces that are mistyped


@pytest.mark.parametrize(
    ("text", "typo", "meant"),
    [
        ("Dear {name}},", "{name}}", "{{name}}"),
        ("Dear {{name},", "{{name}", "{{name}}"),
        ("Dear { {name} },", "{ {name} }", "{{name}}"),
        ("Dear {{case.from}, hello {{name}}", "{{case.from}", "{{case.from}}"),
        ("Dear {{ }},", "{{ }}", ""),
        ("Dear {{}},", "{{}}", ""),
        ("Dear {{name, hello", "{{name, hello", ""),
    ],
)
def test_mistyped_braces_are_found_and_explained(text: str, typo: str, meant: str) -> None:
    (found,) = inline.typos(text)
    assert (found.text, found.meant) == (typo, meant)
    assert typo in found.sentence
    (problem,) = [p for p in fill(text, {"name": "Ana"}).problems if p.mistyped]
    assert problem.column == text.index(typo) + 1


@pytest.mark.parametrize(
    "text", ["{{name}}", "\\{{name}}", "a {b} c", "{{{name}}}", "p { margin: 0 } @media { a{b:c}}",
             "{{name|else: a friend}}"]
)  # fmt: skip
def test_braces_that_are_meant_are_left_alone(text: str) -> None:
    assert inline.typos(text) == ()


def test_escaped_braces_write_themselves() -> None:
    assert fill("Write \\{{name}} for {{name}}", {"name": "Ana"}).text == "Write {{name}} for Ana"


def test_hostile_text_takes_bounded_time() -> None:
    started = time.process_time()
    for text in (
        "{{" * 500_000,
        "{{a" * 300_000,
        "{ {" * 300_000,
        "{{" + "a" * 1_000_000,
        "{{a|" * 200_000,
        '{{a|"' * 200_000,
        "{{a|else:" * 100_000,
        "{{a}}" * 100_000,
    ):
        filled = fill(text, {"a": "x"})
        assert len(filled.problems) <= 100
    assert time.process_time() - started < 20  # some seconds; backtracking would take hours
