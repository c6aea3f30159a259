"""Texts for people: whole sentences with named values, in the language of the interface.

Nothing is glued together, so that another language can order its words as it must; and nothing
decides by what a sentence says. `scripts/sentences` lists the sentences for whoever translates.
"""

import gettext
from collections.abc import Iterable
from pathlib import Path

_held = gettext.NullTranslations()
DOMAIN = "nebbet"


def use(folder: Path, languages: Iterable[str]) -> None:
    """Speak the first of some languages of which the folder has a catalogue; English without."""
    global _held  # noqa: PLW0603 - one program speaks one language
    _held = gettext.translation(DOMAIN, folder, list(languages), fallback=True)


def said(sentence: str, /, **values: object) -> str:
    """A sentence with its values in their places.

    >>> said("{name} is kept.", name="Ana")
    'Ana is kept.'
    """
    return _held.gettext(sentence).format(**values)


def counted(sentence: str, many: str, /, *, count: int, **values: object) -> str:
    """A sentence as it is said of one, or of many, with its values.

    >>> counted("1 letter waits.", "{count} letters wait.", count=3)
    '3 letters wait.'
    """
    return _held.ngettext(sentence, many, count).format(count=count, **values)
