"""Doing something once, when what leads to it has paused."""

from collections.abc import Callable

from PySide6.QtCore import QObject, QTimer

AUTOSAVE = 500  # milliseconds after the last keystroke

DOUBLE_PRESS = 900  # milliseconds: longer than a key or a button pressed twice takes


def after_pause(owner: QObject, milliseconds: int, act: Callable[[], object]) -> QTimer:
    """A timer that does something so long after it was started last."""
    timer = QTimer(owner)
    timer.setSingleShot(True)
    timer.setInterval(milliseconds)
    timer.timeout.connect(act)
    return timer
