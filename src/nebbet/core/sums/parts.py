"""What a sum or a condition is made of."""

from typing import Literal as Either

from msgspec import Struct

from nebbet.core.values import Value

Operator = Either["+", "-", "*", "/"]
Relation = Either["<", "<=", ">", ">=", "is", "is not", "contains", "starts with", "ends with"]
Function = Either["min", "max", "round", "sum", "count"]


class Fixed(Struct, frozen=True):
    """A value that stands in the sum itself."""

    value: Value
    text: str
    place: int = 0


class Name(Struct, frozen=True):
    """A placeholder, or today, by name."""

    name: str
    place: int = 0


class Negative(Struct, frozen=True):
    """A value taken with the other sign."""

    of: "Part"
    place: int = 0


class Percent(Struct, frozen=True):
    """A hundredth of a number."""

    of: "Part"
    place: int = 0


class Binary(Struct, frozen=True):
    """Two values added, subtracted, multiplied or divided."""

    operator: Operator
    left: "Part"
    right: "Part"
    place: int = 0


class Compare(Struct, frozen=True):
    """Two values held against each other; gives yes or no."""

    relation: Relation
    left: "Part"
    right: "Part"
    place: int = 0


class OneOf(Struct, frozen=True):
    """Whether a value is among others; turned: whether it is among none."""

    left: "Part"
    items: tuple["Part", ...]
    place: int = 0
    turned: bool = False


class Blank(Struct, frozen=True):
    """Whether there is no value; turned: whether there is one."""

    of: "Part"
    turned: bool = False
    place: int = 0


class Both(Struct, frozen=True):
    """Two conditions joined by and (every) or by or."""

    every: bool
    left: "Part"
    right: "Part"
    place: int = 0


class Not(Struct, frozen=True):
    """A condition turned round."""

    of: "Part"
    place: int = 0


class Call(Struct, frozen=True):
    """min, max, round, sum or count of some values; a list stands for its members."""

    function: Function
    items: tuple["Part", ...]
    place: int = 0


class Between(Struct, frozen=True):
    """The days, or working days, from one date to another; negative when it lies before."""

    working: bool
    first: "Part"
    last: "Part"
    place: int = 0


class Table(Struct, frozen=True):
    """Steps by a value: the first row whose limit the value reaches; otherwise the last one."""

    by: "Part"
    rows: tuple[tuple["Part", "Part"], ...]
    otherwise: "Part"
    place: int = 0


Part = (
    Fixed | Name | Negative | Percent | Binary | Compare | OneOf | Blank | Both | Not | Call
    | Between | Table
)  # fmt: skip


def inside(part: Part) -> tuple[Part, ...]:
    """The parts directly inside a part."""
    match part:
        case Negative(of=of) | Percent(of=of) | Blank(of=of) | Not(of=of):
            return (of,)
        case Binary() | Compare() | Both():
            return (part.left, part.right)
        case OneOf():
            return (part.left, *part.items)
        case Call():
            return part.items
        case Between():
            return (part.first, part.last)
        case Table():
            return (part.by, *(p for row in part.rows for p in row), part.otherwise)
    return ()


def walk(part: Part) -> list[tuple[Part, int]]:
    """A part and every part in it, each with its depth; without recursion."""
    found, waiting = [], [(part, 1)]
    while waiting:
        at, depth = waiting.pop()
        found.append((at, depth))
        waiting += [(p, depth + 1) for p in reversed(inside(at))]
    return found


def names(part: Part) -> list[str]:
    """The placeholders that a sum needs, once each, in order; today is none."""
    found = (p.name for p, _ in walk(part) if isinstance(p, Name))
    return list(dict.fromkeys(name for name in found if name != "today"))


def tables(part: Part) -> list[Table]:
    """The tables of steps in a sum, in order."""
    return [p for p, _ in walk(part) if isinstance(p, Table)]
