"""What changed in a library since it was read."""

from collections.abc import Mapping

from msgspec import Struct, field

Keys = Mapping[str, frozenset[str]]


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


def different(
    before: Mapping[str, object], after: Mapping[str, object]
) -> tuple[set[str], set[str]]:
    """The keys of what is new or another one, and of what is gone. What was not read again is the
    same object, and is not compared."""
    if before is after:
        return set(), set()
    changed = {
        key for key, now in after.items() if (held := before.get(key)) is not now and held != now
    }
    return changed, set(before.keys() - after.keys())
