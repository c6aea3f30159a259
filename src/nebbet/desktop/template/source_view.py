"""Finished HTML as its source, with what it looks like beside it."""

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import (
    QColor,
    QFontDatabase,
    QKeyEvent,
    QSyntaxHighlighter,
    QTextCharFormat,
    QTextCursor,
    QTextDocument,
)
from PySide6.QtWidgets import QPlainTextEdit, QSplitter, QVBoxLayout, QWidget

from nebbet.core import inline
from nebbet.core.body import Markup, clean_markup, markup_line, render_plain
from nebbet.desktop.kit import pieces, theme
from nebbet.desktop.kit.as_received import AsReceived
from nebbet.desktop.kit.pause import after_pause
from nebbet.desktop.paper.braces import Braces
from nebbet.desktop.paper.template_edit import Names
from nebbet.desktop.session.shared_library import SharedLibrary

_PAUSE = 400  # milliseconds after the last keystroke


class _Colours(QSyntaxHighlighter):
    """Marks placeholders: known ones and those that nothing declares."""

    def __init__(self, names: Names, document: QTextDocument) -> None:
        super().__init__(document)
        self._names = names

    def highlightBlock(self, text: str) -> None:
        look = theme.tokens()
        for match in inline.SLOT.finditer(text):
            unknown = self._names.kind_of(match["name"]) == "unknown"
            made = QTextCharFormat()
            made.setForeground(QColor(look.brick if unknown else look.spruce))
            style = QTextCharFormat.UnderlineStyle
            made.setUnderlineStyle(style.WaveUnderline if unknown else style.SingleUnderline)
            self.setFormat(match.start(), len(match[0]), made)
        for typo in inline.typos(text):
            made = QTextCharFormat()
            made.setForeground(QColor(look.brick))
            made.setUnderlineStyle(QTextCharFormat.UnderlineStyle.WaveUnderline)
            self.setFormat(typo.place, len(typo.text), made)


class SourceEdit(QPlainTextEdit):
    """The source; typing {{ opens the list of placeholders."""

    def __init__(self, names: Names) -> None:
        super().__init__()
        theme.named(self, "Source of the text")
        self.setFont(QFontDatabase.systemFont(QFontDatabase.SystemFont.FixedFont))
        self.setTabChangesFocus(True)
        self.braces = Braces(self, names, _write)
        self.colours = _Colours(names, self.document())

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """The list comes with {{ and goes with }}."""
        if not self.braces.takes(event):
            super().keyPressEvent(event)
            self.braces.typed(event)

    def write_name(self, name: str) -> None:
        """Put a placeholder at the cursor."""
        _write(self.textCursor(), name)


def _write(cursor: QTextCursor, inner: str) -> None:
    cursor.insertText(inline.in_braces(inner))


class SourceView(QWidget):
    """The source and a live view; edited says that somebody typed, plain that the markup is to
    become a text of the library's own kind."""

    edited = Signal()
    plain_wanted = Signal()

    def __init__(self, shared: SharedLibrary, names: Names) -> None:
        super().__init__()
        self._shared = shared
        self._loading = False
        self.source = SourceEdit(names)
        self.view = AsReceived()
        self.note = pieces.label("", "note", wrap=True)
        self.plain = pieces.button("Turn into an ordinary text", self.plain_wanted.emit, "words")
        split = QSplitter(Qt.Orientation.Vertical)
        split.setChildrenCollapsible(False)
        split.addWidget(self.source)
        split.addWidget(self.view)
        split.setSizes([240, 420])
        pieces.fill(
            QVBoxLayout(self), pieces.row(pieces.grow(self.note), self.plain), split, margin=8
        )
        self._timer = after_pause(self, _PAUSE, self.show_live)
        self.source.textChanged.connect(self._typed)

    def load(self, source: str) -> None:
        """Show finished HTML."""
        self._loading = True
        self.source.setPlainText(source)
        self._loading = False
        self.show_live()

    def text(self) -> str:
        """The source, cleaned."""
        return clean_markup(self.source.toPlainText()).source

    def _typed(self) -> None:
        if not self._loading:
            self._timer.start()
            self.edited.emit()

    def show_live(self) -> None:
        """Show what it looks like now, and what is taken out before it is sent."""
        cleaned = clean_markup(self.source.toPlainText())
        said = ", ".join(cleaned.removed)
        self.note.setText(
            f"Taken out before it is sent: {said}." if said else "Finished HTML, kept as it is."
        )
        if self.isVisible():
            plain = render_plain((Markup(markup_line(cleaned.source)),))
            html = self._shared.with_pictures(cleaned.source)
            self.view.show_message(html, plain)

    def showEvent(self, event) -> None:  # type: ignore[no-untyped-def]
        super().showEvent(event)
        self._timer.start()
