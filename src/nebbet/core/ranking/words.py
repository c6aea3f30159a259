"""Words as finding sees them: without case and accents, and with a few mistakes forgiven."""

import re
import unicodedata
from collections.abc import Sequence
from functools import lru_cache

from msgspec import Struct
from rapidfuzz.distance import OSA

from nebbet.core.characters import folded

_WORD = re.compile(r"\w+")
_LONGEST, _MOST = 300, 12  # signs and words that anybody types to find something


class Entry(Struct, frozen=True):
    """Something to be found: key, and its texts from the most to the least telling."""

    key: str
    texts: tuple[str, ...]


def raw_words(text: str) -> list[str]:
    """The words of a text, as they are written but for their case."""
    if not text.isascii() and not unicodedata.is_normalized("NFC", text):
        text = unicodedata.normalize("NFC", text)
    return _WORD.findall(text.casefold())


def wanted_words(typed: str) -> list[str]:
    """The words that somebody typed, each once, as finding compares them; of a whole text that was
    pasted only the first ones."""
    return list(dict.fromkeys(_WORD.findall(folded(typed[:_LONGEST]))))[:_MOST]


# Words that join others and tell nothing of what somebody looks for, in the languages that teams
# write in; without accents. Common practice, no source; from memory.
_JOINING = """
    a about after all am an and any are as at be been before but by can could did do does for from
    had has have he her his how i if in into is it its just me my no not of on or our out please
    she should so some than that the their them then there they this to up us was we were what
    when where which who why will with would you your
    aber als auch auf aus bei das dass dem den der des die doch ein eine einen einer es fur hat
    haben ich ihr im ist kann man mein meine mit nach noch nur oder sein sie sind uber um und uns
    von vor war wenn wer wie wir wird wo zu zum zur
    au aux avec ce ces cette dans de du elle en est et il ils je la le les leur ma mais mes mon ne
    nos notre nous ou par pas pour que qui sa se ses son sont sur un une vos votre vous
    av det er fra ha har hva hvor ikke jeg med meg min mitt og om pa som til var vi
"""
JOINING = frozenset(_JOINING.split())


def together(wanted: Sequence[str]) -> frozenset[str]:
    """The typed words that all have to be met: those that tell something, and all where none does.

    >>> sorted(together(["where", "is", "my", "refund"])), sorted(together(["to", "the"]))
    (['refund'], ['the', 'to'])
    """
    telling = frozenset(wanted) - JOINING
    return telling or frozenset(wanted)


def allowed_mistakes(word: str) -> int:
    """How many mistakes are forgiven in a typed word: none in a short one or in a number; two in
    a long one, whose first letter has to be right then (few get that one wrong: Pollock & Zamora,
    Journal of the ASIS 34, 1983).

    >>> [allowed_mistakes(word) for word in ("lost", "refund", "confirmation", "48211")]
    [0, 1, 2, 0]
    """
    if len(word) < 5 or not word.isalpha():
        return 0
    return 1 if len(word) < 7 else 2


def is_near(word: str, other: str, mistakes: int) -> bool:
    """Whether so many mistakes are forgiven between two words."""
    return mistakes <= 1 or (mistakes <= allowed_mistakes(word) and word[0] == other[:1])


def matched(typed: str, text: str) -> list[tuple[int, int]]:
    """Where words of a text meet words that were typed: start and end of each, as far as they
    are the same.

    >>> matched("refnud prop", "Refund for lost property")
    [(0, 6), (16, 20)]
    """
    wanted = wanted_words(typed)
    spans = []
    for found in _WORD.finditer(text):
        span = max(filter(None, (_span(word, found[0]) for word in wanted)), default=None)
        if span:
            spans.append((found.start() + span[1], found.start() + span[2]))
    return spans


@lru_cache(maxsize=4096)
def _span(word: str, found: str) -> tuple[int, int, int] | None:
    """How well a word of a text meets a typed one, and where in it: worth, start, end."""
    plain = folded(found)
    end = len(word) if len(plain) == len(found) else len(found)
    if plain == word:
        return 4, 0, len(found)
    if plain.startswith(word):
        return 3, 0, end
    if len(word) >= 4 and (at := plain.find(word)) > 0:
        return 2, *((at, at + len(word)) if len(plain) == len(found) else (0, len(found)))
    if most := allowed_mistakes(word):
        whole = OSA.distance(word, plain, score_cutoff=most)
        mistakes = min(whole, OSA.distance(word, plain[: len(word)], score_cutoff=most))
        if is_near(word, plain, mistakes):
            return 1, 0, len(found)
    return None


def excerpt(typed: str, text: str, width: int = 80) -> tuple[str, list[tuple[int, int]]]:
    """The part of a text round the first match, on one line, and where the matches are in it;
    nothing where no word is met.

    >>> excerpt("harbour", "We will wait for you at the harbour until noon.", 24)
    ('… you at the harbour …', [(13, 20)])
    """
    at = _first_met(typed, text)
    if at < 0:
        return "", []
    start, end = max(0, at - width // 2), min(len(text), at + width)
    line = text[start:end]
    shown = " ".join(line[line.find(" ") + 1 if start else 0 :].split())
    more = end < len(text)
    if len(shown) > width and (cut := shown.rfind(" ", 0, width)) > 0:
        shown, more = shown[:cut], True
    before, after = ("… " if start else ""), (" …" if more else "")
    spans = matched(typed, shown)
    return f"{before}{shown}{after}", [(a + len(before), b + len(before)) for a, b in spans]


def _first_met(typed: str, text: str) -> int:
    """Where a text first meets a typed word, or -1. Texts are long and most words typed right:
    only where none is met as it stands is the text looked through word by word."""
    wanted = wanted_words(typed)
    if not wanted:
        return -1
    flat = text.lower() if text.isascii() else text.translate(_FLAT)
    either = "|".join(map(re.escape, wanted))
    for pattern in (rf"\b(?:{either})", f"(?:{either})"):
        if (found := re.search(pattern, flat)) and len(found[0]) >= min(4, len(wanted[0])):
            return found.start()
    return next((a for a, _b in matched(typed, text)), -1)


class _Flat(dict[int, str]):
    """Each sign without case and accent, as long as it stays one sign."""

    def __missing__(self, sign: int) -> str:
        plain = folded(chr(sign))
        self[sign] = plain if len(plain) == 1 else chr(sign)
        return self[sign]


_FLAT = _Flat()
