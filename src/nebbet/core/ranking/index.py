"""An index for finding among many texts while somebody types, mistakes of typing forgiven.

Every typed word has to be met by a word of the entry, in falling worth: the same word, one that
begins with it, one that holds it (Rückerstattung for “Erstattung”), one that is a mistake or two
away. A mistake is a sign left out, added, exchanged, or two swapped (optimal string alignment);
that most misspellings are one of these is from F. J. Damerau, Communications of the ACM 7 (1964).
"""

from array import array
from bisect import bisect_left
from collections import defaultdict
from collections.abc import Iterable, Mapping, Sequence
from math import log1p
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray
from rapidfuzz import process
from rapidfuzz.distance import OSA

from nebbet.core.characters import folded
from nebbet.core.ranking.words import (
    JOINING,
    Entry,
    allowed_mistakes,
    raw_words,
    together,
    wanted_words,
)

WEIGHTS = (8, 6, 4, 2, 1)  # what a word counts for in an entry's first text, its second …
WHOLE, BEGINNING, INSIDE, MISSPELT = 8.0, 6.0, 3.0, 0.5
_ENOUGH = 5  # entries that hold a word as it was typed: then nobody looks for mistakes in it
_LONGEST = 24  # letters of a word still being typed in which mistakes are looked for
_JOINS = np.float32(0.05)  # what a word that only joins others counts for
_ALL = np.float32(1.2)  # how much more an entry is worth that meets every word
_FEW = 3  # so few entries that meet every word leave room for others
_TELLING = 0.25  # share of the best one's worth below which an entry is not worth a look
_INSIDE_FROM = 4  # letters that a word must have to be looked for inside others
_Numbers = NDArray[np.int32]
_Scores = NDArray[np.float32]


class Found(NamedTuple):
    """The keys of what was found, best first, and which of them meet only some of the words."""

    keys: list[str]
    partly: frozenset[str] = frozenset()


class Index:
    """Entries to be found by words; it never changes, `changed` gives another one.

    >>> index = Index([Entry("a", ("Lost property found",)), Entry("b", ("Refund agreed",))])
    >>> index.find("refnud"), index.find("prop lost"), index.find("gone")
    (['b'], ['a'], [])
    """

    def __init__(self, entries: Iterable[Entry], standing: Mapping[str, float] | None = None):
        """standing says which of two that fit equally well comes first: the higher one, then the
        one that was given first."""
        self._base = _Segment(entries)
        self._later: dict[str, Entry] = {}
        self._recent = _Segment(())
        self._alive = np.ones(len(self._base.keys), bool)
        self._standing: Mapping[str, float] = standing or {}
        self._stand()

    def __len__(self) -> int:
        return int(self._alive.sum()) + len(self._recent.keys)

    @property
    def patched(self) -> int:
        """How many entries lie beside the first ones: with many, a new index finds faster."""
        return len(self._later)

    def changed(self, entries: Iterable[Entry], gone: Iterable[str] = ()) -> "Index":
        """The index with other or new entries, and without those that are gone."""
        made = object.__new__(Index)
        made._base, made._standing = self._base, self._standing
        made._later = self._later | {entry.key: entry for entry in entries}
        made._alive = self._alive.copy()
        for key in gone:
            made._later.pop(key, None)
            made._hide(key)
        for key in made._later:
            made._hide(key)
        made._recent = _Segment(made._later.values())
        made._stand()
        return made

    def ranked(self, standing: Mapping[str, float]) -> "Index":
        """The index with other standings."""
        made = object.__new__(Index)
        made.__dict__.update(self.__dict__)
        made._standing = standing
        made._stand()
        return made

    def _hide(self, key: str) -> None:
        if (at := self._base.numbers.get(key)) is not None:
            self._alive[at] = False

    def _stand(self) -> None:
        get = self._standing.get
        self._keys = np.concatenate((self._base.names, self._recent.names))
        self._stands = np.zeros(len(self._keys))
        if self._standing:
            self._stands[:] = [get(key, 0.0) for key in self._keys]

    def find(self, words: str) -> list[str]:
        """The keys of the entries that meet every word, best first; no words find everything."""
        return self._in_order(self._scores(words))

    def search(self, words: str) -> Found:
        """The keys of the entries that meet every word; where these are few, also of those that
        meet the telling ones, the best of all first.

        Those words count for most that few entries have (inverse document frequency as in BM25,
        Robertson & Zaragoza 2009, §3.4.2), and words that only join others for next to nothing.

        >>> Index([Entry("a", ("Lost property",))]).search("lost umbrella")
        Found(keys=['a'], partly=frozenset({'a'}))
        """
        whole = self.find(words)
        if len(whole) >= _FEW or not words.strip():
            return Found(whole)
        scores = self._worth(words)
        scores[np.isin(self._keys, whole)] *= _ALL
        best = float(scores.max(initial=0))
        found = self._in_order(np.where(scores >= best * _TELLING, scores, 0))
        return Found(found, frozenset(found) - frozenset(whole))

    def _worth(self, words: str) -> _Scores:
        """How much of what was typed each entry meets, by how telling the words are."""
        wanted = wanted_words(words)
        entries = max(len(self), 1)
        total = np.zeros(len(self._keys), np.float32)
        for word, row in zip(wanted, self._rows(wanted), strict=True):
            held = int(np.count_nonzero(row >= BEGINNING)) or int(np.count_nonzero(row))
            rarity: float = log1p((entries - held + 0.5) / (held + 0.5)) if held else 0.0
            if word in JOINING:
                rarity *= float(_JOINS)
            total += np.float32(rarity) * np.sqrt(row)
        return total

    def _rows(self, wanted: Sequence[str]) -> list[_Scores]:
        """How well each entry meets each of some words, of which the last is being typed."""
        rows = []
        for number, word in enumerate(wanted, 1):
            growing = number == len(wanted)
            base = self._base.word(word, growing=growing)
            row = np.concatenate((base * self._alive, self._recent.word(word, growing=growing)))
            rows.append(row)
        return rows

    def _scores(self, words: str) -> _Scores:
        """How well each entry meets the words; 0 where it does not meet all that tell something."""
        total = np.ones(len(self._keys), np.float32)
        total[: len(self._alive)] *= self._alive
        wanted = wanted_words(words)
        needed = together(wanted)
        for word, row in zip(wanted, self._rows(wanted), strict=True):
            if word in needed:
                total = np.where((row > 0) & (total > 0), total + row, 0)
            else:
                total += row * _JOINS * (total > 0)
        return total

    def _in_order(self, scores: _Scores) -> list[str]:
        found = np.flatnonzero(scores)
        order = np.lexsort((found, -self._stands[found], -scores[found]))
        return list(self._keys[found[order]])


