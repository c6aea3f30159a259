"""Working a sum out over named values: exact decimals, money in one currency, dates, text."""

from collections.abc import Callable, Sequence
from datetime import date, datetime, time
from decimal import (
    ROUND_HALF_EVEN,
    ROUND_HALF_UP,
    Context,
    Decimal,
    DivisionByZero,
    InvalidOperation,
    Overflow,
)
from itertools import pairwise
from typing import Any, Literal

from msgspec import Struct

from nebbet.core.dates import WorkingCalendar, day_of, working_days_between
from nebbet.core.errors import NebbetError
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
from nebbet.core.sums.wording import write
from nebbet.core.values import Money, Value

Rounding = Literal["half even", "half up"]
_ROUNDINGS = {"half even": ROUND_HALF_EVEN, "half up": ROUND_HALF_UP}
# Thirty-four digits, as IEEE 754 decimal128; anything beyond 10^40 is no amount of anything.
_CONTEXT = Context(
    prec=34,
    Emax=40,
    Emin=-60,
    rounding=ROUND_HALF_EVEN,
    traps=[Overflow, DivisionByZero, InvalidOperation],
)


class SumError(NebbetError):
    """A sum that can be read but not worked out: kinds that do not go together, a missing value."""


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
    """A value, and one line on how it came about."""

    value: Value
    explanation: str


def work_out(part: Part, scope: Scope) -> Result:
    """Work a sum out and say how. Money is rounded once, at the end, to its minor units (ISO
    4217). Raises SumError.

    >>> from nebbet.core.sums.reading import read
    >>> fare = Money(Decimal("148.50"), "GBP")
    >>> work_out(read("fare * 75%"), Scope(lambda _: fare, date(2026, 11, 25), WorkingCalendar())
    ... ).value
    Money(amount=Decimal('111.38'), currency='GBP')
    """
    worker = _Worker(scope)
    try:
        value = worker.work(part)
        if isinstance(value, Money):
            value = _minor_units(value, scope.rounding)
    except Overflow:
        raise SumError("The sum leads beyond what can be counted") from None
    except InvalidOperation:
        raise SumError("The sum has no result") from None
    return Result(value, _explain(part, value, worker))


def holds(part: Part, scope: Scope) -> bool:
    """Whether a condition holds. Raises SumError, also when it gives something else than yes
    or no."""
    return _truth(_Worker(scope).work(part), part)


def kind_of(value: Value) -> str:
    """What a value is, with its article."""
    match value:
        case bool():
            return "a yes or no"
        case datetime() | date():
            return "a date"
        case time():
            return "a time"
        case Money():
            return "an amount"
        case Decimal():
            return "a number"
        case tuple():
            return "a list"
    return "a text"


def _minor_units(money: Money, rounding: Rounding) -> Money:
    from babel.numbers import get_currency_precision

    places = Decimal(1).scaleb(-get_currency_precision(money.currency))
    amount = money.amount.quantize(places, rounding=_ROUNDINGS[rounding], context=_CONTEXT)
    return Money(amount, money.currency)


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
                return _scaled(self.work(of), Decimal(-1), part)
            case Percent(of=of):
                return _number(self.work(of), "a percentage") / 100
            case Binary():
                return _calculated(part, self.work(part.left), self.work(part.right))
            case Compare():
                return compared(part, self.work(part.left), self.work(part.right))
            case OneOf():
                return self._among(part)
            case Blank(of=of, turned=turned):
                return self._is_blank(of) != turned
            case Both(every=every):
                first = _truth(self.work(part.left), part.left)
                return first if first != every else _truth(self.work(part.right), part.right)
            case Not(of=of):
                return not _truth(self.work(of), of)
            case Call():
                return self._called(part)
            case Between():
                return self._between(part)
            case Table():
                return self._stepped(part)

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
        return any(compared(Compare("is", part.left, part), left, item) for item in items)

    def _called(self, part: Call) -> Value:
        values = [self.work(item) for item in part.items]
        if part.function == "round":
            return _rounded(values, self.scope.rounding)
        best = values[0]
        relation: Any = "<" if part.function == "min" else ">"
        for value in values[1:]:
            if compared(Compare(relation, part, part), value, best):
                best = value
        return best

    def _between(self, part: Between) -> Decimal:
        first, last = (_day(self.work(p)) for p in (part.first, part.last))
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
                    f"The steps by “{_spoken(part.by)}” have to fall: "
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


def _calculated(part: Binary, left: Value, right: Value) -> Value:
    operator = part.operator
    if operator in "+-":
        return _added(part, left, right)
    if operator == "*":
        if isinstance(left, Money) and isinstance(right, Money):
            raise SumError("Two amounts cannot be multiplied")
        if isinstance(right, Money):
            left, right = right, left
        return _scaled(left, _number(right, "a factor"), part)
    if isinstance(left, Money) and isinstance(right, Money):
        return _divided(left.amount, _same(left, right).amount)
    divisor = _number(right, "a divisor")
    if isinstance(left, Money):
        return Money(_divided(left.amount, divisor), left.currency)
    return _divided(_number(left, "what is divided"), divisor)


