"""Which words of a page a template that was made of it does not say any more."""

import re
from collections import Counter
from collections.abc import Iterator
from itertools import groupby

from nebbet.core.body import tree_of

_WORD = re.compile(r"[^\W\d_]{2,}")  # numbers and single letters may have been marks of a list
_UNSEEN = ("script", "style", "title", "head")
_MOST, _LONGEST = 3, 60  # passages that are named, and how long each is


def missing_words(markup: str, left: str) -> str:
    """The words in a page that are not in some other text, in stretches, quoted; empty where all
    are there.

    >>> missing_words("<p>Dear you</p><p hidden>Not for you</p>", "Dear you")
    '“Not for you”'
    """
    there = Counter(word.casefold() for word in _WORD.findall(left))
    told: list[tuple[bool, str]] = []
    for word in _words(markup):
        kept = there[word.casefold()] > 0
        there[word.casefold()] -= kept
        told.append((kept, word))
    gone = [
        " ".join(word for _, word in group)
        for kept, group in groupby(told, key=lambda one: one[0])
        if not kept
    ]
    if not gone:
        return ""
    named = [f"“{words if len(words) <= _LONGEST else words[:_LONGEST] + '…'}”" for words in gone]
    more = f" and {len(named) - _MOST} more" if len(named) > _MOST else ""
    return ", ".join(named[:_MOST]) + more


def _words(markup: str) -> Iterator[str]:
    """The words of a page in the order in which they stand, those in its fields too."""
    root, _ = tree_of(markup)
    body = root.find("body") if root is not None else None
    if body is None:
        return
    for node in body.iter():
        if isinstance(node.tag, str) and node.tag not in _UNSEEN:
            yield from _WORD.findall(node.text or "")
        if node is not body:
            yield from _WORD.findall(node.tail or "")
