"""Working a sum out over named values: exact decimals, money in one currency, dates, text."""

from collections.abc import Callable
from datetime import date
from decimal import Decimal, InvalidOperation, Overflow
from itertools import pairwise
from typing import Any

from msgspec import Struct

from nebbet.core.dates import WorkingCalendar, working_days_between
from nebbet.core.sums.arithmetic import (
    Rounding,
    SumError,
    added_up,
    calculated,
    compared,
    day,
    minor_units,
    number,
    rounded,
    scaled,
    truth,
)
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
)
from nebbet.core.sums.wording import wording, write
from nebbet.core.values import Money, Value


class Unanswered(SumError):
    """A sum that waits for a value."""


class NoValue(Exception):
    """Raised by a lookup for a name that has no value; says why."""


class Scope(Struct, frozen=True):
    """All that a sum can reach: named values, today, working days, how values are written.

    value(name) gives a value or raises NoValue with the reason.
    """

    value: Callable[[str], Value]
    today: date
    calendar: WorkingCalendar
    show: Callable[[Value], str] = str
    rounding: Rounding = "half even"


class Result(Struct, frozen=True):
    """A value as it is written, and one line on how it came about. exact is the value as it is used
    again: an amount that is not rounded to its minor units."""

    value: Value
    explanation: str
    exact: Value


def work_out(part: Part, scope: Scope) -> Result:
    """Work a sum out and say how. Money is rounded where it is written, to its minor units (ISO
    4217), and not where it is used again. Raises SumError.

    >>> from nebbet.core.sums.parsing import read
    >>> fare = Money(Decimal("148.50"), "GBP")
    >>> work_out(read("fare * 75%"), Scope(lambda _: fare, date(2026, 11, 25), WorkingCalendar())
    ... ).value
    Money(amount=Decimal('111.38'), currency='GBP')
    """
    worker = _Worker(scope)
    try:
        exact = worker.work(part)
        value = minor_units(exact, scope.rounding) if isinstance(exact, Money) else exact
    except Overflow:
        raise SumError("The sum leads beyond what can be counted") from None
    except InvalidOperation:
        raise SumError("The sum has no result") from None
    said = _explain(part, value, worker)
    return Result(value, said if exact == value else f"{said}, rounded", exact)


def holds(part: Part, scope: Scope) -> bool:
    """Whether a condition holds. Raises SumError, also when it gives something else than yes
    or no."""
    return truth(_Worker(scope).work(part), part)


