"""Reading what people type, by kind, in the letter's language."""

import re
from collections.abc import Callable
from datetime import date
from decimal import Decimal
from typing import TYPE_CHECKING

from msgspec import Struct

from nebbet.core import dates
from nebbet.core.errors import NebbetError
from nebbet.core.placeholders import typed_dates
from nebbet.core.placeholders.declared import Kind, Placeholder
from nebbet.core.placeholders.formats import language_of, show
from nebbet.core.placeholders.languages import yes_and_no
from nebbet.core.placeholders.typed_dates import Unclear, Unreadable
from nebbet.core.records import fold
from nebbet.core.values import Money, Value, is_sensible

if TYPE_CHECKING:
    from babel import Locale


class Reading(Struct, frozen=True):
    """What typed text means: a value, or the problem with it, and texts that would be clear."""

    value: Value | None
    problem: str = ""
    clearer: tuple[str, ...] = ()


def read(text: str, placeholder: Placeholder, language: str, today: date) -> Reading:
    """Read typed text as the kind that the placeholder declares, and hold it to its limits.

    Never raises: what cannot be taken is told as a problem, and the text stays as it is.

    >>> read("12,50", Placeholder("x", kind="number"), "de", date(2026, 11, 25)).value
    Decimal('12.50')
    >>> read("3/12", Placeholder("x", kind="date"), "en_GB", date(2026, 11, 25)).clearer
    ('3 December 2026', '12 March 2027')
    """
    text = _MARKS.sub("", text).strip()
    try:
        if len(text) > _LONGEST and placeholder.kind in _SHORT:
            raise Unreadable(f"“{text[:20]}…” is too long for a {placeholder.kind}")
        value = _READERS[placeholder.kind](text, placeholder, language, today)
        return Reading(value, _out_of_bounds(value, placeholder, language, today))
    except Unclear as unclear:
        fitting = tuple(c for c in unclear.clearer if _is_clear(c, placeholder, language, today))
        return Reading(None, str(unclear), fitting)
    except (Unreadable, NebbetError) as problem:
        return Reading(None, str(problem).rstrip("."))


# Signs that say which way text runs, and nothing else.
_MARKS = re.compile("[\u061c\u200e\u200f]")


def _is_clear(text: str, placeholder: Placeholder, language: str, today: date) -> bool:
    """Whether a clearer text would be taken; one that would be asked back again is none."""
    try:
        value = _READERS[placeholder.kind](text, placeholder, language, today)
    except (Unclear, Unreadable, NebbetError):
        return False
    return not _out_of_bounds(value, placeholder, language, today)


_SHORT = ("number", "money", "date", "time", "yes/no")
_LONGEST = 200  # characters of any of these

Reader = Callable[[str, Placeholder, str, date], Value]


def _text(text: str, placeholder: Placeholder, _language: str, _today: date) -> Value:
    if placeholder.pattern and not fits(text, placeholder.pattern):
        raise Unreadable(f"“{text}” does not have the shape {placeholder.pattern}")
    return text


def fits(text: str, pattern: str) -> bool:
    """Whether a text has a shape: 9 is a digit, A a letter, X either, anything else itself.

    >>> fits("LS-48211", "AA-99999"), fits("LS-4821", "AA-99999")
    (True, False)
    """
    tests: dict[str, Callable[[str], bool]] = {
        "9": str.isdecimal, "A": str.isalpha, "X": str.isalnum
    }  # fmt: skip
    return len(text) == len(pattern) and all(
        tests[shape](sign) if shape in tests else sign == shape
        for sign, shape in zip(text, pattern, strict=True)
    )


def _choice(text: str, placeholder: Placeholder, _language: str, _today: date) -> Value:
    found = next((c for c in placeholder.choices if fold(c) == fold(text)), None)
    if found is None:
        raise Unreadable(f"“{text}” is not one of: {', '.join(placeholder.choices)}")
    return found


def _yes_no(text: str, _placeholder: Placeholder, language: str, _today: date) -> Value:
    own = yes_and_no(language_of(language).language)
    said = text.casefold()
    for value, words in ((True, ("yes", "y", own[0])), (False, ("no", "n", own[1]))):
        if said in words:
            return value
    raise Unreadable(f"“{text}” is neither {own[0]} nor {own[1]}")


def _number(text: str, _placeholder: Placeholder, language: str, _today: date) -> Value:
    return _decimal(text, language_of(language))


_BARE_END = re.compile(r"(?<=\d)[.,]\s*[-–—]+$")  # 12,- is an amount without small coins
_SPACES = re.compile(r"[ \u00a0\u202f\u2009]")


def _decimal(text: str, locale: "Locale") -> Decimal:
    """A number in the language's own signs; one that reads otherwise elsewhere is asked back."""
    from babel import numbers

    group = numbers.get_group_symbol(locale)
    said = _SPACES.sub(group if _SPACES.fullmatch(group) else "", text).replace("−", "-")
    said = said.replace("’", "'") if group == "'" else said.replace("'", "’")
    if len(said) > 40:
        raise Unreadable(f"“{text[:20]}…” is too long for a number")
    said = _BARE_END.sub("", said)
    if thousands := re.fullmatch(r"([+-]?\d{1,3})[.,]000", said):
        mark = numbers.get_decimal_symbol(locale)
        if mark in said:  # three decimals that say nothing: elsewhere that is ten thousand
            plain, grouped = thousands[1], f"{thousands[1]}{group if group in '.,' else ''}000"
            raise Unclear(f"“{text}” could be {plain} or {grouped}", (plain, grouped))
    try:
        found = numbers.parse_decimal(said, locale=locale, strict=True)
    except numbers.NumberFormatError as error:
        clearer = tuple(error.suggestions or ()) if re.search(r"\d", said) else ()
        problem = f"“{text}” is not a number as it is written here"
        raise Unclear(problem, clearer) if clearer else Unreadable(problem) from None
    except ArithmeticError:
        raise Unreadable(f"“{text}” has too many digits") from None
    if not is_sensible(found):
        raise Unreadable(f"“{text}” is not a number, or has too many digits")
    return found


