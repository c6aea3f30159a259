"""Writing values into their places, and deleting there: the last of a value leaves a blank, a blank
goes."""

from collections.abc import Callable, Iterable

from PySide6.QtGui import QTextBlock, QTextCursor, QTextDocument

from nebbet.core.inline import Slot
from nebbet.desktop.paper.docformat import BREAK, Shown, slot_format
from nebbet.desktop.paper.spots import Spot


def write_in(
    document: QTextDocument, places: Iterable[Spot], shown: Callable[[Slot], Shown]
) -> None:
    """Write what is to be shown into places, the last first, so that positions stay true."""
    cursor = QTextCursor(document)
    cursor.beginEditBlock()
    for place in sorted(places, key=lambda p: -p.start):
        _put(cursor, place, shown(place.slot))
    cursor.endEditBlock()


def _put(cursor: QTextCursor, place: Spot, shown: Shown) -> None:
    cursor.setPosition(place.start + 1)
    base = cursor.charFormat()
    cursor.setPosition(place.start)
    cursor.setPosition(place.end, QTextCursor.MoveMode.KeepAnchor)
    made = slot_format(base, place.slot, place.id, blank=shown.blank)
    cursor.insertText(shown.text.replace("\n", BREAK), made)


def delete_in(cursor: QTextCursor, place: Spot, label: str) -> bool:
    """Delete what the cursor is at in a place; label stands where the value was. Whether that was
    more than one letter of a longer value, which any editor deletes by itself."""
    whole = cursor.selectionStart() == place.start and cursor.selectionEnd() == place.end
    if place.blank:
        cursor.setPosition(place.start)
        cursor.setPosition(place.end, QTextCursor.MoveMode.KeepAnchor)
        cursor.removeSelectedText()
        return True
    if whole or place.end - place.start == 1:
        _put(cursor, place, Shown(label, True))
        cursor.setPosition(place.start)
        cursor.setPosition(place.start + len(label), QTextCursor.MoveMode.KeepAnchor)
        return True
    return False


def own_words(block: QTextBlock, places: Iterable[Spot]) -> str:
    """The text of a block with spaces in the place of values: these are none of the writer's
    words."""
    text, begin = block.text(), block.position()
    for place in places:
        start, end = max(place.start - begin, 0), place.end - begin
        if start < len(text) and end > 0:
            text = text[:start] + " " * (min(end, len(text)) - start) + text[end:]
    return text


def place_beside(cursor: QTextCursor, places: Iterable[Spot], *, forward: bool) -> Spot | None:
    """The place of the sign that deleting at a cursor would take."""
    position = cursor.position() + (0 if forward else -1)
    return next((place for place in places if place.start <= position < place.end), None)
