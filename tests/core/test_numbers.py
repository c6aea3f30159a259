"""Numbers, amounts and plural forms against ICU, which has CLDR's data at first hand."""

from decimal import Decimal

import pytest
from icu4py.messageformat import MessageFormat

from nebbet.core.placeholders import Placeholder, fill, show, typed
from nebbet.core.values import Money, from_json, to_json
from tests.conftest import NOW

# ICU 78 has CLDR 48, Babel 2.18 has CLDR 47: Swiss and Austrian signs changed between the two.
LANGUAGES = (
    "ar", "bg", "cs", "cy", "da", "de", "el", "en_GB", "en_US", "es", "es_MX", "et", "fi", "fr",
    "fr_CA", "ga", "he", "hu", "is", "it", "ja", "ko", "lt", "lv", "nb", "nl", "nn", "pl",
    "pt", "pt_PT", "ro", "ru", "sk", "sl", "sv", "tr", "uk", "zh",
)  # fmt: skip
NUMBERS = [
    Decimal(text)
    for text in ("0", "1", "999", "1000", "1234", "9999", "10000", "1234567.891", "0.5", "99.99")
]
NUMBERS += [-number for number in NUMBERS[1:]]
CURRENCIES = ("GBP", "EUR", "NOK", "SEK", "CHF", "USD", "JPY", "KWD")


@pytest.mark.parametrize("code", LANGUAGES)
def test_numbers_are_written_as_icu_writes_them(code: str) -> None:
    """Reference: ICU 78 (CLDR 48): minus signs, minimumGroupingDigits, decimals."""
    reference = MessageFormat("{n, number, ::.###}", code)
    for number in NUMBERS:
        assert show(number, code) == reference.format({"n": number})


@pytest.mark.parametrize("code", LANGUAGES)
def test_amounts_are_written_as_icu_writes_them(code: str) -> None:
    """Reference: ICU 78 (CLDR 48): currencySpacing."""
    for currency in CURRENCIES:
        signed = MessageFormat(f"{{n, number, ::currency/{currency}}}", code)
        for number in NUMBERS:
            amount = Money(number, currency)
            assert show(amount, code) == signed.format({"n": number})


def test_a_pattern_that_groups_does_so_in_every_language() -> None:
    amount = Money(Decimal("1250.5"), "PLN")
    assert show(amount, "pl", "#,##0.00") == "1\xa0250,50"
    assert show(amount, "pl") == "1250,50\xa0zł"


@pytest.mark.parametrize("text", ["0.1234", "12.123456", "0.0000001", "1234.5678"])
def test_a_typed_number_keeps_its_decimals(text: str) -> None:
    found = typed.read(text, Placeholder("n", kind="number"), "en_GB", NOW.date()).value
    assert isinstance(found, Decimal)
    assert show(found, "en_GB").replace(",", "") == f"{Decimal(text):f}"


def test_a_number_that_was_worked_out_is_rounded_as_cldr_says() -> None:
    assert show(Decimal(1) / Decimal(3), "en_GB") == "0.333"


@pytest.mark.parametrize(
    "number", ["0.1", "12345678901234567.125", "-0.12345678901234567", "1E+20", "7"]
)
def test_a_number_comes_back_from_json_as_it_was(number: str) -> None:
    assert from_json(to_json(Decimal(number))) == Decimal(number)


@pytest.mark.parametrize(
    ("language", "forms"),
    [("en_GB", "one / other"), ("fr", "one / other"), ("pl", "one / few / many / other"),
     ("ru", "one / few / many / other"), ("cs", "one / few / many / other")],
)  # fmt: skip
def test_plural_forms_of_numbers_with_decimals_are_icu_s(language: str, forms: str) -> None:
    """Reference: ICU 78, of the number as it is written: 1.0 is written as 1 and counts as such."""
    branches = " ".join(f"{form} {{{form}}}" for form in ("zero", "one", "two", "few", "many"))
    reference = MessageFormat(f"{{n, plural, {branches} other {{other}}}}", language)
    for text in ("1.0", "1.00", "2.0", "5.000", "1.5", "0.5", "10.0", "21.0", "1E+1"):
        number = Decimal(text)
        filled = fill(f"{{{{n|plural: {forms}}}}}", {"n": number}, language)
        assert filled.text == reference.format({"n": float(number)}), text


@pytest.mark.parametrize(
    ("number", "form"), [("1.0", "a"), ("2.0", "b"), ("5.0", "c"), ("1.5", "b")]
)
def test_three_polish_forms_never_stop_a_letter(number: str, form: str) -> None:
    """Common practice, no source, for the fraction: the form for a few comes closest."""
    filled = fill("{{n|plural: a / b / c}}", {"n": Decimal(number)}, "pl")
    assert (filled.text, filled.problems) == (form, ())
