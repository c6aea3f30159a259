"""The files of a case that is being filled in."""

from functools import partial

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QVBoxLayout

from nebbet.core.letter import Enclosure
from nebbet.core.sentences import said
from nebbet.desktop.kit import pieces
from nebbet.desktop.kit.drops import FileDrop
from nebbet.desktop.session.shared_library import SharedLibrary


class FormFiles(FileDrop):
    """Lists them by name; more are added by a button or dropped here. edited tells that there are
    other ones."""

    edited = Signal()

    def __init__(self, shared: SharedLibrary) -> None:
        super().__init__(self.take_paths)
        self._shared = shared
        self.keys: tuple[str, ...] = ()
        self._filled = 0  # how often the form was: what was asked for before is not for this case
        self._rows = QVBoxLayout()
        self.add = pieces.button(said("Add a file…"), self.ask_for_files, "words", "Ctrl+Alt+Y")
        pieces.fill(QVBoxLayout(self), self._rows, pieces.row(self.add, None), spacing=2)

    def show_files(self, keys: tuple[str, ...]) -> None:
        """Show the files of another case, by their SHA-256."""
        self._filled += 1
        self._show(keys)

    def _show(self, keys: tuple[str, ...]) -> None:
        self.keys = keys
        pieces.clear(self._rows)
        for key in keys:
            held = self._shared.catalogue.files.get(key)
            name = held.name if held else said("a file that is not in the library any more")
            drop = pieces.tool("x", said("Take {name} out of the case", name=name),
                               partial(self._drop, key))  # fmt: skip
            self._rows.addLayout(pieces.row(pieces.grow(pieces.label(name, wrap=True)), drop))

    def take_paths(self, paths: list[str]) -> None:
        """Take files into the library, for the case."""
        filled = self._filled

        def added(enclosure: Enclosure) -> None:
            if filled == self._filled and enclosure.file not in self.keys:
                self._show((*self.keys, enclosure.file))
                self.edited.emit()

        self._shared.intake.add_files(paths, added, for_a_letter=True)

    def _drop(self, key: str) -> None:
        self._show(tuple(one for one in self.keys if one != key))
        self.edited.emit()
