"""Which words of a text a dictionary does not know."""

import re
from collections.abc import Callable, Iterable, Iterator
from typing import NamedTuple

# Words with letters only; apostrophes and hyphens inside belong to them.
_WORD = re.compile(r"[^\W\d_]+(?:['’][^\W\d_]+)*")
_LEFT_OUT = re.compile(
    r"\{\{[^{}]*\}\}"  # placeholders
    r"|\S*://\S*|\bwww\.\S+"  # addresses of pages
    r"|\S*@\S*"  # mail addresses
    r"|\b\w*\d\w*\b"  # numbers of bookings, times, sizes
)


class Misspelt(NamedTuple):
    """A word that a dictionary does not know: its place in the text, and the word."""

    start: int
    word: str


def misspelt(text: str, knows: Callable[[str], bool]) -> Iterator[Misspelt]:
    """The words of a text that a dictionary does not know; placeholders, addresses, numbers,
    abbreviations in capitals and single letters are left out.

    >>> known = {"see", "our", "page"}.__contains__
    >>> list(misspelt("See our paeg at https://a.example, LS-4 {{x}}", lambda w: known(w.lower())))
    [Misspelt(start=8, word='paeg'), Misspelt(start=13, word='at')]
    """
    blank = _LEFT_OUT.sub(lambda match: " " * len(match[0]), text)
    for match in _WORD.finditer(blank):
        word = match[0]
        if len(word) > 1 and not word.isupper() and not knows(word.replace("’", "'")):
            yield Misspelt(match.start(), word)


def dictionary_for(language: str, available: Iterable[str]) -> str:
    """The dictionary to use for a language: the same code, else one of the same language, else
    none. Norwegian texts are called nb or nn, its dictionaries nb_NO or no.

    >>> dictionary_for("fr", ["en_GB", "fr_BE", "fr_FR"]), dictionary_for("fi", ["en_GB"])
    ('fr_FR', '')
    """
    held = {code.replace("-", "_"): code for code in sorted(available)}
    if language in held:
        return held[language]
    stem = language.partition("_")[0]
    home = f"{stem}_{stem.upper()}"
    same = [code for code in held if code.partition("_")[0] == stem]
    chosen = home if home in held else next(iter(same), "")
    return held.get(chosen, "")
