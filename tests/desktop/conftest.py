"""The real window on the demo's world, driven by keys and mouse."""

import email
import email.policy
import gc
import os
import shutil
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from datetime import datetime
from email.message import EmailMessage
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

import pytest
from msgspec.structs import replace
from PySide6.QtCore import QEvent, QEventLoop, QPoint, Qt
from PySide6.QtGui import QKeySequence
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QListWidget, QTableView, QWidget
from pytestqt.qtbot import QtBot

from nebbet.desktop import application
from nebbet.desktop.kit import theme
from nebbet.desktop.letters import side
from nebbet.desktop.window import Window
from nebbet.library.holdings import Template
from nebbet.personal.home import Home, home_in
from nebbet.personal.secrets import SessionSecrets
from nebbet.personal.settings import read_settings, write_settings
from nebbet.post import imap
from nebbet.standin import demo
from nebbet.standin.ports import CATCH_ALL
from nebbet.standin.service import MailService
from tests.conftest import NOW

PATIENCE = 15_000  # milliseconds: how long a test waits for what must happen


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """Qt's own warnings fail a test."""
    for item in items:
        item.add_marker(pytest.mark.qt_log_level_fail("WARNING"))
        # What the offscreen platform cannot do is no fault of the window.
        cannot = ("propagateSizeHints", "does not support (raise|grabbing)")
        item.add_marker(pytest.mark.qt_log_ignore(*cannot, extend=True))


@pytest.fixture(autouse=True)
def garbage_is_collected_here() -> Iterator[None]:
    """What Qt owns may only end in the window's thread: in another one, the end waits for Python
    while Python waits for Qt."""
    gc.disable()
    gc.collect()  # of the test before: only now is it really over
    gc.freeze()  # what stays is of no test, and need not be looked through again
    yield


@pytest.fixture(autouse=True)
def doubts_are_read_at_once(monkeypatch: pytest.MonkeyPatch) -> None:
    """A test reads faster than a person."""
    monkeypatch.setattr(side, "UNREAD", 0)


@pytest.fixture(scope="session")
def made_home(tmp_path_factory: pytest.TempPathFactory) -> Home:
    """The demo, made once; each test works on a copy."""
    home = home_in(tmp_path_factory.mktemp("demo"))
    demo.prepare_demo(home, NOW, past=False, service_of=MailService).stop()
    return home


@pytest.fixture
def home(made_home: Home, tmp_path: Path) -> Home:
    copied = home_in(tmp_path / "home")
    shutil.copytree(made_home.data, copied.data)
    return copied


@pytest.fixture
def service(home: Home) -> Iterator[MailService]:
    made = demo.prepare_demo(home, NOW, keep=True, service_of=MailService)
    assert isinstance(made, MailService)
    settings = read_settings(home.settings_file)
    # Only tests of arrived messages look into the mailbox.
    account = replace(settings.account, folders=())
    write_settings(home.settings_file, replace(settings, hold_seconds=0, account=account, more=()))
    yield made
    made.stop()


@dataclass
class Clock:
    """A clock that a test moves."""

    moment: datetime = NOW

    def __call__(self) -> datetime:
        return self.moment


