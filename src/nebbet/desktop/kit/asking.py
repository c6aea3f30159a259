"""Questions over the window: one that a line answers, one with several of a list."""

from collections.abc import Collection, Sequence

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QDialog,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QVBoxLayout,
    QWidget,
)

from nebbet.core.sentences import said
from nebbet.desktop.kit import pieces, theme

_WIDTH = 440  # pixels: a whole address is read without scrolling
_HEIGHT = 420


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


class ListBox(QDialog):
    """Asks for some of a list; verb says what the answer does. Space ticks, Return answers, Esc
    leaves."""

    def __init__(
        self, over: QWidget, title: str, words: str, verb: str, offered: Sequence[str],
        chosen: Collection[str],
    ) -> None:  # fmt: skip
        super().__init__(over.window())
        self.setWindowTitle(title)
        self.setMinimumSize(_WIDTH, _HEIGHT)
        self.list = QListWidget()
        theme.named(self.list, words)
        for name in offered:
            item = QListWidgetItem(name, self.list)
            item.setFlags(item.flags() | Qt.ItemFlag.ItemIsUserCheckable)
            ticked = name in chosen
            item.setCheckState(Qt.CheckState.Checked if ticked else Qt.CheckState.Unchecked)
        self.list.setCurrentRow(0)
        answer = pieces.button(verb, self.accept, "primary")
        answer.setDefault(True)
        pieces.fill(
            QVBoxLayout(self),
            pieces.label(title, "title"),
            pieces.label(words, wrap=True),
            pieces.grow(self.list),
            pieces.row(None, pieces.button(said("Leave (Esc)"), self.reject), answer),
            margin=18,
            spacing=10,
        )

    @property
    def ticked(self) -> tuple[str, ...]:
        """What is ticked, in the order of the list."""
        items = [self.list.item(row) for row in range(self.list.count())]
        return tuple(one.text() for one in items if one.checkState() == Qt.CheckState.Checked)


def ask_several(
    over: QWidget, title: str, words: str, verb: str, offered: Sequence[str],
    chosen: Collection[str],
) -> tuple[str, ...] | None:  # fmt: skip
    """What somebody ticks of what is offered, of which some is chosen already; None where they
    leave."""
    box = ListBox(over, title, words, verb, offered, chosen)
    given = bool(box.exec())
    ticked = box.ticked
    box.deleteLater()
    return ticked if given else None
