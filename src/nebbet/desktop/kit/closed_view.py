"""A web view for markup of others: it runs nothing, loads nothing and opens nothing by itself."""

import os
from collections.abc import Callable
from typing import TYPE_CHECKING

from PySide6.QtCore import QUrl, Signal
from PySide6.QtWidgets import QVBoxLayout, QWidget

from nebbet.core.body.schemes import scheme_of
from nebbet.desktop.kit import pieces, theme

if TYPE_CHECKING:
    from PySide6.QtWebEngineCore import QWebEnginePage, QWebEngineProfile
    from PySide6.QtWebEngineWidgets import QWebEngineView

OPENABLE = ("http", "https", "mailto")
_INSIDE = ("data", "about")  # what a document holds itself
# Prefetching and preconnecting pass by every interceptor: no name and no number is ever resolved.
_NOBODY = "--host-resolver-rules=MAP * ~NOTFOUND"


class ClosedView(QWidget):
    """Shows HTML documents. loaded says that one is there, opened that a person followed a link.

    Raises ImportError where the engine is not installed.
    """

    loaded = Signal()
    opened = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        self.view, self._expect = _make_view(self)
        theme.named(self.view, "The message as it is received")
        self.view.loadFinished.connect(lambda _good: self.loaded.emit())
        pieces.fill(QVBoxLayout(self), self.view)

    def show_document(self, html: str, *, pictures: bool = True) -> None:
        """Show a document; pictures says whether its images are shown."""
        page = self.view.page()
        attribute = page.settings().WebAttribute.AutoLoadImages
        page.settings().setAttribute(attribute, pictures)
        self._expect()
        self.view.setHtml(html, QUrl("about:blank"))


def _make_view(holder: ClosedView) -> "tuple[QWebEngineView, Callable[[], None]]":
    """The view, and what tells it that the next document is Nebbet's own."""
    if hasattr(os, "geteuid") and os.geteuid() == 0:
        # Chromium refuses to run as root inside its sandbox; for everybody else that stays on.
        os.environ.setdefault("QTWEBENGINE_DISABLE_SANDBOX", "1")
    flags = os.environ.get("QTWEBENGINE_CHROMIUM_FLAGS", "")
    if _NOBODY not in flags:
        os.environ["QTWEBENGINE_CHROMIUM_FLAGS"] = f'{flags} "{_NOBODY}"'.strip()
    from PySide6.QtWebEngineCore import QWebEngineProfile
    from PySide6.QtWebEngineWidgets import QWebEngineView

    view = QWebEngineView(holder)
    profile = QWebEngineProfile()  # without a name it keeps nothing on disk
    _close(profile)
    page = _page_class()(profile, holder, view)  # type: ignore[no-untyped-call]
    view.setPage(page)
    profile.setParent(view)  # after the page: it has to outlive it
    _close_page(page)
    return view, page.expect


def _close(profile: "QWebEngineProfile") -> None:
    """Let nothing in but what a document holds, and no download out."""
    from PySide6.QtWebEngineCore import QWebEngineUrlRequestInfo, QWebEngineUrlRequestInterceptor

    class Nothing(QWebEngineUrlRequestInterceptor):
        def interceptRequest(self, info: QWebEngineUrlRequestInfo) -> None:
            if info.requestUrl().scheme() not in _INSIDE:
                info.block(True)

    # Qt does not own an interceptor: unless somebody keeps it, it is collected and blocks nothing.
    profile.nebbet_guard = Nothing(profile)  # type: ignore[attr-defined]
    profile.setUrlRequestInterceptor(profile.nebbet_guard)  # type: ignore[attr-defined]
    profile.downloadRequested.connect(lambda download: download.cancel())


def _close_page(page: "QWebEnginePage") -> None:
    asked, attribute = page.settings(), page.settings().WebAttribute
    for one in (
        attribute.JavascriptEnabled,
        attribute.LocalContentCanAccessFileUrls,
        attribute.LocalContentCanAccessRemoteUrls,
        attribute.PluginsEnabled,
        attribute.HyperlinkAuditingEnabled,
        attribute.DnsPrefetchEnabled,
        attribute.PdfViewerEnabled,
        attribute.FullScreenSupportEnabled,
        attribute.NavigateOnDropEnabled,
    ):
        asked.setAttribute(one, False)


def _page_class():  # type: ignore[no-untyped-def]
    """The class is made here: the engine is imported when the first view is shown."""
    from PySide6.QtWebEngineCore import QWebEnginePage, QWebEngineProfile

    class Page(QWebEnginePage):
        """Goes nowhere but to the document that it is given."""

        def __init__(self, profile: QWebEngineProfile, holder: ClosedView, parent: QWidget) -> None:
            super().__init__(profile, parent)
            self._holder = holder
            self._expected = False

        def expect(self) -> None:
            """The next navigation is the document that Nebbet itself shows."""
            self._expected = True

        def acceptNavigationRequest(
            self, url: QUrl | str, kind: QWebEnginePage.NavigationType, is_main: bool
        ) -> bool:
            address = url.toString() if isinstance(url, QUrl) else url
            typed = kind == QWebEnginePage.NavigationType.NavigationTypeTyped
            if is_main and typed and self._expected and scheme_of(address) in _INSIDE:
                self._expected = False
                return True
            clicked = kind == QWebEnginePage.NavigationType.NavigationTypeLinkClicked
            if clicked and scheme_of(address) in OPENABLE:
                self._holder.opened.emit(address)
            return False

        def createWindow(self, _kind: QWebEnginePage.WebWindowType) -> None:  # type: ignore[override]
            """No other window is ever opened."""

    return Page
