"""Laying two rows of things beside each other."""

from collections import Counter
from collections.abc import Callable, Hashable, Iterator, Sequence
from typing import NamedTuple, TypeVar

_Thing = TypeVar("_Thing")


class Stretch(NamedTuple):
    """A stretch of two rows: from and to in the first, from and to in the second."""

    same: bool
    a: int
    b: int
    c: int
    d: int


def paired(
    base: Sequence[_Thing], *others: Sequence[_Thing], by: Callable[[_Thing], Hashable]
) -> list[dict[Hashable, _Thing]]:
    """Rows of things as mappings whose keys say which of one row is which of the base: first those
    that are equal, then those of one name in their order. What the base does not have is the
    first, second … new one of its name.

    >>> base, other = paired(["a1", "a2"], ["a2"], by=lambda thing: thing[0])
    >>> other.keys() <= base.keys(), list(other.values()) == [base[key] for key in other]
    (True, True)
    """
    keys: list[Hashable] = [(by(thing), place) for place, thing in enumerate(base)]
    return [dict(zip(keys, base, strict=True)), *(_paired(base, keys, side, by) for side in others)]


def _paired(
    base: Sequence[_Thing],
    keys: Sequence[Hashable],
    side: Sequence[_Thing],
    by: Callable[[_Thing], Hashable],
) -> dict[Hashable, _Thing]:
    free = list(zip(keys, base, strict=True))
    found: dict[int, Hashable] = {}
    for same in (lambda one, other: one == other, lambda one, other: by(one) == by(other)):
        for place, thing in enumerate(side):
            known = None if place in found else next((k for k in free if same(k[1], thing)), None)
            if known:
                free.remove(known)
                found[place] = known[0]
    new: Counter[Hashable] = Counter()
    for place, thing in enumerate(side):
        if place not in found:
            new[by(thing)] += 1
            found[place] = (by(thing), "new", new[by(thing)])
    return {found[place]: thing for place, thing in enumerate(side)}


def aligned(one: Sequence[Hashable], other: Sequence[Hashable]) -> Iterator[Stretch]:
    """Two rows in stretches along a longest common row (Hunt & McIlroy 1976): equal ones, and
    between them those in which something was taken out or put in.

    >>> [stretch.same for stretch in aligned("abc", "axc")]
    [True, False, True]
    """
    from rapidfuzz.distance import LCSseq

    gap = [0, 0, 0, 0]
    for code in LCSseq.opcodes(one, other):
        a, b, c, d = code.src_start, code.src_end, code.dest_start, code.dest_end
        if code.tag != "equal":
            gap[1], gap[3] = b, d
            continue
        if gap[0] < gap[1] or gap[2] < gap[3]:
            yield Stretch(False, *gap)
        yield Stretch(True, a, b, c, d)
        gap = [b, b, d, d]
    if gap[0] < gap[1] or gap[2] < gap[3]:
        yield Stretch(False, *gap)
