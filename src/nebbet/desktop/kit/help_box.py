"""The help of a place: what it is for, and every key that works in it."""

from PySide6.QtCore import QRect
from PySide6.QtGui import QAction
from PySide6.QtWidgets import QWidget

from nebbet.core.sentences import said
from nebbet.desktop.kit import pieces
from nebbet.desktop.kit.box import Box
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


class HelpBox(Box):
    """What a place is for and which keys it has."""

    def __init__(self, parent: QWidget) -> None:
        text = pieces.label("", "", wrap=True)
        super().__init__(parent, text)
        self._text = text

    def open_for(self, place: Place) -> None:
        """Show the help of a place, or of the page that is open in it, over the window."""
        self.title.setText(place.at_hand().title)
        self._text.setText(place.at_hand().help)
        pieces.clear(self.rows)
        for where, actions in keys_at(place).items():
            self.rows.addWidget(pieces.label(where, "heading"))
            for action in actions:
                shown = pieces.label(action.shortcut().toString())
                shown.setFixedWidth(150)
                words = pieces.label(action.text().replace("&", ""), "faint")
                self.rows.addLayout(pieces.row(shown, pieces.grow(words)))
        width = min(460, self.over.width() - 40)
        left = self.over.width() - width - 12
        self.open_at(QRect(left, 54, width, self.over.height() - 70))
