"""Which templates answer a message: by its words, by what it is about, and by what a team answered
to messages like it.

A field-weighted BM25 over whole words and their pieces (Robertson and Zaragoza 2009, §3.6), the
cosine to messages that were answered before (Manning, Raghavan and Schütze 2008, §6.3), and the
kind of case, worked out for all templates at once. The sources are named from memory.
"""

import re
from collections import Counter
from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence

import numpy as np
from msgspec import Struct
from numpy.typing import NDArray

from nebbet.core.characters import folded
from nebbet.core.spoken import small_words

_WORD = re.compile(r"[^\W\d_]{3,40}")
_STEM = 6  # letters that tell a word: what follows is mostly its ending
_PIECE = 4  # letters of a piece, for compounds and slips
_PIECE_WEIGHT = 0.3
_WEIGHTS = {"title": 3.0, "keywords": 3.0, "kinds": 2.0, "subject": 2.0, "text": 1.0}
_K, _B = 1.2, 0.75  # the usual values: how soon a word tells no more, how much a long text loses
_OF_KIND = 0.5  # of the best score: what a template for the kind of case gets in addition
# Of the best score, what a message that was answered before can add; with few of them, less.
_LEARNED, _ENOUGH = 2.0, 250
_SURE, _LEAST = 6.0, 0.55  # how much whole words have to tell before anything fits
_ALIKE = 0.1  # how near a message that was answered has to be to count as like this one
_SHOWN = 4  # words that say why
_LONGEST = 20_000  # characters of a message that are looked at
# Words that any message may have: greetings, thanks, names of days and months; from memory.
_EVERYWHERE = frozenset(
    folded(
        "hello dear good morning afternoon regards yours sincerely kind thanks many best hi "
        "guten tag sehr geehrte damen herren freundlichen grüßen hallo viele grüße danke "
        "bonjour madame monsieur cordialement merci avance salutations "
        "hei hilsen mvh takk vennlig monday tuesday wednesday thursday friday saturday sunday "
        "january february march april june july august september october november december "
        "montag dienstag mittwoch donnerstag freitag samstag sonntag januar februar märz mai juni "
        "juli oktober dezember lundi mardi mercredi jeudi vendredi samedi dimanche janvier "
        "février mars avril juin juillet août septembre octobre novembre décembre mandag tirsdag "
        "onsdag torsdag fredag lørdag søndag desember could would like know tell let want some "
        "any how who where why does did get got make still now just only then than them his her "
        "him she one two out all but was had wrote write"
    ).split()
)


class Answerer(Struct, frozen=True):
    """What is known of a template: its title, what it is found by, the kinds of case that it is
    for, its subjects and its texts, in plain words."""

    key: str
    title: str = ""
    keywords: str = ""
    kinds: tuple[str, ...] = ()
    subject: str = ""
    text: str = ""


class Suggestion(Struct, frozen=True):
    """A template that may answer a message: how well, from 0 to 1, the words of the message that
    made it fit, and how many messages like it were answered so before."""

    key: str
    score: float
    words: tuple[str, ...] = ()
    before: int = 0


class Lesson(Struct, frozen=True):
    """What a message said that a template answered: its telling words, once each, in the form in
    which they match."""

    key: str
    words: tuple[str, ...]


def telling_words(text: str) -> tuple[str, ...]:
    """The words of a message that could tell what it is about, as they match: without endings,
    numbers, addresses, small words, and words of one line that begins with a capital alone, which
    may be names."""
    return tuple(dict.fromkeys(stem for stem, _word in _stems(text)))


def _stems(text: str) -> Iterator[tuple[str, str]]:
    """Each word that could tell something, with the form in which it matches."""
    small = small_words()
    for word in _WORD.findall(text[:_LONGEST]):
        plain = folded(word)
        if plain not in small and plain not in _EVERYWHERE:
            yield plain[:_STEM], word


def _pieces(stem_of: str) -> list[str]:
    """The pieces of a word, marked so that they never pass for one."""
    return [f"~{stem_of[n : n + _PIECE]}" for n in range(len(stem_of) - _PIECE + 1)]


class _Sparse:
    """For each feature the rows that have it, and how much of it."""

    def __init__(self, rows: Sequence[Mapping[str, float]]) -> None:
        held: dict[str, tuple[list[int], list[float]]] = {}
        for row, features in enumerate(rows):
            for feature, amount in features.items():
                at, amounts = held.setdefault(feature, ([], []))
                at.append(row)
                amounts.append(amount)
        self.count = len(rows)
        self._held = {key: (np.array(at), np.array(some)) for key, (at, some) in held.items()}

    def rarity(self, feature: str) -> float:
        """How much it tells that a row has a feature; 0 where none has it."""
        found = self._held.get(feature)
        if found is None:
            return 0.0
        having = len(found[0])
        return float(np.log(1 + (self.count - having + 0.5) / (having + 0.5)))

    def times(self, features: Mapping[str, float], *, flat: bool = False) -> NDArray[np.float64]:
        """What the features of a message tell of every row; flat takes amounts as they are, else
        more of a feature tells ever less more."""
        scores = np.zeros(self.count)
        for feature, weight in features.items():
            if found := self._held.get(feature):
                amounts = found[1] if flat else found[1] * (_K + 1) / (found[1] + _K)
                scores[found[0]] += weight * self.rarity(feature) ** (not flat) * amounts
        return scores

    def tells(self, feature: str, row: int) -> float:
        """What one feature tells of one row."""
        return float(self.times({feature: 1.0})[row]) if feature in self._held else 0.0


