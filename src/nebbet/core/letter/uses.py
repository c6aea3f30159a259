"""How often the placeholders of a template are used, and where."""

from collections import Counter
from collections.abc import Iterator

from nebbet.core import body, dates, inline, sums
from nebbet.core.errors import NebbetError
from nebbet.core.letter.content import ADDRESS_LINES, Content
from nebbet.core.placeholders import Placeholder, tried
from nebbet.core.records import fold


def uses(content: Content) -> dict[str, Counter[str]]:
    """For each folded name, where it is used and how often: in the subject, the text, copies,
    enclosures, conditions, or by other placeholders. A language counts by itself."""
    found: dict[str, Counter[str]] = {}
    for where, name in _mentions(content):
        found.setdefault(fold(name), Counter())[where] += 1
    return found


def _mentions(content: Content) -> Iterator[tuple[str, str]]:
    for texts in content.texts.values():
        yield from _slots("subject", texts.subject)
        read = texts.blocks
        yield from (("text", slot.name) for slot in body.slots(read))
        for when in body.conditions(read):
            yield from (("conditions", name) for name in names_in(when))
        yield from (("repeated parts", name) for name in body.lists_of(read))
    copies = content.copies
    lines = (getattr(copies, part) for part in ADDRESS_LINES)
    for line in (*lines, *(c.address for c in copies.conditional)):
        yield from _slots("copies", line)
    for enclosure in content.enclosures:
        yield from _slots("enclosures", enclosure.name)
    for when in (*(c.when for c in copies.conditional), *(e.when for e in content.enclosures)):
        yield from (("conditions", name) for name in names_in(when))
    for placeholder in content.placeholders:
        yield from (("other placeholders", name) for name in needed(placeholder))


def _slots(where: str, text: str) -> Iterator[tuple[str, str]]:
    return ((where, slot.name) for slot in inline.slots(inline.parse(text)))


def needed(placeholder: Placeholder) -> list[str]:
    """The names from which a value is worked out; what cannot be read needs none."""
    match placeholder.source:
        case "sum":
            return names_in(placeholder.of)
        case "first":
            return tried(placeholder)
        case "date":
            try:
                return list(dates.read(placeholder.of).names)
            except NebbetError:
                return []
    return []


def names_in(text: str) -> list[str]:
    """The names in a sum or a condition; one that cannot be read has none."""
    try:
        return sums.names(sums.read(text)) if text else []
    except NebbetError:
        return []
