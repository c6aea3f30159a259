"""Comparing and merging states of a template."""

from nebbet.core.comparing.compare import Piece, Row, Section, compare, word_pieces
from nebbet.core.comparing.merge import Merged, merge

__all__ = ["Merged", "Piece", "Row", "Section", "compare", "merge", "word_pieces"]