class Hand:
    """A person at the keyboard and the mouse."""

    def __init__(
        self, window: Window, qtbot: QtBot, service: MailService, clock: Clock | None = None
    ) -> None:
        self.window, self.bot, self.service = window, qtbot, service
        self.clock = clock or Clock()
        self.session = window.session

    # Keyboard

    @property
    def focus(self) -> QWidget:
        found = QApplication.focusWidget()
        assert found is not None, "nothing has the focus"
        return found

    def type(self, text: str) -> None:
        for letter in text:
            QTest.keyClicks(self.focus, letter)
        self.settle()

    def press(self, *keys: str) -> None:
        for key in keys:
            combination = QKeySequence(key)[0]
            popup = QApplication.activePopupWidget()  # a menu takes the keys while it is open
            target = (popup.focusWidget() or popup) if popup else self.focus
            QTest.keyClick(target, combination.key(), combination.keyboardModifiers())
            if popup and not QApplication.activePopupWidget():
                self.window.activateWindow()  # the offscreen platform forgets which one was active
            self.settle()

    def settle(self) -> None:
        """Wait until the people and cases that were asked for have come."""
        if self.session.shared.people.is_busy:
            self.until(lambda: not self.session.shared.people.is_busy)

    def put_in_use(self, note: str = "Better words") -> None:
        """Put the template in the editor in use; if asked what changed, say so."""
        self.press("Ctrl+Shift+S")
        field = self.window.library.editor.note
        if self.focus is field and not field.text():
            self.type(note)
            self.press("Return")

    # Mouse

    def click(self, widget: QWidget) -> None:
        QApplication.processEvents()
        assert widget.isVisible(), f"{widget.accessibleName()} cannot be seen"
        assert widget.isEnabled(), f"{widget.accessibleName()} cannot be used"
        where = widget.mapTo(self.window, widget.rect().center())
        assert self.window.rect().contains(where), f"{widget.accessibleName()} is out of reach"
        QTest.mouseClick(widget, Qt.MouseButton.LeftButton)
        self.settle()

    def click_row(self, view: QListWidget | QTableView, text: str, *, double: bool = False) -> None:
        model = view.model()

        def rows() -> list[int]:
            said = [str(model.index(row, 0).data()) for row in range(model.rowCount())]
            return [row for row, words in enumerate(said) if text in words]

        self.until(rows)
        where = view.visualRect(model.index(rows()[0], 0)).center()
        QTest.mouseClick(view.viewport(), Qt.MouseButton.LeftButton, pos=where)
        if double:
            QTest.mouseDClick(view.viewport(), Qt.MouseButton.LeftButton, pos=where)

    def click_text(self, editor, words: str) -> None:  # type: ignore[no-untyped-def]
        cursor = editor.document().find(words)
        assert not cursor.isNull(), f"{words!r} is not on the paper"
        cursor.setPosition((cursor.selectionStart() + cursor.selectionEnd()) // 2)
        where = editor.cursorRect(cursor).center() + QPoint(0, 0)
        QTest.mouseClick(editor.viewport(), Qt.MouseButton.LeftButton, pos=where)

    # Waiting and looking

    def until(self, true: Callable[[], object]) -> None:
        self.bot.waitUntil(lambda: bool(true()), timeout=PATIENCE)

    @property
    def said(self) -> str:
        return self.window.notices.text if self.window.notices.isVisible() else ""

    def sent_all(self) -> None:
        """Wait until the outbox is empty and the register knows."""
        try:
            self.until(lambda: self.session.shared.entries and not self.session.sending.outbox)
        except Exception:
            left = [(e.state, e.words) for e in self.session.sending.outbox]
            found = [f.sentence for f in self.window.letters.model.findings]
            raise AssertionError(f"not sent: {left}, {found}, {self.said!r}") from None

    def mailbox(self, user: str = CATCH_ALL, folder: str = "INBOX") -> list[EmailMessage]:
        """What lies in a mailbox, fetched over IMAP, read by the standard library's parser."""
        return self.mailbox_of(user, demo.PASSWORD, folder)

    def mailbox_of(self, user: str, password: str, folder: str = "INBOX") -> list[EmailMessage]:
        """What lies in a mailbox of some password."""
        with imap.mailbox(self.service.account(user), password) as client:
            if not client.folder_exists(folder):
                return []
            client.select_folder(folder, readonly=True)
            found = client.fetch(client.search("ALL"), ["RFC822"])
        messages = [
            email.message_from_bytes(one[b"RFC822"], policy=email.policy.default)
            for one in found.values()
        ]
        assert all(isinstance(one, EmailMessage) for one in messages)
        return messages  # type: ignore[return-value]


def template(hand: Hand, key: str = "refund-agreed") -> Template:
    """A template as the window knows it."""
    return hand.session.shared.catalogue.templates[key]


def open_window(home: Home, now: Callable[[], datetime] | None = None) -> Window:
    settings = read_settings(home.settings_file)
    return open_window_with(home, SessionSecrets(demo.passwords_of(settings)), now)


def open_window_with(
    home: Home, secrets: SessionSecrets, now: Callable[[], datetime] | None = None
) -> Window:
    instance = QApplication.instance()
    assert isinstance(instance, QApplication)
    theme.apply(instance)
    window = Window(application.make_parts(home, secrets, now or (lambda: NOW)))
    window.show()
    window.activateWindow()
    wait_until_open(window)
    return window


def wait_until_open(window: Window) -> None:
    """Wait until the files are read, and what is in them can be found."""
    loop = QEventLoop()
    window.session.shared.search.ready.connect(loop.quit)
    window.not_opened.connect(loop.quit)
    loop.exec()


@pytest.fixture
def hand(home: Home, service: MailService, qtbot: QtBot) -> Iterator[Hand]:
    clock = Clock()
    window = open_window(home, clock)
    qtbot.waitUntil(lambda: QApplication.focusWidget() is not None, timeout=PATIENCE)
    window.notices.ask = lambda *_args: True  # type: ignore[method-assign]
    yield Hand(window, qtbot, service, clock)
    close(window)


def close(window: Window) -> None:
    window.notices.ask = lambda *_args: True  # type: ignore[method-assign]
    window.close()
    window.deleteLater()
    QApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete.value)
    QApplication.processEvents()
