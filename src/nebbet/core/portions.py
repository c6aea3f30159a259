"""Taking so many at a time: of keys for a database, of messages for a mail server."""

from collections.abc import Iterator, Sequence
from typing import TypeVar

_T = TypeVar("_T")


def portions(wanted: Sequence[_T], size: int) -> Iterator[Sequence[_T]]:
    """A sequence, so many at a time.

    >>> [*portions([1, 2, 3], 2)]
    [[1, 2], [3]]
    """
    return (wanted[start : start + size] for start in range(0, len(wanted), size))
