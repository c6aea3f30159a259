"""The help of a place: what it is for, and every key that works in it."""

from PySide6.QtCore import Qt
from PySide6.QtGui import QAction, QKeyEvent
from PySide6.QtWidgets import QFrame, QVBoxLayout, QWidget

from nebbet.core.sentences import said
from nebbet.desktop.kit import pieces
from nebbet.desktop.kit.place import Place


def keys_at(place: Place) -> dict[str, list[QAction]]:
    """The actions that have a key in a place as it is now, under the words for where they work:
    the page at hand, what is shown in it, the place around it, the window."""
    page = place.at_hand()
    inside = [w for w in page.findChildren(QWidget) if w.isVisibleTo(page) and w.actions()]
    places = [w for w in inside if isinstance(w, Place)]
    texts = [w for w in inside if not isinstance(w, Place)]
    groups: dict[str, list[QWidget]] = {
        said("Here"): [page, *places],
        said("In a text"): texts,
        said("In the whole place"): [place] if place is not page else [],
        said("Everywhere"): [place.window()],
    }
    found = {words: _with_keys(widgets) for words, widgets in groups.items()}
    return {words: actions for words, actions in found.items() if actions}


def _with_keys(widgets: list[QWidget]) -> list[QAction]:
    """Each action with a key once: a page may show several texts that have the same."""
    known: dict[tuple[str, str], QAction] = {}
    for widget in widgets:
        for action in widget.actions():
            if not action.shortcut().isEmpty():
                known.setdefault((action.shortcut().toString(), action.text()), action)
    return list(known.values())


class HelpBox(QFrame):
    """What a place is for and which keys it has."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setObjectName("box")
        self._over = parent
        self.title = pieces.label("", "title")
        self._text = pieces.label("", "", wrap=True)
        self._keys = QWidget()
        self._rows = QVBoxLayout(self._keys)
        self.close_button = pieces.button("Close (Esc)", self.hide)
        pieces.fill(
            QVBoxLayout(self),
            self.title,
            self._text,
            pieces.rule(),
            pieces.grow(pieces.scrolled(self._keys)),
            pieces.row(None, self.close_button),
            margin=18,
            spacing=8,
        )
        self.hide()

    def open_for(self, place: Place) -> None:
        """Show the help of a place, or of the page that is open in it, over the window."""
        found = keys_at(place)
        self.title.setText(place.at_hand().title)
        self._text.setText(place.at_hand().help)
        pieces.clear(self._rows)
        for where, actions in found.items():
            self._rows.addWidget(pieces.label(where, "heading"))
            for action in actions:
                shown = pieces.label(action.shortcut().toString())
                shown.setFixedWidth(150)
                words = pieces.label(action.text().replace("&", ""), "faint")
                self._rows.addLayout(pieces.row(shown, pieces.grow(words)))
        self._rows.addStretch(1)
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
