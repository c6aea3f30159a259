"""Typed values that placeholders get, and their JSON form."""

import re
from collections.abc import Mapping
from datetime import date, datetime, time
from decimal import Decimal, InvalidOperation

from msgspec import Struct

from nebbet.core.errors import NebbetError


class Money(Struct, frozen=True):
    """An amount in one currency (ISO 4217 code)."""

    amount: Decimal
    currency: str


LARGEST_EXPONENT = 24
MOST_DIGITS = 26  # two fewer than the decimals of Python reckon with
_CURRENCY = re.compile("[A-Z]{3}")

Single = str | bool | Decimal | date | datetime | time | Money
Value = Single | tuple[Single, ...]

SHAPES = (
    "a string, a number, true, false, a list of these, "
    '{"date": …}, {"time": …} or {"money": …, "currency": …}'
)


def from_json(raw: object) -> Value:
    """Read one value from its JSON form.

    Dates and times are ISO 8601 text in an object, so that a string always stays a string.
    Raises NebbetError for anything else.

    >>> from_json({"date": "2026-11-25"})
    datetime.date(2026, 11, 25)
    >>> from_json({"money": "12.50", "currency": "GBP"})
    Money(amount=Decimal('12.50'), currency='GBP')
    """
    if isinstance(raw, list | tuple):
        return tuple(_single(item) for item in raw)
    return _single(raw)


def _single(raw: object) -> Single:
    if isinstance(raw, str | bool):
        return raw
    if isinstance(raw, int | float | Decimal):
        number = Decimal(str(raw))
        if is_sensible(number):
            return number
    if isinstance(raw, Mapping):
        try:
            return _tagged(raw)
        except (ValueError, InvalidOperation, KeyError, TypeError):
            pass
    raise NebbetError(f"The value {raw!r} cannot be read", advice=f"A value is {SHAPES}")


def is_sensible(number: Decimal) -> bool:
    """No team counts beyond this, and writing such numbers out could take for ever."""
    if not number.is_finite():
        return False
    digits = len(number.as_tuple().digits)
    return digits <= MOST_DIGITS and -LARGEST_EXPONENT <= number.adjusted() < LARGEST_EXPONENT


def _tagged(raw: Mapping[object, object]) -> Single:
    if "date" in raw:
        text = str(raw["date"])
        return date.fromisoformat(text) if len(text) == 10 else datetime.fromisoformat(text)
    if "time" in raw:
        return time.fromisoformat(str(raw["time"]))
    if "number" in raw:
        number = Decimal(str(raw["number"]))
        if not is_sensible(number):
            raise ValueError(raw["number"])
        return number
    amount, currency = Decimal(str(raw["money"])), str(raw["currency"]).upper()
    if not is_sensible(amount) or not _CURRENCY.fullmatch(currency):
        raise ValueError(currency)
    return Money(amount, currency)


def to_json(value: Value) -> object:
    """Write one value in its JSON form; the inverse of from_json."""
    match value:
        case datetime():
            return {"date": value.isoformat(timespec="minutes")}
        case date():
            return {"date": value.isoformat()}
        case time():
            return {"time": value.isoformat(timespec="minutes")}
        case Money():
            return {"money": str(value.amount), "currency": value.currency}
        case Decimal():
            return _number_to_json(value)
        case tuple():
            return [to_json(item) for item in value]
        case _:
            return value


def _number_to_json(number: Decimal) -> object:
    """A number that JSON readers keep; one with more digits than they keep is text in an object."""
    if number == number.to_integral_value():
        return int(number)
    near = float(number)
    return near if Decimal(str(near)) == number else {"number": str(number)}


def mapping_from_json(raw: Mapping[str, object]) -> dict[str, Value]:
    """Read a JSON object of named values."""
    return {name: from_json(value) for name, value in raw.items()}
