"""The values that a writer may put into a letter while writing."""

from nebbet.core import inline
from nebbet.core.records import fold
from nebbet.desktop.kit.picker import Choice
from nebbet.desktop.letters.model import LetterModel
from nebbet.desktop.session.shared_library import SharedLibrary
from nebbet.library.fields import values_at_hand
from nebbet.library.writing import world_for

_LONGEST = 60  # signs of a value that tell what it is


class ValuesAtHand:
    """Offers them where braces are typed in a letter; a placeholder that is typed in full becomes
    one where its value is known."""

    def __init__(self, shared: SharedLibrary, model: LetterModel) -> None:
        self._shared, self._model = shared, model

    def offer(self, words: str) -> list[Choice]:
        """What is known for the letter at hand, by some words, best first."""
        letter, shared = self._model.letter, self._shared
        if letter is None:
            return []
        world = world_for(shared.catalogue, letter, shared.writer())
        return [
            Choice(one.name, one.placeholder.title, _short(one.text or ""), one.placeholder.source)
            for one in values_at_hand(letter, world, words)
        ]

    def take(self, key: str) -> str:
        """A value is put in by its name."""
        return key

    def closed(self, inner: str) -> str:
        """Braces that were typed to their end are put as they are where they name what is known."""
        name = fold(inline.slot(inner).name)
        return inner if any(fold(one.key) == name for one in self.offer("")) else ""


def _short(text: str) -> str:
    line = " ".join(text.split())
    return line if len(line) <= _LONGEST else f"{line[:_LONGEST]}…"
