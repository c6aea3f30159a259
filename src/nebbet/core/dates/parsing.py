"""Reading date rules."""

import re
from datetime import date, datetime, time
from functools import lru_cache
from typing import Any

from nebbet.core.dates.calendars import WEEKDAYS
from nebbet.core.dates.durations import DURATION
from nebbet.core.dates.rules import (
    FORMS,
    MOST_COUNT,
    MOST_STEPS,
    NAME,
    ORDERS,
    At,
    Base,
    Count,
    Duration,
    Edge,
    Nth,
    OnOr,
    Roll,
    Rule,
    Weekday,
)
from nebbet.core.grammars import LONGEST_NAME, Grammar, Refusal

_GRAMMAR = rf"""
start: base? step* late?
base: TODAY -> today
    | SENDING -> sending
    | FIXED -> fixed
    | NAME -> name
    | BRACED -> braced
?step: SIGN NUMBER UNIT -> count
     | SIGN DURATION -> duration
     | EDGE WHICH PERIOD -> edge
     | NTH OF WHICH PERIOD -> nth
     | WHICH WEEKDAY -> weekday
     | ON_OR WEEKDAY -> on_or
     | ROLL -> roll
     | AT TIME -> at
late: LATE TIME TOMORROW

TODAY.5: /today\b/i
SENDING.6: /the\s+sending\s+day\b/i
FIXED.6: /\d{{4}}-\d\d-\d\d([T ]\d\d:\d\d)?(?![\d:-])/
SIGN.5: /[+\-−–]/
NUMBER.4: /\d{{1,9}}(?![\d:.])/
DURATION.7: /P(?=\S)[\dYMWDTHS,.]+\b/i
UNIT.5: /(working\s+(days?|hours?)|days?|weeks?|months?|quarters?|years?|hours?|minutes?)\b/i
NTH.6: /(the\s+)?({"|".join(ORDERS.values())})\s+({"|".join(WEEKDAYS)})\b/i
OF.5: /(of|in)\b/i
EDGE.5: /(start|end)\s+of\b/i
WHICH.5: /(this|next|previous|the)\b/i
PERIOD.5: /(week|month|quarter|year)\b/i
WEEKDAY.5: /({"|".join(WEEKDAYS)})\b/i
ON_OR.6: /on\s+or\s+(after|before)\b/i
ROLL.6: /or\s+(the\s+)?(next|previous)\s+working\s+day\b/i
AT.5: /at\b/i
TIME.7: /\d{{1,2}}([:.]\d\d)?\s*[ap]\.?m\b\.?|\d{{1,2}}[:.]\d\d(?!\d)|noon\b|midnight\b/i
LATE.6: /if\s+after\b/i
TOMORROW.6: /count\s+from\s+tomorrow\b/i
BRACED: /\{{\{{[^{{}}]{{1,80}}\}}\}}/
NAME.1: /{NAME}/i
%ignore /[\s,]+|then\b/
"""
_WORDS = {
    "TODAY": "“today”",
    "SENDING": "“the sending day”",
    "NAME": "a placeholder with a date",
    "FIXED": "a day such as 2026-11-25",
    "SIGN": "“+” or “-” with a number and a unit",
    "NUMBER": f"a number up to {MOST_COUNT}",
    "DURATION": "a duration such as P1M10D",
    "UNIT": "days, weeks, months, quarters, years, working days, hours, minutes or working hours",
    "EDGE": "“start of” or “end of”",
    "NTH": "“first Monday”",
    "OF": "“of”",
    "WHICH": "“this”, “next” or “previous”",
    "PERIOD": "week, month, quarter or year",
    "WEEKDAY": "a weekday",
    "ON_OR": "“on or after”",
    "ROLL": "“or the next working day”",
    "AT": "“at”",
    "TIME": "a time such as 17:00 or 5 pm",
    "LATE": "“if after”",
    "TOMORROW": "“count from tomorrow”",
}


