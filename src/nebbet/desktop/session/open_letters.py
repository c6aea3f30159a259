"""The open letters of the pile, kept while they are written."""

from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal

from nebbet.core.letter import Letter
from nebbet.desktop.kit.notices import Voice
from nebbet.desktop.kit.operations import Operations, nothing
from nebbet.desktop.kit.pause import AUTOSAVE, after_pause

if TYPE_CHECKING:
    from nebbet.personal.stores import Stores


class OpenLetters(QObject):
    """Holds them by id; changed tells that others are open now."""

    changed = Signal()

    def __init__(
        self,
        stores: "Callable[[], Stores]",
        operations: Operations,
        voice: Voice,
        seconds: Callable[[], float],
    ) -> None:
        super().__init__()
        self._stores, self._operations = stores, operations
        self._voice, self._seconds = voice, seconds
        self.held: dict[str, Letter] = {}
        self._unkept: dict[str, Letter] = {}
        self._away: set[str] = set()  # between the pile and the outbox
        self._timer = after_pause(self, AUTOSAVE, self.keep_now)

    def take_up(self, kept: dict[str, Letter]) -> None:
        """Take up what was kept; a letter begun before the files were open stays."""
        self.held = kept | self.held
        self.changed.emit()

    def keep(self, letter: Letter) -> None:
        """Keep an open letter as it is now; written to disk a moment later. One that is being put
        into the outbox is not: it would come back to the pile and could be sent twice."""
        if letter.id in self._away:
            return
        self.held[letter.id] = letter
        self._unkept[letter.id] = letter
        self._timer.start()

    def keep_now(self) -> None:
        """Write what has changed to disk."""
        unkept, self._unkept = self._unkept, {}
        now = self._seconds()
        for letter in unkept.values():
            keep = partial(self._write, letter, now)
            self._operations.run(keep, nothing, self._voice.fail)

    def _write(self, letter: Letter, now: float) -> None:
        self._stores().keep_letter(letter, now)

    def discard(self, letter_id: str) -> Letter | None:
        """Take an open letter off the pile; returns it, so that it can be put back."""
        letter = self.held.pop(letter_id, None)
        self._unkept.pop(letter_id, None)
        drop = partial(self._drop, letter_id)
        self._operations.run(drop, nothing, self._voice.fail)
        self.changed.emit()
        return letter

    def _drop(self, letter_id: str) -> None:
        self._stores().drop_letter(letter_id)

    def put_back(self, letter: Letter) -> None:
        """Put a letter onto the pile."""
        self.keep(letter)
        self.changed.emit()

    # On the way to the outbox, and back

    def give_away(self, letter_id: str) -> bool:
        """A letter is being put into the outbox: nothing of it is kept here meanwhile. Says whether
        it was not on its way already."""
        if letter_id in self._away:
            return False
        self._away.add(letter_id)
        self._unkept.pop(letter_id, None)
        return True

    def went(self, letter_id: str) -> None:
        """The outbox has it."""
        self._away.discard(letter_id)
        self.held.pop(letter_id, None)
        self._unkept.pop(letter_id, None)
        self.changed.emit()

    def stays(self, letter: Letter) -> None:
        """The outbox did not take it."""
        self._away.discard(letter.id)
        self.keep(letter)

    def came_back(self, letter: Letter) -> None:
        """It was taken back; the file has it already."""
        self.held[letter.id] = letter
        self.changed.emit()
