"""What can be done with values: adding, scaling, rounding, holding them against each other.

Everything else raises SumError, with the kinds of the values named.
"""

from collections.abc import Sequence
from datetime import date, datetime, time
from decimal import (
    ROUND_HALF_EVEN,
    ROUND_HALF_UP,
    Context,
    Decimal,
    DivisionByZero,
    InvalidOperation,
    Overflow,
)
from typing import Any, Literal

from nebbet.core.dates import day_of
from nebbet.core.errors import NebbetError
from nebbet.core.sums.parts import Binary, Compare, Part
from nebbet.core.sums.wording import wording
from nebbet.core.values import Money, Value

Rounding = Literal["half even", "half up"]
_ROUNDINGS = {"half even": ROUND_HALF_EVEN, "half up": ROUND_HALF_UP}
# Thirty-four digits, as IEEE 754 decimal128; anything beyond 10^40 is no amount of anything.
_CONTEXT = Context(
    prec=34,
    Emax=40,
    Emin=-60,
    rounding=ROUND_HALF_EVEN,
    traps=[Overflow, DivisionByZero, InvalidOperation],
)


class SumError(NebbetError):
    """A sum that can be read but not worked out: kinds that do not go together, a missing value."""


# A kind in one word; nothing where it cannot be told before the values are there.
KINDS = {
    "yes/no": "a yes or no",
    "date": "a date",
    "time": "a time",
    "money": "an amount",
    "number": "a number",
    "list": "a list",
    "text": "a text",
}


def kind_word(value: Value) -> str:
    """The kind of a value, in one word of KINDS."""
    match value:
        case bool():
            return "yes/no"
        case date():
            return "date"
        case time():
            return "time"
        case Money():
            return "money"
        case Decimal():
            return "number"
        case tuple():
            return "list"
    return "text"


def kind_of(value: Value) -> str:
    """What a value is, with its article."""
    return KINDS[kind_word(value)]


def minor_units(money: Money, rounding: Rounding) -> Money:
    """Round an amount to the minor units of its currency (ISO 4217)."""
    from babel.numbers import get_currency_precision

    places = Decimal(1).scaleb(-get_currency_precision(money.currency))
    amount = money.amount.quantize(places, rounding=_ROUNDINGS[rounding], context=_CONTEXT)
    return Money(amount, money.currency)


def calculated(part: Binary, left: Value, right: Value) -> Value:
    """Add, subtract, multiply or divide."""
    operator = part.operator
    if operator in "+-":
        return _added(part, left, right)
    if operator == "*":
        if isinstance(left, Money) and isinstance(right, Money):
            raise SumError("Two amounts cannot be multiplied")
        if isinstance(right, Money):
            left, right = right, left
        return scaled(left, number(right, "a factor"), part)
    if isinstance(left, Money) and isinstance(right, Money):
        return _divided(left.amount, _same(left, right).amount)
    divisor = number(right, "a divisor")
    if isinstance(left, Money):
        return Money(_divided(left.amount, divisor), left.currency)
    return _divided(number(left, "what is divided"), divisor)


def _divided(number: Decimal, by: Decimal) -> Decimal:
    if not by:
        raise SumError("The sum divides by nothing")
    return _CONTEXT.divide(number, by)


def _added(part: Binary, left: Value, right: Value) -> Value:
    act = _CONTEXT.add if part.operator == "+" else _CONTEXT.subtract
    if isinstance(left, Money) and isinstance(right, Money):
        return Money(act(left.amount, _same(left, right).amount), left.currency)
    if _is_number(left) and _is_number(right):
        return act(left, right)  # type: ignore[arg-type]
    word = "added" if part.operator == "+" else "subtracted"
    raise SumError(
        f"“{wording(part.left)}” is {kind_of(left)} and “{wording(part.right)}” {kind_of(right)}: "
        f"they cannot be {word}",
        advice="Count days in a date rule" if isinstance(left, date) else "",
    )


def scaled(value: Value, by: Decimal, part: Part) -> Value:
    """A number or an amount so many times."""
    if isinstance(value, Money):
        return Money(_CONTEXT.multiply(value.amount, by), value.currency)
    if _is_number(value):
        return _CONTEXT.multiply(value, by)  # type: ignore[arg-type]
    raise SumError(f"“{wording(part)}” cannot be worked out: it holds {kind_of(value)}")