class Suggester:
    """Suggests templates of a library, with what a team has answered before."""

    def __init__(self, answerers: Iterable[Answerer], lessons: Iterable[Lesson] = ()) -> None:
        self._all = [*answerers]
        rows = {one.key: row for row, one in enumerate(self._all)}
        self._kinds = [{folded(kind) for kind in one.kinds} for one in self._all]
        self._said = _Sparse(_documents(self._all))
        known = [lesson for lesson in lessons if lesson.key in rows]
        self._of = np.array([rows[lesson.key] for lesson in known], dtype=int)
        features = [_with_pieces(dict.fromkeys(lesson.words, 1.0)) for lesson in known]
        self._rare = _Sparse(features)
        self._learned = _Sparse([self._unit(one) for one in features])
        self._weight = _LEARNED * len(known) / (len(known) + _ENOUGH)

    def _unit(self, features: Mapping[str, float]) -> dict[str, float]:
        """Features by how much they tell among the messages that were answered, of length one."""
        made = {key: amount * self._rare.rarity(key) for key, amount in features.items()}
        length = sum(value * value for value in made.values()) ** 0.5
        return {key: value / length for key, value in made.items()} if length else {}

    def suggest(
        self, text: str, kinds: Collection[str] = (), most: int = 3
    ) -> tuple[Suggestion, ...]:
        """The templates that fit a message best, the best first; none where nothing fits. kinds are
        those of the cases that it is about."""
        words = dict.fromkeys(telling_words(text), 1.0)
        if not words or not self._all:
            return ()
        features = _with_pieces(words)
        said = self._said.times(features)
        # Pieces alone are no reason: whole words are, or the case, or an answer of before.
        sure = 1 - np.exp(-self._said.times(words) / _SURE)
        scores = said / (said.max() or 1.0) * sure.max()
        learned = np.zeros(len(self._all))
        like = self._learned.times(self._unit(features), flat=True)
        np.maximum.at(learned, self._of, like)
        scores = scores + self._weight * learned
        wanted = {folded(kind) for kind in kinds}
        scores = scores + _OF_KIND * np.array([bool(wanted & theirs) for theirs in self._kinds])
        sure = np.maximum(sure, np.minimum(1.0, 2 * learned))
        order = [int(row) for row in np.argsort(-scores, kind="stable")[:most]]
        if max(sure[row] for row in order) < _LEAST and not wanted:
            return ()
        whole = 1 + self._weight + _OF_KIND
        found = (
            Suggestion(
                self._all[row].key,
                round(float(scores[row] / whole), 3),
                self._why(text, row),
                int(np.sum(like[self._of == row] > _ALIKE)),
            )
            for row in order
        )
        return tuple(one for one in found if one.words)  # what cannot say why is no help

    def _why(self, text: str, row: int) -> tuple[str, ...]:
        """The words of a message that made a template fit, the most telling first."""
        answered = [at for at, of in enumerate(self._of) if of == row]
        told: dict[str, tuple[float, str]] = {}
        for stem_of, word in _stems(text):
            if stem_of not in told:
                value = self._said.tells(stem_of, row)
                value += sum(self._rare.tells(stem_of, at) for at in answered[:20])
                told[stem_of] = (value, word)
        best = sorted(told.values(), key=lambda one: -one[0])
        return tuple(word for value, word in best[:_SHOWN] if value > 0)


def _documents(every: Sequence[Answerer]) -> list[dict[str, float]]:
    """What each template is known by: its fields by their weight, long texts taken for less."""
    texts = [[stem_of for stem_of, _word in _stems(one.text)] for one in every]
    usual = max(sum(map(len, texts)) / max(len(texts), 1), 1.0)
    made = []
    for one, words in zip(every, texts, strict=True):
        counts: Counter[str] = Counter()
        fields = (("title", one.title), ("keywords", one.keywords), ("subject", one.subject),
                  ("kinds", " ".join(one.kinds)))  # fmt: skip
        for field, text in fields:
            for stem_of, _word in _stems(text):
                counts[stem_of] += _WEIGHTS[field]  # type: ignore[assignment]
        share = _WEIGHTS["text"] / (1 - _B + _B * len(words) / usual)
        for stem_of in words:
            counts[stem_of] += share  # type: ignore[assignment]
        made.append(_with_pieces(counts))
    return made


def _with_pieces(counts: Mapping[str, float]) -> dict[str, float]:
    made: dict[str, float] = dict(counts)
    for stem_of, amount in counts.items():
        for piece in _pieces(stem_of):
            made[piece] = made.get(piece, 0.0) + amount * _PIECE_WEIGHT
    return made
