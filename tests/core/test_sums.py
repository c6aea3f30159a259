"""Sums and conditions: exact, explained, bounded."""

import time
from datetime import date, datetime
from datetime import time as clock
from decimal import ROUND_HALF_EVEN, ROUND_HALF_UP, Decimal
from fractions import Fraction

import numpy
import pytest
from babel.numbers import get_currency_precision
from hypothesis import given
from hypothesis import strategies as st

from nebbet.core import sums
from nebbet.core.dates import calendar_for
from nebbet.core.errors import NebbetError
from nebbet.core.grammars import GrammarError
from nebbet.core.placeholders import show
from nebbet.core.values import Money, Value
from tests.conftest import TODAY

FARE = Money(Decimal("148.50"), "GBP")
VALUES: dict[str, Value] = {
    "fare": FARE,
    "fee": Money(Decimal("6"), "GBP"),
    "euros": Money(Decimal("3"), "EUR"),
    "passengers": Decimal(3),
    "days before": Decimal(5),
    "sailing": datetime(2026, 12, 7, 16, 30),
    "vehicle": "Van up to 6 m",
    "paid": True,
    "none": (),
    "ports": ("Quillan", "Stennick"),
    "leaves": clock(16, 30),
}
REFUND = "fare * by days before: 14 → 100%, 3 → 75%, else 0%"


def scope(values: dict[str, Value] | None = None, **more: object) -> sums.Scope:
    known = VALUES if values is None else values

    def value(name: str) -> Value:
        if name not in known:
            raise sums.NoValue(f"{name} is not completed yet")
        return known[name]

    return sums.Scope(value, TODAY, calendar_for("GB-SCT"), show, **more)  # type: ignore[arg-type]


def work(text: str, **more: object) -> Value:
    return sums.work_out(sums.read(text), scope(**more)).value  # type: ignore[arg-type]


@pytest.mark.parametrize(
    ("text", "value"),
    [
        ("1 + 2 * 3", Decimal(7)),
        ("(1 + 2) * 3", Decimal(9)),
        ("10 - 4 - 3", Decimal(3)),
        ("-2 * -3", Decimal(6)),
        ("10 / 4", Decimal("2.5")),
        ("0.1 + 0.2", Decimal("0.3")),  # no binary fractions
        ("50%", Decimal("0.5")),
        ("fare + fee", Money(Decimal("154.50"), "GBP")),
        ("fare - 6 GBP", Money(Decimal("142.50"), "GBP")),
        ("£6 * 2", Money(Decimal("12.00"), "GBP")),
        ("2 * €1.50", Money(Decimal("3.00"), "EUR")),
        ("fare / fee", Decimal("24.75")),
        ("-fare", Money(Decimal("-148.50"), "GBP")),
        ("min(fare, 100 GBP, fee)", Money(Decimal("6.00"), "GBP")),
        ("max(passengers, 10)", Decimal(10)),
        ("round(fare / 7, 0.05)", Money(Decimal("21.20"), "GBP")),
        ("round(fare, 5 GBP)", Money(Decimal("150.00"), "GBP")),
        ("round(2.4)", Decimal(2)),
        ("passengers is 3", True),
        ("passengers is not 3", False),
        ("passengers >= 3 and passengers < 4", True),
        ("passengers ≤ 2 or passengers ≥ 10", False),
        ("not passengers > 3", True),
        ('vehicle is "VAN UP TO 6 M"', True),
        ('vehicle contains "van"', True),
        ("vehicle contains “lorry”", False),
        ('ports contains "stennick"', True),
        ('"Quillan" is one of ports', True),
        ("passengers is one of 1, 2, 3", True),
        ("nobody is blank", True),
        ("nobody is not blank", False),
        ("fare is not blank and fare > 100 GBP", True),
        ("nobody is not blank and nobody > 3", False),  # the second half is never asked
        ("paid", True),
        ("paid is yes and not no", True),
        ("sailing > today", True),
        ("sailing is 2026-12-07", True),
        ("leaves < 17:00", True),
        ("days between today and sailing", Decimal(12)),
        ("days between sailing and today", Decimal(-12)),
        ("working days between today and sailing", Decimal(7)),
        ("days between today and sailing < 14", True),
        ("{{days before}} + 1", Decimal(6)),
        ("by passengers: 10 → 2, 5 -> 1, else 0", Decimal(0)),
        (REFUND, Money(Decimal("111.38"), "GBP")),
    ],
)
def test_what_sums_give(text: str, value: Value) -> None:
    assert work(text) == value
    assert type(work(text)) is type(value)


@pytest.mark.parametrize(
    ("days", "gives"),
    [(20, "148.50"), (14, "148.50"), (13, "111.38"), (3, "111.38"), (2, "0.00"), (-1, "0.00")],
)
def test_the_refund_table(days: int, gives: str) -> None:
    """Full until 14 days before, 75 % until 3 days, else nothing; worked out by hand."""
    found = work(REFUND, values={"fare": FARE, "days before": Decimal(days)})
    assert found == Money(Decimal(gives), "GBP")


