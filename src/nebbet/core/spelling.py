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
# What to install where the language of a text has no dictionary; Debian's names.
_PACKAGES = {
    "en_GB": "hunspell-en-gb", "en_US": "hunspell-en-us", "de": "hunspell-de-de",
    "fr": "hunspell-fr", "nb": "hunspell-no", "nn": "hunspell-no", "no": "hunspell-no",
    "es": "hunspell-es", "it": "hunspell-it", "nl": "hunspell-nl", "pt": "hunspell-pt-pt",
    "pt_BR": "hunspell-pt-br", "pl": "hunspell-pl", "sv": "hunspell-sv", "da": "hunspell-da",
}  # fmt: skip


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


def package_for(language: str) -> str:
    """The Debian package that brings a dictionary for a language."""
    stem = language.partition("_")[0]
    return _PACKAGES.get(language) or _PACKAGES.get(stem) or f"hunspell-{stem}"
