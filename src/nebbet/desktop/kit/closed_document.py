"""Text documents that get pictures from the library and the message, and nothing from elsewhere.

Qt itself reads the file that an image names wherever it is handed no picture, a device that never
ends as well. So what there is no picture for gets one of nothing.
"""

from collections.abc import Callable

from PySide6.QtCore import QObject, QUrl
from PySide6.QtGui import QImage, QTextDocument

# Tables that Qt lays out inside each other: each one more takes several times as long.
MOST_TABLES = 5


def no_picture() -> QImage:
    """A picture of nothing."""
    made = QImage(1, 1, QImage.Format.Format_ARGB32)
    made.fill(0)
    return made


class ClosedDocument(QTextDocument):
    """A document whose pictures come from a function, by their addresses, or not at all."""

    def __init__(self, picture: Callable[[str], QImage | None], parent: QObject | None) -> None:
        super().__init__(parent)
        self._picture = picture

    def loadResource(self, _kind: int, name: QUrl | str) -> object:
        address = name.toString() if isinstance(name, QUrl) else name
        return self._picture(address) or no_picture()
