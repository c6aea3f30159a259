"""By what a thing of one state of a template is known again in another."""

from nebbet.core.letter import Copy, Enclosure
from nebbet.core.placeholders import Placeholder
from nebbet.core.records import fold


def name_of(placeholder: Placeholder) -> str:
    """A placeholder is the one of its name."""
    return fold(placeholder.name)


def file_of(enclosure: Enclosure) -> str:
    """An enclosure is the one of its file."""
    return enclosure.file


def address_of(copy: Copy) -> str:
    """A copy under a condition is the one of its address in its row."""
    return f"{copy.part} {copy.address}"