def _divided(number: Decimal, by: Decimal) -> Decimal:
    if not by:
        raise SumError("The sum divides by nothing")
    return _CONTEXT.divide(number, by)


def _added(part: Binary, left: Value, right: Value) -> Value:
    act = _CONTEXT.add if part.operator == "+" else _CONTEXT.subtract
    if isinstance(left, Money) and isinstance(right, Money):
        return Money(act(left.amount, _same(left, right).amount), left.currency)
    if _is_number(left) and _is_number(right):
        return act(left, right)  # type: ignore[arg-type]
    word = "added" if part.operator == "+" else "subtracted"
    raise SumError(
        f"“{_spoken(part.left)}” is {kind_of(left)} and “{_spoken(part.right)}” {kind_of(right)}: "
        f"they cannot be {word}",
        advice="Count days in a date rule" if isinstance(left, date) else "",
    )


def _scaled(value: Value, by: Decimal, part: Part) -> Value:
    if isinstance(value, Money):
        return Money(_CONTEXT.multiply(value.amount, by), value.currency)
    if _is_number(value):
        return _CONTEXT.multiply(value, by)  # type: ignore[arg-type]
    raise SumError(f"“{_spoken(part)}” cannot be worked out: it holds {kind_of(value)}")


def _same(left: Money, right: Money) -> Money:
    if left.currency != right.currency:
        raise SumError(f"{left.currency} and {right.currency} do not go into one sum")
    return right


def _is_number(value: Value) -> bool:
    return isinstance(value, Decimal)


def _number(value: Value, role: str) -> Decimal:
    if not isinstance(value, Decimal):
        raise SumError(f"{kind_of(value).capitalize()} cannot be {role}")
    return value


def _day(value: Value) -> date:
    if not isinstance(value, date):
        raise SumError(f"Days are counted between dates, not from {kind_of(value)}")
    return day_of(value)


def _truth(value: Value, part: Part) -> bool:
    if not isinstance(value, bool):
        raise SumError(f"“{_spoken(part)}” gives {kind_of(value)}, not yes or no")
    return value


def _rounded(values: Sequence[Value], rounding: Rounding) -> Value:
    value, step = values[0], values[1] if len(values) > 1 else Decimal(1)
    if isinstance(value, Money):
        to = _same(value, step).amount if isinstance(step, Money) else _number(step, "a step")
        return Money(_to_step(value.amount, to, rounding), value.currency)
    return _to_step(_number(value, "rounded"), _number(step, "a step"), rounding)


def _to_step(number: Decimal, step: Decimal, rounding: Rounding) -> Decimal:
    if step <= 0:
        raise SumError("What is rounded to has to be more than nothing")
    steps = _divided(number, step).to_integral_value(_ROUNDINGS[rounding])
    return _CONTEXT.multiply(steps, step)


def compared(part: Compare, left: Value, right: Value) -> bool:
    """Hold two values against each other; texts match whatever their case. Raises SumError for
    kinds that cannot be held against each other."""
    if part.relation == "contains":
        return _contains(left, right)
    one, other = _alike(part, left, right)
    match part.relation:
        case "is":
            return bool(one == other)
        case "is not":
            return bool(one != other)
        case "<":
            return bool(one < other)
        case "<=":
            return bool(one <= other)
        case ">":
            return bool(one > other)
    return bool(one >= other)


def _contains(left: Value, right: Value) -> bool:
    if isinstance(left, tuple):
        return any(_folded(item) == _folded(right) for item in left)
    if isinstance(left, str) and isinstance(right, str):
        return right.casefold() in left.casefold()
    raise SumError(f"{kind_of(left).capitalize()} cannot contain {kind_of(right)}")


def _folded(value: Value) -> Value:
    return value.strip().casefold() if isinstance(value, str) else value


def _alike(part: Compare, left: Value, right: Value) -> tuple[Any, Any]:
    match left, right:
        case Money(), Money():
            return left.amount, _same(left, right).amount
        case datetime(), datetime():
            return left, right
        case date(), date():
            return day_of(left), day_of(right)
        case (str(), str()):
            if part.relation in ("is", "is not"):
                return _folded(left), _folded(right)
        case (bool(), bool()) | (tuple(), tuple()):
            if part.relation in ("is", "is not"):
                return left, right
        case (Decimal(), Decimal()) | (time(), time()):
            return left, right
    raise SumError(
        f"{kind_of(left).capitalize()} and {kind_of(right)} cannot be held against each other"
    )


def _spoken(part: Part) -> str:
    from nebbet.core.sums.wording import wording

    return wording(part)


def _explain(part: Part, result: Value, worker: _Worker) -> str:
    show = worker.scope.show

    def name(at: Name) -> str:
        try:
            return show(worker.named(at.name))
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
            return f"{_factor(value, show)} ({_spoken(at.by)}: {show(by)}, {which})"
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
