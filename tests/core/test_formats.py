"""Formats against CLDR (Unicode UTS #35), through Babel, and ISO 4217."""

from datetime import date, datetime, time
from decimal import Decimal

import pytest
from babel import dates as babel_dates

from nebbet.core.errors import NebbetError
from nebbet.core.placeholders import language_of, show
from nebbet.core.values import Money, from_json, mapping_from_json, to_json

LOCALES = ("en_GB", "en_US", "de", "fr", "nb", "pl", "es", "it", "nl", "sv", "da", "ja", "ar")
DAY = date(2026, 12, 7)


@pytest.mark.parametrize("code", LOCALES)
def test_dates_are_cldr_s(code: str) -> None:
    for style in ("short", "medium", "long", "full"):
        assert show(DAY, code, style) == babel_dates.format_date(DAY, style, locale=code)
    assert show(DAY, code) == babel_dates.format_date(DAY, "long", locale=code)
    assert show(time(16, 30), code) == babel_dates.format_time(time(16, 30), "short", locale=code)


def test_what_readers_of_some_languages_expect() -> None:
    """From CLDR 44 and later, written out by hand."""
    assert show(DAY, "en_GB", "full") == "Monday, 7 December 2026"
    assert show(DAY, "de", "full") == "Montag, 7. Dezember 2026"
    assert show(DAY, "fr", "full") == "lundi 7 décembre 2026"
    assert show(DAY, "nb", "full") == "mandag 7. desember 2026"
    assert show(DAY, "en_GB", "EEE d MMM") == "Mon 7 Dec"


def test_a_moment_has_its_time_in_short() -> None:
    moment = datetime(2026, 11, 26, 16, 30)
    assert show(moment, "en_GB", "full") == "Thursday, 26 November 2026, 16:30"
    assert show(moment, "de", "full") == "Donnerstag, 26. November 2026, 16:30"
    assert show(moment, "en_GB", "HH:mm") == "16:30"


@pytest.mark.parametrize(("currency", "digits"), [("JPY", 0), ("EUR", 2), ("KWD", 3)])
def test_money_has_its_minor_units(currency: str, digits: int) -> None:
    """ISO 4217 minor units: JPY 0, EUR 2, KWD 3."""
    shown = show(Money(Decimal("12"), currency), "en_GB")
    assert len(shown.partition(".")[2]) == digits


def test_money_stands_where_the_language_puts_it() -> None:
    amount = Money(Decimal("1250"), "EUR")
    assert show(amount, "en_GB") == "€1,250.00"
    assert show(amount, "de") == "1.250,00\xa0€"


@pytest.mark.parametrize("style", ["EEEEEEEEE", "weekly"])
def test_a_format_that_does_not_fit_is_told(style: str) -> None:
    with pytest.raises(NebbetError, match="does not fit a date"):
        show(DAY, "en_GB", style)


@pytest.mark.parametrize("code", ["xx_YY", "english please", "../../etc"])
def test_an_unknown_language_is_told(code: str) -> None:
    with pytest.raises(NebbetError, match="is not known"):
        language_of(code)


@pytest.mark.parametrize(
    "value",
    [
        "text",
        "",
        True,
        Decimal("3"),
        Decimal("2.5"),
        DAY,
        datetime(2026, 11, 26, 16, 30),
        time(9, 5),
        Money(Decimal("12.50"), "GBP"),
    ],
)
def test_values_survive_json(value: object) -> None:
    assert from_json(to_json(value)) == value  # type: ignore[arg-type]


@pytest.mark.parametrize(
    "raw",
    [
        None,
        [None],
        {},
        {"money": "1", "currency": "pounds"},
        float("nan"),
        Decimal("1e400"),
        {"money": "1e30", "currency": "GBP"},
        {"date": "soon"},
        {"money": "x", "currency": "GBP"},
        {"time": "25:99"},
    ],
)
def test_what_is_no_value_is_told(raw: object) -> None:
    with pytest.raises(NebbetError, match="cannot be read"):
        mapping_from_json({"broken": raw})


def test_a_number_that_is_too_large_is_told() -> None:
    with pytest.raises(NebbetError, match="An amount is too large to be written"):
        show(Money(Decimal("1e39"), "GBP"))
