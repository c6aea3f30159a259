"""Who else is named in the letter at hand, and in its files: looked up while one writes."""

from PySide6.QtCore import QObject

from nebbet.core.letter import Letter
from nebbet.desktop.kit.pause import after_pause
from nebbet.desktop.letters.model import LetterModel
from nebbet.desktop.session.shared_library import SharedLibrary
from nebbet.library.others import addresses_of, names_to_look_up, own_files, strangers
from nebbet.library.people import People
from nebbet.library.writing import Others

_PAUSE = 500  # milliseconds after the last keystroke


class OthersNamed(QObject):
    """Keeps what the checks go by up to date; a letter that is to go is looked through first."""

    def __init__(self, shared: SharedLibrary, model: LetterModel) -> None:
        super().__init__(model)
        self._shared, self._model = shared, model
        self._asked: Letter | None = None
        self._soon = after_pause(self, _PAUSE, self.look)
        for changed in (model.replaced, model.reverted, model.worked_out):
            changed.connect(self._follow)

    def _follow(self) -> None:
        if self._model.letter is None:
            self._soon.stop()
        elif self._model.letter != self._asked:
            self._soon.start()

    def look(self) -> None:
        """Look the letter at hand through, unless that has been done as it stands."""
        self._soon.stop()
        letter, shared = self._model.letter, self._shared
        if letter is None or letter == self._asked:
            return
        self._asked = letter
        catalogue, texts = shared.catalogue, shared.file_texts

        def read(people: People) -> Others:
            contents = texts.of(own_files(catalogue, letter))
            names = names_to_look_up(catalogue, letter, contents)
            named = strangers(people, letter, names) if names else ()
            return Others(contents, named, addresses_of(people, letter))

        def came(found: Others) -> None:
            now = self._model.letter
            if now and now.id == letter.id:
                self._model.know_others(found)

        def failed(_error: object) -> None:
            self._asked = None

        self._shared.people.ask(read, came, asker="others named", failed=failed)
