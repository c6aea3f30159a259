"""Prompts that somebody meant to complete: [name], <order no>, (date), %NAME%, XXXX, ____, TBC."""

import re
from collections.abc import Iterable
from itertools import count

from nebbet.core.records import fold

# In round brackets only what is plainly a spot: people put remarks into them, too. From memory.
_SPOTS = (
    "name|first name|last name|full name|surname|title|date|day|time|amount|price|sum|number|ref|"
    "reference|address|phone|email|order number|booking number|customer|recipient|"
    "vorname|nachname|datum|uhrzeit|betrag|nummer|anrede|nom|prénom|montant|numéro|heure|"
    "navn|fornavn|etternavn|dato|beløp|klokkeslett"
)
# A prompt is a few words: the bounds keep hostile input linear.
_PROMPT = re.compile(
    r"\[(?!sic\b)[^\[\]\n]{1,200}\]"
    r"|<(?=\S)[^<>\n@/]{1,200}(?<=\S)>"
    r"|(?<![Ss]ize )(?<![Ss]izes )\bX{3,}\b"
    r"|_{3,}"
    r"|%[^\W\d_][\w .-]{0,40}(?<=\w)%"
    r"|\bTB[ACD]\b"
    rf"|\((?i:(?:(?:insert|enter|your|their|the|his|her) ){{0,2}}(?:{_SPOTS}))\)"
)
_LETTER = re.compile(r"[^\W\d_]")
MOST = 100  # prompts that are told of; nobody completes more by hand


_NO_NAME = re.compile(r"[{}|_]+")


def prompts_in(text: str) -> list[str]:
    """The prompts in a text, once each, in order; the first hundred.

    >>> prompts_in("Dear [name], your order <order no> of ____")
    ['[name]', '<order no>', '____']
    """
    found: dict[str, None] = {}
    for match in _PROMPT.finditer(text):
        if match[0][0] in "X_T" or _LETTER.search(match[0]):
            found[match[0]] = None
        if len(found) == MOST:
            break
    return list(found)


def blank_names(found: Iterable[str], taken: Iterable[str]) -> dict[str, str]:
    """A name for the blank that each prompt becomes; prompts without words are numbered.

    >>> blank_names(["[name]", "____", "XXXX"], ["blank 1"])
    {'[name]': 'name', '____': 'blank 2', 'XXXX': 'blank 3'}
    """
    used = {fold(name) for name in taken}
    named: dict[str, str] = {}
    for prompt in found:
        name = " ".join(_NO_NAME.sub(" ", prompt.strip("[]<>()%")).split())[:60]
        if not name or not name.strip("X") or name in ("TBA", "TBC", "TBD"):
            number = next(n for n in count(1) if fold(f"blank {n}") not in used)
            name = f"blank {number}"
        used.add(fold(name))
        named[prompt] = name
    return named
