"""Writing typed values in the letter's language, by CLDR patterns (Unicode UTS #35)."""

from datetime import date, datetime, time
from decimal import Decimal
from typing import TYPE_CHECKING

from nebbet.core.errors import NebbetError
from nebbet.core.values import Money, Value

if TYPE_CHECKING:
    from babel import Locale

DEFAULT_LANGUAGE = "en_GB"
DATE_STYLES = ("short", "medium", "long", "full")


def language_of(code: str) -> "Locale":
    """The locale for a language code such as "en_GB" or "nb". Raises NebbetError if unknown."""
    from babel import Locale, UnknownLocaleError

    try:
        return Locale.parse(code.replace("-", "_") or DEFAULT_LANGUAGE)
    except (ValueError, UnknownLocaleError, TypeError):
        raise NebbetError(
            f"The language “{code}” is not known", advice="Use a code such as en_GB, fr, de or nb"
        ) from None


def show(value: Value, language: str = DEFAULT_LANGUAGE, style: str = "") -> str:
    """Write a value as it stands in a letter.

    style is short, medium, long, full or a CLDR pattern; text ignores it. Dates are long unless
    told otherwise: the month in letters cannot be misread. Raises NebbetError for a pattern that
    CLDR does not define.

    >>> show(date(2026, 12, 7), "de", "full")
    'Montag, 7. Dezember 2026'
    >>> show(Money(Decimal("1250"), "GBP"), "en_GB")
    '£1,250.00'
    """
    locale = language_of(language)
    try:
        return _shown(value, locale, style)
    except (ValueError, AttributeError, KeyError, TypeError):
        raise NebbetError(
            f"The format “{style}” does not fit {_kind(value)}",
            advice="Use short, medium, long, full or a CLDR pattern",
        ) from None


def _shown(value: Value, locale: "Locale", style: str) -> str:
    from babel import dates, numbers

    match value:
        case bool():
            return "yes" if value else "no"
        case datetime():
            return _moment(value, locale, style)
        case date():
            return dates.format_date(value, style or "long", locale=locale)
        case time():
            return dates.format_time(value, style or "short", locale=locale)
        case Money():
            return numbers.format_currency(
                value.amount, value.currency, style or None, locale=locale
            )
        case Decimal():
            return numbers.format_decimal(value, style or None, locale=locale)
    return value


def _moment(value: datetime, locale: "Locale", style: str) -> str:
    """A date with its time; a named style goes to the date, with the time kept short."""
    from babel import dates

    if style and style not in DATE_STYLES:
        return dates.format_datetime(value, style, locale=locale)
    joined = locale.datetime_formats["medium"]
    return (
        str(joined)
        .replace("'", "")
        .replace("{0}", dates.format_time(value, "short", locale=locale))
        .replace("{1}", dates.format_date(value, style or "long", locale=locale))
    )


def _kind(value: Value) -> str:
    names = {datetime: "a date with time", date: "a date", time: "a time", Money: "an amount"}
    return names.get(type(value), "a number")
