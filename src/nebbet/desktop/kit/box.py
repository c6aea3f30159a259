"""A box that lies over the window until it is closed: a title, rows that scroll, a way out."""

from PySide6.QtCore import QRect, Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QFrame, QVBoxLayout, QWidget

from nebbet.desktop.kit import pieces


class Box(QFrame):
    """Holds rows under a title; head is what stands between them."""

    def __init__(self, over: QWidget, *head: QWidget) -> None:
        super().__init__(over)
        self.setObjectName("box")
        self.over = over
        self.title = pieces.label("", "title")
        rows = QWidget()
        self.rows = QVBoxLayout(rows)
        self.close_button = pieces.button("Close (Esc)", self.hide)
        pieces.fill(
            QVBoxLayout(self),
            self.title,
            *head,
            pieces.rule(),
            pieces.grow(pieces.scrolled(rows)),
            pieces.row(None, self.close_button),
            margin=18,
            spacing=8,
        )
        self.hide()

    def open_at(self, place: QRect) -> None:
        """Show the box, with the focus on the way out."""
        self.rows.addStretch(1)
        self.setGeometry(place)
        self.show()
        self.raise_()
        self.close_button.setFocus()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape:
            self.hide()
        else:
            super().keyPressEvent(event)
