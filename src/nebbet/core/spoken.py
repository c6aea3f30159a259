"""Which language a text is in, by the small words that every text has.

The words are from memory, with no source; none of them is a word of another language here.
"""

import re
from collections.abc import Mapping
from functools import lru_cache

from nebbet.core.characters import folded

_WORDS: Mapping[str, str] = {
    "en": "the and you your with have this that from for are been will would which our we they "
    "there please thank what when were has can not",
    "de": "und der die das nicht wir sie ihr ihre ihren ihnen mit für auf ist sind haben wird "
    "werden bei uns dem den ein eine einen zu zum zur bitte danke aus nach auch",
    "fr": "le les des une vous nous votre notre vos est sont avec pour dans sur par pas qui que "
    "aux cette ces être avez avons merci bien très",
    "nl": "het een van voor met niet wij onze uw zijn heeft hebben wordt naar ook bij deze dit "
    "aan dat kunt graag",
    "es": "el los las una usted su sus nuestro nuestra con para por está están ha hemos que como "
    "pero muchas gracias del al este esta más",
    "it": "il gli una con per che sono della delle dei degli nel nella lei suo sua nostro nostra "
    "grazie questo questa abbiamo può anche non",
    "pt": "os uma com para por não seu sua nosso nossa obrigado obrigada está são foi mais você "
    "dos das pela pelo temos",
    "nb": "og ikke det som med deg deres vår vårt våre har kan skal blir til på av jeg vi dere "
    "hilsen takk eller også være meg hvis etter når fra noe noen",
    "sv": "och inte det som med dig er vår vårt våra har kan ska blir till på av jag vi ni tack "
    "eller också att från",
    "pl": "i nie się jest są z do na że dla przez oraz nasz nasza państwa prosimy dziękujemy "
    "może będzie który",
    "fi": "ja ei on ovat että tämä se me te teidän meidän kiitos voi joka mutta kun ole",
}  # fmt: skip
# Danish is written with nearly the same small words.
_SAME = {"da": "nb", "no": "nb", "nn": "nb"}
_WORD = re.compile(r"[^\W\d_]+")
_FEWEST = 4  # small words that have to tell
_MARGIN = 2  # times as many as any other language has


@lru_cache(maxsize=1)
def _telling() -> dict[str, str]:
    """Each word that is one language's alone, with that language."""
    found: dict[str, str] = {}
    several: set[str] = set()
    for language, words in _WORDS.items():
        for word in words.split():
            if found.setdefault(word, language) != language:
                several.add(word)
    return {word: language for word, language in found.items() if word not in several}


@lru_cache(maxsize=1)
def small_words() -> frozenset[str]:
    """The small words of every language that is known here, without accents."""
    return frozenset(folded(word) for words in _WORDS.values() for word in words.split())


def written_in(text: str) -> str:
    """The language of a text, as its code of two letters; empty where it is too short to tell, or
    none that is known here.

    >>> written_in("Wir haben Ihre Nachricht und danken für die Mühe."), written_in("Ann Pell")
    ('de', '')
    """
    telling = _telling()
    counts: dict[str, int] = {}
    for word in _WORD.findall(text.casefold()):
        if language := telling.get(word):
            counts[language] = counts.get(language, 0) + 1
    if not counts:
        return ""
    best = max(counts, key=lambda language: counts[language])
    others = max((n for language, n in counts.items() if language != best), default=0)
    return best if counts[best] >= _FEWEST and counts[best] >= _MARGIN * others else ""


def stem(code: str) -> str:
    """The code that written_in gives for a language.

    >>> stem("en_GB"), stem("da"), stem("no")
    ('en', 'nb', 'nb')
    """
    short = code.split("_", maxsplit=1)[0].split("-", maxsplit=1)[0].casefold()
    return _SAME.get(short, short)


def is_told(code: str) -> bool:
    """Whether texts in a language can be told here."""
    return stem(code) in _WORDS
