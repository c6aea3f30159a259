"""The message that a letter answers, beside it while it is written."""

from PySide6.QtWidgets import QTextBrowser, QVBoxLayout, QWidget

from nebbet.core.body import Body, render_plain
from nebbet.core.letter import Letter
from nebbet.core.sentences import said
from nebbet.desktop.kit import pieces, theme
from nebbet.desktop.letters.model import LetterModel

_HIGH = 180  # pixels: the letter's own particulars stay in sight


class AnsweredMessage(QWidget):
    """Shows what the letter at hand quotes, and leaves that out of it on request."""

    def __init__(self, model: LetterModel) -> None:
        super().__init__()
        self._model = model
        self._left_out: dict[str, Body] = {}
        self.button = pieces.button(said("The message"), self.toggle, "words", "Ctrl+Alt+H")
        self.leave_out = pieces.button("", self.switch, "words")
        theme.named(self.leave_out, said("Quote it, or leave it out"))
        self.text = QTextBrowser()
        self.text.setMaximumHeight(_HIGH)
        self.text.setOpenLinks(False)
        theme.named(self.text, said("The message that is answered"))
        self.text.hide()
        head = pieces.row(self.button, None, self.leave_out)
        pieces.fill(QVBoxLayout(self), head, self.text, spacing=2)
        pieces.keep_low(self)
        for changed in (model.replaced, model.reverted, model.worked_out):
            changed.connect(self._show)

    def _quoted(self, letter: Letter) -> Body:
        return letter.quoted or self._left_out.get(letter.id, ())

    def _show(self) -> None:
        letter = self._model.letter
        quoted = self._quoted(letter) if letter else ()
        self.setVisible(bool(quoted))
        if letter is None or not quoted:
            return
        words = said("quoted: leave it out") if letter.quoted else said("not quoted: quote it")
        self.leave_out.setText(words)
        plain = "\n".join(line.removeprefix("> ") for line in render_plain(quoted).splitlines())
        if plain != self.text.toPlainText():
            self.text.setPlainText(plain)

    def toggle(self) -> None:
        """Show the message, or hide it."""
        self.text.setVisible(not self.text.isVisible() and self.isVisible())

    def switch(self) -> None:
        """Leave the quote out of the letter, or put it in again."""
        if letter := self._model.letter:
            if letter.quoted:
                self._left_out[letter.id] = letter.quoted
                self._model.set_quoted(())
            else:
                self._model.set_quoted(self._left_out.get(letter.id, ()))