def _same(left: Money, right: Money) -> Money:
    if left.currency != right.currency:
        raise SumError(f"{left.currency} and {right.currency} do not go into one sum")
    return right


def _is_number(value: Value) -> bool:
    return isinstance(value, Decimal)


def number(value: Value, role: str) -> Decimal:
    """A value that has to be a number; role says as what."""
    if not isinstance(value, Decimal):
        raise SumError(f"{kind_of(value).capitalize()} cannot be {role}")
    return value


def day(value: Value) -> date:
    """A value that has to be a date."""
    if not isinstance(value, date):
        raise SumError(f"Days are counted between dates, not from {kind_of(value)}")
    return day_of(value)


def truth(value: Value, part: Part) -> bool:
    """A value that has to be yes or no."""
    if not isinstance(value, bool):
        raise SumError(f"“{wording(part)}” gives {kind_of(value)}, not yes or no")
    return value


def rounded(values: Sequence[Value], rounding: Rounding) -> Value:
    """Round the first value to a multiple of the second, or to a whole number."""
    value, step = values[0], values[1] if len(values) > 1 else Decimal(1)
    if isinstance(value, Money):
        to = _same(value, step).amount if isinstance(step, Money) else number(step, "a step")
        return Money(_to_step(value.amount, to, rounding), value.currency)
    return _to_step(number(value, "rounded"), number(step, "a step"), rounding)


def added_up(values: Sequence[Value], part: Part) -> Value:
    """The sum of some values; nothing at all is 0."""
    if not values:
        return Decimal(0)
    total = values[0]
    if not isinstance(total, Money | Decimal):
        raise SumError(f"“{wording(part)}” cannot be worked out: it holds {kind_of(total)}")
    for value in values[1:]:
        total = _added(Binary("+", part, part), total, value)
    return total


def _to_step(number: Decimal, step: Decimal, rounding: Rounding) -> Decimal:
    if step <= 0:
        raise SumError("What is rounded to has to be more than nothing")
    steps = _divided(number, step).to_integral_value(_ROUNDINGS[rounding])
    return _CONTEXT.multiply(steps, step)


def compared(part: Compare, left: Value, right: Value) -> bool:
    """Hold two values against each other; texts match whatever their case. Raises SumError for
    kinds that cannot be held against each other."""
    if part.relation == "contains":
        return _contains(left, right)
    if part.relation in ("starts with", "ends with"):
        return _at_an_end(part, left, right)
    one, other = _alike(part, left, right)
    match part.relation:
        case "is":
            return bool(one == other)
        case "is not":
            return bool(one != other)
        case "<":
            return bool(one < other)
        case "<=":
            return bool(one <= other)
        case ">":
            return bool(one > other)
    return bool(one >= other)


def _contains(left: Value, right: Value) -> bool:
    if isinstance(left, tuple):
        return any(_folded(item) == _folded(right) for item in left)
    if isinstance(left, str) and isinstance(right, str):
        return right.casefold() in left.casefold()
    raise SumError(f"{kind_of(left).capitalize()} cannot contain {kind_of(right)}")


def _at_an_end(part: Compare, left: Value, right: Value) -> bool:
    if not isinstance(left, str) or not isinstance(right, str):
        wrong = left if not isinstance(left, str) else right
        raise SumError(
            f"“{part.relation}” holds a text against a text, not against {kind_of(wrong)}"
        )
    one, other = str(_folded(left)), str(_folded(right))
    return one.startswith(other) if part.relation == "starts with" else one.endswith(other)


def _folded(value: Value) -> Value:
    return value.strip().casefold() if isinstance(value, str) else value


def _alike(part: Compare, left: Value, right: Value) -> tuple[Any, Any]:
    match left, right:
        case Money(), Money():
            # As they are written: nobody sees what lies behind the last penny.
            one, other = (minor_units(m, "half even").amount for m in (left, _same(left, right)))
            return one, other
        case datetime(), datetime():
            return left, right
        case date(), date():
            return day_of(left), day_of(right)
        case (str(), str()):
            if part.relation in ("is", "is not"):
                return _folded(left), _folded(right)
        case (bool(), bool()) | (tuple(), tuple()):
            if part.relation in ("is", "is not"):
                return left, right
        case (Decimal(), Decimal()) | (time(), time()):
            return left, right
    raise SumError(
        f"{kind_of(left).capitalize()} and {kind_of(right)} cannot be held against each other"
    )
