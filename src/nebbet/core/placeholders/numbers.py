"""Numbers and amounts in a language, by CLDR; what Babel leaves out is done here.

Babel writes every minus as a hyphen, groups four digits everywhere, and puts no space between a
currency's letters and the number (UTS #35, part 3: symbols, minimumGroupingDigits, 2.4.2
currencySpacing).
"""

import unicodedata
from decimal import Decimal
from functools import lru_cache
from typing import TYPE_CHECKING, Literal

from nebbet.core.values import Money

if TYPE_CHECKING:
    from babel import Locale

# Languages that group digits only from five on (CLDR 48, minimumGroupingDigits, as ICU 78 has it).
_FROM_FIVE = {"be", "bg", "et", "hu", "hy", "ia", "ie", "it", "ka", "lv", "pl", "sl", "sq"}
_FROM_FIVE_THERE = {
    "es", "es_ES", "es_EA", "es_GQ", "es_IC", "es_PH", "pt_CH", "pt_CV", "pt_GQ", "pt_GW", "pt_LU",
    "pt_MO", "pt_MZ", "pt_PT", "pt_ST", "pt_TL", "ru_UA",
}  # fmt: skip
_FIVE = Decimal(10_000)
MOST_PLACES = 10  # a number with more was worked out, not typed: it is rounded as CLDR says
_NO_BREAK = "\u00a0"


def number(value: Decimal, locale: "Locale", pattern: str | None = None) -> str:
    """A number with all its decimals, or as a pattern says."""
    from babel import numbers

    places = -min(int(value.as_tuple().exponent), 0)
    said = numbers.format_decimal(
        value,
        pattern,
        locale=locale,
        decimal_quantization=pattern is not None or places > MOST_PLACES,
        group_separator=pattern is not None or _is_grouped(value, locale),
    )
    return _with_minus(said, value, locale)


def compact(value: Decimal, locale: "Locale", style: str) -> str:
    """A number in few signs: “1.2K” where the style is short, “1.2 thousand” where it is long."""
    from babel import numbers

    # Where CLDR has no long form, it is the short one.
    has_long = "long" in locale.compact_decimal_formats
    length: Literal["short", "long"] = "long" if style == "long" and has_long else "short"
    said = numbers.format_compact_decimal(
        value, format_type=length, locale=locale, fraction_digits=1
    )
    return _with_minus(said, value, locale)


def amount(value: Money, locale: "Locale", pattern: str | None = None) -> str:
    """An amount with its currency's sign, with as many decimals as the currency has, or as a
    pattern says."""
    from babel import numbers

    said = numbers.format_currency(
        value.amount,
        value.currency,
        pattern,
        locale=locale,
        currency_digits=pattern is None,
        group_separator=pattern is not None or _is_grouped(value.amount, locale),
    )
    said = _with_minus(said, value.amount, locale)
    return _spaced(said, numbers.get_currency_symbol(value.currency, locale))


def named_amount(value: Money, locale: "Locale") -> str:
    """An amount with its currency's name."""
    from babel import numbers

    said = numbers.format_currency(
        value.amount,
        value.currency,
        locale=locale,
        format_type="name",
        group_separator=_is_grouped(value.amount, locale),
    )
    return _with_minus(said, value.amount, locale)


def _is_grouped(value: Decimal, locale: "Locale") -> bool:
    late = locale.language in _FROM_FIVE or str(locale) in _FROM_FIVE_THERE
    return not late or abs(value) >= _FIVE


def _with_minus(said: str, value: Decimal, locale: "Locale") -> str:
    return said.replace("-", _minus(locale), 1) if value < 0 else said


@lru_cache(maxsize=64)
def _minus(locale: "Locale") -> str:
    from babel import numbers

    return str(numbers.get_minus_sign_symbol(locale))


def _spaced(said: str, sign: str) -> str:
    """Letters and digits of an amount apart; signs such as £ stand close."""
    at = said.find(sign)
    if at < 0 or not sign:
        return said
    end = at + len(sign)
    if said[end : end + 1].isdigit() and _is_letter(sign[-1]):
        said = f"{said[:end]}{_NO_BREAK}{said[end:]}"
    if said[at - 1 : at].isdigit() and _is_letter(sign[0]):
        said = f"{said[:at]}{_NO_BREAK}{said[at:]}"
    return said


def _is_letter(sign: str) -> bool:
    """Whether a sign is neither a symbol nor a space ([[:^S:]&[:^Z:]] of UTS #35)."""
    return unicodedata.category(sign)[0] not in "SZ"
