"""The language in which the letter at hand is written."""

from nebbet.core.placeholders import language_name
from nebbet.desktop.kit import theme
from nebbet.desktop.kit.still import StillCombo
from nebbet.desktop.letters.model import LetterModel


class LanguageChoice(StillCombo):
    """Offers the languages that the letter's template has."""

    def __init__(self, model: LetterModel) -> None:
        super().__init__()
        self._model = model
        theme.named(self, "Language of the letter")
        self.setMaximumWidth(104)
        self.activated.connect(lambda index: model.set_language(str(self.itemData(index))))
        for signal in (model.replaced, model.reverted, model.worked_out):
            signal.connect(self._show)

    def _show(self) -> None:
        letter = self._model.letter
        if letter is None:
            return
        codes = self._model.languages()
        if codes != [self.itemData(index) for index in range(self.count())]:
            self.clear()
            for code in codes:
                self.addItem(language_name(code), code)
        self.setCurrentIndex(codes.index(letter.language))
