"""The template's own editor: placeholders are single things, typed as {{name}} or chosen."""

from collections.abc import Callable, Iterator, Mapping
from typing import Protocol

from PySide6.QtCore import QEvent, QMimeData, QPointF, Qt, Signal
from PySide6.QtGui import (
    QHelpEvent,
    QImage,
    QKeyEvent,
    QKeySequence,
    QMouseEvent,
    QPixmap,
    QTextCursor,
    QTextDocument,
    QTextFormat,
)
from PySide6.QtWidgets import QToolTip

from nebbet.core import body as bodies
from nebbet.core import inline
from nebbet.core.body import Body
from nebbet.core.checks import prompts_in
from nebbet.core.inline import Slot
from nebbet.core.letter import Enclosure
from nebbet.core.message.importing import picture_addresses
from nebbet.desktop.kit import theme
from nebbet.desktop.kit.pictures import Pictures
from nebbet.desktop.paper import docformat, docread, docwrite, slot_object
from nebbet.desktop.paper.block_object import BlockObject, Piece
from nebbet.desktop.paper.braces import Braces, Offers
from nebbet.desktop.paper.marks import Mark
from nebbet.desktop.paper.paper_edit import OWN_FORMAT, PaperEdit, is_redo
from nebbet.desktop.paper.slot_object import SlotObject

_RETURN = (Qt.Key.Key_Return, Qt.Key.Key_Enter)


class Names(slot_object.Known, Offers, Protocol):
    """What the editor asks the ledger; a new blank that is taken is declared by that."""

    def describe(self, name: str) -> str:
        """One line on a placeholder."""

    def passage(self, passage: str) -> Piece:
        """What a passage says here."""

    def declarations(self, names: list[str]) -> bytes:
        """What is declared of some names, to travel with copied text."""

    def take_declarations(self, data: bytes) -> None:
        """Declare what came with pasted text and is not declared yet."""


DECLARED_FORMAT = "application/x-nebbet-placeholders"
AT_ONCE = 100_000  # characters of markup that are read before anybody notices


class Intake(Protocol):
    """What takes pasted things into the library."""

    def add_pictures(self, paths: list[str], done: Callable[[Enclosure], None]) -> None:
        """Take picture files."""

    def put_picture(self, image: QImage, name: str, done: Callable[[Enclosure], None]) -> None:
        """Take a picture that is in memory."""

    def read_pasted(self, markup: str, plain: str, done: Callable[[Body], None]) -> None:
        """Read pasted HTML, with its pictures as far as they are at hand."""


