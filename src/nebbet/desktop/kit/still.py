"""Choices and numbers that the wheel does not change: it scrolls the page that they stand on."""

from PySide6.QtGui import QWheelEvent
from PySide6.QtWidgets import QComboBox, QSpinBox


class StillCombo(QComboBox):
    """A choice that is made by key and by click alone."""

    def wheelEvent(self, event: QWheelEvent) -> None:
        """Leave the wheel to what the choice stands on."""
        event.ignore()


class StillNumber(QSpinBox):
    """A number that is changed by key alone."""

    def wheelEvent(self, event: QWheelEvent) -> None:
        """Leave the wheel to what the number stands on."""
        event.ignore()
