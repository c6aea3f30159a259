"""A message to be read: headers, the formatted text, attachments that can be saved."""

from collections.abc import Callable
from functools import partial
from pathlib import Path
from urllib.parse import unquote

from PySide6.QtCore import QUrl, Signal
from PySide6.QtWidgets import (
    QFileDialog,
    QFrame,
    QHBoxLayout,
    QMenu,
    QPushButton,
    QSizePolicy,
    QTextBrowser,
    QVBoxLayout,
    QWidget,
)

from nebbet.core.body import levelled
from nebbet.core.errors import NebbetError
from nebbet.core.message.received import Received
from nebbet.core.sentences import said
from nebbet.desktop.kit import pieces, theme
from nebbet.desktop.kit.closed_document import MOST_TABLES, no_picture
from nebbet.desktop.kit.pictures import image_of
from nebbet.library.disk import disk_explained


class _Reader(QTextBrowser):
    """Shows HTML with the pictures that the message itself carries, and no others."""

    def __init__(self) -> None:
        super().__init__()
        self.pictures: dict[str, bytes] = {}
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setOpenLinks(False)
        self.document().setDocumentMargin(12)
        self.setMaximumWidth(720)  # as wide as a message gets: Qt knows no max-width
        self.setPalette(theme.paper_palette())
        self.setStyleSheet("QTextBrowser { background: #FFFFFF; border: 1px solid #D8D1C6; }")
        theme.named(self, "Text of the message")

    def loadResource(self, _kind: int, name: QUrl | str) -> object:
        address = name.toString() if isinstance(name, QUrl) else name
        data = self.pictures.get(unquote(address.removeprefix("cid:")))
        image = image_of(data or b"")
        return no_picture() if image.isNull() else image


class MessageView(QWidget):
    """Shows one message. failed tells when an attachment cannot be saved."""

    failed = Signal(object)

    def __init__(self) -> None:
        super().__init__()
        self._heads = pieces.label("", "", wrap=True)
        self._heads.setTextInteractionFlags(
            self._heads.textInteractionFlags().TextSelectableByMouse
        )
        self.subject = pieces.label("", "title", wrap=True)
        self.reader = _Reader()
        # What else can be done with an attachment, beside saving it: words, and what is done.
        self.acts: list[tuple[str, Callable[[str, bytes], object]]] = []
        self._attachments = QHBoxLayout()
        pieces.fill(
            QVBoxLayout(self), self.subject, self._heads, self._attachments, self.reader, margin=16
        )
        self.reader.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)

    def show_message(self, received: Received) -> None:
        """Show a message."""
        self.subject.setText(received.subject or "(no subject)")
        heads = [
            ("From", received.sender),
            ("To", received.to),
            ("Cc", received.cc),
            ("Bcc", received.bcc),
            ("Date", received.date),
        ]
        lines = [f"{name}: {value[:1000]}" for name, value in heads if value]
        if received.cut:
            lines.append("Only the beginning of the text is shown: it is longer than a letter is.")
        self._heads.setText("\n".join(lines))
        self.reader.pictures = received.pictures
        if received.html:
            self.reader.setHtml(levelled(received.html, tables=MOST_TABLES).text)
        else:
            self.reader.setPlainText(received.plain)
        pieces.clear(self._attachments)
        for name, data in received.attachments:
            words = f"{name} ({size_words(len(data))})"
            button = pieces.button(words, lambda: None)
            button.clicked.connect(partial(self._offer, button, name, data))
            self._attachments.addWidget(button)
        self._attachments.addStretch(1)

    def _offer(self, button: QPushButton, name: str, data: bytes, _checked: bool = False) -> None:
        """Save an attachment, or offer what else can be done with it."""
        if not self.acts:
            self.save(name, data)
            return
        menu = QMenu(button)
        for words, act in (*self.acts, (said("Save it…"), self.save)):
            menu.addAction(words, partial(act, name, data))
        menu.aboutToHide.connect(menu.deleteLater)
        menu.popup(button.mapToGlobal(button.rect().bottomLeft()))
        menu.setActiveAction(menu.actions()[0])

    def save(self, name: str, data: bytes) -> None:
        """Save an attachment where the person says."""
        safe = Path(name).name or "attachment"
        path, _ = QFileDialog.getSaveFileName(self.window(), "Save attachment", safe)
        if not path:
            return
        try:
            with disk_explained(f"{safe} cannot be saved", "The message keeps it"):
                Path(path).write_bytes(data)
        except NebbetError as error:
            self.failed.emit(error)


def size_words(size: int) -> str:
    """A size as people say it.

    >>> size_words(120_000)
    '117 kB'
    """
    if size < 1024:
        return f"{size} bytes"
    if size < 2**20:
        return f"{size / 1024:.0f} kB"
    return f"{size / 2**20:.1f} MB"
