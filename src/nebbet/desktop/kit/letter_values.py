"""How the values of a letter stand on the paper."""

from collections.abc import Iterable

from nebbet.core import letter as letters
from nebbet.core.errors import NebbetError
from nebbet.core.letter import Letter
from nebbet.core.placeholders import Particular, text_in
from nebbet.desktop.kit.marks import Kind
from nebbet.desktop.kit.slot_edit import Value


def values_of(letter: Letter, particulars: Iterable[Particular]) -> dict[str, Value]:
    """How every value of a letter is shown, by what its places are kept by."""
    found = letters.by_place(letter, particulars)
    return {key: value_of(particular, letter.language) for key, particular in found.items()}


def value_of(particular: Particular, language: str) -> Value:
    """How a value is shown on the paper."""
    placeholder = particular.placeholder
    kind: Kind = "changed" if particular.changed else "value"
    if not particular.known or particular.problem:
        kind = "unknown"

    def with_modifiers(modifiers: str) -> str | None:
        try:
            return text_in(particular, modifiers, language)
        except NebbetError:
            return None  # a finding says why

    return Value(
        particular.text,
        placeholder.title,
        kind,
        placeholder.long,
        with_modifiers,
        particular.answer,
    )
