"""What a template was before, step by step, where its texts themselves remember no more."""

from collections.abc import Callable

from nebbet.core.letter import Content

_MOST = 200  # states: each is small, and nobody goes further back


class Undoing:
    """Keeps the states of a template that is being written, as the writer paused at them. content
    gives the one at hand, rewrite shows another."""

    def __init__(
        self, content: Callable[[], Content], rewrite: Callable[[Content], object]
    ) -> None:
        self._content, self._rewrite = content, rewrite
        self._past: list[Content] = []
        self._future: list[Content] = []

    def begin(self) -> None:
        """Another template is taken up."""
        self._past, self._future = [self._content()], []

    def note(self) -> None:
        """Keep the state at hand; one that is as it was is none."""
        now = self._content()
        if not self._past or self._past[-1] != now:
            self._past = [*self._past[-_MOST:], now]
            self._future = []

    def undo(self) -> None:
        """Go back to the state before the one at hand, ledger and all."""
        self.note()
        if len(self._past) > 1:
            self._future.append(self._past.pop())
            self._rewrite(self._past[-1])

    def redo(self) -> None:
        """Go on to the state that was taken back last, if nothing came since."""
        if self._future:
            self._past.append(self._future.pop())
            self._rewrite(self._past[-1])
