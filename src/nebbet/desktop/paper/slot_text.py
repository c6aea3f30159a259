"""A letter's text on paper: its placeholders stand filled."""

from collections.abc import Iterator, Mapping

from PySide6.QtGui import QTextBlock, QTextCursor, QTextFormat

from nebbet.core import inline
from nebbet.core.body import Body, Markup, finished, markup_line
from nebbet.core.inline import Line, Slot
from nebbet.core.records import fold
from nebbet.desktop.kit.pictures import Pictures
from nebbet.desktop.paper import docformat, docread
from nebbet.desktop.paper.block_object import BlockObject, Piece
from nebbet.desktop.paper.docformat import Shown
from nebbet.desktop.paper.docwrite import Writer
from nebbet.desktop.paper.fillings import NO_FILLING, Filling
from nebbet.desktop.paper.marks import Mark
from nebbet.desktop.paper.paper_edit import PaperEdit
from nebbet.desktop.paper.spots import Spot, anchor_at, in_common, position_of, spots_in
from nebbet.desktop.paper.values import own_words, write_in


class SlotText(PaperEdit):
    """Shows a text with its values, and follows them. Undo belongs to the whole letter, of which
    the text here is a part."""

    keeps_undo = False
    names_conditions = False
    shows_start = False

    def __init__(self, pictures: Pictures | None = None, *, single: bool = False) -> None:
        self._values: dict[str, Filling] = {}
        self.places: list[Spot] = []
        self._next_id = 1
        self._active = 0  # the number of the place that is being typed in
        super().__init__(pictures, single=single)
        self.document().setUndoRedoEnabled(False)
        drawer = BlockObject(self.piece, lambda _document: None, self.writer, self.picture, self)
        self.document().documentLayout().registerHandler(docformat.MARKUP_OBJECT, drawer)

    def piece(self, text_format: QTextFormat) -> Piece:
        """Finished HTML with the values in it; a blank shows its label."""
        line = markup_line(str(text_format.property(docformat.SOURCE)))
        shown = ((part, self._shown(part)) for part in line if isinstance(part, Slot))
        texts = {part: f"[{s.text}]" if s.blank else s.text for part, s in shown}
        filled = inline.completed(line, texts.get)
        html = finished(Markup(filled), {})
        return Piece("Finished HTML: its blanks are completed beside it", html=html)

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

    def blanks(self) -> list[Spot]:
        """The blanks that are left, in order."""
        return [place for place in self.places if place.blank]

    def place_of(self, name: str) -> Spot | None:
        """The first place of a placeholder."""
        return next((p for p in self.places if fold(p.name) == fold(name)), None)

    def _filling(self, place: Spot) -> Filling:
        return self._values.get(fold(place.name), NO_FILLING)

    def marks(self) -> Iterator[Mark]:
        for place in self.places:
            value = self._values.get(fold(place.name), NO_FILLING)
            yield Mark(place.start, place.end, "blank" if place.blank else value.kind)

    def _rewrite(self, places: list[Spot]) -> None:
        """Write the value into places, last first, so that positions stay true."""
        self._loading = True
        write_in(self.document(), places, self._shown)
        self._loading = False
        self.places = list(spots_in(self.document()))
        self.viewport().update()
