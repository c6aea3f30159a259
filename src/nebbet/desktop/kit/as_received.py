"""A message as its recipient sees it: wide, narrow, dark, without pictures, as plain text."""

from collections.abc import Callable
from typing import Literal

from PySide6.QtCore import QUrl, Signal
from PySide6.QtGui import QDesktopServices, QFontDatabase
from PySide6.QtWidgets import (
    QButtonGroup,
    QHBoxLayout,
    QPlainTextEdit,
    QPushButton,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from nebbet.desktop.kit import pieces, theme
from nebbet.desktop.kit.closed_view import ClosedView

Look = Literal["wide", "narrow", "dark", "bare", "plain"]
LOOKS: dict[Look, str] = {
    "wide": "Wide",
    "narrow": "Narrow",
    "dark": "Dark",
    "bare": "Images off",
    "plain": "Plain text",
}
_WIDTHS: dict[Look, int] = {"narrow": 360}
_WIDE = 760
# Mail programs that darken a message turn its colours round; pictures stay. Common practice.
_DARK = (
    "<style>html{filter:invert(1) hue-rotate(180deg);background:#fff}"
    "img{filter:invert(1) hue-rotate(180deg)}</style>"
)


class AsReceived(QWidget):
    """Shows an HTML document and its plain text. The page runs no script and loads nothing; a link
    that is followed is shown first, and opened by the desktop if the person says so."""

    loaded = Signal()

    def __init__(self) -> None:
        super().__init__()
        self._html, self._plain = "", ""
        self._view: ClosedView | None = None
        self._address = ""
        self.look: Look = "wide"
        self._buttons = QButtonGroup(self)
        row: list[QWidget | None] = []
        for look, words in LOOKS.items():
            button = QPushButton(words)
            button.setObjectName("look")
            button.setCheckable(True)
            button.setChecked(look == self.look)
            button.setAutoDefault(False)
            theme.named(button, words)
            button.clicked.connect(self._chooser(look))
            self._buttons.addButton(button)
            row.append(button)
        self.text = QPlainTextEdit()
        self.text.setReadOnly(True)
        self.text.setFont(QFontDatabase.systemFont(QFontDatabase.SystemFont.FixedFont))
        theme.named(self.text, "Plain text of the message")
        self._missing = pieces.label("", "note", wrap=True)
        self._ground = QWidget()
        self._layout = pieces.fill(QHBoxLayout(self._ground))
        self._stack = QStackedWidget()
        for page in (self._ground, self.text, self._missing):
            self._stack.addWidget(page)
        self.link = self._link_strip()
        pieces.fill(QVBoxLayout(self), pieces.row(*row, None), self.link, self._stack)

    def _link_strip(self) -> QWidget:
        """Where a link leads that was followed, and what can be done about it."""
        strip = QWidget()
        self.link_words = pieces.label("", "note", wrap=True)
        self.open_link = pieces.button("Open it", self._open_link)
        close = pieces.button("Leave it", strip.hide)
        pieces.fill(QHBoxLayout(strip), pieces.grow(self.link_words), self.open_link, close)
        strip.hide()
        return strip

    def _ask_link(self, address: str) -> None:
        self._address = address
        self.link_words.setText(f"This link leads to {address}")
        self.link.show()
        self.open_link.setFocus()

    def _open_link(self) -> None:
        self.link.hide()
        QDesktopServices.openUrl(QUrl(self._address))

    def _chooser(self, look: Look) -> Callable[[], None]:
        return lambda: self.show_look(look)

    def show_message(self, html: str, plain: str) -> None:
        """Show another message, in the look that is chosen."""
        self._html, self._plain = html, plain
        self.link.hide()
        self.show_look(self.look)

    def show_look(self, look: Look) -> None:
        """Show the message in another look."""
        self.look = look
        self._buttons.buttons()[list(LOOKS).index(look)].setChecked(True)
        self.text.setPlainText(self._plain)
        if look == "plain":
            self._stack.setCurrentWidget(self.text)
            return
        view = self._web_view()
        if view is None:
            self._stack.setCurrentWidget(self._missing)
            return
        view.setFixedWidth(_WIDTHS.get(look, _WIDE))
        view.show_document(self.document(), pictures=look != "bare")
        self._stack.setCurrentWidget(self._ground)

    def document(self) -> str:
        """The document as the chosen look shows it."""
        html = self._html
        if self.look == "dark":
            html = (
                html.replace("</head>", _DARK + "</head>", 1)
                if "</head>" in html
                else (_DARK + html)
            )
        return html

    def _web_view(self) -> ClosedView | None:
        """The view, made when it is first needed: the engine is large."""
        if self._view is None:
            try:
                self._view = ClosedView()
            except ImportError as error:
                self._missing.setText(
                    f"This view needs the package PySide6-Addons ({error}). "
                    "The plain text can be seen all the same."
                )
                return None
            self._view.loaded.connect(self.loaded)
            self._view.opened.connect(self._ask_link)
            pieces.fill(self._layout, None, self._view, None)
        return self._view
