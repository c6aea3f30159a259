"""A letter whose template has a newer edition: the person is told, once, and may take it over."""

from PySide6.QtCore import QObject

from nebbet.desktop.letters.model import LetterModel
from nebbet.desktop.session.session import Session
from nebbet.library.holdings import Template

THIS_LETTER = "this letter"  # what is told about it is over when another one is at hand


class NewerEditions(QObject):
    """Offers the newer edition of the template of the letter at hand."""

    def __init__(self, session: Session, model: LetterModel) -> None:
        super().__init__(model)
        self._session, self._model = session, model
        self._told = ("", 0)
        session.shared.changed.connect(self._tell)
        model.replaced.connect(self._tell)

    def _tell(self) -> None:
        newer, letter = self._model.newer_edition(), self._model.letter
        if newer is None or letter is None or (letter.id, newer.edition) == self._told:
            return
        self._told = (letter.id, newer.edition)
        self._session.voice.say(
            f"“{newer.title}” has a newer edition than this letter was begun with. What you "
            "typed stays when you take it over.",
            "Take it over",
            lambda: self._fetch(letter.id, letter.edition, newer),
            about=THIS_LETTER,
        )

    def _fetch(self, letter: str, edition: int, newer: Template) -> None:
        def came(editions: list[Template]) -> None:
            old = next((e for e in editions if e.edition == edition), None)
            now = self._model.letter
            if old is None or now is None or now.id != letter:
                return
            if self._model.take_over(old, newer):
                self._session.voice.say(
                    "Where you had changed the same words, yours stand. Ctrl+Z goes back."
                )

        library = self._session.shared.library
        self._session.operations.run(
            lambda: library.editions(newer.id), came, self._session.voice.fail
        )
