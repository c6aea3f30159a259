"""Prompts that somebody meant to complete: [name], <order no>, XXXX, ____."""

import re

_PROMPT = re.compile(
    r"\[[^\[\]\n]*[^\W\d_][^\[\]\n]*\]|<(?=\S)[^<>\n@/]*[^\W\d_][^<>\n@/]*(?<=\S)>|\bX{3,}\b|_{3,}"
)


def prompts(text: str) -> list[str]:
    """The prompts in a text, once each, in order.

    >>> prompts("Dear [name], your order <order no> of ____")
    ['[name]', '<order no>', '____']
    """
    return list(dict.fromkeys(_PROMPT.findall(text)))
