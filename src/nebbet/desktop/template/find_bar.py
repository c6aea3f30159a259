"""Find and replace in the text of a template."""

from collections.abc import Callable, Iterator

from PySide6.QtCore import Signal
from PySide6.QtGui import QTextCursor, QTextDocument
from PySide6.QtWidgets import QCheckBox, QHBoxLayout, QLineEdit, QWidget

from nebbet.desktop.kit import pieces, theme
from nebbet.desktop.paper.paper_edit import PaperEdit


class FindBar(QWidget):
    """A row above the paper. editors gives the texts to look in, in the order of reading; closed
    tells that the row is not wanted any more."""

    closed = Signal()

    def __init__(self, editors: Callable[[], list[PaperEdit]]) -> None:
        super().__init__()
        self._editors = editors
        self.words, self.instead = QLineEdit(), QLineEdit()
        theme.named(self.words, "Find in this text")
        theme.named(self.instead, "Replace with")
        self.words.setPlaceholderText("Find in this text")
        self.instead.setPlaceholderText("Replace with")
        self.exact = QCheckBox("Aa")
        theme.named(self.exact, "Capital letters count", "Capital letters count")
        self.count = pieces.label("", "note")
        self.count.setMinimumWidth(70)
        self.further = pieces.button("Next", self.next)
        self.replace_button = pieces.button("Replace", self.replace)
        self.replace_all_button = pieces.button("Replace all", self.replace_all)
        close = pieces.tool("x", "Close find and replace", self.closed.emit)
        row: list[QWidget] = [
            self.words, self.exact, self.count, self.further, self.instead,
            self.replace_button, self.replace_all_button, close,
        ]  # fmt: skip
        pieces.fill(QHBoxLayout(self), *row, margin=6)
        self.words.textChanged.connect(lambda _text: self.tell())
        self.exact.toggled.connect(lambda _on: self.tell())
        self.words.returnPressed.connect(self.next)
        self.instead.returnPressed.connect(self.replace)

    def begin(self, words: str) -> None:
        """Show the row, with what was selected as the words to find."""
        self.show()
        if words:
            self.words.setText(words)
        self.words.setFocus()
        self.words.selectAll()
        self.tell()

    def _flags(self) -> QTextDocument.FindFlag:
        exact = QTextDocument.FindFlag.FindCaseSensitively
        return exact if self.exact.isChecked() else QTextDocument.FindFlag(0)

    def _found(self) -> Iterator[tuple[PaperEdit, QTextCursor]]:
        for editor in self._editors():
            for found in self._places(editor):
                yield editor, found

    def _places(self, editor: PaperEdit) -> Iterator[QTextCursor]:
        """Where the words stand in one text; what replaces a place is not looked into again."""
        words = self.words.text()
        if not words:
            return
        found = editor.document().find(words, 0, self._flags())
        while not found.isNull():
            yield found
            found = editor.document().find(words, found, self._flags())

    def tell(self) -> None:
        """Say how often the words stand here."""
        number = sum(1 for _ in self._found())
        self.count.setText(f"{number} found" if self.words.text() else "")
        for button in (self.further, self.replace_button, self.replace_all_button):
            button.setEnabled(number > 0)

    def next(self) -> None:
        """Select the next place, and begin again after the last."""
        places = list(self._found())
        if not places:
            return
        order = {editor: index for index, editor in enumerate(self._editors())}
        here = next((e for e in order if e.textCursor().hasSelection()), None)
        at = (order[here], here.textCursor().selectionEnd()) if here else (-1, 0)
        ahead = [p for p in places if (order[p[0]], p[1].selectionStart()) >= at]
        editor, found = (ahead or places)[0]
        for other in order:
            if other is not editor:
                _select_nothing(other)
        editor.setTextCursor(found)
        editor.ensureCursorVisible()

    def replace(self) -> None:
        """Replace what is selected, if it is what was found, and go on."""
        for editor, found in self._found():
            cursor = editor.textCursor()
            if (found.selectionStart(), found.selectionEnd()) == (
                cursor.selectionStart(),
                cursor.selectionEnd(),
            ):
                cursor.insertText(self.instead.text())
                editor.setTextCursor(cursor)
                break
        self.tell()
        self.next()

    def replace_all(self) -> None:
        """Replace every place; one step of undo in each text."""
        for editor in self._editors():
            cursor = QTextCursor(editor.document())
            cursor.beginEditBlock()
            for found in self._places(editor):
                found.insertText(self.instead.text())
            cursor.endEditBlock()
        self.tell()


def _select_nothing(editor: PaperEdit) -> None:
    cursor = editor.textCursor()
    cursor.clearSelection()
    editor.setTextCursor(cursor)
