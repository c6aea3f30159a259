"""Repeating parts of a body, once for each member of a list."""

from collections.abc import Callable, Mapping
from itertools import groupby

from msgspec.structs import replace

from nebbet.core.body.model import Block, Body, each_line
from nebbet.core.inline import Line, Slot


def repeated(body: Body, count: Callable[[str], int], before: Mapping[str, int]) -> Body:
    """Let every part that is repeated stand once for each member of its list.

    count(each) is how many members the list has now, before how many it had when the body was
    last repeated: members that came since get a copy of the last one's blocks, those that went
    lose theirs, and what a person changed in the others stays. Without members one copy stays,
    left out, from which the part can come back.
    """
    done: list[Block] = []
    for (each, when, _), group in groupby(body, key=lambda b: (b.each, b.when, b.column)):
        blocks = tuple(group)
        if not each:
            done += blocks
            continue
        wanted = count(each)
        for made in _members(blocks, wanted, before.get(each, 0)):
            away = not wanted or (bool(when) and made.out)
            done.append(made if made.out == away else replace(made, out=away))
    return tuple(done)


def _members(blocks: Body, wanted: int, before: int) -> Body:
    by_item = {item: tuple(held) for item, held in groupby(blocks, key=lambda b: b.item)}
    kept = {item: held for item, held in by_item.items() if item <= max(wanted, 1)}
    last = by_item[max(by_item)]
    if 0 in kept:  # as the template has it
        last, before = kept.pop(0), 0
    for item in range(max(before, 0) + 1, max(wanted, 1) + 1):
        kept.setdefault(item, numbered(last, item))
    return tuple(block for item in sorted(kept) for block in kept[item])


def numbered(blocks: Body, item: int) -> Body:
    """Blocks that stand for one member of a list, with all their places."""

    def swap(line: Line) -> Line:
        return tuple(
            replace(part, item=item, text=None) if isinstance(part, Slot) else part for part in line
        )

    return each_line(tuple(replace(block, item=item) for block in blocks), swap)


def collapsed(body: Body) -> Body:
    """A body in which what is repeated stands once, as a template has it, as far as its copies
    are alike; a copy that a person changed stays beside the first."""
    done: list[Block] = []
    for (each, _, _), group in groupby(body, key=lambda b: (b.each, b.when, b.column)):
        blocks = tuple(group)
        if not each:
            done += blocks
            continue
        first: Body | None = None
        for _, held in groupby(blocks, key=lambda b: b.item):
            bare = numbered(tuple(replace(block, out=False) for block in held), 0)
            if first is None or bare != first:
                done += bare
            first = first or bare
    return tuple(done)
