"""Names of people in a text, as far as their look tells. Common practice, no source."""

import re
from collections.abc import Iterable, Iterator

_WORD = re.compile(r"[^\W\d_][\w'’-]*")
_GAP = re.compile(r"[ \N{NO-BREAK SPACE}]+")
_MOST = 4000  # names that are looked at: no letter speaks of more people
# Small words inside names.
_SMALL = "van von der den de la le du di da dos af av ter zu zur el al y"
_BETWEEN = frozenset(_SMALL.split())
_LONGEST = 4  # words of a name


def names_in(text: str) -> list[str]:
    """What could be the names of people in a text: two words or more that begin with a capital
    beside each other, on one line, with small words of names between them. A longer run gives each
    shorter one in it: which words are the name is not to be seen.

    >>> names_in("Ms Ann Pell sails; write to Bo van Dam.")
    ['Ms Ann', 'Ms Ann Pell', 'Ann Pell', 'Bo van Dam']
    """
    found: dict[str, None] = {}
    for run in _runs(text):
        for name in _names(run):
            found.setdefault(name)
            if len(found) >= _MOST:
                return list(found)
    return list(found)


def _runs(text: str) -> Iterator[list[str]]:
    """Words of capitals beside each other, with the small ones between them."""
    run: list[str] = []
    end = -1
    for match in _WORD.finditer(text):
        word = match[0]
        beside = end >= 0 and _GAP.fullmatch(text, end, match.start())
        if run and not (beside and (word[0].isupper() or word in _BETWEEN)):
            yield run
            run = []
        if run or word[0].isupper():
            run.append(word)
        end = match.end()
    yield run


def _names(run: list[str]) -> Iterable[str]:
    for start, first in enumerate(run):
        if not first[0].isupper():
            continue
        for end in range(start + 2, min(start + _LONGEST, len(run)) + 1):
            if run[end - 1][0].isupper():
                yield " ".join(run[start:end])
