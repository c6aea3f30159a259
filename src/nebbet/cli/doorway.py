"""One window for one home: a second start hands what it is for to the window that is open."""

import socket
import time
from collections.abc import Callable
from contextlib import suppress
from pathlib import Path
from typing import IO

import msgspec
from msgspec import Struct
from PySide6.QtCore import QObject, Qt, QTimer
from PySide6.QtNetwork import QLocalServer, QLocalSocket
from PySide6.QtWidgets import QApplication

from nebbet.core.message.links import Prepared
from nebbet.desktop.window import Window
from nebbet.personal.home import Home, HomeTaken, take_home

_HEARD = b"y"
_LARGEST = 1_000_000  # bytes of what a start may be for
_ANSWER = 2.0  # seconds that an open window has to answer
_ENDING = 3.0  # seconds that a window which is being closed has to end
_OPENING = 60.0  # seconds that one which has no door yet has to open it
_AGAIN = 0.1  # seconds between two tries
_BOX_AGAIN = 300  # milliseconds until it is looked again whether a box is still open


class Wanted(Struct, frozen=True):
    """What a window is started for: a new letter, or a message in a file."""

    template: str = ""
    to: str = ""
    case: str = ""
    prepared: Prepared | None = None
    message: str = ""


def enter(home: Home, wanted: Wanted | None) -> IO[str] | None:
    """Make a home one's own as long as the returned file is open; None where an open window has it,
    which then does what is wanted. Raises HomeTaken where something has it that does not answer.
    """
    began = time.monotonic()
    while True:
        try:
            taken = take_home(home)
            _path(home).unlink(missing_ok=True)  # of one that was killed: there is no door yet
            return taken
        except HomeTaken:
            if _hand_over(home, wanted):
                return None
            patience = _ENDING if _path(home).exists() else _OPENING
            if time.monotonic() > began + patience:
                raise
        time.sleep(_AGAIN)


def _hand_over(home: Home, wanted: Wanted | None) -> bool:
    with suppress(OSError), socket.socket(socket.AF_UNIX) as line:
        line.settimeout(_ANSWER)
        line.connect(str(_path(home)))
        line.sendall(msgspec.json.encode(wanted) + b"\n")
        return line.recv(1) == _HEARD
    return False


def _path(home: Home) -> Path:
    """The socket; nobody else may look into its folder."""
    return home.data / "door"


class Doorway(QObject):
    """Brings the window to the front when Nebbet is started again, and has it do what that start
    was for, as soon as the library is open and no box asks something."""

    def __init__(
        self, window: Window, home: Home, take_up: Callable[[Window, Wanted], None]
    ) -> None:
        super().__init__(window)
        self._window = window
        self._take_up = take_up
        self._wanted: list[Wanted] = []
        window.opened.connect(self._go_on)
        self._server = QLocalServer(self)
        self._server.setSocketOptions(QLocalServer.SocketOption.UserAccessOption)
        self._server.newConnection.connect(self._answer)
        path = str(_path(home))
        QLocalServer.removeServer(path)  # left by one that was killed: the home is ours
        self._server.listen(path)  # where no socket can be, a second start is refused instead

    def want(self, wanted: Wanted) -> None:
        """Do what a start was for, as soon as it can be done."""
        self._wanted.append(wanted)
        self._go_on()

    def _answer(self) -> None:
        line = self._server.nextPendingConnection()
        line.disconnected.connect(line.deleteLater)
        line.readyRead.connect(lambda: self._hear(line))
        self._hear(line)

    def _hear(self, line: QLocalSocket) -> None:
        if line.bytesAvailable() > _LARGEST:
            line.abort()
        if not line.canReadLine():
            return
        data = line.readLine().data()
        # One that is being closed says nothing: whoever asks starts a window of its own then.
        if not self._window.isVisible():
            line.abort()
            return
        try:
            wanted = msgspec.json.decode(data, type=Wanted | None)
        except msgspec.DecodeError:
            line.abort()
            return
        line.write(_HEARD)
        line.disconnectFromServer()
        self._come_forward()
        if wanted is not None:
            self.want(wanted)

    def _come_forward(self) -> None:
        window = self._window
        window.setWindowState(window.windowState() & ~Qt.WindowState.WindowMinimized)
        window.raise_()
        window.activateWindow()

    def _go_on(self) -> None:
        if not self._window.is_open or not self._wanted:
            return
        if QApplication.activeModalWidget() is not None:
            QTimer.singleShot(_BOX_AGAIN, self, self._go_on)
            return
        self._take_up(self._window, self._wanted.pop(0))
        self._go_on()
