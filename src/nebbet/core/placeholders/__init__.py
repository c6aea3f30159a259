"""Placeholders: declarations, formats, and working out every value with its explanation."""

from nebbet.core.placeholders.declared import Placeholder, Source, implied
from nebbet.core.placeholders.fill import Filled, fill
from nebbet.core.placeholders.formats import language_of, show
from nebbet.core.placeholders.resolve import Particular, World, known_names, nearest, resolve

__all__ = [
    "Filled",
    "Particular",
    "Placeholder",
    "Source",
    "World",
    "fill",
    "implied",
    "known_names",
    "language_of",
    "nearest",
    "resolve",
    "show",
]
