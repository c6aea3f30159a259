"""Writing typed values in the letter's language, by CLDR patterns (Unicode UTS #35)."""

import re
from datetime import date, datetime, time
from decimal import Decimal
from functools import lru_cache
from typing import TYPE_CHECKING

from nebbet.core.errors import NebbetError
from nebbet.core.placeholders import numbers
from nebbet.core.placeholders.languages import yes_and_no
from nebbet.core.sums import kind_of
from nebbet.core.values import Money, Single, Value

if TYPE_CHECKING:
    from babel import Locale

DEFAULT_LANGUAGE = "en_GB"
# A run of week letters, but not inside quotes.
_WEEK = re.compile(r"'[^']*'|w+|Y+")
_QUOTED = re.compile(r"'[^']*'")
_DATE_LETTERS = re.compile("[GyYuQqMLwWdDEecahHKkmsS]")
STYLES = ("short", "medium", "long", "full")


@lru_cache(maxsize=256)
def language_of(code: str) -> "Locale":
    """The locale for a language code such as "en_GB" or "nb". Raises NebbetError if unknown."""
    from babel import Locale, UnknownLocaleError

    try:
        return Locale.parse(code.replace("-", "_") or DEFAULT_LANGUAGE)
    except (ValueError, UnknownLocaleError, TypeError):
        raise NebbetError(
            f"The language “{code}” is not known", advice="Use a code such as en_GB, fr, de or nb"
        ) from None


def language_name(code: str) -> str:
    """A language in words, with its region where it has one.

    >>> language_name("en_GB"), language_name("fr_CA")
    ('English', 'French (Canada)')
    """
    if code in ("en_GB", "en"):
        return "English"
    return str(language_of(code).get_display_name("en") or code)


def show(value: Value, language: str = DEFAULT_LANGUAGE, style: str = "") -> str:
    """Write a value as it stands in a letter.

    style is short, medium, long, full or a CLDR pattern. Dates are long unless told otherwise:
    the month in letters cannot be misread. Numbers are compact in short and long, amounts have
    the currency's name in long and full. Lists are joined as CLDR says. Raises NebbetError for a
    style that does not fit the value.

    >>> show(date(2026, 12, 7), "de", "full")
    'Montag, 7. Dezember 2026'
    >>> show(Money(Decimal("1250"), "GBP"), "en_GB")
    '£1,250.00'
    >>> show(("Ana", "Bo", "Cy"), "en_GB")
    'Ana, Bo and Cy'
    """
    if isinstance(value, tuple):
        return _joined(tuple(_show(item, language, style) for item in value), language)
    return _show(value, language, style)


@lru_cache(maxsize=1024)
def _joined(items: tuple[str, ...], language: str) -> str:
    from babel.lists import format_list

    return str(format_list(items, locale=language_of(language)))


@lru_cache(maxsize=4096, typed=True)
def _show(value: Single, language: str, style: str) -> str:
    locale = language_of(language)
    try:
        return _shown(value, locale, style)
    except ArithmeticError:
        raise NebbetError(f"{kind_of(value).capitalize()} is too large to be written") from None
    except (ValueError, AttributeError, KeyError, TypeError, IndexError):
        raise NebbetError(
            f"The format “{style}” does not fit {kind_of(value)}",
            advice="Use short, medium, long, full or a CLDR pattern",
        ) from None


def _shown(value: Single, locale: "Locale", style: str) -> str:
    from babel import dates

    match value:
        case bool():
            return yes_and_no(locale.language)[0 if value else 1]
        case datetime():
            return _moment(value, locale, style)
        case date():
            return dates.format_date(value, _date_style(style, value) or "long", locale=locale)
        case time():
            # The longer CLDR styles name a time zone, which a plain time does not have.
            style = "medium" if style in ("long", "full") else _date_style(style)
            return dates.format_time(value, style or "short", locale=locale)
        case Money():
            return _amount(value, locale, style)
        case Decimal():
            return _number(value, locale, style)
    if style:
        raise ValueError(style)
    return value


def _number(value: Decimal, locale: "Locale", style: str) -> str:
    if style in ("short", "long"):
        return numbers.compact(value, locale, style)
    return numbers.number(value, locale, None if style in STYLES else _number_pattern(style))


def _amount(value: Money, locale: "Locale", style: str) -> str:
    if style in ("long", "full"):
        return numbers.named_amount(value, locale)
    # A pattern says how many decimals it wants; without one, the currency does.
    return numbers.amount(value, locale, None if style in STYLES else _number_pattern(style))


def _number_pattern(style: str) -> str | None:
    if style and not set(style) & set("0#@"):  # no number pattern is without them
        raise ValueError(style)
    return style or None


def _date_style(style: str, day: date | None = None) -> str:
    """A style or pattern that is one for dates; weeks in it are those of ISO 8601 everywhere."""
    if not style or style in STYLES:
        return style
    if not _DATE_LETTERS.search(_QUOTED.sub("", style)):
        raise ValueError(style)
    if day is None:
        return style
    year, week, _ = day.isocalendar()
    letters = {"w": f"'{week}'", "ww": f"'{week:02}'", "Y": f"'{year}'", "YYYY": f"'{year}'"}
    return _WEEK.sub(lambda match: letters.get(match[0], match[0]), style)


def _moment(value: datetime, locale: "Locale", style: str) -> str:
    """A date with its time; a named style goes to the date, with the time kept short."""
    from babel import dates

    if _date_style(style) not in ("", *STYLES):
        return dates.format_datetime(value, _date_style(style, value), locale=locale)
    joined = locale.datetime_formats["medium"]
    return (
        str(joined)
        .replace("'", "")
        .replace("{0}", dates.format_time(value, "short", locale=locale))
        .replace("{1}", dates.format_date(value, style or "long", locale=locale))
    )
