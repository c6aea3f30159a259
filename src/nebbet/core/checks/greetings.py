"""The line that greets, and whom it names. Words of greetings are from memory, with no source."""

import re

_BEGINNINGS = (
    "dear", "hello", "hi", "good morning", "good afternoon", "good evening", "sehr geehrte",
    "sehr geehrter", "liebe", "lieber", "guten tag", "guten morgen", "hallo", "bonjour",
    "chère", "cher", "madame", "monsieur", "hei", "kjære", "hej", "kära", "bästa", "kære",
    "beste", "geachte", "goedendag", "hola", "estimado", "estimada", "querido", "querida",
    "buongiorno", "gentile", "egregio", "caro", "cara", "olá", "caro", "dzień dobry", "dobrý den",
)  # fmt: skip
_BEGINS = re.compile(
    rf"(?:{'|'.join(sorted(_BEGINNINGS, key=len, reverse=True))})\b", re.IGNORECASE
)
_LONGEST = 12  # words of a line that greets
# Words beside a name: titles, and what stands for people whose names are not known.
_NO_NAMES = frozenset(" ".join((
    "mr mrs ms miss mx dr prof professor sir madam herr frau damen und herren madame monsieur",
    "messieurs mesdames mademoiselle docteur fru señor señora sr sra don doña signor signora",
    "signore dott dottor heer mevrouw and et og och en y e i all everyone team customer",
    "passenger colleague colleagues there kunde kundin kunden client cliente",
)).split())  # fmt: skip
_WORD = re.compile(r"[^\W\d_][\w'’.-]*")


def is_greeting(line: str) -> bool:
    """Whether a line of a letter greets.

    >>> is_greeting("Dear Ms Pell,"), is_greeting("Dear colleagues told us that it was late.")
    (True, False)
    """
    plain = line.strip()
    ends = plain.endswith((",", ":", "!")) or len(plain.split()) <= 4
    return bool(_BEGINS.match(plain)) and len(plain.split()) <= _LONGEST and ends and (
        not plain.endswith(("?", "."))
    )  # fmt: skip


def greeted(line: str) -> list[str]:
    """The names that a greeting has.

    >>> greeted("Dear Ms Pell,"), greeted("Sehr geehrte Damen und Herren,")
    (['Pell'], [])
    """
    found = _BEGINS.match(line.strip())
    rest = line.strip()[found.end() :] if found else line
    words = (word.strip(".") for word in _WORD.findall(rest))
    return [word for word in words if word[:1].isupper() and word.casefold() not in _NO_NAMES]
