"""Finding things by a few typed words."""

from collections.abc import Iterable

from nebbet.core.ranking.words import Entry, excerpt, matched

__all__ = ["Entry", "excerpt", "find", "matched"]


def find(words: str, entries: Iterable[Entry]) -> list[str]:
    """The keys of the entries that meet every word, best first; ties keep the given order. No
    words find everything. For many entries keep an `index.Index`.

    >>> find("lost prop", [Entry("a", ("Lost property found",)), Entry("b", ("Refund",))])
    ['a']
    """
    from nebbet.core.ranking.index import Index

    return Index(entries).find(words)
