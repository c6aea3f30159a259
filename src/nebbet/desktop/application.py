"""Starting the window."""

import gc
import logging
import os
import signal
import sys
from collections.abc import Callable
from contextlib import suppress
from datetime import datetime
from pathlib import Path
from types import TracebackType
from typing import Literal

from PySide6.QtCore import Qt, QTimer
from PySide6.QtWidgets import QApplication, QMessageBox

from nebbet.core.errors import NebbetError
from nebbet.desktop.kit import theme
from nebbet.desktop.kit.operations import BUG
from nebbet.desktop.session.parts import Parts
from nebbet.desktop.window import Window
from nebbet.personal.home import Home, make_home
from nebbet.personal.secrets import Secrets
from nebbet.personal.settings import read_settings

_log = logging.getLogger(__name__)
_SCREENS = ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM")

_COLLECTING, _COLLECT_EVERY = "collecting", 20_000  # milliseconds
# Seconds after which work in the background lets the window's thread have its turn. A list that is
# drawn asks Python some hundred times: with Python's own 5 milliseconds each asks that long.
_SWITCH = 0.0005


def local_now() -> datetime:
    """This moment in the time zone of this machine."""
    return datetime.now().astimezone()


def make_parts(
    home: Home,
    secrets: Secrets,
    now: Callable[[], datetime] = local_now,
    role: Literal["lead", "colleague", "reader"] | None = None,
) -> Parts:
    """What a session is made of. Raises NebbetError when the folder cannot be used."""
    make_home(home)
    settings = read_settings(home.settings_file)
    if "://" in settings.library:  # what a server needs is loaded only where there is one
        from nebbet.personal.stores import without_password

        settings = without_password(home, settings, secrets)
    return Parts(home, settings, secrets, now, role=role)


def run(
    home: Home,
    secrets: Secrets,
    prepare: Callable[[Window], None] | None = None,
    role: Literal["lead", "colleague", "reader"] | None = None,
) -> int:
    """Show the window until it is closed; returns the exit code."""
    if not any(os.environ.get(name) for name in _SCREENS):
        # Qt would end the program at once, with a message that is for programmers.
        return _refuse(
            NebbetError(
                "There is no screen to open a window on",
                advice="Start Nebbet from your desktop; nebbet --help shows what works without one",
            )
        )
    application = QApplication.instance() or QApplication(sys.argv[:1])
    assert isinstance(application, QApplication)
    application.setApplicationName("Nebbet")
    sys.setswitchinterval(_SWITCH)
    theme.apply(application)
    try:
        window = Window(make_parts(home, secrets, role=role))
    except NebbetError as error:
        return _refuse(error)
    window.not_opened.connect(lambda error: application.exit(_refuse(error)))
    _catch_bugs(window)
    _let_signals_through(window)
    window.opened.connect(_collect_garbage_again)
    window.session_made.connect(
        lambda session: session.shared.search.ready.connect(
            _collect_garbage_again, Qt.ConnectionType.SingleShotConnection
        )
    )
    _stand_where_it_stood(application, window, home.window_file)
    window.show()
    if prepare:
        prepare(window)
    return application.exec()


def _stand_where_it_stood(application: QApplication, window: Window, path: Path) -> None:
    """Give the window the place and the size that it had when it was closed."""
    with suppress(OSError):
        window.restoreGeometry(path.read_bytes())

    def keep() -> None:
        with suppress(OSError):  # a window that stands elsewhere next time is no loss
            path.write_bytes(window.saveGeometry().data())

    application.aboutToQuit.connect(keep)


def _collect_garbage_again() -> None:
    """The start is over; what it made stays, and is not looked through again. From now on this
    thread collects, no other: what Qt owns and ends elsewhere can lock both."""
    gc.freeze()
    application = QApplication.instance()
    if application is not None and application.findChild(QTimer, _COLLECTING) is None:
        timer = QTimer(application)
        timer.setObjectName(_COLLECTING)
        timer.timeout.connect(gc.collect)
        timer.start(_COLLECT_EVERY)


def _refuse(error: NebbetError) -> int:
    """Say why the window cannot open, where it was started and on the screen."""
    sys.stderr.write(f"nebbet: {error.sentence}\n")
    on_screen = QApplication.instance() and QApplication.platformName() != "offscreen"
    if on_screen:
        box = QMessageBox(QMessageBox.Icon.Critical, "Nebbet cannot open", "")
        box.setTextFormat(Qt.TextFormat.PlainText)
        box.setText(error.sentence)
        box.exec()
    return 2


def _catch_bugs(window: Window) -> None:
    """A mistake in our own code is logged whole and told in one sentence; work goes on."""

    def hook(kind: type[BaseException], error: BaseException, trace: TracebackType | None) -> None:
        _log.error("an error in Nebbet", exc_info=(kind, error, trace))
        window.notices.fail(BUG)

    sys.excepthook = hook


def _let_signals_through(window: Window) -> None:
    """Ctrl+C and a polite kill keep everything and end; Qt alone would not let Python see them."""

    def end(_number: int, _frame: object) -> None:
        window.session.close()
        os._exit(0)

    for number in (signal.SIGINT, signal.SIGTERM):
        signal.signal(number, end)
    pulse = QTimer(window)
    pulse.timeout.connect(lambda: None)
    pulse.start(300)
