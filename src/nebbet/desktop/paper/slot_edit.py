"""The letter's own editor: the places of placeholders are completed where they stand."""

from collections.abc import Iterator, Mapping

from PySide6.QtCore import QMimeData, Qt, Signal
from PySide6.QtGui import (
    QFocusEvent,
    QInputMethodEvent,
    QKeyEvent,
    QKeySequence,
    QMouseEvent,
    QTextBlock,
    QTextCursor,
    QTextFormat,
)
from PySide6.QtWidgets import QMenu

from nebbet.core import inline
from nebbet.core.body import Body, Markup, finished, markup_line
from nebbet.core.inline import Line, Slot
from nebbet.core.records import fold
from nebbet.desktop.kit.pictures import Pictures
from nebbet.desktop.paper import docformat, docread
from nebbet.desktop.paper.block_object import BlockObject, Piece
from nebbet.desktop.paper.chooser import Chooser, Places
from nebbet.desktop.paper.docformat import BREAK, Shown, plain_format, slot_format
from nebbet.desktop.paper.docwrite import Writer
from nebbet.desktop.paper.fillings import NO_FILLING, Filling
from nebbet.desktop.paper.left_out import drop_line, would_join
from nebbet.desktop.paper.marks import Mark
from nebbet.desktop.paper.paper_edit import PaperEdit, is_redo
from nebbet.desktop.paper.spots import (
    Spot,
    anchor_at,
    differs,
    in_common,
    position_of,
    same_slot,
    spots_in,
)
from nebbet.desktop.paper.values import delete_in, own_words, place_beside, write_in

_DELETING = (Qt.Key.Key_Backspace, Qt.Key.Key_Delete)
_RETURN = (Qt.Key.Key_Return, Qt.Key.Key_Enter)


