"""The list of placeholders that comes while somebody types {{."""

from PySide6.QtCore import QEvent, QObject, QRect, Qt, QTimer, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QWidget

from nebbet.desktop.kit import pieces
from nebbet.desktop.kit.picker import Choice, ChoiceList

_LONGEST_QUERY = 160  # signs: a choice or a date rule may be said in them
_RETURN = (Qt.Key.Key_Return, Qt.Key.Key_Enter)


def query_in(before: str) -> tuple[int, str] | None:
    """Where {{ was opened in the text before the cursor, and what was typed since."""
    start = before.rfind("{{")
    words = before[start + 2 :]
    if start < 0 or len(words) > _LONGEST_QUERY:
        return None
    if before[max(start - 1, 0) : start] == "\\" or set(words) & set("{}|"):
        return None
    return start, words


class OfferList(ChoiceList):
    """Stands under (or over) the cursor of a text; taken says that somebody chose."""

    taken = Signal()

    def __init__(self, over: QWidget, name: str = "Placeholders that fit") -> None:
        super().__init__(name)
        self.setParent(over)  # until it is shown, over the window: it ends with its text
        self.setObjectName("popup")
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.hide()
        self.itemClicked.connect(lambda _item: self.taken.emit())

    def show_under(
        self, text: QWidget, cursor: QRect, choices: list[Choice], *, first: bool = True
    ) -> None:
        """Show what fits; nothing fits, nothing shows. first puts the mark on the first row, which
        Return takes; without it a row has to be gone to."""
        if not choices:
            self.hide()
            return
        text.installEventFilter(self)  # once more does no harm
        self.show_choices(choices)
        if first:
            self.choose_first()
        else:
            self.setCurrentRow(-1)
        self._place(text, cursor, len(choices))
        self.show()
        self.raise_()
        # A page that has just come to the front is only then laid out.
        QTimer.singleShot(0, self, lambda: self._place_again(text))

    def _place_again(self, text: QWidget) -> None:
        if self.isVisible():
            self._place(text, text.cursorRect(), self.count())  # type: ignore[attr-defined]

    def _place(self, text: QWidget, cursor: QRect, count: int) -> None:
        window = text.window()
        if self.parent() is not window:
            self.setParent(window)
        height = min(count * 42 + 4, 260)
        self.setGeometry(pieces.place_under(text, cursor, 320, height, gap=4))

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """While the list is there, Esc is for it and not for the page behind it, and Tab before the
        focus goes on with it."""
        if isinstance(event, QKeyEvent) and self.isVisible():
            is_asked = event.type() == QEvent.Type.ShortcutOverride
            if is_asked and event.key() == Qt.Key.Key_Escape:
                event.accept()
                return True
            if event.type() == QEvent.Type.KeyPress and event.key() == Qt.Key.Key_Tab:
                return self.takes(event)
        return super().eventFilter(watched, event)

    def takes(self, event: QKeyEvent) -> bool:
        """Whether a key is for the list; it is acted upon then."""
        key = event.key()
        if not self.isVisible():
            return False
        if key in (Qt.Key.Key_Down, Qt.Key.Key_Up):
            self.step(1 if key == Qt.Key.Key_Down else -1)
        elif key in (*_RETURN, Qt.Key.Key_Tab) and self.key:
            self.taken.emit()
        elif key == Qt.Key.Key_Escape:
            self.hide()
        else:
            return False
        return True
