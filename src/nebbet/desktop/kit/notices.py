"""What the window says to the person: a strip at its foot, and questions that block."""

from collections.abc import Callable
from typing import Protocol

from PySide6.QtCore import QEvent, QObject, Qt, QTimer
from PySide6.QtWidgets import QHBoxLayout, QMessageBox, QVBoxLayout, QWidget

from nebbet.core.errors import NebbetError
from nebbet.desktop.kit import pieces

BRIEF = 6  # seconds: for what one is glad to see and need not act upon
READ = 20  # seconds: long enough to read a sentence and decide


class Voice(Protocol):
    """The port that messages go through; it knows no Qt."""

    def say(
        self,
        text: str,
        action: str = "",
        act: Callable[[], object] | None = None,
        seconds: int = READ,
        *,
        about: str = "",
    ) -> None:
        """Tell something for a while, with one thing that can be done about it. about names what
        it stands and falls with."""

    def over(self, about: str) -> None:
        """What was told about something holds no longer."""

    def add(self, text: str) -> None:
        """Tell something that matters less than whatever is being told."""

    def fail(self, error: NebbetError) -> None:
        """Tell what went wrong."""

    def ask(self, title: str, text: str, verb: str, otherwise: str = "Cancel") -> bool:
        """Ask before something is destroyed; the safe answer is the default."""


FOOT = 46  # pixels: two lines of a sentence


class Foot(QWidget):
    """The foot of the window: always as tall, so that nothing above it moves when it says
    something; a faint line of keys while it says nothing."""

    def __init__(self, strip: "NoticeStrip", keys: str) -> None:
        super().__init__()
        self.setObjectName("band")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedHeight(FOOT)
        self._keys = pieces.label(keys, "note")
        pieces.fill(QVBoxLayout(self), pieces.rule(), strip, self._idle(), spacing=0)
        strip.installEventFilter(self)

    def _idle(self) -> QWidget:
        self._line = QWidget()
        pieces.fill(QHBoxLayout(self._line), self._keys, None, margin=12)
        return self._line

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if event.type() in (QEvent.Type.ShowToParent, QEvent.Type.HideToParent):
            self._line.setVisible(event.type() == QEvent.Type.HideToParent)
        return super().eventFilter(watched, event)


class NoticeStrip(QWidget):
    """One sentence at the foot of the window, until it is closed, replaced or has been there
    long enough to read."""

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("notice")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self._text = pieces.label(wrap=True)
        self._act: Callable[[], object] | None = None
        self._about = ""
        self.action = pieces.button("Put back", self._do)
        self.close_button = pieces.button("Close", self.hide)
        pieces.fill(QHBoxLayout(self), pieces.grow(self._text), self.action, self.close_button)
        self.layout().setContentsMargins(12, 3, 8, 3)  # type: ignore[union-attr]
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.timeout.connect(self.hide)
        self.hide()

    @property
    def text(self) -> str:
        return self._text.text()

    def say(
        self,
        text: str,
        action: str = "",
        act: Callable[[], object] | None = None,
        seconds: int = READ,
        *,
        about: str = "",
    ) -> None:
        self._about = about
        self._text.setText(text)
        self._text.setAccessibleName(text)
        self._act = act
        self.action.setText(action)
        self.action.setAccessibleName(action)
        self.action.setVisible(bool(action))
        self.show()
        self._timer.start(seconds * 1000)

    def over(self, about: str) -> None:
        if self._about == about:
            self.hide()

    def add(self, text: str) -> None:
        if self.isHidden():
            self.say(text, seconds=BRIEF)

    def fail(self, error: NebbetError) -> None:
        self.say(error.sentence)
        self._timer.stop()  # what went wrong stays until it has been read

    def ask(self, title: str, text: str, verb: str, otherwise: str = "Cancel") -> bool:
        box = QMessageBox(self.window())
        box.setTextFormat(Qt.TextFormat.PlainText)
        box.setWindowTitle(title)
        box.setText(title)
        box.setInformativeText(text)
        go = box.addButton(verb, QMessageBox.ButtonRole.DestructiveRole)
        stay = box.addButton(otherwise, QMessageBox.ButtonRole.RejectRole)
        box.setDefaultButton(stay)
        box.setEscapeButton(stay)
        box.exec()
        return box.clickedButton() is go

    def _do(self) -> None:
        act, self._act = self._act, None
        self.hide()
        if act:
            act()