class _Worker:
    """Works parts out; remembers what each table gave, for the explanation."""

    def __init__(self, scope: Scope) -> None:
        self.scope = scope
        self.steps: dict[int, tuple[Value, Value, str]] = {}

    def work(self, part: Part) -> Value:  # noqa: PLR0912 one branch for each kind of part
        """Work one part out."""
        match part:
            case Fixed(value=value):
                return value
            case Name(name=name):
                return self.named(name)
            case Negative(of=of):
                return scaled(self.work(of), Decimal(-1), part)
            case Percent(of=of):
                return number(self.work(of), "a percentage") / 100
            case Binary():
                return calculated(part, self.work(part.left), self.work(part.right))
            case Compare():
                return compared(part, self.work(part.left), self.work(part.right))
            case OneOf():
                return self._among(part)
            case Blank(of=of, turned=turned):
                return self._is_blank(of) != turned
            case Both():
                return self._joined(part)
            case Not(of=of):
                return not truth(self.work(of), of)
            case Call():
                return self._called(part)
            case Between():
                return self._between(part)
            case Table():
                return self._stepped(part)

    def _joined(self, part: Both) -> bool:
        """Both conditions, or one of them; one that cannot be told does not decide what the other
        one decides alone."""
        try:
            first = truth(self.work(part.left), part.left)
        except Unanswered:
            if truth(self.work(part.right), part.right) != part.every:
                return not part.every
            raise
        return first if first != part.every else truth(self.work(part.right), part.right)

    def named(self, name: str) -> Value:
        if name == "today":
            return self.scope.today
        try:
            return self.scope.value(name)
        except NoValue as missing:
            raise Unanswered(str(missing)) from None

    def _is_blank(self, part: Part) -> bool:
        if isinstance(part, Name) and part.name != "today":
            try:
                return self.scope.value(part.name) in ("", ())
            except NoValue:
                return True
        return self.work(part) in ("", ())

    def _among(self, part: OneOf) -> bool:
        left = self.work(part.left)
        items: list[Value] = []
        for item in part.items:
            value = self.work(item)
            items += value if isinstance(value, tuple) else [value]
        found = any(compared(Compare("is", part.left, part), left, item) for item in items)
        return found != part.turned

    def _called(self, part: Call) -> Value:
        if part.function == "count":
            return Decimal(len(self._members(part)))
        if part.function == "round":
            return rounded([self.work(item) for item in part.items], self.scope.rounding)
        values = self._members(part)
        if part.function == "sum":
            return added_up(values, part)
        if not values:
            raise SumError(f"“{wording(part)}” has nothing to choose from")
        best = values[0]
        relation: Any = "<" if part.function == "min" else ">"
        for value in values[1:]:
            if compared(Compare(relation, part, part), value, best):
                best = value
        return best

    def _members(self, part: Call) -> list[Value]:
        """The values of a call, each list by its members."""
        found: list[Value] = []
        for item in part.items:
            value = self.work(item)
            found += value if isinstance(value, tuple) else [value]
        return found

    def _between(self, part: Between) -> Decimal:
        first, last = (day(self.work(p)) for p in (part.first, part.last))
        if part.working:
            return Decimal(working_days_between(first, last, self.scope.calendar))
        return Decimal((last - first).days)

    def _stepped(self, part: Table) -> Value:
        by = self.work(part.by)
        limits = [(self.work(limit), gives) for limit, gives in part.rows]
        falling: Any = Compare("<", part, part)
        for (above, _), (below, _) in pairwise(limits):
            if not compared(falling, below, above):
                raise SumError(
                    f"The steps by “{wording(part.by)}” have to fall: "
                    f"{self.scope.show(above)} stands before {self.scope.show(below)}"
                )
        for limit, gives in limits:
            if compared(Compare(">=", part, part), by, limit):
                value = self.work(gives)
                self.steps[part.place] = (by, value, f"from {self.scope.show(limit)}")
                return value
        value = self.work(part.otherwise)
        self.steps[part.place] = (by, value, "below every step")
        return value


def _explain(part: Part, result: Value, worker: _Worker) -> str:
    show = worker.scope.show

    def name(at: Name) -> str:
        try:
            value = worker.named(at.name)
            written = minor_units(value, "half even") if isinstance(value, Money) else value
            return (show(value) or "nothing") + ("" if written == value else " (not rounded)")
        except SumError:
            return "nothing"

    def whole(at: Part) -> str | None:
        if isinstance(at, Fixed) and isinstance(at.value, Money):
            return show(at.value)
        if isinstance(at, Between):
            days = f"{'working ' if at.working else ''}days from"
            return f"{show(worker.work(at))} ({days} {inner(at.first)} to {inner(at.last)})"
        if isinstance(at, Table) and at.place in worker.steps:
            by, value, which = worker.steps[at.place]
            return f"{_factor(value, show)} ({wording(at.by)}: {show(by)}, {which})"
        return None

    def inner(at: Part) -> str:
        return write(at, name, whole)

    said, shown = inner(part).replace(" * ", " × "), show(result)
    if isinstance(result, bool):
        return f"{said}: {shown}"
    return said if said == shown or said.startswith(f"{shown} (") else f"{said} = {shown}"


def _factor(value: Value, show: Callable[[Value], str]) -> str:
    """What a step gave; a fraction reads as a percentage."""
    if isinstance(value, Decimal) and 0 <= value <= 1:
        return f"{(value * 100).normalize():f}%"
    return show(value)