class TemplateEdit(PaperEdit):
    """Writes placeholders as single objects, and mistyped braces as marked text.

    Typing {{ opens a list of what can stand there. opened tells that somebody wants to see a
    placeholder's entry in the ledger, prompts_pasted which prompts came in with pasted text;
    undo_wanted and redo_wanted that the text itself remembers no more.
    """

    opened = Signal(str)
    prompts_pasted = Signal(list)
    undo_wanted = Signal()
    redo_wanted = Signal()

    def __init__(
        self,
        names: Names,
        pictures: Pictures | None = None,
        intake: Intake | None = None,
        *,
        single: bool = False,
    ) -> None:
        self._names, self._intake = names, intake
        super().__init__(pictures, single=single)
        self._drawer = SlotObject(names, self)
        self._piece_drawer = BlockObject(
            self._piece, self._draw_slots, self.writer, self.picture, self
        )
        self._draw_slots(self.document())
        layout = self.document().documentLayout()
        layout.registerHandler(docformat.PASSAGE_OBJECT, self._piece_drawer)
        self.braces = Braces(self, names, lambda at, inner: self._insert(at, inline.slot(inner)))

    def _draw_slots(self, document: QTextDocument) -> None:
        document.documentLayout().registerHandler(docformat.SLOT_OBJECT, self._drawer)

    def _piece(self, text_format: QTextFormat) -> Piece:
        return self._names.passage(str(text_format.property(docformat.PASSAGE)))

    # What stands here

    def passage_at_cursor(self) -> str:
        """The passage that the cursor stands at, or nothing."""
        for fragment in docread.fragments(self.textCursor().block()):
            if fragment.charFormat().objectType() == docformat.PASSAGE_OBJECT:
                return str(fragment.charFormat().property(docformat.PASSAGE))
        return ""

    def marks(self) -> Iterator[Mark]:
        """Mistyped braces; placeholders draw themselves."""
        query = self.braces.query() if self.braces.list.isVisible() else None
        typing = query[0] if query else -1
        for block in docread.blocks(self.document()):
            for typo in inline.typos(block.text()):
                start = block.position() + typo.place
                if start != typing:
                    yield Mark(start, start + len(typo.text), "unknown")

    def written(self) -> str:
        """The text as it is written, with {{name}} where placeholders stand."""
        lines = (docread.read_block(block) for block in docread.blocks(self.document()))
        return "\n".join(inline.source(line) for line in lines)

    def refresh(self) -> None:
        """Draw the placeholders anew: what they are, or what they are called, has changed."""
        self.document().markContentsDirty(0, self.document().characterCount())
        self.viewport().update()

    def insert_placeholder(self, name: str) -> None:
        """Put a placeholder at the cursor, in the style that stands there."""
        self._insert(self.textCursor(), inline.slot(name))

    def _insert(self, cursor: QTextCursor, slot: Slot) -> None:
        docwrite.insert_slot(cursor, slot, self.currentCharFormat())
        self.setTextCursor(cursor)

    def slot_at(self, position: int) -> Slot | None:
        """The placeholder that is the character at a position, if it is one."""
        cursor = QTextCursor(self.document())
        if not 0 <= position < self.document().characterCount() - 1:
            return None
        cursor.setPosition(position + 1)
        found = cursor.charFormat()
        return docformat.slot_of(found) if docformat.is_slot(found) else None

    def _selected(self) -> Slot | None:
        cursor = self.textCursor()
        alone = cursor.selectionEnd() - cursor.selectionStart() == 1
        return self.slot_at(cursor.selectionStart()) if alone else None

    # Typing

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """The list of placeholders comes with {{ and goes with }}."""
        if self.braces.takes(event):
            return
        if event.matches(QKeySequence.StandardKey.Undo) and not self.document().isUndoAvailable():
            self.undo_wanted.emit()
            return
        if is_redo(event) and not self.document().isRedoAvailable():
            self.redo_wanted.emit()
            return
        chosen = self._selected()
        if event.key() in _RETURN and chosen is not None and not event.modifiers():
            self.opened.emit(chosen.name)
            return
        super().keyPressEvent(event)
        if event.key() != Qt.Key.Key_Escape:
            self.braces.typed(event)

    # Pasting

    def createMimeDataFromSelection(self) -> QMimeData:
        """Copy with what is declared of the placeholders in it."""
        data = super().createMimeDataFromSelection()
        text = bytes(data.data(OWN_FORMAT).data()).decode("utf-8")
        names = list(dict.fromkeys(slot.name for slot in inline.slots(inline.parse(text))))
        if names:
            data.setData(DECLARED_FORMAT, self._names.declarations(names))
        return data

    def insertFromMimeData(self, source: QMimeData) -> None:
        """Paste clean, and tell which prompts came along. Pictures go into the library; undoing
        once leaves the plain text."""
        if source.hasFormat(DECLARED_FORMAT):
            self._names.take_declarations(bytes(source.data(DECLARED_FORMAT).data()))
        if self.single or source.hasFormat(OWN_FORMAT) or self._intake is None:
            self._telling_prompts(lambda: super(TemplateEdit, self).insertFromMimeData(source))
        elif paths := _picture_paths(source):
            self._intake.add_pictures(paths, self.show_picture)
        elif source.hasHtml():
            self._paste_html(source.html(), source.text())
        elif source.hasImage():
            self.paste_image(source.imageData())
        else:
            self._put_clean(bodies.from_text(source.text()), source.text())

    def canInsertFromMimeData(self, source: QMimeData) -> bool:
        """Text of any kind, and pictures."""
        pictures = self._intake is not None and (source.hasImage() or source.hasUrls())
        return pictures or super().canInsertFromMimeData(source)

    def _paste_html(self, markup: str, plain: str) -> None:
        """Small text at once; what is large or has pictures is read in the background."""
        intake = self._intake
        if intake is None or (len(markup) < AT_ONCE and not picture_addresses(markup)):
            self._put_clean(bodies.read_foreign(markup, {}), plain)
            return
        spot = QTextCursor(self.textCursor())
        spot.removeSelectedText()

        def came(found: Body) -> None:
            self.setTextCursor(spot)
            self._put_clean(found, plain)

        intake.read_pasted(markup, plain, came)

    def _put_clean(self, found: Body, plain: str) -> None:
        """First the plain text, then in its place the one with structure: each one step."""

        def put() -> None:
            bare = bodies.verbatim(plain)
            if plain and bare != found:
                cursor = self.textCursor()
                start = cursor.selectionStart()
                self.insert_body(bare)
                cursor = self.textCursor()
                cursor.beginEditBlock()
                cursor.setPosition(start, _KEEP)
                cursor.removeSelectedText()
                self.setTextCursor(cursor)
                self.insert_body(found)
                cursor.endEditBlock()
            else:
                self.insert_body(found)

        self._telling_prompts(put)

    def _telling_prompts(self, put: Callable[[], None]) -> None:
        before = set(prompts_in(self.toPlainText()))
        put()
        came = [prompt for prompt in prompts_in(self.toPlainText()) if prompt not in before]
        if came:
            self.prompts_pasted.emit(came)

    def paste_image(self, image: QImage | QPixmap) -> None:
        """Put a picture from the clipboard at the cursor, once the library has it."""
        if self._intake is None:
            return
        whole = image.toImage() if isinstance(image, QPixmap) else image
        self._intake.put_picture(whole, "pasted picture.png", self.show_picture)

    def show_picture(self, enclosure: Enclosure) -> None:
        self.insert_body((bodies.Paragraph((bodies.Picture(enclosure.file, (), 480),)),))

    def make_slots(self, named: Mapping[str, str]) -> None:
        """Put placeholders in the place of words, wherever these stand, as one step."""
        cursor = QTextCursor(self.document())
        cursor.beginEditBlock()
        for words, name in named.items():
            found = self.document().find(words, 0, _EXACT)
            while not found.isNull():
                style = found.charFormat()
                found.removeSelectedText()
                docwrite.insert_slot(found, inline.slot(name), style)
                found = self.document().find(words, found.position(), _EXACT)
        cursor.endEditBlock()

    # The mouse

    def _slot_under(self, spot: QPointF) -> tuple[int, Slot] | None:
        position = self.cursorForPosition(spot.toPoint()).position()
        for start in (position - 1, position):
            slot = self.slot_at(start)
            if slot and any(rect.contains(spot) for rect in self.rects(start, start + 1)):
                return start, slot
        return None

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        """Double click on a placeholder shows its entry in the ledger."""
        found = self._slot_under(event.position())
        if found is None:
            super().mouseDoubleClickEvent(event)
            return
        cursor = self.textCursor()
        cursor.setPosition(found[0])
        cursor.setPosition(found[0] + 1, _KEEP)
        self.setTextCursor(cursor)
        self.opened.emit(found[1].name)

    def viewportEvent(self, event: QEvent) -> bool:
        """Say what a placeholder is when the pointer rests on it."""
        if isinstance(event, QHelpEvent):
            found = self._slot_under(QPointF(event.pos()))
            if found:
                said = f"{inline.source((found[1],))}: {self._names.describe(found[1].name)}"
                QToolTip.showText(event.globalPos(), theme.plain_hint(said), self)
            else:
                QToolTip.hideText()
            return True
        return super().viewportEvent(event)


def _picture_paths(source: QMimeData) -> list[str]:
    """The picture files that were copied or dropped, if these are all."""
    paths = [url.toLocalFile() for url in source.urls()]
    endings = (".png", ".jpg", ".jpeg", ".gif", ".webp")
    return paths if paths and all(p.casefold().endswith(endings) for p in paths) else []


_EXACT = QTextDocument.FindFlag.FindCaseSensitively
_KEEP = QTextCursor.MoveMode.KeepAnchor
