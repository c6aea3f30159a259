"""Writing a sum in its plainest form."""

from collections.abc import Callable

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

# How tightly each part binds; what binds less stands in brackets inside it.
_OR, _AND, _NOT, _COMPARE, _SUM, _TERM, _FACTOR, _ATOM = range(8)


def wording(part: Part) -> str:
    """Write a sum; reading that gives the same sum, but for the places in the text.

    >>> from nebbet.core.sums.parsing import read
    >>> wording(read("(a+b)*by days_before:14->100%,else 0%"))
    '(a + b) * by days_before: 14 → 100%, else 0%'
    """
    return write(part, _named)


def with_table(part: Part, table: Table, text: str) -> str:
    """Write a sum with other text in the place of one of its tables."""
    return write(part, _named, lambda at: text if at is table else None)


def renamed(part: Part, matches: Callable[[str], bool], right: str) -> str:
    """Write a sum with another name in the place of those that match."""
    return write(part, lambda n: _named(Name(right) if matches(n.name) else n))


def _named(name: Name) -> str:
    return name.name if _plain(name.name) else f"{{{{{name.name}}}}}"


def write(
    part: Part, name: Callable[[Name], str], whole: Callable[[Part], str | None] = lambda _: None
) -> str:
    """Write a sum with names as name says; whole may put other words in the place of a part."""

    def inner(at: Part, floor: int) -> str:
        said = whole(at)
        if said is None:
            said = _written(at)
            return f"({said})" if _binds(at) < floor else said
        return said

    def _written(at: Part) -> str:  # noqa: PLR0912 one branch for each kind of part
        match at:
            case Fixed(text=text):
                return text
            case Name():
                return name(at)
            case Negative(of=of):
                return f"-{inner(of, _FACTOR)}"
            case Percent(of=of):
                return f"{inner(of, _ATOM)}%"
            case Binary(operator=operator, left=left, right=right):
                floor = _TERM if operator in "*/" else _SUM
                return f"{inner(left, floor)} {operator} {inner(right, floor + 1)}"
            case Compare(relation=relation, left=left, right=right):
                return f"{inner(left, _SUM)} {relation} {inner(right, _SUM)}"
            case OneOf(left=left, items=items):
                among = f"is {'not ' if at.turned else ''}one of"
                return f"{inner(left, _SUM)} {among} {', '.join(inner(i, _SUM) for i in items)}"
            case Blank(of=of, turned=turned):
                return f"{inner(of, _SUM)} is {'not ' if turned else ''}blank"
            case Both(every=every, left=left, right=right):
                floor = _AND if every else _OR
                word = "and" if every else "or"
                return f"{inner(left, floor)} {word} {inner(right, floor + 1)}"
            case Not(of=of):
                return f"not {inner(of, _NOT)}"
            case Call(function=function, items=items):
                return f"{function}({', '.join(inner(i, _SUM) for i in items)})"
            case Between(working=working, first=first, last=last):
                days = f"{'working ' if working else ''}days between"
                return f"{days} {inner(first, _ATOM)} and {inner(last, _ATOM)}"
            case Table(by=by, rows=rows, otherwise=otherwise):
                steps = [f"{inner(a, _FACTOR)} → {inner(b, _FACTOR)}" for a, b in rows]
                return f"by {inner(by, _SUM)}: {', '.join(steps)}, else {inner(otherwise, _FACTOR)}"

    return inner(part, _OR)


def _binds(part: Part) -> int:
    match part:
        case Both(every=every):
            return _AND if every else _OR
        case Not():
            return _NOT
        case Compare() | OneOf() | Blank():
            return _COMPARE
        case Binary(operator=operator):
            return _TERM if operator in "*/" else _SUM
        case Negative() | Percent():
            return _FACTOR
    return _ATOM


def _plain(name: str) -> bool:
    from nebbet.core.sums.parsing import PLAIN_NAME

    return name == "today" or PLAIN_NAME.fullmatch(name) is not None
