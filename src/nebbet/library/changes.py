"""What changed in a library since it was read."""

from collections.abc import Collection, Iterable, Mapping
from itertools import compress, filterfalse
from operator import is_not
from typing import TypeVar

from msgspec import Struct, field

Keys = Mapping[str, frozenset[str]]
_V = TypeVar("_V")


class Change(Struct, frozen=True):
    """The rows that may be other ones now: their keys by kind, which is the name of their table
    (case for case_; presence for who edits what). everything says that all may be."""

    keys: Keys = field(default_factory=dict)
    everything: bool = False

    def __bool__(self) -> bool:
        """Whether anything changed at all."""
        return self.everything or bool(self.keys)

    def touches(self, *kinds: str) -> bool:
        """Whether anything of these kinds may be another one."""
        return self.everything or any(self.keys.get(kind) for kind in kinds)

    def of(self, kind: str) -> frozenset[str]:
        """The keys of one kind."""
        return self.keys.get(kind, frozenset())

    def joined(self, other: "Change") -> "Change":
        """What changed by this or by another."""
        if not other.keys or self.everything:
            return Change(everything=True) if other.everything else self
        keys = {kind: self.of(kind) | other.of(kind) for kind in (*self.keys, *other.keys)}
        return Change(keys, other.everything)

    def among(self, kind: str) -> frozenset[str] | None:
        """The keys of one kind that may be other ones; None for all."""
        return None if self.everything else self.of(kind)


EVERYTHING = Change(everything=True)
NO_CHANGE = Change()


def different(
    before: Mapping[str, _V], after: Mapping[str, _V], among: Collection[str] | None = None
) -> tuple[set[str], set[str]]:
    """The keys of what is new or another one, and of what is gone; among are the keys that may be,
    None for all. What was not read again is the same object, and is not compared."""
    if before is after:
        return set(), set()
    if among is None:
        held = map(before.get, after)
        moved: Iterable[str] = list(compress(after, map(is_not, after.values(), held)))
        gone = set(filterfalse(after.__contains__, before))
    else:
        moved = [key for key in among if key in after]
        gone = {key for key in among if key in before and key not in after}
    return {key for key in moved if key not in before or before[key] != after[key]}, gone