class SlotEdit(PaperEdit):
    """An editor whose placeholders are filled in place.

    typed(name, text) says that a person gave a placeholder another text ("" makes it a blank).
    next_wanted says that Return was pressed in a place, to go on to the next blank; part_wanted
    that a part is wanted although its condition does not hold. Undo and redo
    are asked for: they belong to the whole letter, of which the text here is a part.
    """

    typed = Signal(str, str)
    next_wanted = Signal()
    part_wanted = Signal(str)
    undo_wanted = Signal()
    redo_wanted = Signal()
    keeps_undo = False
    names_conditions = False
    shows_start = False

    def __init__(self, pictures: Pictures | None = None, *, single: bool = False) -> None:
        self._values: dict[str, Filling] = {}
        self.places: list[Spot] = []
        self._next_id = 1
        self._active = 0
        self._inserting = False
        super().__init__(pictures, single=single)
        self.document().setUndoRedoEnabled(False)
        drawer = BlockObject(self.piece, lambda _document: None, self.writer, self.picture, self)
        self.document().documentLayout().registerHandler(docformat.MARKUP_OBJECT, drawer)
        self.cursorPositionChanged.connect(self._follow_cursor)
        here = Places(lambda: self.places, self._at_cursor, self._active_place, self._filling)
        self.chooser = Chooser(self, here)
        self.chooser.chosen.connect(self._take_choice)

    def piece(self, text_format: QTextFormat) -> Piece:
        """Finished HTML with the values in it; a blank shows its label."""
        line = markup_line(str(text_format.property(docformat.SOURCE)))
        shown = ((part, self._shown(part)) for part in line if isinstance(part, Slot))
        texts = {part: f"[{s.text}]" if s.blank else s.text for part, s in shown}
        filled = inline.completed(line, texts.get)
        html = finished(Markup(filled), {})
        return Piece("Finished HTML: its blanks are completed beside it", html=html)

    # Content

    def show_content(self, content: Body | Line, values: Mapping[str, Filling]) -> None:
        """Show a letter's text with its values, by folded name; undo begins anew."""
        self._values = dict(values)
        self.load(content, self._shown)

    def show_other(self, content: Body | Line, values: Mapping[str, Filling]) -> None:
        """Show another state of the same text; the cursor goes to where the two differ."""
        before = self.toPlainText()
        self.show_content(content, values)
        after = self.toPlainText()
        if before != after:
            same = in_common(before[::-1], after[::-1])
            cursor = self.textCursor()
            cursor.setPosition(len(after) - same)
            self.setTextCursor(cursor)

    def show_values(self, values: Mapping[str, Filling]) -> None:
        """Bring every place up to date."""
        self._values = dict(values)
        self._settle(typing=self._active if self.hasFocus() else 0)
        if any(isinstance(block, Markup) for _, block in docread.read_blocks(self.document())[:1]):
            self.document().markContentsDirty(0, self.document().characterCount())
        self.viewport().update()

    def _settle(self, typing: int = 0) -> None:
        """Write every value as it is to be read; where a person is typing, not until they leave."""
        told = (p for p in self.places if self._shown(p.slot) != p.shown)
        if stale := [p for p in told if not (p.id == typing and self._is_typed(p))]:
            self._rewrite(stale)

    def _is_typed(self, place: Spot) -> bool:
        return self._filling(place).answer == place.text

    def _shown(self, slot: Slot) -> Shown:
        shown = self._values.get(fold(slot.key), NO_FILLING).shown(slot)
        return shown if shown.text else Shown(slot.name if shown.blank else "\u200b", shown.blank)

    def show_reshaped(self, body: Body, values: Mapping[str, Filling]) -> None:
        """Show the same text with parts put in or left out; typing goes on where it was, and what
        was selected stays so."""
        cursor, active = self.textCursor(), self._active
        anchor, position = (
            anchor_at(self.document(), p) for p in (cursor.anchor(), cursor.position())
        )
        self.show_content(body, values)
        cursor.setPosition(position_of(self.document(), anchor))
        cursor.setPosition(position_of(self.document(), position), QTextCursor.MoveMode.KeepAnchor)
        self.setTextCursor(cursor)
        if active:
            inside = (p for p in self.places if p.start < cursor.position() <= p.end)
            self._active = next((p.id for p in inside), 0)

    def _loaded(self, next_id: int) -> None:
        self._next_id = next_id
        self.places = list(spots_in(self.document()))
        self._active = 0

    def _inserting_writer(self) -> Writer:
        # Ids are handed out well ahead: a place pasted twice must not pass for one place.
        self._next_id += 1000
        return self.writer(self._shown, self._next_id)

    def spell_text(self, block: QTextBlock) -> str:
        """Values are none of the writer's words, nor are the lines of what is left out."""
        if docread.left_out(block) is not None:
            return ""
        return own_words(block, self.places)

    # Blanks

    def blanks(self) -> list[Spot]:
        """The blanks that are left, in order."""
        return [place for place in self.places if place.blank]

    def select_place(self, place: Spot) -> None:
        """Select a place, so that typing replaces what stands there."""
        cursor = self.textCursor()
        cursor.setPosition(place.start)
        cursor.setPosition(place.end, QTextCursor.MoveMode.KeepAnchor)
        self.setTextCursor(cursor)
        self.setFocus(Qt.FocusReason.ShortcutFocusReason)
        if place.blank and self._filling(place).choices:
            self.chooser.offer(place)

    def _filling(self, place: Spot) -> Filling:
        return self._values.get(fold(place.name), NO_FILLING)

    def _at_cursor(self) -> Spot | None:
        return self._place_at(self.textCursor())

    def _active_place(self) -> int:
        """The number of the place that the cursor is in, or that is selected; 0 for none."""
        whole = self._place_at(self.textCursor()) if self.textCursor().hasSelection() else None
        return whole.id if whole else self._active

    def _take_choice(self, place: Spot, text: str) -> None:
        """What was chosen for a place is its value, and work goes on at the next blank."""
        self._active = 0
        self.typed.emit(place.name, text)
        self.next_wanted.emit()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """A click into a value is about the value: see Chooser."""
        self.chooser.pressed()
        super().mousePressEvent(event)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        super().mouseReleaseEvent(event)
        if event.button() == Qt.MouseButton.LeftButton and (place := self.chooser.clicked()):
            self.select_place(place)
            self._active = place.id
            self.chooser.offer(place)

    def place_of(self, name: str) -> Spot | None:
        """The first place of a placeholder."""
        return next((p for p in self.places if fold(p.name) == fold(name)), None)

    def marks(self) -> Iterator[Mark]:
        for place in self.places:
            value = self._values.get(fold(place.name), NO_FILLING)
            yield Mark(place.start, place.end, "blank" if place.blank else value.kind)

    # Following what people do

    def after_change(self) -> None:
        before = {place.id: place for place in self.places}
        self.places = list(spots_in(self.document()))
        changed = [p for p in self.places if p.id in before and differs(p, before[p.id])]
        for place in {fold(p.name): p for p in changed}.values():
            self._tell(place)

    def _tell(self, place: Spot) -> None:
        """Let the other places of the name follow, and tell the letter."""
        others = [
            p
            for p in self.places
            if same_slot(p.slot, place.slot) and p.id != place.id and differs(p, place)
        ]
        text = "" if place.blank else place.text.replace("\u200b", "")
        if others:
            key = fold(place.name)
            known = self._values.get(key, NO_FILLING)
            if not place.slot.modifiers:
                self._values[key] = known._replace(text=None if place.blank else text)
                self._rewrite(others)
        self.typed.emit(place.name, text)

    def _rewrite(self, places: list[Spot]) -> None:
        """Write the value into places, last first, so that positions stay true."""
        self._loading = True
        write_in(self.document(), places, self._shown)
        self._loading = False
        self.places = list(spots_in(self.document()))
        self.viewport().update()

    def _follow_cursor(self) -> None:
        """Keep in mind the place being typed in: at its end, typing goes on inside it."""
        if self._inserting:
            return
        position, before = self.textCursor().position(), self._active
        inside = next((p for p in self.places if p.start < position < p.end), None)
        if inside:
            self._active = inside.id
        elif not any(p.id == self._active and p.end == position for p in self.places):
            self._active = 0
        if before and self._active != before and not self._loading:
            self._settle()

    def focusOutEvent(self, event: QFocusEvent) -> None:
        """What was typed is written as it is to be read."""
        super().focusOutEvent(event)
        self._settle()
        self.viewport().update()

    def _place_at(self, cursor: QTextCursor) -> Spot | None:
        """The place that typing at the cursor would change."""
        start, end = cursor.selectionStart(), cursor.selectionEnd()
        for place in self.places:
            if cursor.hasSelection():
                if place.start <= start and end <= place.end:
                    return place
            elif place.start < start < place.end or (
                place.id == self._active and start == place.end
            ):
                return place
        return None

    def insert_text(self, text: str) -> None:
        """Type text at the cursor: into the place it stands in, or as plain text."""
        cursor = self.textCursor()
        place = self._place_at(cursor)
        if place is None:
            cursor.insertText(text, plain_format(self.currentCharFormat()))
        else:
            self._insert_in(cursor, place, text)
        self.setTextCursor(cursor)

    def _insert_in(self, cursor: QTextCursor, place: Spot, text: str) -> None:
        if place.blank:
            cursor.setPosition(place.start)
            cursor.setPosition(place.end, QTextCursor.MoveMode.KeepAnchor)
        probe = QTextCursor(self.document())
        probe.setPosition(place.start + 1)
        made = slot_format(probe.charFormat(), place.slot, place.id, blank=False)
        self._active, self._inserting = place.id, True
        cursor.insertText(text, made)
        self._inserting = False

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Keep every keystroke on the right side of a place's edge."""
        if self.chooser.takes(event) or self._at_left_out(event):
            event.accept()
        elif event.matches(QKeySequence.StandardKey.Undo):
            self.undo_wanted.emit()
        elif is_redo(event):
            self.redo_wanted.emit()
        elif event.key() in _DELETING:
            if not self._delete(event):
                super().keyPressEvent(event)
        elif event.key() in _RETURN:
            if not self._return(event):
                super().keyPressEvent(event)
        elif _types(event):
            self.insert_text(event.text())
            self.ensureCursorVisible()
            self.chooser.narrow()
        else:
            super().keyPressEvent(event)

    def _at_left_out(self, event: QKeyEvent) -> bool:
        """Keys on the line that stands for a part that is left out; Return puts the part in."""
        cursor = self.textCursor()
        kept = docread.left_out(cursor.block())
        if kept is None:
            return would_join(cursor, event.key())
        if event.key() in _RETURN:
            self.part_wanted.emit(kept)
            return True
        return drop_line(cursor, event.key()) or _types(event)

    def _return(self, event: QKeyEvent) -> bool:
        place = self._place_at(self.textCursor())
        if place is None or event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            return False
        value = self._values.get(fold(place.name), NO_FILLING)
        if value.long and not place.blank:
            self.insert_text(BREAK)
        else:
            self.next_wanted.emit()
        return True

    def _delete(self, event: QKeyEvent) -> bool:
        """Deleting the last of a value leaves a blank; deleting a blank takes it out."""
        cursor = self.textCursor()
        forward = event.key() == Qt.Key.Key_Delete
        beside = place_beside(cursor, self.places, forward=forward)
        place = self._place_at(cursor) if cursor.hasSelection() else beside
        if place is None:
            return False
        label = self._filling(place).label or place.name
        if not delete_in(cursor, place, label):
            return False
        self.setTextCursor(cursor)
        return True

    def inputMethodEvent(self, event: QInputMethodEvent) -> None:
        """Composed letters go into places like typed ones."""
        text = event.commitString()
        if text and docread.left_out(self.textCursor().block()) is not None:
            event.accept()
            return
        if text and self._place_at(self.textCursor()) is not None:
            self.insert_text(text)
            event.accept()
            return
        super().inputMethodEvent(event)

    def fit_menu(self, menu: QMenu) -> None:
        """Undo and redo are those of the letter: the text by itself remembers nothing."""
        for name, wanted in (("edit-undo", self.undo_wanted), ("edit-redo", self.redo_wanted)):
            for action in menu.actions():
                if action.objectName() == name:
                    action.setEnabled(True)
                    action.triggered.connect(wanted)

    def insertFromMimeData(self, source: QMimeData) -> None:
        """Into a place goes plain text; elsewhere pasting is as on any paper."""
        place = self._place_at(self.textCursor())
        if docread.left_out(self.textCursor().block()) is not None:
            return
        if place is None:
            super().insertFromMimeData(source)
            return
        long = self._values.get(fold(place.name), NO_FILLING).long
        text = source.text().strip()
        self.insert_text(text.replace("\n", BREAK) if long else " ".join(text.split()))

    def insert_plain(self, text: str) -> None:
        self.insert_text(text)


def _types(event: QKeyEvent) -> bool:
    command = Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.MetaModifier
    if event.modifiers() & command and not event.modifiers() & Qt.KeyboardModifier.AltModifier:
        return False
    return bool(event.text()) and event.text().isprintable()
