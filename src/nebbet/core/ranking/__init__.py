"""Finding things by a few typed words."""

from nebbet.core.ranking.find import Entry, find

__all__ = ["Entry", "find"]
