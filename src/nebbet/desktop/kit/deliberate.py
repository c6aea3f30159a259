"""A button that nobody presses by typing on."""

from PySide6.QtCore import QElapsedTimer, Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QPushButton

TYPING = 1500  # milliseconds after a letter in which a space belongs to what is typed


class DeliberateButton(QPushButton):
    """The focus may come here by itself while somebody types: a space that follows a letter is
    none that presses it."""

    def __init__(self, text: str) -> None:
        super().__init__(text)
        self._typed = QElapsedTimer()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        is_space = event.key() == Qt.Key.Key_Space
        if event.text().isprintable() and event.text().strip():
            self._typed.start()
        if is_space and self._typed.isValid() and self._typed.elapsed() < TYPING:
            event.accept()
            return
        super().keyPressEvent(event)