@given(
    st.decimals("-99999", "99999", places=2),
    st.decimals("-99999", "99999", places=2),
    st.sampled_from("+-*"),
)
def test_numbers_agree_with_exact_fractions(one: Decimal, two: Decimal, operator: str) -> None:
    """Reference: fractions.Fraction, which never rounds."""
    found = work(f"a {operator} b", values={"a": one, "b": two})
    exact = {"+": Fraction(one) + Fraction(two), "-": Fraction(one) - Fraction(two),
             "*": Fraction(one) * Fraction(two)}  # fmt: skip
    assert isinstance(found, Decimal)
    assert Fraction(found) == exact[operator]


@given(st.decimals("0", "99999", places=3), st.sampled_from(["GBP", "JPY", "KWD", "EUR"]))
def test_money_is_rounded_once_as_decimal_does(amount: Decimal, currency: str) -> None:
    """Reference: decimal's ROUND_HALF_EVEN and ROUND_HALF_UP; minor units of ISO 4217 (JPY 0,
    EUR and GBP 2, KWD 3) through CLDR."""
    units = Decimal(1).scaleb(-get_currency_precision(currency))
    values: dict[str, Value] = {"x": Money(amount, currency)}
    whole = sums.read("x * 4 / 4")
    for name, how in (("half even", ROUND_HALF_EVEN), ("half up", ROUND_HALF_UP)):
        found = sums.work_out(whole, scope(values, rounding=name)).value
        assert found == Money(amount.quantize(units, how), currency)


def test_halves_go_to_even_unless_told_otherwise() -> None:
    """The two ways as `decimal` defines them: 0.125 becomes 0.12 or 0.13."""
    eighth = "0.125 GBP * 1"
    assert work(eighth) == Money(Decimal("0.12"), "GBP")
    assert work(eighth, rounding="half up") == Money(Decimal("0.13"), "GBP")
    assert work("round(2.5)") == Decimal(2)
    assert work("round(2.5)", rounding="half up") == Decimal(3)


@given(
    st.dates(date(2024, 1, 1), date(2027, 12, 31)), st.dates(date(2024, 1, 1), date(2027, 12, 31))
)
def test_days_between_agree_with_numpy(first: date, last: date) -> None:
    """Reference: numpy's datetime64 arithmetic."""
    found = work("days between a and b", values={"a": first, "b": last})
    assert found == int((numpy.datetime64(last) - numpy.datetime64(first)).astype(int))


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("fare * 75%", "£148.50 × 75% = £111.38, rounded"),
        (REFUND, "£148.50 × 75% (days before: 5, from 3) = £111.38, rounded"),
        ("by passengers: 10 → 2, else 0", "0% (passengers: 3, below every step) = 0"),
        ("fare - 6 GBP", "£148.50 - £6.00 = £142.50"),
        ("passengers >= 10", "3 >= 10: no"),
        ("nobody is blank", "nothing is blank: yes"),
        ("none is blank", "nothing is blank: yes"),
        (
            "working days between today and sailing",
            "7 (working days from 25 November 2026 to 7 December 2026, 16:30)",
        ),
        ("(fare + fee) / 2", "(£148.50 + £6.00) / 2 = £77.25"),
        ("fare", "£148.50"),
    ],
)
def test_every_result_is_explained(text: str, said: str) -> None:
    assert sums.work_out(sums.read(text), scope()).explanation == said


@pytest.mark.parametrize(
    ("text", "sentence"),
    [
        ("fare + euros", "GBP and EUR do not go into one sum"),
        ("fare > euros", "GBP and EUR do not go into one sum"),
        ("fare / euros", "GBP and EUR do not go into one sum"),
        ("fare + 1", "“fare” is an amount and “1” a number: they cannot be added"),
        ("sailing - 1", "“sailing” is a date and “1” a number: they cannot be subtracted"),
        ("fare * fare", "Two amounts cannot be multiplied"),
        ("fare / 0", "The sum divides by nothing"),
        ("passengers / (1 - 1)", "The sum divides by nothing"),
        ("nobody + 1", "nobody is not completed yet"),
        ("vehicle * 2", "“vehicle * 2” cannot be worked out: it holds a text"),
        ("fare * vehicle", "A text cannot be a factor"),
        ("fare / vehicle", "A text cannot be a divisor"),
        ("vehicle / 2", "A text cannot be what is divided"),
        ("vehicle%", "A text cannot be a percentage"),
        ("fare is 3", "An amount and a number cannot be held against each other"),
        ('vehicle < "x"', "A text and a text cannot be held against each other"),
        ("fare contains 3", "An amount cannot contain a number"),
        ("passengers and yes", "“passengers” gives a number, not yes or no"),
        ("not fare", "“fare” gives an amount, not yes or no"),
        ("days between fare and today", "Days are counted between dates, not from an amount"),
        ("round(fare, 0)", "What is rounded to has to be more than nothing"),
        ("round(vehicle)", "A text cannot be rounded"),
        ("9" * 30 + " * " + "9" * 30, "The sum leads beyond what can be counted"),
        (
            "by passengers: 3 → 1, 14 → 2, else 0",
            "The steps by “passengers” have to fall: 3 stands before 14",
        ),
    ],
)
def test_what_cannot_be_worked_out_is_told(text: str, sentence: str) -> None:
    with pytest.raises(sums.SumError) as caught:
        work(text)
    assert caught.value.what == sentence


