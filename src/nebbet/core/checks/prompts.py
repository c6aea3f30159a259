"""Prompts that somebody meant to complete: [name], <order no>, XXXX, ____."""

import re
from collections.abc import Iterable
from itertools import count

from nebbet.core.records import fold

# A prompt is a few words: the bounds keep hostile input linear.
_PROMPT = re.compile(r"\[[^\[\]\n]{1,200}\]|<(?=\S)[^<>\n@/]{1,200}(?<=\S)>|\bX{3,}\b|_{3,}")
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
        if match[0][0] in "X_" or _LETTER.search(match[0]):
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
        name = " ".join(_NO_NAME.sub(" ", prompt.strip("[]<>")).split())[:60]
        if not name or not name.strip("X"):
            number = next(n for n in count(1) if fold(f"blank {n}") not in used)
            name = f"blank {number}"
        used.add(fold(name))
        named[prompt] = name
    return named
