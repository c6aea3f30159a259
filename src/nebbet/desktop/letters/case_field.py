"""The field that says what a letter is about."""

from PySide6.QtCore import Signal

from nebbet.core.records import Matter
from nebbet.core.sentences import said
from nebbet.desktop.kit.picker import Picker
from nebbet.desktop.letters.model import LetterModel
from nebbet.desktop.session import choices
from nebbet.desktop.session.shared_library import SharedLibrary


class CaseField(Picker):
    """Chooses the case of the letter that the model holds. chosen tells that one was."""

    chosen = Signal()

    def __init__(self, shared: SharedLibrary, model: LetterModel) -> None:
        super().__init__(said("Case"), prompt=said("Case number or name"), ask=self._offer)
        self._shared, self._model = shared, model
        self.picked.connect(self._take)
        self.entered.connect(self._enter)
        for changed in (model.worked_out, model.replaced, model.reverted):
            changed.connect(self._show)

    def _offer(self, words: str, show: choices.Show) -> None:
        recipient = self._model.letter.recipient if self._model.letter else None
        choices.cases(self._shared, words, show, "Case", recipient.id if recipient else "")

    def _take(self, key: str) -> None:
        self._model.set_case(self._shared.people.matters[key])
        self.chosen.emit()

    def _enter(self, text: str) -> None:
        """A number that was typed in full; nothing is sent until it is known whose it is."""
        letter = self._model.letter
        if letter is None or not text:
            self._model.set_case(None)
            return

        def done(found: Matter | None) -> None:
            now = self._model.letter
            if now is None or now.id != letter.id:
                return
            if found:
                self._model.set_case(found)
                return
            self._shared.voice.say(
                said(
                    "There is no case “{text}”. The letter is kept; type a few characters of a "
                    "number or a name and choose from the list.",
                    text=text,
                )
            )

        self._shared.people.ask(lambda people: people.numbered(text), done)

    def _show(self) -> None:
        letter = self._model.letter
        if letter and (not self.hasFocus() or not self.isModified()):
            self.show_text(letter.case.number if letter.case else "")