ANYTHING = "a placeholder, a number such as 12.50, a text in quotes or a bracket"
GOES_ON = "+, -, * or /, a comparison or “and”"


@pytest.mark.parametrize(
    ("text", "place", "expected"),
    [
        ("", 1, ANYTHING),
        ("fare *", 7, ANYTHING),
        ("not", 4, ANYTHING),
        ("min()", 5, ANYTHING),
        ("$5", 1, ANYTHING),
        ("x is one of", 12, ANYTHING),
        ("(fare", 6, "a closing bracket"),
        ("fare)", 5, "the end"),
        ("fare 75%", 6, GOES_ON),
        ("12,5", 3, GOES_ON),
        ("power(3)", 6, GOES_ON),
        ("9 ** 9 ** 9", 4, ANYTHING),
        ("by x: 3 → 4", 12, "a comma"),
        ("by x 3", 6, "+, -, * or / or a colon and the steps"),
        ("by x: 3 4, else 1", 9, "an arrow →"),
        ("by x: 3 → 4, 5", 15, "an arrow →"),
        ("round(1, 2, 3)", 1, "round with a value and what to round it to"),
        ("2026-13-01", 1, "a day that there is"),
        ("25:99", 1, "a time such as 17:00"),
        ("a" * 81, 1, "a name of at most 80 signs"),
        ("a" + "+a" * 200, 1, "at most 150 steps of working out within each other"),
        ("(" * 100, 61, "at most 60 brackets within each other"),
        ("(" * 10_000, 2001, "the end: a sum has at most 2000 signs"),
    ],
)
def test_every_mistake_is_told_with_its_place(text: str, place: int, expected: str) -> None:
    with pytest.raises(GrammarError) as caught:
        sums.read(text)
    assert caught.value.what == (
        f"The sum “{text[:80]}” cannot be read at character {place}: expected {expected}"
    )


PARTS = st.recursive(
    st.sampled_from(["fare", "days before", "{{paid by}}", "today", "3", "12.50", "75%", "6 GBP",
                     '"van"', "yes", "2026-11-25", "17:00"]),
    lambda inner: st.one_of(
        st.tuples(inner, st.sampled_from("+-*/"), inner).map("({0[0]}) {0[1]} ({0[2]})".format),
        st.tuples(inner, st.sampled_from(["<", ">=", "is", "is not", "contains"]), inner).map(
            "(({0[0]}) {0[1]} ({0[2]}))".format),
        st.tuples(inner, st.sampled_from(["and", "or"]), inner).map(
            "(({0[0]}) {0[1]} not ({0[2]}))".format),
        inner.map("-({})".format),
        inner.map("(({}) is not blank)".format),
        inner.map("max(({0}), ({0}))".format),
        inner.map("days between ({0}) and ({0})".format),
        inner.map("(by ({0}): 14 → ({0}), 3 → 1, else ({0}))".format),
        inner.map('(({}) is one of 1, "b")'.format),
    ),
    max_leaves=8,
)  # fmt: skip


@given(PARTS)
def test_what_is_written_reads_back(text: str) -> None:
    try:
        read = sums.read(text)
    except GrammarError:
        return  # too long or too deep for one
    said = sums.wording(read)
    assert sums.wording(sums.read(said)) == said
    try:
        first: object = sums.work_out(read, scope())
    except NebbetError as error:
        first = error.what
    try:
        second: object = sums.work_out(sums.read(said), scope())
    except NebbetError as error:
        second = error.what
    assert first == second


def test_names_and_tables_of_a_sum() -> None:
    read = sums.read(REFUND + " - fee * (days between today and {{paid by}})")
    assert sums.names(read) == ["fare", "days before", "fee", "paid by"]
    (table,) = sums.tables(read)
    assert sums.wording(table) == "by days before: 14 → 100%, 3 → 75%, else 0%"


@pytest.mark.parametrize("name", ["__class__", "__import__", "eval", "x.__globals__"])
def test_a_sum_reaches_nothing_but_its_values(name: str) -> None:
    with pytest.raises(sums.SumError, match="is not completed yet"):
        work(f"{name} + 1")


def test_hostile_text_takes_bounded_time() -> None:
    started = time.process_time()
    for text in (
        "(" * 10_000,
        "((" * 500,
        "not " * 400,
        "9*" * 900 + "9",
        "by " * 600,
        "-" * 1900,
        '"' * 1999,
        "{{" * 900,
        "a" * 2000,
        "min(" * 400,
        "x is one of 1" + ",1" * 900,
    ):
        try:
            work(text)
        except NebbetError as error:
            assert len(error.sentence) < 600
    assert time.process_time() - started < 5  # far above what it takes; far below exploding


def test_holds_wants_yes_or_no() -> None:
    assert sums.holds(sums.read("passengers < 4"), scope())
    with pytest.raises(sums.SumError, match="gives a number"):
        sums.holds(sums.read("passengers"), scope())
