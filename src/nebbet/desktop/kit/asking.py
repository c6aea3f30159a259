"""A question that one line answers, over the window."""

from PySide6.QtWidgets import QDialog, QLineEdit, QVBoxLayout, QWidget

from nebbet.core.sentences import said
from nebbet.desktop.kit import pieces, theme

_WIDTH = 440  # pixels: a whole address is read without scrolling


class LineBox(QDialog):
    """Asks for one line; verb says what the answer does. Return answers, Esc leaves."""

    def __init__(
        self, over: QWidget, title: str, words: str, verb: str, text: str = "", *, secret: bool
    ) -> None:
        super().__init__(over.window())
        self.setWindowTitle(title)
        self.setMinimumWidth(_WIDTH)
        self.line = QLineEdit(text)
        theme.named(self.line, words)
        self.line.selectAll()
        if secret:
            self.line.setEchoMode(QLineEdit.EchoMode.Password)
        self.answer = pieces.button(verb, self.accept, "primary")
        self.answer.setDefault(True)
        leave = pieces.button(said("Leave (Esc)"), self.reject)
        pieces.fill(
            QVBoxLayout(self),
            pieces.label(title, "title"),
            pieces.label(words, wrap=True),
            self.line,
            pieces.row(None, leave, self.answer),
            margin=18,
            spacing=10,
        )


def ask_line(
    over: QWidget, title: str, words: str, verb: str, text: str = "", *, secret: bool = False
) -> str | None:
    """The line that somebody answers with, without space round it; None where they leave. A secret
    one is not shown."""
    box = LineBox(over, title, words, verb, text, secret=secret)
    given = bool(box.exec())
    answer = box.line.text().strip()
    box.deleteLater()
    return answer if given else None
