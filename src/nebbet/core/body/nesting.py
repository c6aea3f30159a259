"""Opening and closing nested lists while blocks are written one after the other."""

from collections.abc import Callable

from nebbet.core.body.model import ListItem


class Nesting:
    """Writes list tags into parts; start(tag) gives the opening tag."""

    def __init__(self, parts: list[str], start: Callable[[str], str]) -> None:
        self._parts, self._start = parts, start
        self._open: list[str] = []

    def enter(self, item: ListItem) -> None:
        """Open and close lists until the item's own list is the innermost."""
        tag = "ol" if item.ordered else "ul"
        self._close(item.level + 1)
        if len(self._open) == item.level + 1 and self._open[-1] != tag:
            self._close(item.level)
        while len(self._open) <= item.level:
            self._open.append(tag)
            self._parts.append(f"{self._start(tag)}\n")

    def leave(self) -> None:
        """Close every open list."""
        self._close(0)

    def _close(self, depth: int) -> None:
        while len(self._open) > depth:
            self._parts.append(f"</{self._open.pop()}>\n")
