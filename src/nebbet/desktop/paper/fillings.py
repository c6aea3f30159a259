"""How the values of a letter stand on the paper."""

from collections.abc import Iterable

from nebbet.core import letter as letters
from nebbet.core.errors import NebbetError
from nebbet.core.letter import Letter
from nebbet.core.placeholders import Particular, text_in
from nebbet.desktop.paper.marks import MarkKind
from nebbet.desktop.paper.slot_edit import Filling


def fillings_of(letter: Letter, particulars: Iterable[Particular]) -> dict[str, Filling]:
    """How every value of a letter is shown, by what its places are kept by."""
    found = letters.by_place(letter, particulars)
    return {key: filling_of(particular, letter.language) for key, particular in found.items()}


def filling_of(particular: Particular, language: str) -> Filling:
    """How a value is shown on the paper."""
    placeholder = particular.placeholder
    kind: MarkKind = "changed" if particular.changed else "value"
    if not particular.known or particular.problem:
        kind = "unknown"

    def with_modifiers(modifiers: str) -> str | None:
        try:
            return text_in(particular, modifiers, language)
        except NebbetError:
            return None  # a finding says why

    return Filling(
        particular.text,
        placeholder.title,
        kind,
        placeholder.long,
        with_modifiers,
        particular.answer,
    )
