"""The help of a place: what it is for, and its keys."""

from PySide6.QtCore import Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QFrame, QVBoxLayout, QWidget

from nebbet.desktop.kit import pieces
from nebbet.desktop.kit.place import Place


class HelpBox(QFrame):
    """What a place is for and which keys it has."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setObjectName("box")
        self._over = parent
        self.title = pieces.label("", "title")
        self._text = pieces.label("", "", wrap=True)
        self._keys = QVBoxLayout()
        self.close_button = pieces.button("Close (Esc)", self.hide)
        pieces.fill(
            QVBoxLayout(self),
            self.title,
            self._text,
            pieces.rule(),
            self._keys,
            None,
            pieces.row(None, self.close_button),
            margin=18,
            spacing=8,
        )
        self.hide()

    def open_for(self, place: Place, everywhere: list[tuple[str, str]]) -> None:
        """Show the help of a place, or of the page that is open in it, over the window."""
        place = place.at_hand()
        self.title.setText(place.title)
        self._text.setText(place.help)
        pieces.clear(self._keys)
        for keys, words in [*place.keys(), *everywhere]:
            shown = pieces.label(keys)
            shown.setFixedWidth(150)
            self._keys.addLayout(pieces.row(shown, pieces.grow(pieces.label(words, "faint"))))
        window = self._over
        width = min(460, window.width() - 40)
        self.setGeometry(window.width() - width - 12, 54, width, window.height() - 70)
        self.show()
        self.raise_()
        self.close_button.setFocus()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape:
            self.hide()
        else:
            super().keyPressEvent(event)
