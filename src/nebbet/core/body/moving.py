"""Moving, duplicating and removing parts of a body as a whole."""

from itertools import accumulate

from msgspec.structs import replace

from nebbet.core.body.model import Block, Body, Paragraph
from nebbet.core.body.tidy import tidy

Span = tuple[int, int]


def moved(body: Body, span: Span, by: int) -> tuple[Body, int]:
    """Move the parts in a span of block numbers (first, and behind the last) one part up (by -1)
    or down (1); also the number of the first block then. Columns, and what is repeated together,
    move as a whole."""
    parts = _units(body)
    first, last = _touched(parts, span)
    order = list(range(len(parts)))
    if not first + by >= 0 or not last + by <= len(parts):
        return body, span[0]
    if by < 0:
        order.insert(last - 1, order.pop(first - 1))
    else:
        order.insert(first, order.pop(last))
    made = [parts[i] for i in order]
    at = sum(len(part) for part in made[: first + by])
    return _joined(made), at


def duplicated(body: Body, span: Span) -> tuple[Body, int]:
    """The parts in a span once more behind themselves; also where the copy begins."""
    parts = _units(body)
    first, last = _touched(parts, span)
    made = [*parts[:last], *parts[first:last], *parts[last:]]
    return _joined(made), sum(len(part) for part in parts[:last])


def removed(body: Body, span: Span) -> tuple[Body, int]:
    """A body without the parts in a span; also the number of the block that follows them."""
    parts = _units(body)
    first, last = _touched(parts, span)
    return _joined([*parts[:first], *parts[last:]]), sum(len(part) for part in parts[:first])


def in_columns(body: Body, span: Span, number: int) -> tuple[Body, int]:
    """Put the parts in a span into the first of some columns, the others empty; what stands in
    columns already stays in its own, as far as there are so many. 0 takes the columns away."""
    parts = _units(body)
    first, last = _touched(parts, span)
    inside = [block for part in parts[first:last] for block in part]
    held = [replace(block, column=min(number, max(block.column, 1))) for block in inside]
    there = {block.column for block in held}
    held += [Paragraph(column=n) for n in range(1, number + 1) if n not in there]
    held.sort(key=lambda block: block.column)
    made = _joined([*parts[:first], tuple(held), *parts[last:]])
    return made, sum(len(part) for part in parts[:first])


def first_of(body: Body, span: Span) -> int:
    """The number of the first block of the parts in a span: they act as a whole."""
    parts = _units(body)
    return sum(len(part) for part in parts[: _touched(parts, span)[0]])


def _units(body: Body) -> list[Body]:
    """A body in the pieces that move as a whole: blocks, columns, what is repeated together."""
    units: list[list[Block]] = []
    for block in body:
        last = units[-1][-1] if units else None
        if last and (
            (block.column and last.column and block.column >= last.column)
            or (block.each and block.each == last.each and not block.column and not last.column)
        ):
            units[-1].append(block)
        else:
            units.append([block])
    return [tuple(unit) for unit in units]


def _touched(units: list[Body], span: Span) -> Span:
    ends = list(accumulate(len(unit) for unit in units))
    first = next((i for i, end in enumerate(ends) if end > span[0]), len(units))
    last = next((i + 1 for i, end in enumerate(ends) if end >= span[1]), len(units))
    return first, max(last, min(first + 1, len(units)))


def _joined(units: list[Body]) -> Body:
    """The units one after the other; two sets of columns stay two."""
    return tidy(block for unit in units for block in unit)
