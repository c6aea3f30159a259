"""Where placeholders stand in a text document, and where positions are after it has changed."""

from collections.abc import Iterator
from itertools import takewhile
from typing import NamedTuple

from PySide6.QtGui import QTextDocument

from nebbet.core.inline import Slot
from nebbet.core.records import fold
from nebbet.desktop.paper import docformat, docread
from nebbet.desktop.paper.docformat import BREAK, Shown


class Spot(NamedTuple):
    """One occurrence of a placeholder in the document."""

    id: int
    slot: Slot
    start: int
    end: int
    text: str
    blank: bool

    @property
    def name(self) -> str:
        """The placeholder's name, with the number of a list's member."""
        return self.slot.key

    @property
    def shown(self) -> Shown:
        """How it stands in the document."""
        return Shown(self.text, self.blank)


def spots_in(document: QTextDocument) -> Iterator[Spot]:
    """Every place of a placeholder, in order."""
    for block in docread.blocks(document):
        last: Spot | None = None
        for fragment in docread.fragments(block):
            char_format = fragment.charFormat()
            slot_id = char_format.property(docformat.SLOT_ID)
            if last and last.id != slot_id:
                yield last
                last = None
            if slot_id:
                text = fragment.text().replace(BREAK, "\n")
                end = fragment.position() + fragment.length()
                if last:
                    last = last._replace(end=end, text=last.text + text)
                else:
                    slot = docformat.slot_of(char_format)
                    blank = bool(char_format.property(docformat.SLOT_BLANK))
                    last = Spot(slot_id, slot, fragment.position(), end, text, blank)
        if last:
            yield last


def same_slot(one: Slot, other: Slot) -> bool:
    """Whether two places say the same, in the same way."""
    return (fold(one.key), one.modifiers) == (fold(other.key), other.modifiers)


def differs(one: Spot, other: Spot) -> bool:
    """Whether other things stand in two places."""
    return (one.text, one.blank) != (other.text, other.blank)


class Anchor(NamedTuple):
    """A position that lasts while parts come and go: a block's text, how many blocks of that text
    stand before it, and the place in it."""

    text: str
    same: int
    offset: int


def anchor_at(document: QTextDocument, position: int) -> Anchor:
    """What lasts of a position."""
    block = document.findBlock(position)
    earlier = takewhile(lambda b: b != block, docread.blocks(document))
    same = sum(b.text() == block.text() for b in earlier)
    return Anchor(block.text(), same, position - block.position())


def position_of(document: QTextDocument, anchor: Anchor) -> int:
    """Where an anchor is now. A block of which a value is written anew is known by its beginning,
    and what stood behind the value still does."""
    text, same, offset = anchor
    found = list(docread.blocks(document))
    equal = [block for block in found if block.text() == text]
    if equal:
        return equal[min(same, len(equal) - 1)].position() + offset
    near = max(found, key=lambda block: in_common(block.text(), text))
    if offset > in_common(near.text(), text):
        offset += len(near.text()) - len(text)
    return near.position() + max(0, min(offset, near.length() - 1))


def in_common(one: str, other: str) -> int:
    """How many signs two texts begin with in common."""
    pairs = zip(one, other, strict=False)
    return sum(1 for _ in takewhile(lambda pair: pair[0] == pair[1], pairs))