class _Segment:
    """The words of a set of entries, sorted, each with the entries that hold it and its weight."""

    def __init__(self, entries: Iterable[Entry]) -> None:
        ids: defaultdict[str, int] = defaultdict()
        ids.default_factory = ids.__len__
        self.keys: list[str] = []
        words, weights, counts = array("i"), array("B"), array("i")
        for entry in entries:
            best: dict[str, int] = {}
            for weight, text in reversed([*zip(_weights(entry.texts), entry.texts, strict=False)]):
                best.update(dict.fromkeys(raw_words(text), weight))
            self.keys.append(entry.key)
            words.extend(map(ids.__getitem__, best))
            weights.extend(best.values())
            counts.append(len(best))
        self.numbers = {key: number for number, key in enumerate(self.keys)}
        self.names = np.array(self.keys, dtype=object)
        self._sort(ids, words, weights, counts)
        self._beginnings: dict[int, tuple[list[str], _Numbers, _Numbers]] = {}
        self._short: NDArray[np.str_] | None = None
        self._known: dict[tuple[str, bool], _Scores] = {}

    def _sort(
        self,
        ids: Mapping[str, int],
        words: "array[int]",
        weights: "array[int]",
        counts: "array[int]",
    ) -> None:
        """Bring what was gathered by entry into the order of the words."""
        plain = [folded(word) for word in ids]
        self.words = sorted(set(plain))
        place = {word: number for number, word in enumerate(self.words)}
        renumbered = np.array([place[word] for word in plain], np.int32)[
            np.frombuffer(words, np.int32)
        ]
        order = np.argsort(renumbered, kind="stable")
        self._docs = np.repeat(np.arange(len(counts), dtype=np.int32), counts)[order]
        self._weights = np.frombuffer(weights, np.uint8)[order]
        edges = np.arange(len(self.words) + 1)
        self._starts = np.searchsorted(renumbered[order], edges).astype(np.int32)
        self._joined = "\n" + "\n".join(self.words) + "\n"
        sizes = np.fromiter((len(word) + 1 for word in self.words), np.int32, len(self.words))
        self._offsets = np.cumsum(sizes)

    def word(self, word: str, *, growing: bool) -> _Scores:
        """How well each entry meets one word, which is still being typed if it is growing."""
        if not self.keys:
            return np.zeros(0, np.float32)
        if (word, growing) not in self._known:
            if len(self._known) > 256:
                self._known.clear()
            self._known[word, growing] = self._look_up(word, growing)
        return self._known[word, growing]

    def _look_up(self, word: str, growing: bool) -> _Scores:
        best = np.zeros(len(self.keys), np.float32)
        for worth, ranges in (
            (INSIDE, self._inside(word)),
            (BEGINNING, self._beginning(word)),
            (WHOLE, self._whole(word)),
        ):
            for first, last in ranges:
                self._mark(best, worth, first, last)
        if np.count_nonzero(best) < _ENOUGH:
            for first, last in self._misspelt(word, growing):
                self._mark(best, MISSPELT, first, last)
        return best

    def _mark(self, best: _Scores, worth: float, first: int, last: int) -> None:
        """Let the entries that hold one of a range of words count for at least that much."""
        span = slice(self._starts[first], self._starts[last])
        docs, weights = self._docs[span], self._weights[span]
        if last - first == 1:  # each entry is there once
            best[docs] = np.maximum(best[docs], weights * np.float32(worth))
            return
        found = np.zeros_like(best)
        for weight in sorted(set(WEIGHTS)):
            found[docs[weights == weight]] = weight * worth
        np.maximum(best, found, out=best)

    def _whole(self, word: str) -> list[tuple[int, int]]:
        first = bisect_left(self.words, word)
        held = first < len(self.words) and self.words[first] == word
        return [(first, first + 1)] if held else []

    def _beginning(self, word: str) -> list[tuple[int, int]]:
        first, last = bisect_left(self.words, word), bisect_left(self.words, word + "\U0010ffff")
        return [(first, last)] if last > first else []

    def _inside(self, word: str) -> list[tuple[int, int]]:
        if len(word) < _INSIDE_FROM:
            return []
        found, at = set(), self._joined.find(word)
        while at >= 0:
            found.add(int(np.searchsorted(self._offsets, at)))
            at = self._joined.find(word, self._joined.find("\n", at))
        return [(number, number + 1) for number in sorted(found)]

    def _misspelt(self, word: str, growing: bool) -> list[tuple[int, int]]:
        most = allowed_mistakes(word)
        if not most:
            return []
        others = self._other_first(word)
        ranges = [found for other in others for found in self._whole(other)]
        (first, last), *_ = self._beginning(word[0]) or [(0, 0)]
        near = _near(word, self.words[first:last], most) + first
        ranges += [(number, number + 1) for number in near.tolist()]
        if growing and len(word) <= _LONGEST:
            ranges += [found for other in others for found in self._beginning(other)]
            starts, firsts, lasts = self._beginnings_of(len(word))
            low, high = np.searchsorted(firsts, (first, last))
            near = _near(word, starts[low:high], most) + low
            ranges += zip(firsts[near].tolist(), lasts[near].tolist(), strict=True)
        return ranges

    def _other_first(self, word: str) -> list[str]:
        """What a word may be if its first letter is the mistake: another one, one too many, one
        lost, or swapped with the second. All that follows is right then."""
        letters = set(self._beginnings_of(1)[0]) - {""}
        others = [letter + rest for letter in letters for rest in (word[1:], word)]
        return [*others, word[1:], word[1] + word[0] + word[2:]]

    def _beginnings_of(self, length: int) -> tuple[list[str], _Numbers, _Numbers]:
        """What words begin with, each with the range of these words."""
        if length not in self._beginnings:
            if self._short is None:
                self._short = np.array([word[:_LONGEST] for word in self.words] or [""])
            starts = self._short.astype(f"U{length}")
            firsts = np.flatnonzero(np.append(True, starts[1:] != starts[:-1])).astype(np.int32)
            lasts = np.append(firsts[1:], len(self.words)).astype(np.int32)
            self._beginnings[length] = (starts[firsts].tolist(), firsts, lasts)
        return self._beginnings[length]


def _weights(texts: Sequence[str]) -> Sequence[int]:
    return (*WEIGHTS, *[WEIGHTS[-1]] * (len(texts) - len(WEIGHTS)))


def _near(word: str, choices: list[str], most: int) -> _Numbers:
    """Which of the choices, that begin alike, are so many mistakes away at most."""
    if not choices:
        return np.array([], np.int32)
    distances = process.cdist([word], choices, scorer=OSA.distance, score_cutoff=most)[0]
    return np.flatnonzero(distances <= most).astype(np.int32)
