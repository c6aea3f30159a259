"""Spelling on paper: doubtful words are marked, and mended from a menu."""

from collections.abc import Callable, Iterator
from functools import partial

from PySide6.QtCore import QObject, Signal
from PySide6.QtGui import QAction, QTextBlock, QTextCursor
from PySide6.QtWidgets import QMenu
from shiboken6 import isValid

from nebbet.core.spelling import Misspelt, misspelt
from nebbet.desktop.paper import docread
from nebbet.desktop.paper.marks import Mark
from nebbet.desktop.paper.paper_text import PaperText
from nebbet.desktop.paper.speller import Speller

_MOST_KEPT = 2_000


class Spelling(QObject):
    """Marks words of an editor that the dictionary of its language does not know.

    word_taken says that somebody wants the team to keep a word.
    """

    word_taken = Signal(str)

    def __init__(self, editor: PaperText) -> None:
        super().__init__(editor)
        self._editor = editor
        self._speller: Speller | None = None
        self._spelt: dict[str, tuple[Misspelt, ...]] = {}
        self.language = ""

    def use(self, speller: Speller, language: str) -> None:
        """Check the spelling in a language from now on."""
        if self._speller is None:
            speller.ready.connect(self._heard)
        self._speller, self.language = speller, language
        self._spelt.clear()
        speller.load(language)
        self._editor.viewport().update()

    def _heard(self, language: str) -> None:
        if language == self.language:
            self.forget()

    def forget(self) -> None:
        """Look every word up again."""
        self._spelt.clear()
        self._editor.viewport().update()

    def doubts_in(self, block: QTextBlock) -> tuple[Misspelt, ...]:
        """The doubtful words of a block."""
        speller = self._speller
        if speller is None or self._editor.isReadOnly():
            return ()
        text = self._editor.spell_text(block)
        found = self._spelt.get(text)
        if found is None:
            knows = speller.knows
            found = tuple(misspelt(text, lambda word: knows(word, self.language)))
            if len(self._spelt) > _MOST_KEPT:
                self._spelt.clear()
            self._spelt[text] = found
        return found

    def marks(self, first: QTextBlock, end: int) -> Iterator[Mark]:
        """Doubtful words from a block to a position; not the one that is being typed."""
        cursor = self._editor.textCursor()
        typing = cursor.position() if self._editor.hasFocus() and not cursor.hasSelection() else -1
        block = first
        while block.isValid() and block.position() <= end:
            for doubt in self.doubts_in(block):
                start = block.position() + doubt.start
                last = start + len(doubt.word)
                if last != typing:
                    yield Mark(start, last, "spelling")
            block = block.next()

    # Mending

    def next_doubt(self) -> bool:
        """Select the next doubtful word and offer what may have been meant; False when there is
        none."""
        after = self._editor.textCursor().selectionEnd()
        places = [
            (block.position() + doubt.start, doubt.word)
            for block in docread.blocks(self._editor.document())
            for doubt in self.doubts_in(block)
        ]
        if not places:
            return False
        start, word = next((p for p in places if p[0] >= after), places[0])
        self._select(start, word)
        menu = self._menu(word)
        menu.popup(self._editor.viewport().mapToGlobal(self._editor.cursorRect().bottomLeft()))
        return True

    def _select(self, start: int, word: str) -> None:
        cursor = self._editor.textCursor()
        cursor.setPosition(start)
        cursor.setPosition(start + len(word), QTextCursor.MoveMode.KeepAnchor)
        self._editor.setTextCursor(cursor)
        self._editor.setFocus()

    def _menu(self, word: str) -> QMenu:
        menu = QMenu(self._editor)
        menu.setAccessibleName(f"Spelling of {word}")
        self._fill(menu, word)
        menu.aboutToHide.connect(menu.deleteLater)
        return menu

    def _fill(self, menu: QMenu, word: str) -> None:
        """Offer what may have been meant before the rest of a menu, as soon as it is found."""
        assert self._speller is not None
        before = menu.actions()[0] if menu.actions() else None
        looking = QAction("Looking for what was meant…", menu)
        looking.setEnabled(False)
        keep = QAction(f"Keep “{word}” for the team", menu)
        keep.triggered.connect(partial(_do, partial(self.take, word)))
        for action in (looking, keep):
            menu.insertAction(before, action) if before else menu.addAction(action)
        if before:
            menu.insertSeparator(before)
        self._speller.suggest(word, self.language, partial(self._offer, menu, looking))

    def _offer(self, menu: QMenu, looking: QAction, found: list[str]) -> None:
        if not isValid(menu):
            return  # it was closed before anything was found
        for text in found:
            action = QAction(text.replace("&", "&&"), menu)
            action.triggered.connect(partial(_do, partial(self._editor.insert_plain, text)))
            menu.insertAction(looking, action)
        menu.removeAction(looking)

    def take(self, word: str) -> None:
        """Let the team keep a word."""
        assert self._speller is not None
        self._speller.take(word, self.language)
        self.forget()
        self.word_taken.emit(word)

    def menu_at(self, position: int, menu: QMenu) -> None:
        """Put what may have been meant before the rest of a menu, over a doubtful word."""
        block = self._editor.document().findBlock(position)
        for doubt in self.doubts_in(block):
            start = block.position() + doubt.start
            if start <= position <= start + len(doubt.word):
                self._select(start, doubt.word)
                self._fill(menu, doubt.word)
                break


def _do(act: Callable[[], None], _checked: bool = False) -> None:
    act()
