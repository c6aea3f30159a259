"""What people type, read by kind in the letter's language."""

from datetime import date, datetime, time
from decimal import Decimal

import pytest
from babel.numbers import format_currency, format_decimal
from hypothesis import given
from hypothesis import strategies as st

from nebbet.core.placeholders import Placeholder, World, resolve, show, typed
from nebbet.core.values import Money
from tests.conftest import TODAY

LOCALES = ("en_GB", "en_US", "de", "fr", "nb", "pl", "es", "it", "nl", "sv", "da", "fi", "pt", "ja")


def read(text: str, language: str = "en_GB", **declared: object) -> typed.Reading:
    return typed.read(text, Placeholder("x", **declared), language, TODAY)  # type: ignore[arg-type]


@given(st.decimals("-999999", "999999", places=2), st.sampled_from(LOCALES))
def test_numbers_and_amounts_as_cldr_writes_them(number: Decimal, language: str) -> None:
    """Reference: CLDR through Babel; what a language writes, it reads."""
    assert read(format_decimal(number, locale=language), language, kind="number").value == number
    written = format_currency(number, "EUR", locale=language)
    found = read(written, language, kind="money", currency="EUR")
    assert found.value == Money(number, "EUR")


@given(st.dates(date(2000, 1, 1), date(2060, 12, 31)), st.sampled_from(LOCALES))
def test_dates_as_cldr_writes_them(day: date, language: str) -> None:
    """Reference: CLDR through Babel; the short form is asked back where day and month could be
    swapped."""
    for style in ("medium", "long", "full"):
        found = read(show(day, language, style), language, kind="date")
        assert found.value == day or (style == "medium" and len(found.clearer) == 2)
    short = read(show(day, language, "short"), language, kind="date")
    assert short.value is not None or show(day, language, "long") in short.clearer
    moment = datetime.combine(day, time(16, 30))
    assert read(show(moment, language, "full"), language, kind="date").value == moment


@pytest.mark.parametrize(
    ("text", "language", "kind", "value"),
    [
        ("12,50", "de", "number", Decimal("12.50")),
        ("1.250,5", "de", "number", Decimal("1250.5")),
        ("1 250,5", "nb", "number", Decimal("1250.5")),
        ("-3", "en_GB", "number", Decimal(-3)),
        ("−3", "en_GB", "number", Decimal(-3)),
        ("1.250,00 €", "de", "money", Money(Decimal("1250.00"), "EUR")),
        ("£12", "en_GB", "money", Money(Decimal("12.00"), "GBP")),
        ("12.50 GBP", "en_GB", "money", Money(Decimal("12.50"), "GBP")),
        ("gbp 12", "en_GB", "money", Money(Decimal("12.00"), "GBP")),
        ("250 kr", "nb", "money", Money(Decimal("250.00"), "NOK")),
        ("2026-12-03", "en_GB", "date", date(2026, 12, 3)),
        ("3 Dec", "en_GB", "date", date(2026, 12, 3)),
        ("3rd of December 2026", "en_GB", "date", date(2026, 12, 3)),
        ("Dec 3", "en_US", "date", date(2026, 12, 3)),
        ("3.12.", "de", "date", date(2026, 12, 3)),
        ("3. Dezember", "de", "date", date(2026, 12, 3)),
        ("3 December", "de", "date", date(2026, 12, 3)),  # English is read everywhere
        ("13/12", "en_GB", "date", date(2026, 12, 13)),
        ("5/5", "en_GB", "date", date(2027, 5, 5)),
        ("2 Jan", "en_GB", "date", date(2027, 1, 2)),
        ("20 November", "en_GB", "date", date(2026, 11, 20)),
        ("29 Feb", "en_GB", "date", date(2028, 2, 29)),
        ("Thursday 3 December 2026, 16:30", "en_GB", "date", datetime(2026, 12, 3, 16, 30)),
        ("3. Dezember 2026 um 16:30 Uhr", "de", "date", datetime(2026, 12, 3, 16, 30)),
        ("16:30", "en_GB", "time", time(16, 30)),
        ("16.30", "en_GB", "time", time(16, 30)),
        ("4:30 pm", "en_GB", "time", time(16, 30)),
        ("12 am", "en_GB", "time", time(0, 0)),
        ("16h30", "fr", "time", time(16, 30)),
        ("16 h", "fr", "time", time(16, 0)),
        ("16:30 Uhr", "de", "time", time(16, 30)),
        ("oui", "fr", "yes/no", True),
        ("No", "en_GB", "yes/no", False),
        ("www.a.example", "en_GB", "link", "https://www.a.example"),
        ("mailto:a@b.example", "en_GB", "link", "mailto:a@b.example"),
    ],
)
def test_what_people_type(text: str, language: str, kind: str, value: object) -> None:
    found = read(text, language, kind=kind)
    assert (found.value, found.problem) == (value, "")
    assert type(found.value) is type(value)


