"""What a date rule says: a base and steps from it, and how a rule is written."""

import re
from datetime import date, datetime, time
from typing import Literal, get_args

from msgspec import Struct

from nebbet.core.dates.calendars import WEEKDAYS

Unit = Literal[
    "day", "week", "month", "quarter", "year", "working day", "hour", "minute", "working hour"
]
UNITS: tuple[Unit, ...] = get_args(Unit)
Period = Literal["week", "month", "quarter", "year"]
PERIODS: tuple[Period, ...] = get_args(Period)
Which = Literal["this", "next", "previous"]
WHICH: tuple[Which, ...] = get_args(Which)

# Words of the language itself; a placeholder that holds one is written in braces.
_ORDERS = "first|second|third|fourth|last"
_NTH_WEEKDAY = rf"(?:{_ORDERS})[ \t]+(?:{'|'.join(WEEKDAYS)})"
KEYWORDS = rf"today|the|start|end|this|next|previous|on|or|at|if|then|count|{_NTH_WEEKDAY}"
NAME = rf"(?!(?:{KEYWORDS})\b)[^\W\d][\w.]*(?:[ \t]+(?!(?:{KEYWORDS})\b)[^\W\d][\w.]*)*"
_PLAIN_NAME = re.compile(NAME, re.IGNORECASE)

MOST_COUNT = 9999  # twenty-seven years of days; keeps a mistyped rule from running for ever
MOST_STEPS = 12


class Base(Struct, frozen=True):
    """Where counting begins: today, the sending day, a placeholder by name, or a fixed day."""

    kind: Literal["today", "sending", "name", "fixed"] = "today"
    name: str = ""
    day: date | datetime | None = None


class Count(Struct, frozen=True, tag=True):
    """So many units on, or back when count is negative."""

    count: int
    unit: Unit


class Duration(Struct, frozen=True, tag=True):
    """An ISO 8601 duration as it was written ("P1M10D"), on or back."""

    text: str
    back: bool = False


class Edge(Struct, frozen=True, tag=True):
    """The first or last day of this, the next or the previous week, month, quarter or year."""

    edge: Literal["start", "end"]
    which: Which
    period: Period


class Nth(Struct, frozen=True, tag=True):
    """The first, second … such weekday of a period, counted from 1; -1 is the last one."""

    number: int
    weekday: int
    which: Which
    period: Period


class Weekday(Struct, frozen=True, tag=True):
    """The next or previous such weekday, never the day itself; or the one of this week."""

    which: Which
    weekday: int


class OnOr(Struct, frozen=True, tag=True):
    """The day itself if it is that weekday, else the first one after or before it."""

    after: bool
    weekday: int


class Roll(Struct, frozen=True, tag=True):
    """A day that is not a working day gives way to the next or the previous one."""

    forward: bool


class At(Struct, frozen=True, tag=True):
    """A time of day."""

    time: time


Step = Count | Duration | Edge | Nth | Weekday | OnOr | Roll | At
ORDERS = {1: "first", 2: "second", 3: "third", 4: "fourth", -1: "last"}


class Rule(Struct, frozen=True):
    """A day worked out from a base by steps; late: written after that time, today is tomorrow."""

    base: Base = Base()
    steps: tuple[Step, ...] = ()
    late: time | None = None

    @property
    def names(self) -> tuple[str, ...]:
        """The placeholders that the rule needs."""
        return (self.base.name,) if self.base.kind == "name" else ()


FORMS = (
    "today",
    "today + 3 days",
    "today + 7 working days",
    "today + 1 month or the next working day",
    "today + 1 working day at 17:00",
    "today on or after Monday",
    "next Friday",
    "end of next month",
    "first Monday of next month",
    "today + 8 working hours",
    "the sending day + 2 weeks",
    "today + P1M10D",
    "today + 1 working day if after 16:00 count from tomorrow",
)


def wording(rule: Rule) -> str:
    """Write a rule in its plainest form; reading that gives the same rule.

    >>> wording(Rule(steps=(Count(-1, "month"), Roll(forward=True))))
    'today - 1 month or the next working day'
    """
    parts = [_base(rule.base), *map(_step, rule.steps)]
    if parts[0] == "today" and rule.steps and isinstance(rule.steps[0], Edge | Nth | Weekday):
        parts.pop(0)
    if rule.late:
        parts.append(f"if after {clock(rule.late)} count from tomorrow")
    return " ".join(parts)


def _base(base: Base) -> str:
    match base.kind:
        case "sending":
            return "the sending day"
        case "name":
            return base.name if _PLAIN_NAME.fullmatch(base.name) else f"{{{{{base.name}}}}}"
        case "fixed" if isinstance(base.day, datetime):
            return base.day.isoformat(timespec="minutes")
        case "fixed" if base.day:
            return base.day.isoformat()
    return "today"


def _step(step: Step) -> str:
    match step:
        case Count(count=count, unit=unit):
            return f"{'-' if count < 0 else '+'} {amount(count, unit)}"
        case Duration(text=text, back=back):
            return f"{'-' if back else '+'} {text}"
        case Edge(edge=edge, which=which, period=period):
            return f"{edge} of {which} {period}"
        case Nth():
            return f"{nth(step)} of {step.which} {step.period}"
        case Weekday(which=which, weekday=weekday):
            return f"{which} {WEEKDAYS[weekday]}"
        case OnOr(after=after, weekday=weekday):
            return f"on or {'after' if after else 'before'} {WEEKDAYS[weekday]}"
        case Roll(forward=forward):
            return f"or the {'next' if forward else 'previous'} working day"
        case At(time=at):
            return f"at {clock(at)}"


def nth(step: Nth) -> str:
    """Which weekday of a period, in words.

    >>> nth(Nth(-1, 4, "this", "month"))
    'last Friday'
    """
    return f"{ORDERS[step.number]} {WEEKDAYS[step.weekday]}"


def amount(count: int, unit: str) -> str:
    """A number of units in words, without its sign.

    >>> amount(-2, "working day")
    '2 working days'
    """
    return f"{abs(count)} {unit}{'' if abs(count) == 1 else 's'}"


def clock(at: time) -> str:
    """A time of day as rules write it."""
    return at.strftime("%H:%M")