_AMOUNT = re.compile(
    r"(?P<sign>[+\-−]?)\s*(?P<before>[^\d\s.,+\-−]{0,5})\s*"
    r"(?P<number>[+\-−]?\d[\d\s.,'’]*?(?:[.,][-–—]+)?)\s*(?P<after>[^\d\s.,'’\-–—]{0,5})"
)
_SYMBOLS = {"£": "GBP", "€": "EUR", "zł": "PLN", "₹": "INR", "¥": "JPY"}
_KRONER = {"nb": "NOK", "nn": "NOK", "no": "NOK", "sv": "SEK", "da": "DKK", "is": "ISK"}


def _money(text: str, placeholder: Placeholder, language: str, _today: date) -> Value:
    from babel.numbers import get_currency_precision

    locale = language_of(language)
    match = _AMOUNT.fullmatch(text)
    if match is None or (match["before"] and match["after"]):
        raise Unreadable(f"“{text}” is not an amount of money")
    currency = _currency(match["before"] or match["after"], placeholder.currency, locale)
    try:
        amount = _decimal(match["sign"] + match["number"], locale)
    except Unclear as unclear:
        clearer = tuple(text.replace(match["number"], c) for c in unclear.clearer)
        problem = f"“{text}” is not an amount as it is written here"
        raise Unclear(problem, clearer) from None
    places = get_currency_precision(currency)
    exponent = amount.as_tuple().exponent
    if isinstance(exponent, int) and -exponent > places:
        raise Unreadable(f"{currency} has {places} decimals, “{text}” has more")
    return Money(amount.quantize(Decimal(1).scaleb(-places)), currency)


def _currency(sign: str, declared: str, locale: "Locale") -> str:
    from babel.numbers import get_currency_symbol, list_currencies

    sign = sign.rstrip(".")
    if not sign:
        if not declared:
            raise Unreadable("The amount does not say which currency: write GBP or EUR beside it")
        return declared
    if declared and sign in (declared, get_currency_symbol(declared, locale)):
        return declared
    found = _SYMBOLS.get(sign) or (_KRONER.get(locale.language) if sign == "kr" else None)
    if found is None and sign.upper() in list_currencies():
        found = sign.upper()
    if found is None:
        raise Unreadable(f"“{sign}” is no currency that is known here: write GBP, EUR, NOK …")
    if declared and found != declared:
        raise Unreadable(f"The amount is in {found}, but here it has to be in {declared}")
    return found


def _date(text: str, _placeholder: Placeholder, language: str, today: date) -> Value:
    return typed_dates.read_date(text, language_of(language), today)


def _time(text: str, _placeholder: Placeholder, language: str, _today: date) -> Value:
    return typed_dates.read_time(text, language_of(language))


_LINK = re.compile(r"(?:https?://|mailto:|tel:)\S+", re.IGNORECASE)


def _link(text: str, _placeholder: Placeholder, _language: str, _today: date) -> Value:
    said = f"https://{text}" if text.casefold().startswith("www.") else text
    if not _LINK.fullmatch(said):
        raise Unreadable(f"“{text}” is no link: it begins with https://, mailto: or tel:")
    return said


_READERS: dict[Kind, Reader] = {
    "text": _text,
    "long text": _text,
    "choice": _choice,
    "yes/no": _yes_no,
    "number": _number,
    "money": _money,
    "date": _date,
    "time": _time,
    "link": _link,
}


def _out_of_bounds(value: Value, placeholder: Placeholder, language: str, today: date) -> str:
    """What is wrong with a value that can be read but is too small or too large."""
    for limit, word in ((placeholder.least, "less"), (placeholder.most, "more")):
        if not limit:
            continue
        bound = limit_of(limit, value, today)
        if bound is not None and _beyond(value, bound, word):
            than = (
                {"less": "before", "more": "after"}[word]
                if isinstance(value, date)
                else (f"{word} than")
            )
            return f"{show(value, language)} is {than} {show(_like(bound, value), language)}"
    return ""


def limit_of(limit: str, value: Value, today: date) -> Decimal | date | None:
    """A limit as it is to be held against a value. Raises NebbetError when it does not fit."""
    if isinstance(value, date):
        rule = dates.read(limit)
        return dates.work_out(rule, today, dates.WorkingCalendar()).day
    if isinstance(value, Decimal | Money):
        try:
            return Decimal(limit)
        except ArithmeticError:
            raise NebbetError(f"The limit “{limit}” is not a number such as 12.50") from None
    return None


def _beyond(value: Value, bound: Decimal | date, word: str) -> bool:
    held = value.amount if isinstance(value, Money) else value
    if isinstance(held, date):
        held = dates.day_of(held)
    return bool(held < bound if word == "less" else held > bound)  # type: ignore[operator]


def _like(bound: Decimal | date, value: Value) -> Value:
    if isinstance(value, Money) and isinstance(bound, Decimal):
        return Money(bound, value.currency)
    return bound
