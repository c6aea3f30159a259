"""Looking through the rows of a round in the background, some at a time; what is asked anew ends
what was under way."""

from collections.abc import Sequence

from PySide6.QtCore import QObject, Signal

from nebbet.core.errors import NebbetError
from nebbet.core.records.tables import TableRow
from nebbet.desktop.kit.operations import Operations
from nebbet.desktop.session.shared_library import SharedLibrary
from nebbet.library.catalogue import Catalogue
from nebbet.library.rounds import RowLetter, Source, look

_AT_ONCE = 50  # rows that are told at once


class Looking(QObject):
    """came hands over letters of rows, in their order, done says that all were looked through, and
    failed why that cannot be."""

    came = Signal(list)
    done = Signal()
    failed = Signal(object)
    _some = Signal(int, list)

    def __init__(self, shared: SharedLibrary) -> None:
        super().__init__(shared)
        self._shared = shared
        self._work = Operations(self)
        self._turn = 0
        self._some.connect(self._on_some)

    def ask(self, catalogue: Catalogue, source: Source, rows: Sequence[TableRow]) -> None:
        """Look through rows, from the first on; catalogue is what their letters are worked out
        with."""
        self._turn += 1
        turn, shared = self._turn, self._shared
        people, writer = shared.library.people, shared.writer()

        def act() -> None:
            held: list[RowLetter] = []
            enough = 1  # the first row is shown at once
            for one in look(catalogue, people, source, rows, writer, lambda: turn != self._turn):
                held.append(one)
                if len(held) >= enough:
                    self._some.emit(turn, held)
                    held, enough = [], _AT_ONCE
            self._some.emit(turn, held)

        def over(_done: object) -> None:
            if turn == self._turn:
                self.done.emit()

        self._work.run(act, over, lambda error: self._on_failed(turn, error))

    def end(self) -> None:
        """Look no further."""
        self._turn += 1

    def finish(self) -> None:
        """End, and wait until it has."""
        self.end()
        self._work.finish()

    def _on_some(self, turn: int, some: list[RowLetter]) -> None:
        if turn == self._turn and some:
            self.came.emit(some)

    def _on_failed(self, turn: int, error: NebbetError) -> None:
        if turn == self._turn:
            self.failed.emit(error)
