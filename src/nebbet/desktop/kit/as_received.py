"""A message as its recipient sees it: wide, narrow, dark, without pictures, as plain text."""

import os
import re
from collections.abc import Callable
from typing import TYPE_CHECKING, Literal

from PySide6.QtCore import QUrl, Signal
from PySide6.QtGui import QFontDatabase
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

if TYPE_CHECKING:
    from PySide6.QtWebEngineWidgets import QWebEngineView

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
_IMAGE = re.compile(r"(<img\b[^>]*?\bsrc=)\"[^\"]*\"", re.IGNORECASE)
# Mail programs that darken a message turn its colours round; pictures stay. Common practice.
_DARK = (
    "<style>html{filter:invert(1) hue-rotate(180deg);background:#fff}"
    "img{filter:invert(1) hue-rotate(180deg)}</style>"
)


class AsReceived(QWidget):
    """Shows an HTML document and its plain text. The page runs no script and loads nothing."""

    loaded = Signal()

    def __init__(self) -> None:
        super().__init__()
        self._html, self._plain = "", ""
        self._view: QWebEngineView | None = None
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
        pieces.fill(QVBoxLayout(self), pieces.row(*row, None), self._stack)

    def _chooser(self, look: Look) -> Callable[[], None]:
        return lambda: self.show_look(look)

    def show_message(self, html: str, plain: str) -> None:
        """Show another message, in the look that is chosen."""
        self._html, self._plain = html, plain
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
        view.setHtml(self.document(), QUrl("about:blank"))
        self._stack.setCurrentWidget(self._ground)

    def document(self) -> str:
        """The document as the chosen look shows it."""
        html = self._html
        if self.look == "bare":
            html = _IMAGE.sub(r'\1""', html)
        if self.look == "dark":
            html = (
                html.replace("</head>", _DARK + "</head>", 1)
                if "</head>" in html
                else (_DARK + html)
            )
        return html

    def _web_view(self) -> "QWebEngineView | None":
        """The view, made when it is first needed: the engine is large."""
        if self._view is None:
            try:
                self._view = make_view()
            except ImportError as error:
                self._missing.setText(
                    f"This view needs the package PySide6-Addons ({error}). "
                    "The plain text can be seen all the same."
                )
                return None
            self._view.loadFinished.connect(lambda _good: self.loaded.emit())
            theme.named(self._view, "The message as it is received")
            pieces.fill(self._layout, None, self._view, None)
        return self._view


def make_view() -> "QWebEngineView":
    """A web view that runs no script and loads nothing from anywhere. Raises ImportError."""
    if hasattr(os, "geteuid") and os.geteuid() == 0:
        # Chromium refuses to run as root inside its sandbox; for everybody else that stays on.
        os.environ.setdefault("QTWEBENGINE_DISABLE_SANDBOX", "1")
    from PySide6.QtWebEngineCore import (
        QWebEnginePage,
        QWebEngineProfile,
        QWebEngineSettings,
        QWebEngineUrlRequestInfo,
        QWebEngineUrlRequestInterceptor,
    )
    from PySide6.QtWebEngineWidgets import QWebEngineView

    class Nothing(QWebEngineUrlRequestInterceptor):
        """Lets through what the document itself holds."""

        def interceptRequest(self, info: QWebEngineUrlRequestInfo) -> None:
            if info.requestUrl().scheme() not in ("data", "about"):
                info.block(True)

    view = QWebEngineView()
    profile = QWebEngineProfile()  # without a name it keeps nothing on disk
    profile.setUrlRequestInterceptor(Nothing(profile))
    page = QWebEnginePage(profile, view)
    view.setPage(page)
    profile.setParent(view)  # after the page: it has to outlive it
    asked = page.settings()
    attribute = QWebEngineSettings.WebAttribute
    for one in (
        attribute.JavascriptEnabled,
        attribute.LocalContentCanAccessFileUrls,
        attribute.LocalContentCanAccessRemoteUrls,
        attribute.PluginsEnabled,
        attribute.HyperlinkAuditingEnabled,
    ):
        asked.setAttribute(one, False)
    return view
