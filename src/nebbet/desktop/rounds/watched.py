"""A table's file is watched: a change is told with what differs, and taken only when one asks."""

from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import QFileSystemWatcher
from PySide6.QtWidgets import QHBoxLayout, QWidget

from nebbet.core.records.tables import ReadTable
from nebbet.core.sentences import said
from nebbet.desktop.kit import pieces
from nebbet.desktop.kit.operations import nothing
from nebbet.desktop.kit.pause import after_pause
from nebbet.desktop.session.shared_library import SharedLibrary
from nebbet.library.round_tables import Difference, Origin, Taken, difference, take

_SETTLED = 400  # milliseconds after a change: a program writes a file in several goes


class Watched(QWidget):
    """The line that tells of a change; take_it is called with the table as it is then."""

    def __init__(self, shared: SharedLibrary, take_it: Callable[[Taken], object]) -> None:
        super().__init__()
        self._shared, self._take_it = shared, take_it
        self._origin: Origin | None = None
        self._table: ReadTable | None = None
        self._found: Taken | None = None
        self._watcher = QFileSystemWatcher(self)
        self.words = pieces.label("", "doubt", wrap=True)
        self.button = pieces.button(said("Take it as it is now"), self._take)
        pieces.fill(QHBoxLayout(self), pieces.grow(self.words), self.button)
        self._soon = after_pause(self, _SETTLED, self._look)
        self._watcher.fileChanged.connect(lambda _path: self._soon.start())
        self._watcher.directoryChanged.connect(lambda _path: self._soon.start())
        self.hide()

    def watch(self, origin: Origin, table: ReadTable) -> None:
        """Watch the file of a table that was taken; of any other, nothing is watched."""
        self.leave()
        if origin.kind == "file":
            self._origin, self._table = origin, table
            # A program that saves puts another file in the place of the first one.
            self._watcher.addPaths([origin.at, str(Path(origin.at).parent)])

    def leave(self) -> None:
        """Watch nothing."""
        self._origin = self._table = self._found = None
        if held := [*self._watcher.files(), *self._watcher.directories()]:
            self._watcher.removePaths(held)
        self.hide()

    def _look(self) -> None:
        origin, before = self._origin, self._table
        if origin is None or before is None:
            return
        if Path(origin.at).exists() and origin.at not in self._watcher.files():
            self._watcher.addPath(origin.at)
        people = self._shared.library.people

        def came(found: Taken) -> None:
            if self._origin is origin:
                self._show(found, difference(before, found.table))

        self._shared.reads.run(lambda: take(origin, people), came, nothing)

    def _show(self, found: Taken, differs: Difference) -> None:
        self._found = found
        self.words.setText(
            said(
                "The file has changed: rows new {new}, other ones {other}, gone {gone}. The round "
                "stays as it is.",
                new=differs.new, other=differs.other, gone=differs.gone,
            )
        )  # fmt: skip
        self.setVisible(bool(differs))

    def _take(self) -> None:
        if self._found:
            self._take_it(self._found)
