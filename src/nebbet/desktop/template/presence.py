"""Letting others know which template one has open in the editor."""

from PySide6.QtCore import QObject, QTimer

from nebbet.core.errors import NebbetError
from nebbet.desktop.session.shared_library import SharedLibrary

_SIGN = 30_000  # milliseconds between two signs of life


class Presence(QObject):
    """Keeps a row in the library as long as a template is open. That it cannot be kept is nothing
    to trouble anybody with: it only tells others."""

    def __init__(self, shared: SharedLibrary) -> None:
        super().__init__()
        self._shared = shared
        self._at = ""
        self._timer = QTimer(self)
        self._timer.setInterval(_SIGN)
        self._timer.timeout.connect(self._tell)

    def show(self, template: str) -> None:
        """The person is at this template now, or at none."""
        if template == self._at:
            return
        self._leave()
        self._at = template
        if template:
            self._tell()
            self._timer.start()
        else:
            self._timer.stop()

    def _tell(self) -> None:
        library, me, now = self._shared.library, self._shared.my_id, self._shared.now()
        template = self._at
        if me and library.role != "reader":
            self._shared.operations.run(
                lambda: library.be_present(template, me, now), _nothing, _unheard
            )

    def _leave(self) -> None:
        library, me, template = self._shared.library, self._shared.my_id, self._at
        if template and me and library.role != "reader":
            self._shared.operations.run(lambda: library.be_gone(template, me), _nothing, _unheard)


def _nothing(_result: object) -> None:
    """Nothing is to be done when this went well."""


def _unheard(_error: NebbetError) -> None:
    """Others go without knowing."""
