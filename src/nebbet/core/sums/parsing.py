"""Reading sums and conditions: one language for both."""

import re
from datetime import date, datetime, time
from decimal import Decimal
from functools import lru_cache
from typing import Any

from nebbet.core.grammars import LONGEST_NAME, Grammar, Refusal
from nebbet.core.sums.parts import (
    Between,
    Binary,
    Blank,
    Both,
    Call,
    Compare,
    Fixed,
    Name,
    Negative,
    Not,
    OneOf,
    Part,
    Percent,
    Table,
    walk,
)
from nebbet.core.values import Money, Value

MOST_DEEP = 150
SYMBOLS = {"£": "GBP", "€": "EUR"}  # the dollar sign is left out: too many countries use it

# Words of the language itself; a placeholder that holds one is written in braces.
_KEYWORDS = (
    "and|or|not|is|contains|starts[ \\t]+with|ends[ \\t]+with|by|else|yes|no|true|false|today"
)
_NAME = rf"(?!(?:{_KEYWORDS})\b)[^\W\d][\w.]*(?:[ \t]+(?!(?:{_KEYWORDS})\b)[^\W\d][\w.]*)*"
PLAIN_NAME = re.compile(_NAME, re.IGNORECASE)
_NUMBER = r"\d{1,30}(\.\d{1,30})?"
_GRAMMAR = rf"""
start: either
?either: every | either OR every -> joined
?every: test | every AND test -> joined
?test: held | NOT test -> turned
?held: total
     | total (RELATION | IS | IS_NOT | CONTAINS | STARTS | ENDS) total -> compared
     | total (ONE_OF | NOT_ONE_OF) items -> among
     | total (IS_BLANK | IS_FILLED) -> blank
items: total ("," total)*
?total: term | total (PLUS | MINUS) term -> binary
?term: factor | term (STAR | SLASH) factor -> binary
?factor: atom | MINUS factor -> negative | atom PERCENT -> percent
?atom: NUMBER -> number
     | MONEY -> money
     | TEXT -> text
     | DAY -> day
     | TIME -> time
     | YES -> yes
     | NO -> no
     | TODAY -> today
     | NAME -> name
     | BRACED -> braced
     | OPEN either CLOSE -> bracketed
     | FUNCTION OPEN total ("," total)* CLOSE -> call
     | BETWEEN atom AND atom -> between
     | BY total COLON row ("," row)* "," ELSE factor -> table
row: factor ARROW factor

OR.5: /or\b/i
AND.5: /and\b/i
NOT.5: /not\b/i
IS.5: /is\b/i
IS_NOT.6: /is\s+not\b/i
ONE_OF.7: /is\s+one\s+of\b/i
NOT_ONE_OF.8: /is\s+not\s+one\s+of\b/i
IS_BLANK.7: /is\s+blank\b/i
IS_FILLED.8: /is\s+not\s+blank\b/i
CONTAINS.5: /contains\b/i
STARTS.5: /starts\s+with\b/i
ENDS.5: /ends\s+with\b/i
RELATION.5: /<=|>=|<|>|≤|≥/
PLUS.4: "+"
MINUS.4: /[-−–]/
STAR.4: /[*×·]/
SLASH.4: /[\/÷]/
PERCENT.4: "%"
OPEN.4: "("
CLOSE.4: ")"
COLON.4: ":"
ARROW.6: /→|->/
BY.5: /by\b/i
ELSE.5: /else\b/i
YES.5: /(yes|true)\b/i
NO.5: /(no|false)\b/i
TODAY.5: /today\b/i
FUNCTION.5: /(min|max|round|sum|count)(?=\s*\()/i
BETWEEN.6: /(working\s+)?days\s+between\b/i
DAY.7: /\d{{4}}-\d\d-\d\d([T ]\d\d:\d\d)?(?![\d-])/
TIME.7: /\d{{1,2}}:\d\d(?!\d)/
MONEY.7: /[£€][ ]?{_NUMBER}(?!\d)|{_NUMBER}[ ]?(?!AND|NOT)[A-Z]{{3}}\b/
NUMBER.4: /{_NUMBER}(?![\d.])/
TEXT.4: /"[^"\n]*"|“[^”\n]*”/
BRACED.4: /\{{\{{[^{{}}]{{1,80}}\}}\}}/
NAME.1: /{_NAME}/i
%ignore /\s+/
"""
_WORDS = {
    "NAME": "a placeholder",
    "NUMBER": "a number such as 12.50",
    "TEXT": "a text in quotes",
    "PLUS": "+, -, * or /",
    "RELATION": "a comparison",
    "AND": "“and”",
    "OPEN": "a bracket",
    "CLOSE": "a closing bracket",
    "COMMA": "a comma",
    "COLON": "a colon and the steps",
    "ARROW": "an arrow →",
    "ELSE": "“else”",
}


