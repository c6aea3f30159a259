"""Comparing and merging states of a template."""

from nebbet.core.comparing.compare import Piece, Row, Section, compare, word_pieces
from nebbet.core.comparing.merge import Merged, merge
from nebbet.core.comparing.shared import Shared, compare_shared
from nebbet.core.comparing.taking_over import taken_over

__all__ = [
    "Merged",
    "Piece",
    "Row",
    "Section",
    "Shared",
    "compare",
    "compare_shared",
    "merge",
    "taken_over",
    "word_pieces",
]
