"""What was said on the last lines of an account, for whoever looks for what is wrong."""

from PySide6.QtGui import QFontDatabase, QGuiApplication
from PySide6.QtWidgets import QDialog, QPlainTextEdit, QVBoxLayout, QWidget

from nebbet.core.sentences import said
from nebbet.desktop.kit import pieces, theme
from nebbet.personal.settings import Account
from nebbet.post.conversation import Side, last

_SIZE = (760, 520)
_SIDES: dict[Side, str] = {"sending": said("Sending (SMTP)"), "mailbox": said("Mailbox (IMAP)")}


class ConversationBox(QDialog):
    """Shows what was said on both lines of an account; it is copied by a button. Esc leaves."""

    def __init__(self, over: QWidget, account: Account) -> None:
        super().__init__(over.window())
        self.setWindowTitle(said("The last conversation with {user}", user=account.user or "–"))
        self.resize(*_SIZE)
        self.texts = {side: _reader(words) for side, words in _SIDES.items()}
        none = said("Nothing was said since Nebbet was started.")
        for side, text in self.texts.items():
            text.setPlainText(last(account.user, side) or none)
        self.copy = pieces.button(said("Copy all of it"), self._copy)
        leave = pieces.button(said("Leave (Esc)"), self.reject)
        note = said("Passwords, tokens and messages are left out. → is Nebbet, ← the server.")
        rows: list[QWidget] = []
        for side, words in _SIDES.items():
            rows += [pieces.label(words, "heading"), pieces.grow(self.texts[side])]
        pieces.fill(
            QVBoxLayout(self),
            pieces.label(self.windowTitle(), "title"),
            pieces.label(note, "note", wrap=True),
            *rows,
            pieces.row(self.copy, None, leave),
            margin=18,
            spacing=8,
        )

    def _copy(self) -> None:
        parts = (f"{_SIDES[side]}\n{text.toPlainText()}" for side, text in self.texts.items())
        QGuiApplication.clipboard().setText("\n\n".join(parts))


def _reader(name: str) -> QPlainTextEdit:
    made = QPlainTextEdit()
    made.setReadOnly(True)
    made.setFont(QFontDatabase.systemFont(QFontDatabase.SystemFont.FixedFont))
    made.setLineWrapMode(QPlainTextEdit.LineWrapMode.NoWrap)
    theme.named(made, name)
    return made