class _Builder:
    """Builds the parts of a sum from what the parser meets."""

    def start(self, parts: list[Any]) -> Part:
        part: Part = parts[0]
        deepest = max(depth for _, depth in walk(part))
        if deepest > MOST_DEEP:
            raise Refusal(0, f"at most {MOST_DEEP} steps of working out within each other")
        return part

    def joined(self, parts: list[Any]) -> Both:
        return Both(parts[1].type == "AND", parts[0], parts[2], parts[1].start_pos)

    def turned(self, parts: list[Any]) -> Not:
        return Not(parts[1], parts[0].start_pos)

    def compared(self, parts: list[Any]) -> Compare:
        said = " ".join(str(parts[1]).casefold().split())
        relation: Any = {"≤": "<=", "≥": ">="}.get(said, said)
        return Compare(relation, parts[0], parts[2], parts[1].start_pos)

    def among(self, parts: list[Any]) -> OneOf:
        return OneOf(parts[0], parts[2], parts[1].start_pos, parts[1].type == "NOT_ONE_OF")

    def items(self, parts: list[Any]) -> tuple[Part, ...]:
        return tuple(parts)

    def blank(self, parts: list[Any]) -> Blank:
        return Blank(parts[0], parts[1].type == "IS_FILLED", parts[1].start_pos)

    def binary(self, parts: list[Any]) -> Binary:
        operator: Any = {"PLUS": "+", "MINUS": "-", "STAR": "*", "SLASH": "/"}[parts[1].type]
        return Binary(operator, parts[0], parts[2], parts[1].start_pos)

    def negative(self, parts: list[Any]) -> Negative:
        return Negative(parts[1], parts[0].start_pos)

    def percent(self, parts: list[Any]) -> Percent:
        return Percent(parts[0], parts[1].start_pos)

    def number(self, parts: list[Any]) -> Fixed:
        return _fixed(Decimal(parts[0]), parts[0])

    def money(self, parts: list[Any]) -> Fixed:
        text = str(parts[0])
        if text[0] in SYMBOLS:
            return _fixed(Money(Decimal(text[1:].strip()), SYMBOLS[text[0]]), parts[0])
        return _fixed(Money(Decimal(text[:-3].strip()), text[-3:]), parts[0])

    def text(self, parts: list[Any]) -> Fixed:
        return _fixed(str(parts[0])[1:-1], parts[0])

    def day(self, parts: list[Any]) -> Fixed:
        text = str(parts[0])
        try:
            made: Value = (
                date.fromisoformat(text)
                if len(text) == 10
                else (datetime.fromisoformat(text.replace(" ", "T")))
            )
        except ValueError:
            raise Refusal(parts[0].start_pos, "a day that there is") from None
        return _fixed(made, parts[0])

    def time(self, parts: list[Any]) -> Fixed:
        hour, minute = map(int, str(parts[0]).split(":"))
        if hour > 23 or minute > 59:
            raise Refusal(parts[0].start_pos, "a time such as 17:00")
        return _fixed(time(hour, minute), parts[0])

    def yes(self, parts: list[Any]) -> Fixed:
        return _fixed(True, parts[0])

    def no(self, parts: list[Any]) -> Fixed:
        return _fixed(False, parts[0])

    def today(self, parts: list[Any]) -> Name:
        return Name("today", parts[0].start_pos)

    def name(self, parts: list[Any]) -> Name:
        if len(parts[0]) > LONGEST_NAME:
            raise Refusal(parts[0].start_pos, f"a name of at most {LONGEST_NAME} signs")
        return Name(" ".join(str(parts[0]).split()), parts[0].start_pos)

    def braced(self, parts: list[Any]) -> Name:
        return Name(str(parts[0]).strip("{} \t"), parts[0].start_pos)

    def bracketed(self, parts: list[Any]) -> Part:
        part: Part = parts[1]
        return part

    def call(self, parts: list[Any]) -> Call:
        function: Any = str(parts[0]).casefold()
        items = tuple(parts[2:-1])
        if function == "round" and len(items) > 2:
            raise Refusal(parts[0].start_pos, "round with a value and what to round it to")
        return Call(function, items, parts[0].start_pos)

    def between(self, parts: list[Any]) -> Between:
        working = str(parts[0]).casefold().startswith("working")
        return Between(working, parts[1], parts[3], parts[0].start_pos)

    def row(self, parts: list[Any]) -> tuple[Part, Part]:
        return parts[0], parts[2]

    def table(self, parts: list[Any]) -> Table:
        start, by, otherwise = parts[0].start_pos, parts[1], parts[-1]
        return Table(by, tuple(p for p in parts[2:] if isinstance(p, tuple)), otherwise, start)


def _fixed(value: Value, token: Any) -> Fixed:
    return Fixed(value, str(token), token.start_pos)


_SUMS = Grammar("sum", _GRAMMAR, _Builder, _WORDS, "It looks like: fare * 75%, or passengers >= 10")


@lru_cache(maxsize=512)
def read(text: str) -> Part:
    """Read a sum or a condition. Raises GrammarError with the place and what was expected.

    >>> read("fare * 75%").operator
    '*'
    """
    part: Part = _SUMS.read(text)
    return part
