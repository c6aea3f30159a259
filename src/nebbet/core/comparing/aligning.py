"""Laying two rows of things beside each other."""

from collections.abc import Hashable, Iterator, Sequence
from typing import NamedTuple


class Stretch(NamedTuple):
    """A stretch of two rows: from and to in the first, from and to in the second."""

    same: bool
    a: int
    b: int
    c: int
    d: int


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