class _Builder:
    """Builds a rule from what the parser meets."""

    def start(self, parts: list[Any]) -> Rule:
        base = parts.pop(0) if parts and isinstance(parts[0], Base) else Base()
        late, place = parts.pop() if parts and isinstance(parts[-1], tuple) else (None, 0)
        if late and base.kind in ("name", "fixed"):
            raise Refusal(
                place, "“if after” only where counting begins at today or the sending day"
            )
        if len(parts) > MOST_STEPS:
            raise Refusal(0, f"at most {MOST_STEPS} steps, not {len(parts)}")
        return Rule(base, tuple(parts), late)

    def today(self, _parts: list[Any]) -> Base:
        return Base()

    def sending(self, _parts: list[Any]) -> Base:
        return Base("sending")

    def fixed(self, parts: list[Any]) -> Base:
        token = parts[0]
        try:
            if len(token) > 10:
                return Base("fixed", day=datetime.fromisoformat(token.replace(" ", "T")))
            return Base("fixed", day=date.fromisoformat(token))
        except ValueError:
            raise Refusal(token.start_pos, "a day that there is, such as 2026-11-25") from None

    def name(self, parts: list[Any]) -> Base:
        if len(parts[0]) > LONGEST_NAME:
            raise Refusal(parts[0].start_pos, f"a name of at most {LONGEST_NAME} signs")
        return Base("name", " ".join(str(parts[0]).split()))

    def braced(self, parts: list[Any]) -> Base:
        return Base("name", str(parts[0]).strip("{} \t"))

    def count(self, parts: list[Any]) -> Count:
        sign, number, unit = parts
        if int(number) > MOST_COUNT:
            raise Refusal(number.start_pos, _WORDS["NUMBER"])
        spoken = " ".join(str(unit).casefold().split()).removesuffix("s")
        return Count(int(number) if sign == "+" else -int(number), spoken)  # type: ignore[arg-type]

    def duration(self, parts: list[Any]) -> Duration:
        sign, text = parts
        if not DURATION.fullmatch(text) or text[-1] in "Tt":
            raise Refusal(text.start_pos, _WORDS["DURATION"])
        return Duration(str(text).upper(), sign != "+")

    def edge(self, parts: list[Any]) -> Edge:
        edge, which, period = (str(part).casefold() for part in parts)
        return Edge(edge.split()[0], which.replace("the", "this"), period)  # type: ignore[arg-type]

    def nth(self, parts: list[Any]) -> Nth:
        order, day = str(parts[0]).casefold().removeprefix("the").split()
        which, period = (str(part).casefold() for part in parts[2:])
        number = next(number for number, word in ORDERS.items() if word == order)
        which = which.replace("the", "this")
        return Nth(number, _weekday(day), which, period)  # type: ignore[arg-type]

    def weekday(self, parts: list[Any]) -> Weekday:
        which = str(parts[0]).casefold()
        if which == "the":
            raise Refusal(parts[0].start_pos, _WORDS["WHICH"])
        return Weekday(which, _weekday(parts[1]))  # type: ignore[arg-type]

    def on_or(self, parts: list[Any]) -> OnOr:
        return OnOr(str(parts[0]).casefold().endswith("after"), _weekday(parts[1]))

    def roll(self, parts: list[Any]) -> Roll:
        return Roll("next" in str(parts[0]).casefold())

    def at(self, parts: list[Any]) -> At:
        return At(_time(parts[1]))

    def late(self, parts: list[Any]) -> tuple[time, int]:
        return _time(parts[1]), parts[0].start_pos


def _weekday(token: Any) -> int:
    return WEEKDAYS.index(str(token).capitalize())


def _time(token: Any) -> time:
    said = str(token).casefold()
    if said in _NAMED_TIMES:
        return _NAMED_TIMES[said]
    half = next((half for half in ("a", "p") if half in said), "")
    hour, minute = map(int, [*re.findall(r"\d+", said), "0"][:2])
    if hour > 23 or minute > 59 or (half and not 1 <= hour <= 12):
        raise Refusal(token.start_pos, _WORDS["TIME"])
    return time(hour % 12 + (12 if half == "p" else 0) if half else hour, minute)


_NAMED_TIMES = {"noon": time(12), "midnight": time(0)}


_DATE_RULES = Grammar(
    "date rule", _GRAMMAR, _Builder, _WORDS, f"Rules look like: {', '.join(FORMS[:3])}"
)


@lru_cache(maxsize=512)
def read(text: str) -> Rule:
    """Read a date rule. Raises GrammarError with the place and what was expected.

    >>> read("today + 7 working days").steps
    (Count(count=7, unit='working day'),)
    """
    if not text.strip():
        raise _DATE_RULES.error(text, 0, _WORDS["TODAY"])
    rule: Rule = _DATE_RULES.read(text)
    return rule
