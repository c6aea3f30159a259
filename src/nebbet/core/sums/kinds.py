"""What is wrong with a sum whatever its values are, as far as their kinds are known."""

from collections.abc import Callable, Iterator
from decimal import Decimal
from itertools import pairwise

from nebbet.core.sentences import said
from nebbet.core.sums.arithmetic import KINDS, kind_word
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
from nebbet.core.sums.wording import wording
from nebbet.core.values import Money

KindOf = Callable[[str], str]


def kind_of_part(part: Part, name: KindOf) -> str:
    """What a part gives; name tells it of a placeholder. Empty where that is not known."""
    match part:
        case Fixed(value=value):
            return kind_word(value)
        case Name():
            return "date" if part.name == "today" else name(part.name)
        case Negative(of=of):
            return kind_of_part(of, name)
        case Percent() | Between():
            return "number"
        case Compare() | OneOf() | Blank() | Both() | Not():
            return "yes/no"
        case Call(function="count"):
            return "number"
        case Call(items=items):
            kind = kind_of_part(items[0], name)
            return "" if kind == "list" else kind
        case Binary():
            return _of_binary(part, name)
        case Table(rows=rows):
            return kind_of_part(rows[0][1], name)
    return ""


def _of_binary(part: Binary, name: KindOf) -> str:
    kinds = [kind_of_part(side, name) for side in (part.left, part.right)]
    if "" in kinds:
        return ""
    if kinds == ["money", "money"] and part.operator == "/":
        return "number"
    return "money" if "money" in kinds else "number"


def mistakes(part: Part, name: KindOf, *, condition: bool) -> Iterator[str]:
    """What can never be worked out, a sentence each; a condition has to give yes or no."""
    if condition and (problem := _no_condition(part, name)):
        yield problem
    for at, _ in walk(part):
        match at:
            case Both(left=left, right=right):
                for side, other in ((left, right), (right, left)):
                    if problem := _no_condition(side, name, beside=other):
                        yield problem
            case Not(of=of):
                if problem := _no_condition(of, name):
                    yield problem
            case Compare():
                yield from _apart(at, name)
            case Table():
                yield from _rising(at)


def _no_condition(part: Part, name: KindOf, beside: Part | None = None) -> str:
    """Why a part cannot be a condition; beside is the condition that it is joined to."""
    kind = kind_of_part(part, name)
    if kind in ("", "yes/no"):
        return ""
    if isinstance(beside, Compare) and beside.relation == "is" and isinstance(part, Fixed):
        meant = f"{wording(beside.left)} is one of {wording(beside.right)}, {wording(part)}"
        return said(
            "“{text}” gives {kind}, not yes or no; did you mean “{meant}”?",
            text=wording(part),
            kind=KINDS[kind],
            meant=meant,
        )
    return said("“{text}” gives {kind}, not yes or no", text=wording(part), kind=KINDS[kind])


def _apart(part: Compare, name: KindOf) -> Iterator[str]:
    """Whether two values can be held against each other at all."""
    left, right = kind_of_part(part.left, name), kind_of_part(part.right, name)
    if "" in (left, right):
        return
    if part.relation == "contains":
        fits = left == "list" or left == right == "text"
    elif part.relation in ("starts with", "ends with"):
        fits = left == right == "text"
    else:
        ordered = left in ("number", "money", "date", "time")
        fits = left == right and (ordered or part.relation in ("is", "is not"))
    if fits:
        return
    sentence = said(
        "“{text}” holds {one} against {other}",
        text=wording(part),
        one=KINDS[left],
        other=KINDS[right],
    )
    if {left, right} == {"number", "money"}:
        sentence = said(
            "“{text}” holds {one} against {other}: write the amount with its currency, such as "
            "100 GBP",
            text=wording(part),
            one=KINDS[left],
            other=KINDS[right],
        )
    yield sentence


def _rising(part: Table) -> Iterator[str]:
    """Whether steps rise, as far as they stand in the sum themselves."""
    for (above, _), (below, _) in pairwise(part.rows):
        one, other = _plain(above), _plain(below)
        if one is not None and other is not None and other >= one:
            yield said(
                "The steps by “{value}” have to fall: {above} stands before {below}",
                value=wording(part.by),
                above=wording(above),
                below=wording(below),
            )


def _plain(limit: Part) -> Decimal | None:
    match limit:
        case Fixed(value=Decimal() as number):
            return number
        case Fixed(value=Money(amount=amount)):
            return amount
        case Percent(of=of):
            inside = _plain(of)
            return inside / 100 if inside is not None else None
        case Negative(of=of):
            inside = _plain(of)
            return -inside if inside is not None else None
    return None
