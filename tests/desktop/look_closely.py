"""Shows pages that try to reach out, in every view for markup of others, and prints as JSON what
came to a listening socket and what the desktop was asked to open. Run by test_closed_views.py in a
process of its own: the web engine starts others and reads its flags once."""

import json
import os
import socket
import sys
import threading
import time
from pathlib import Path

os.environ["QT_QPA_PLATFORM"] = "offscreen"

from PySide6.QtCore import QObject, QPoint, Qt, QUrl, Slot
from PySide6.QtGui import QDesktopServices, QImage
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from nebbet.core import inline
from nebbet.core.body import Markup
from nebbet.core.message.received import Received
from nebbet.desktop.kit.as_received import AsReceived
from nebbet.desktop.kit.message_view import MessageView
from nebbet.desktop.paper.slot_edit import SlotEdit
from tests.desktop.reaching_out import vectors


class Ear(threading.Thread):
    """Counts who connects."""

    def __init__(self) -> None:
        super().__init__(daemon=True)
        self.heard: list[str] = []
        self.socket = socket.create_server(("127.0.0.1", 0))
        self.address = f"http://127.0.0.1:{self.socket.getsockname()[1]}/"

    def run(self) -> None:
        while True:
            connection, _ = self.socket.accept()
            connection.settimeout(1)
            try:
                self.heard.append(connection.recv(200).decode("latin-1").split("\r\n")[0])
            except OSError:
                self.heard.append("connected")
            connection.close()


def spin(seconds: float) -> None:
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        QApplication.processEvents()
        time.sleep(0.01)


def wait_loaded(view: AsReceived, html: str) -> None:
    came: list[bool] = []
    view.loaded.connect(lambda: came.append(True))
    view.show_message(html, "")
    end = time.monotonic() + 30
    while not came and time.monotonic() < end:
        QApplication.processEvents()
        time.sleep(0.01)


def click_link(view: AsReceived, href: str) -> None:
    """Follow a link that fills the page."""
    style = "position:fixed;inset:0;display:block;background:#eee"
    wait_loaded(view, f"<a href='{href}' style='{style}'>go</a>")
    spin(0.3)
    inside = view._view.view.focusProxy() or view._view.view  # type: ignore[union-attr]
    QTest.mouseClick(inside, Qt.MouseButton.LeftButton, pos=QPoint(60, 60))
    spin(0.6)


def main(folder: str) -> None:
    KEPT.append(QApplication(sys.argv[:1]))
    opened: list[str] = []
    for scheme in ("http", "https", "mailto", "tel", "ssh", "file", "nebbet"):
        keeper = Keeper(opened)
        KEPT.append(keeper)
        QDesktopServices.setUrlHandler(scheme, keeper, "take")
    ear = Ear()
    ear.start()
    red = Path(folder) / "red.png"
    image = QImage(8, 8, QImage.Format.Format_RGB32)
    image.fill(Qt.GlobalColor.red)
    image.save(str(red))
    pages = vectors(ear.address, red.as_uri())
    view = AsReceived()
    view.resize(800, 600)
    view.show()
    for page in ["".join(pages), *pages]:
        wait_loaded(view, f"<html><body>{page}</body></html>")
        spin(0.05)
    for look in ("narrow", "dark", "bare"):
        view.show_look(look)  # type: ignore[arg-type]
        spin(0.2)
    spin(1)
    asked = []
    for href in (
        ear.address,
        "mailto:a@b.example",
        "tel:1",
        "ssh://h.example",
        "file:///etc",
        "nebbet:x",
    ):
        view.link.hide()
        click_link(view, href)
        asked.append(view.link.isVisible())
    before = list(opened)
    click_link(view, "https://host.example/terms")
    QTest.mouseClick(view.open_link, Qt.MouseButton.LeftButton)
    spin(0.2)
    message = MessageView()
    paper = SlotEdit()
    for widget in (message, paper):
        widget.resize(600, 500)
        widget.show()
    grabs = []
    for page in pages:
        message.show_message(Received("", "", "", "", "", "s", "", page))
        paper.show_content((Markup(inline.parse(page)),), {})
        spin(0.01)
        grabs += [message.reader.grab().toImage(), paper.grab().toImage()]
    red_seen = any(_has_red(grab) for grab in grabs)
    spin(0.5)
    print(
        json.dumps(
            {
                "heard": ear.heard,
                "before": before,
                "opened": opened,
                "asked": asked,
                "red": red_seen,
            }
        )
    )
    sys.stdout.flush()
    os._exit(0)


def _has_red(image: QImage) -> bool:
    small = image.convertToFormat(QImage.Format.Format_RGB32)
    return any(
        small.pixelColor(x, y).name() == "#ff0000"
        for x in range(0, small.width(), 4)
        for y in range(0, small.height(), 4)
    )


class Keeper(QObject):
    """Takes what the desktop is asked to open."""

    def __init__(self, opened: list[str]) -> None:
        super().__init__()
        self._opened = opened

    @Slot(QUrl)
    def take(self, url: QUrl) -> None:
        self._opened.append(url.toString())


KEPT: list[QObject] = []

if __name__ == "__main__":
    main(sys.argv[1])
