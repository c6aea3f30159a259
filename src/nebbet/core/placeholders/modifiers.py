"""What stands after the bar in {{name|…}}: how a value is written in one place."""

import re
from functools import lru_cache
from typing import TYPE_CHECKING

from msgspec import Struct

from nebbet.core.errors import NebbetError
from nebbet.core.placeholders.formats import STYLES, language_of, show
from nebbet.core.sums import kind_of
from nebbet.core.values import Value

if TYPE_CHECKING:
    from decimal import Decimal

CASES = ("upper", "lower", "title", "sentence")
PLAIN = (*STYLES, *CASES, "list")
_PIECE = re.compile(r'(?:"[^"]*"|“[^”]*”|[^|"“]|["“])+')
_QUOTED = re.compile(r'"([^"]*)"|“([^”]*)”')
_FIRST_LETTER = re.compile(r"[^\W\d_]")
_WORD = re.compile(r"(?<![\w'’])[^\W\d_]")


class Modifiers(Struct, frozen=True):
    """The modifiers of one place.

    style is a named style or a CLDR pattern. instead stands where there is no value; None leaves
    a blank. forms are the words for one, two, many, in the order of the language's plural forms.
    """

    style: str = ""
    case: str = ""
    instead: str | None = None
    forms: tuple[str, ...] = ()
    as_list: bool = False


@lru_cache(maxsize=1024)
def read(text: str) -> Modifiers:
    """Read what stands after the bar. Raises NebbetError for what is no modifier.

    >>> read('"EEEE d MMMM" | else: a day to be told').instead
    'a day to be told'
    """
    found: dict[str, object] = {}
    for piece in _PIECE.findall(text):
        if piece.strip():
            found.update(_one(piece.strip()))
    return Modifiers(**found)  # type: ignore[arg-type]


def _one(piece: str) -> dict[str, object]:
    word = piece.casefold()
    if quoted := _QUOTED.fullmatch(piece):
        return {"style": quoted[1] or quoted[2] or ""}
    if word in STYLES:
        return {"style": word}
    if word in CASES:
        return {"case": word}
    if word == "list":
        return {"as_list": True}
    name, colon, rest = piece.partition(":")
    if colon and name.strip().casefold() == "else":
        return {"instead": _unquoted(rest.strip())}
    if colon and name.strip().casefold() == "plural":
        return {"forms": tuple(form.strip() for form in rest.split("/"))}
    raise NebbetError(
        f"“{piece}” is no modifier",
        advice=f"After the bar stands {', '.join(PLAIN)}, a pattern in quotes, "
        "else: text, or plural: one / more",
    )


def _unquoted(text: str) -> str:
    quoted = _QUOTED.fullmatch(text)
    return (quoted[1] or quoted[2] or "") if quoted else text


def write(value: Value, modifiers: str, language: str, style: str = "") -> str:
    """Write a value as the modifiers of its place say; style is what the ledger says otherwise.

    Raises NebbetError where a modifier does not fit the value.

    >>> write("kirk o'shea", "title", "en_GB")
    "Kirk O'shea"
    """
    if not modifiers:
        return show(value, language, style)
    asked = read(modifiers)
    if asked.forms:
        text = plural(value, asked.forms, language)
    else:
        text = show(value, language, asked.style or style)
    return in_case(text, asked.case, language)


def in_case(text: str, case: str, language: str) -> str:
    """Text in capitals, small letters, with every word or the first one capitalised."""
    match case:
        case "upper":
            return _upper(text, language)
        case "lower":
            return text.lower()
        case "title":
            return _WORD.sub(lambda m: _upper(m[0], language), text)
        case "sentence":
            return _FIRST_LETTER.sub(lambda m: _upper(m[0], language), text, count=1)
    return text


def _upper(text: str, language: str) -> str:
    if language.partition("_")[0] in ("tr", "az"):
        text = text.replace("i", "İ")
    return text.upper()


def plural(value: Value, forms: tuple[str, ...], language: str) -> str:
    """The word that goes with a number, by the CLDR plural rules of the language.

    forms stand in the order zero, one, two, few, many, other, those that whole numbers of the
    language use; or all of them. A list counts its items. Raises NebbetError for another number
    of forms, and for a number that none of them is for.
    """
    from decimal import Decimal

    number = Decimal(len(value)) if isinstance(value, tuple) else value
    if not isinstance(number, Decimal):
        raise NebbetError(f"“plural” counts numbers, not {kind_of(value)}")
    if len(forms) == 1:
        return forms[0]
    whole, every = _forms_of(language)
    order = whole if len(forms) == len(whole) else every
    if len(forms) != len(order):
        name = language_of(language).get_language_name("en")
        raise NebbetError(f"“plural” needs {len(whole)} forms in {name}: {' / '.join(whole)}")
    named = dict(zip(order, forms, strict=True))
    category = language_of(language).plural_form(_as_shown(abs(number)))
    if category not in named:
        # Such as the French form for millions; and where whole numbers do not need "other", which
        # fractions do, it is the form for a few that Slavic languages come closest with.
        category = next((form for form in ("other", "few") if form in named), category)
    if category not in named:
        raise NebbetError(
            f"“plural” has no form for {show(number, language)}: "
            f"give {len(every)}, {' / '.join(every)}"
        )
    return named[category]


def _as_shown(number: "Decimal") -> "Decimal":
    """A number without the zeros at its end that nobody writes: with them it would be no 1."""
    whole = number.to_integral_value()
    return whole if whole == number else number.normalize()


@lru_cache(maxsize=64)
def _forms_of(language: str) -> tuple[tuple[str, ...], tuple[str, ...]]:
    """The plural forms that small whole numbers of a language use, and all of them."""
    rule = language_of(language).plural_form
    order = ("zero", "one", "two", "few", "many", "other")
    used = {rule(number) for number in range(201)}
    every = {*rule.tags, "other"}
    return tuple(n for n in order if n in used), tuple(n for n in order if n in every)
