"""A question that one line answers, over the window."""

from PySide6.QtWidgets import QDialog, QLineEdit, QVBoxLayout, QWidget

from nebbet.core.sentences import said
from nebbet.desktop.kit import pieces, theme

_WIDTH = 440  # pixels: a whole address is read without scrolling


class LineBox(QDialog):
    """Asks for one line; verb says what the answer does. Return answers, Esc leaves."""

    def __init__(self, over: QWidget, title: str, words: str, verb: str, text: str = "") -> None:
        super().__init__(over.window())
        self.setWindowTitle(title)
        self.setMinimumWidth(_WIDTH)
        self.line = QLineEdit(text)
        theme.named(self.line, words)
        self.line.selectAll()
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


def ask_line(over: QWidget, title: str, words: str, verb: str, text: str = "") -> str | None:
    """The line that somebody answers with, without space round it; None where they leave."""
    box = LineBox(over, title, words, verb, text)
    given = bool(box.exec())
    answer = box.line.text().strip()
    box.deleteLater()
    return answer if given else None
