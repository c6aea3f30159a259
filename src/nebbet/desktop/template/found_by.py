"""What a template is found by beside its words: kinds of case, and keywords."""

from collections.abc import Callable, Iterable

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QLineEdit, QVBoxLayout, QWidget

from nebbet.desktop.kit import pieces, theme
from nebbet.desktop.kit.still import StillCombo

_ADD = "Add a kind of case"


class FoundBy(QWidget):
    """Two lines with words between commas; changed says that somebody typed."""

    changed = Signal()

    def __init__(self, known_kinds: Callable[[], Iterable[str]]) -> None:
        super().__init__()
        self._known_kinds = known_kinds
        self._kinds, self.keyword_field = QLineEdit(), QLineEdit()
        for field, name, prompt in (
            (self._kinds, "For kinds of case", "any; or: cancelled sailing, refund"),
            (self.keyword_field, "Keywords", "words people look for, with commas"),
        ):
            theme.named(field, name)
            field.setPlaceholderText(prompt)
            field.textEdited.connect(lambda _text: self.changed.emit())
        self.add = StillCombo()
        theme.named(self.add, _ADD)
        self.add.activated.connect(self._add_kind)
        head = pieces.row(pieces.label("Found by", "heading"), None, self.add)
        rows = [
            pieces.row(pieces.label(words, "faint"), pieces.grow(field))
            for words, field in (("Kinds of case", self._kinds), ("Keywords", self.keyword_field))
        ]
        pieces.fill(QVBoxLayout(self), head, pieces.rule(), *rows, spacing=3)

    def show_words(self, kinds: tuple[str, ...], keywords: tuple[str, ...]) -> None:
        """Show what a template is found by."""
        self._kinds.setText(", ".join(kinds))
        self.keyword_field.setText(", ".join(keywords))
        self.add.clear()
        self.add.addItem(_ADD)
        self.add.addItems([*self._known_kinds()])

    def _add_kind(self, index: int) -> None:
        kind = self.add.itemText(index)
        self.add.setCurrentIndex(0)
        if index and kind not in self.kinds:
            self._kinds.setText(", ".join((*self.kinds, kind)))
            self.changed.emit()

    @property
    def kinds(self) -> tuple[str, ...]:
        """The kinds of case, as typed."""
        return _words(self._kinds.text())

    @property
    def keywords(self) -> tuple[str, ...]:
        """The keywords, as typed."""
        return _words(self.keyword_field.text())


def _words(text: str) -> tuple[str, ...]:
    return tuple(dict.fromkeys(filter(None, (word.strip() for word in text.split(",")))))
