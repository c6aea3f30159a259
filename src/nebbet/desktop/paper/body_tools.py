"""The row of tools above a sheet: formats, lists, links, pictures."""

from collections.abc import Callable

from PySide6.QtCore import Qt
from PySide6.QtGui import QAction, QKeySequence
from PySide6.QtWidgets import QFileDialog, QHBoxLayout, QToolButton, QWidget

from nebbet.core import inline
from nebbet.core.body import Paragraph, Picture
from nebbet.core.letter import Enclosure
from nebbet.core.sentences import said
from nebbet.desktop.kit import asking, pieces
from nebbet.desktop.paper.paper_edit import PaperEdit

PICTURES = "Pictures (*.png *.jpg *.jpeg *.gif *.webp)"


AddFiles = Callable[[list[str], Callable[[Enclosure], None]], None]


class BodyTools(QWidget):
    """Buttons and keys for what a body can hold; pictures only where files can be added."""

    def __init__(self, editor: PaperEdit, add_files: AddFiles | None = None) -> None:
        super().__init__()
        self._editor, self._add_files = editor, add_files
        layout = pieces.fill(QHBoxLayout(self), margin=6, spacing=2)
        for icon, name, keys, act in self._formats():
            layout.addWidget(self._button(icon, name, keys, act))
        if add_files:
            for icon, name, keys, act in (
                ("image", "Picture…", "Ctrl+Shift+P", self.ask_for_picture),
                (
                    "note-pencil",
                    "Guidance: never sent",
                    "Ctrl+Shift+G",
                    editor.shape.toggle_guidance,
                ),
                ("cursor-text", "Start mark", "Ctrl+Shift+M", editor.shape.insert_start),
            ):
                layout.addWidget(self._button(icon, name, keys, act))
        layout.addStretch(1)

    def _formats(self) -> list[tuple[str, str, str, Callable[[], object]]]:
        editor = self._editor
        return [
            ("text-b", "Bold", "Ctrl+B", editor.shape.toggle_bold),
            ("text-italic", "Italic", "Ctrl+I", editor.shape.toggle_italic),
            ("text-underline", "Underline", "Ctrl+U", editor.shape.toggle_underline),
            ("text-strikethrough", "Strike out", "Ctrl+Shift+X", editor.shape.toggle_strike),
            ("text-h-one", "Heading", "Ctrl+Alt+1", lambda: editor.shape.set_heading(1)),
            ("text-h-two", "Smaller heading", "Ctrl+Alt+2", lambda: editor.shape.set_heading(2)),
            ("text-t", "Plain paragraph", "Ctrl+Alt+0", lambda: editor.shape.set_heading(0)),
            ("list-bullets", "Bulleted list", "Ctrl+Shift+8", self._bullets),
            ("list-numbers", "Numbered list", "Ctrl+Shift+7", self._numbers),
            ("quotes", "Quote", "Ctrl+Shift+9", editor.shape.toggle_quote),
            ("text-align-left", "To the left", "Ctrl+Shift+L", lambda: editor.shape.set_side("")),
            ("text-align-center", "In the middle", "Ctrl+Shift+E", self._middle),
            ("text-align-right", "To the right", "Ctrl+Shift+R", self._right),
            ("minus", "Divider", "Ctrl+Shift+H", editor.shape.insert_divider),
            ("link-simple", "Link…", "Ctrl+K", self.ask_for_link),
        ]

    def _middle(self) -> None:
        self._editor.shape.set_side("center")

    def _right(self) -> None:
        self._editor.shape.set_side("right")

    def _bullets(self) -> None:
        self._editor.shape.set_list(ordered=False)

    def _numbers(self) -> None:
        self._editor.shape.set_list(ordered=True)

    def _button(self, icon: str, name: str, keys: str, act: Callable[[], object]) -> QToolButton:
        def run() -> None:
            act()
            self._editor.setFocus()

        action = QAction(name, self._editor)
        action.setShortcut(QKeySequence(keys))
        action.setShortcutContext(Qt.ShortcutContext.WidgetShortcut)
        action.triggered.connect(run)
        self._editor.addAction(action)
        return pieces.tool(icon, name, run, f"{name} ({keys})")

    def ask_for_link(self) -> None:
        """Ask where the selected words lead; nothing takes the link off."""
        now = self._editor.textCursor().charFormat().anchorHref()
        words = said("Where it leads: https://, mailto: or tel:. Empty takes the link off.")
        text = asking.ask_line(self, said("Link"), words, said("Set the link"), now)
        if text is None:
            return
        if text and not text.startswith(("https://", "http://", "mailto:", "tel:", "{{")):
            text = f"mailto:{text}" if "@" in text else f"https://{text}"
        self._editor.shape.set_link(text)

    def ask_for_picture(self) -> None:
        """Choose a picture file and put it at the cursor."""
        path, _ = QFileDialog.getOpenFileName(self.window(), "Picture", "", PICTURES)
        if path and self._add_files:
            self._add_files([path], self._insert_picture)

    def _insert_picture(self, enclosure: Enclosure) -> None:
        words = said("What the picture shows, for readers who cannot see it.")
        text = asking.ask_line(self, said("Picture"), words, said("Put it in"))
        if text is not None:
            alt = inline.parse(text)
            self._editor.insert_body((Paragraph((Picture(enclosure.file, alt, 480),)),))
