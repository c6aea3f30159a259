"""The letter's own editor: the places of placeholders are completed where they stand."""

from PySide6.QtCore import QMimeData, Qt, Signal
from PySide6.QtGui import (
    QFocusEvent,
    QInputMethodEvent,
    QKeyEvent,
    QKeySequence,
    QMouseEvent,
    QTextCursor,
)
from PySide6.QtWidgets import QMenu

from nebbet.core import inline
from nebbet.core.body import Paragraph, Run
from nebbet.core.records import fold
from nebbet.desktop.kit.pictures import Pictures
from nebbet.desktop.paper import docread
from nebbet.desktop.paper.braces import Braces, Offers
from nebbet.desktop.paper.chooser import Chooser, Places
from nebbet.desktop.paper.docformat import BREAK, plain_format, slot_format
from nebbet.desktop.paper.fillings import NO_FILLING
from nebbet.desktop.paper.left_out import drop_line, would_join
from nebbet.desktop.paper.paper_edit import is_redo, types
from nebbet.desktop.paper.slot_text import SlotText
from nebbet.desktop.paper.spots import (
    Spot,
    differs,
    same_slot,
    spots_in,
)
from nebbet.desktop.paper.values import delete_in, place_beside

_DELETING = (Qt.Key.Key_Backspace, Qt.Key.Key_Delete)
_RETURN = (Qt.Key.Key_Return, Qt.Key.Key_Enter)


class SlotEdit(SlotText):
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

    def __init__(
        self,
        pictures: Pictures | None = None,
        at_hand: Offers | None = None,
        *,
        single: bool = False,
    ) -> None:
        self._inserting = False
        super().__init__(pictures, single=single)
        self.cursorPositionChanged.connect(self._follow_cursor)
        here = Places(lambda: self.places, self._at_cursor, self._active_place, self._filling)
        self.chooser = Chooser(self, here)
        self.chooser.chosen.connect(self._take_choice)
        self.braces = Braces(self, at_hand, self._put) if at_hand else None

    # Blanks

    def select_place(self, place: Spot) -> None:
        """Select a place, so that typing replaces what stands there."""
        cursor = self.textCursor()
        cursor.setPosition(place.start)
        cursor.setPosition(place.end, QTextCursor.MoveMode.KeepAnchor)
        self.setTextCursor(cursor)
        self.setFocus(Qt.FocusReason.ShortcutFocusReason)
        if place.blank and self._filling(place).offers:
            self.chooser.offer(place)

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

    def _put(self, cursor: QTextCursor, inner: str) -> None:
        """Put a value at a cursor; what it says comes with the letter's values."""
        self.setTextCursor(cursor)
        self.insert_body((Paragraph((Run(inline.slot(inner)),)),))

    def offer_values(self) -> None:
        """Type the braces that open the list of what is known; in a value, behind it."""
        cursor, place = self.textCursor(), self._at_cursor()
        cursor.setPosition(place.end if place else cursor.selectionEnd())
        self._active = 0
        self.setTextCursor(cursor)
        self.setFocus(Qt.FocusReason.ShortcutFocusReason)
        if self.braces:
            self.insert_text("{{")
            self.braces.open()

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
        """The list of what is known comes with {{ and goes with }}."""
        if self.braces is None:
            self._take_key(event)
        elif not self.braces.takes(event):
            self._take_key(event)
            self.braces.typed(event)

    def _take_key(self, event: QKeyEvent) -> None:
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
        elif types(event):
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
        return drop_line(cursor, event.key()) or types(event)

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