@pytest.mark.parametrize(
    ("text", "declared", "problem", "clearer"),
    [
        ("3/12", {"kind": "date"}, "“3/12” could be 3 December 2026 or 12 March 2027",
         ("3 December 2026", "12 March 2027")),
        ("3-12-2026", {"kind": "date"}, "could be 3 December 2026 or 12 March 2026",
         ("3 December 2026", "12 March 2026")),
        ("12/25/2026", {"kind": "date"}, "has no such month: is 25 December 2026 meant?",
         ("25 December 2026",)),
        ("31/2", {"kind": "date"}, "“31/2” is a day that does not exist", ()),
        ("Friday 3 December 2026", {"kind": "date"}, "3 December 2026 is a Thursday, not what", ()),
        ("soon", {"kind": "date"}, "“soon” is not a date: write it as 25 November 2026", ()),
        ("half past four", {"kind": "time"}, "is not a time: write it as 16:30", ()),
        ("25:00", {"kind": "time"}, "“25:00” is not a time", ()),
        ("16", {"kind": "time"}, "“16” is not a time", ()),
        ("13 pm", {"kind": "time"}, "“13 pm” is not a time", ()),
        ("a dozen", {"kind": "number"}, "“a dozen” is not a number as it is written here", ()),
        ("nan", {"kind": "number"}, "is not a number", ()),
        ("12,50", {"kind": "number"}, "is not a number as it is written here", ("1,250", "12.5")),
        ("12", {"kind": "money"}, "does not say which currency", ()),
        ("much", {"kind": "money"}, "“much” is not an amount of money", ()),
        ("£5 EUR", {"kind": "money"}, "is not an amount of money", ()),
        ("$5", {"kind": "money"}, "“$” is no currency that is known here", ()),
        ("5 EUR", {"kind": "money", "currency": "GBP"},
         "The amount is in EUR, but here it has to be in GBP", ()),
        ("5.005", {"kind": "money", "currency": "GBP"}, "GBP has 2 decimals, “5.005” has more", ()),
        ("5.5", {"kind": "money", "currency": "JPY"}, "JPY has 0 decimals", ()),
        ("12,50 £", {"kind": "money", "currency": "GBP"}, "is not an amount as it is written here",
         ("1,250 £", "12.5 £")),
        ("maybe", {"kind": "yes/no"}, "“maybe” is neither yes nor no", ()),
        ("C", {"kind": "choice", "choices": ("A", "B")}, "“C” is not one of: A, B", ()),
        ("javascript:x", {"kind": "link"}, "“javascript:x” is no link", ()),
        ("LS-4821", {"pattern": "AA-99999"}, "“LS-4821” does not have the shape AA-99999", ()),
        ("5", {"kind": "number", "least": "6"}, "5 is less than 6", ()),
        ("£200", {"kind": "money", "most": "150.00"}, "£200.00 is more than £150.00", ()),
        ("1 Dec 2026", {"kind": "date", "most": "today + 3 days"},
         "1 December 2026 is after 28 November 2026", ()),
        ("1 Nov 2026", {"kind": "date", "least": "today"},
         "1 November 2026 is before 25 November 2026", ()),
        ("1" * 100, {"kind": "number"}, "is too long for a number", ()),
        ("1" * 100, {"kind": "date"}, "is too long for a date", ()),
    ],
)  # fmt: skip
def test_what_cannot_be_taken_is_told(
    text: str, declared: dict, problem: str, clearer: tuple[str, ...]
) -> None:
    found = read(text, **declared)
    assert problem in found.problem
    assert found.clearer == clearer
    for other in clearer:
        assert read(other, **declared).problem == ""


@given(
    st.text(max_size=80),
    st.sampled_from(["number", "money", "date", "time", "yes/no", "link", "choice", "text"]),
    st.sampled_from(LOCALES),
)
def test_nothing_typed_ever_raises(text: str, kind: str, language: str) -> None:
    found = read(text, language, kind=kind)
    assert (found.value is None) <= bool(found.problem)


def test_a_typed_value_is_written_as_the_ledger_says(world: World) -> None:
    day = Placeholder("new day", kind="date", format="full")
    found = resolve(["new day"], [day], world, {"newday": "3 dec"})[0]
    assert (found.text, found.value) == ("Thursday, 3 December 2026", date(2026, 12, 3))
    asked = resolve(["new day"], [day], world, {"newday": "3/12"})[0]
    assert (asked.text, asked.value) == ("3/12", None)
    assert asked.clearer == ("3 December 2026", "12 March 2027")


def test_a_broken_limit_is_told_and_keeps_the_text() -> None:
    found = read("5", kind="number", least="a few")
    assert found.problem == "The limit “a few” is not a number such as 12.50"
