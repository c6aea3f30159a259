"""What every place has: a page, its keys, and a way to arrive."""

from collections.abc import Callable

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QAction, QKeySequence
from PySide6.QtWidgets import QWidget


class Place(QWidget):
    """A page of the window with actions that have keys; help is what F1 says about it.

    for_leads are the controls that only a lead of the library has. left tells that the person goes
    back to where they came from.
    """

    left = Signal()
    title = ""
    help = ""
    for_leads: tuple[QWidget, ...] = ()

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("page")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)

    def add_key(
        self, words: str, keys: str, act: Callable[[], object], *, everywhere: bool = False
    ) -> QAction:
        """Give a key a meaning in this place."""
        action = QAction(words, self)
        action.setShortcut(QKeySequence(keys))
        context = Qt.ShortcutContext
        action.setShortcutContext(
            context.WindowShortcut if everywhere else context.WidgetWithChildrenShortcut
        )
        action.triggered.connect(lambda _checked=False: act())
        self.addAction(action)
        return action

    def at_hand(self) -> "Place":
        """The page inside this place that is open now, or the place itself."""
        return self

    def arrive(self) -> None:
        """The person has come here: put the focus where work begins."""

    def gone(self) -> None:
        """The person has gone elsewhere: keep what is not kept yet."""
