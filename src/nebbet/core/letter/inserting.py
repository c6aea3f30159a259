"""What of a template goes into a letter that is begun already."""

from nebbet.core import body, inline
from nebbet.core.body import Block, Body, Divider, Heading, ListItem, Paragraph
from nebbet.core.records import fold

_MOST_GREETING, _MOST_CLOSING = 10, 6  # words of a line that greets, or takes leave
_ENDS = (",", ":", "!")


def middle_of(found: Body) -> Body:
    """A text without the greeting at its beginning and the signature at its end, for a letter that
    has both: as far as they can be told, by the values that stand in them."""
    blocks = list(found)
    while blocks and _is_empty(blocks[0]):
        blocks.pop(0)
    if blocks and _greets(blocks[0]):
        blocks.pop(0)
    end = len(blocks)
    while end and (_signs(blocks[end - 1]) or _is_empty(blocks[end - 1])):
        end -= 1
    signed = end < len(blocks)
    if signed and end and _takes_leave(blocks[end - 1]):
        end -= 1
    kept = blocks[:end] if signed else blocks
    return body.tidy(kept) or found


def _is_empty(block: Block) -> bool:
    return isinstance(block, Paragraph | Divider) and not block.inlines


def _words(block: Block) -> list[str]:
    return inline.shown(body.text_of(block), blank=lambda _name: "x").split()


def _names(block: Block) -> list[str]:
    return [fold(slot.name) for slot in inline.slots(body.text_of(block))]


def _greets(block: Block) -> bool:
    """Whether a line greets: it names the recipient and ends as greetings do, or is a greeting
    worked out as a whole."""
    if not isinstance(block, Paragraph):
        return False
    names, words = _names(block), _words(block)
    if fold("recipient.greeting") in names:
        return len(words) <= _MOST_GREETING
    of_recipient = any(name.startswith(fold("recipient.")) for name in names)
    return of_recipient and len(words) <= _MOST_GREETING and words[-1].endswith(_ENDS)


def _signs(block: Block) -> bool:
    """Whether a line says who writes, and little else."""
    if isinstance(block, Heading | ListItem):
        return False
    names = _names(block)
    return bool(names) and all(name.startswith(fold("sender.")) for name in names)


def _takes_leave(block: Block) -> bool:
    words = _words(block)
    return isinstance(block, Paragraph) and not _names(block) and 0 < len(words) <= _MOST_CLOSING
