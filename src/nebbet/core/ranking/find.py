"""Finding by the beginnings of words: every typed word must begin a word of the entry."""

import re
import unicodedata
from collections.abc import Iterable, Sequence

from msgspec import Struct

_WORD = re.compile(r"\w+")


class Entry(Struct, frozen=True):
    """Something to be found: key, and its texts from the most to the least telling."""

    key: str
    texts: tuple[str, ...]


def folded(text: str) -> str:
    """Text without case and accents.

    >>> folded("Zoë ÅS")
    'zoe as'
    """
    parts = unicodedata.normalize("NFKD", text.casefold())
    return "".join(char for char in parts if not unicodedata.combining(char))


def find(words: str, entries: Iterable[Entry]) -> list[str]:
    """The keys of the entries that hold every word, best first; ties keep the given order.

    A word found in an earlier text counts more, a whole word more than a beginning. No words find
    everything.

    >>> find("lost prop", [Entry("a", ("Lost property found",)), Entry("b", ("Refund",))])
    ['a']
    """
    wanted = _WORD.findall(folded(words))
    scored = [(_score(wanted, entry.texts), entry.key) for entry in entries]
    return [key for score, key in sorted(scored, key=lambda pair: -pair[0]) if score >= 0]


def _score(wanted: Sequence[str], texts: Sequence[str]) -> float:
    score = 0.0
    missing = set(wanted)
    for weight, text in zip((8, 4, 2, *[1] * len(texts)), texts, strict=False):
        if not missing:
            break
        found = _WORD.findall(folded(text))
        for word in tuple(missing):
            best = max((_match(word, other) for other in found), default=0)
            if best:
                missing.discard(word)
                score += weight * best
    return -1 if missing else score


def _match(word: str, other: str) -> float:
    if other == word:
        return 2
    return 1 if other.startswith(word) else 0
