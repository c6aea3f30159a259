"""How long a text is, and how easily it reads."""

import re
from collections.abc import Iterable

from msgspec import Struct

from nebbet.core import inline
from nebbet.core.body.model import Body, Markup, Run, spoken, standing

_WORD = re.compile(r"[^\W\d_]+(?:['’][^\W\d_]+)*|\d[\d.,:/]*")
_END = re.compile(r"[.!?:](?=\s|$)")
_VOWELS = re.compile(r"[aeiouy]+")
LEAST_WORDS = 30  # below that, one long word decides


class Figures(Struct, frozen=True):
    """Words, signs with spaces, sentences; ease is Flesch's reading ease within
    the 0 to 100 of his table, for English only."""

    words: int
    signs: int
    sentences: int
    ease: float | None = None


def figures(body: Body, language: str) -> Figures:
    """Count a body as it is sent; a placeholder counts as one word."""
    lines = list(_lines(body))
    text = "\n".join(lines)
    words = _WORD.findall(text)
    sentences = sum(max(len(_END.findall(line)), 1) for line in lines if _WORD.search(line))
    ease = None
    if language.partition("_")[0] == "en" and len(words) >= LEAST_WORDS:
        ease = min(max(reading_ease(words, sentences), 0.0), 100.0)
    return Figures(len(words), len(text), sentences, ease)


def _lines(body: Body) -> Iterable[str]:
    for block in standing(spoken(body)):
        if isinstance(block, Markup):
            yield from inline.shown(block.source, blank=lambda _name: "value").split("\n")
        line = tuple(part.content for part in block.inlines if isinstance(part, Run))
        yield inline.shown(line, blank=lambda _name: "value")


def reading_ease(words: list[str], sentences: int) -> float:
    """Flesch's reading ease: 60 and more is plain, below 30 hard for most people.

    Source: Flesch 1948, 206.835 − 1.015·(words/sentences) − 84.6·(syllables/words).

    >>> round(reading_ease("The cat sat on the mat".split(), 1), 3)
    116.145
    """
    syllables = sum(map(syllables_of, words))
    return 206.835 - 1.015 * len(words) / max(sentences, 1) - 84.6 * syllables / len(words)


def syllables_of(word: str) -> int:
    """The syllables of an English word by its groups of vowels; a silent e counts for none.

    Common practice, no source: exact counting needs a dictionary.
    """
    low = word.casefold()
    groups = len(_VOWELS.findall(low))
    if low.endswith("e") and not low.endswith("le") and groups > 1:
        groups -= 1
    return max(groups, 1)
