"""Filling text, and working out particulars with their explanations."""

from datetime import date
from decimal import Decimal

import pytest
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
from nebbet.core.records import Fact, fold
from nebbet.core.values import Money

NAMES = st.from_regex(r"[A-Za-z][A-Za-z0-9_ .-]{0,20}[A-Za-z0-9]", fullmatch=True)
PLAIN = st.text(st.characters(blacklist_categories=["Cs"], blacklist_characters="{}"))


def one(world: World, placeholder: Placeholder, answer: str | None = None) -> Particular:
    answers = {} if answer is None else {fold(placeholder.name): answer}
    return resolve([placeholder.name], [placeholder], world, answers)[0]


# Reading text


@given(st.lists(st.one_of(PLAIN, NAMES.map(Slot))))
def test_reading_and_writing_a_line_is_the_identity(parts: list[str | Slot]) -> None:
    text = inline.source(parts)
    assert inline.source(inline.parse(text)) == text
    assert inline.names(inline.parse(text)) == [p.name for p in parts if isinstance(p, Slot)]


@pytest.mark.parametrize(
    "text", ["{name}}", "{{name}", "{{ }}", "{{}}", "{{a\nb}}", "{{a{b}}", "{{" + "x" * 81 + "}}"]
)
def test_broken_braces_are_left_as_text(text: str) -> None:
    assert inline.names(inline.parse(text)) == []
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
    filled = fill("{{bokking}} {{bokking}} {{zzz}}", {"booking": "1", "name": "2"})
    assert filled.text == "{{bokking}} {{bokking}} {{zzz}}"
    assert [(m.name, m.nearest) for m in filled.missing] == [("bokking", "booking"), ("zzz", None)]


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
