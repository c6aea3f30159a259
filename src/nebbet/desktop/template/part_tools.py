"""What can be put into a template's text, and what can be done with its parts as a whole."""

from collections.abc import Callable, Mapping

from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QAction, QKeySequence
from PySide6.QtWidgets import QHBoxLayout, QMenu, QWidget

from nebbet.core.letter import Passage
from nebbet.desktop.kit import pieces
from nebbet.desktop.paper.template_edit import TemplateEdit


class PartTools(QWidget):
    """Two menus, with a key for everything in them."""

    def __init__(self, editor: TemplateEdit, passages: Callable[[], Mapping[str, Passage]]) -> None:
        super().__init__()
        self._editor, self._passages = editor, passages
        self.inserting, self._part = QMenu(self), QMenu(self)
        self.included = QMenu("&Passage", self)
        self.included.aboutToShow.connect(self._list_passages)
        self._fill()
        self.insert = pieces.button("Insert", self.open_insert, hint="Ctrl+Alt+I")
        self.part = pieces.button("Part", self.open_part, hint="Ctrl+Alt+P")
        for menu, name in ((self.inserting, "Insert"), (self._part, "Part")):
            menu.setAccessibleName(name)
        pieces.fill(QHBoxLayout(self), self.insert, self.part, spacing=4)
        self._key("Insert…", "Ctrl+Alt+I", self.open_insert)
        self._key("Part…", "Ctrl+Alt+P", self.open_part)

    def _fill(self) -> None:
        editor = self._editor
        self._add(
            self.inserting, "Two &columns", "Ctrl+Shift+2", lambda: editor.parts.set_columns(2)
        )
        self._add(
            self.inserting, "&Three columns", "Ctrl+Shift+3", lambda: editor.parts.set_columns(3)
        )
        self._add(self.inserting, "&No columns", "Ctrl+Alt+N", lambda: editor.parts.set_columns(0))
        self.inserting.addSeparator()
        self._add(self.inserting, "&Fact row", "Ctrl+Shift+F", editor.shape.toggle_facts)
        self._add(self.inserting, "&Button", "Ctrl+Shift+K", self._button)
        self.inserting.addMenu(self.included)
        self.inserting.addSeparator()
        self._add(self.inserting, "&Divider", "", editor.shape.insert_divider)
        self._add(self.inserting, "&Guidance", "", editor.shape.toggle_guidance)
        self._add(self.inserting, "&Start mark", "", editor.shape.insert_start)
        self._add(self._part, "Move &up", "Alt+Up", lambda: editor.parts.move(-1))
        self._add(self._part, "Move &down", "Alt+Down", lambda: editor.parts.move(1))
        self._add(self._part, "Dupli&cate", "Ctrl+Shift+D", editor.parts.duplicate)
        self._add(self._part, "&Remove", "Ctrl+Shift+Backspace", editor.parts.remove)

    def _add(self, menu: QMenu, words: str, keys: str, act: Callable[[], object]) -> None:
        action = self._key(words, keys, act)
        menu.addAction(action)

    def _key(self, words: str, keys: str, act: Callable[[], object]) -> QAction:
        def run() -> None:
            act()

        action = QAction(words, self._editor)
        if keys:
            action.setShortcut(QKeySequence(keys))
            action.setShortcutContext(Qt.ShortcutContext.WidgetShortcut)
            self._editor.addAction(action)
        action.triggered.connect(run)
        return action

    def _list_passages(self) -> None:
        self.included.clear()
        found = sorted(self._passages().values(), key=lambda p: p.title.casefold())
        for passage in found:
            self.included.addAction(
                passage.title.replace("&", "&&"),
                lambda name=passage.id: self._editor.parts.insert_passage(name),
            )
        if not found:
            self.included.addAction("The library has none yet").setEnabled(False)

    def open_insert(self) -> None:
        """Show what can be inserted, at the cursor."""
        self._open(self.inserting)

    def open_part(self) -> None:
        """Show what can be done with the part at the cursor."""
        self._open(self._part)

    def _open(self, menu: QMenu) -> None:
        editor = self._editor
        if editor.hasFocus():
            spot = editor.mapToGlobal(editor.cursorRect().bottomLeft() + QPoint(0, 4))
        else:
            button = self.insert if menu is self.inserting else self.part
            spot = button.mapToGlobal(button.rect().bottomLeft())
            editor.setFocus()
        menu.popup(spot)

    def _button(self) -> None:
        """Make the paragraph a button, or text again."""
        on = self._editor.shape.button_link() is not None
        self._editor.shape.set_button("" if on else "https://")
