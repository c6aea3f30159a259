"""The enclosures of a template: library files with the names they get in the message."""

from functools import partial

from msgspec.structs import replace
from PySide6.QtCore import Signal
from PySide6.QtWidgets import QLineEdit, QVBoxLayout, QWidget

from nebbet.core.letter import Enclosure
from nebbet.desktop.kit import pieces, theme
from nebbet.desktop.kit.body_tools import AddFiles
from nebbet.desktop.kit.drops import FileDrop
from nebbet.desktop.kit.message_view import size_words
from nebbet.desktop.shelves.condition import ConditionField, Resolve


class Enclosures(FileDrop):
    """Lists enclosures; files can be dropped here or chosen. changed says that something did."""

    changed = Signal()

    def __init__(self, add_files: AddFiles, resolution: Resolve) -> None:
        super().__init__(self.take_paths)
        self._resolution = resolution
        self._add_files = add_files
        self.enclosures: list[Enclosure] = []
        self._rows = QVBoxLayout()
        self.add = pieces.button("Add a file…", self.ask_for_files, "words")
        head = pieces.row(pieces.label("Enclosures", "heading"), None, self.add)
        pieces.fill(QVBoxLayout(self), head, pieces.rule(), self._rows, spacing=3)

    def show_enclosures(self, shown: tuple[Enclosure, ...]) -> None:
        """Take up a template's enclosures."""
        self.enclosures = list(shown)
        self._show()

    def _show(self) -> None:
        pieces.clear(self._rows)
        last: QWidget = self.add
        for index, enclosure in enumerate(self.enclosures):
            name = QLineEdit(enclosure.name)
            theme.named(name, f"Name of enclosure {index + 1}", "may hold {{placeholders}}")
            name.textEdited.connect(partial(self._rename, index))
            size = pieces.label(size_words(enclosure.size), "note")
            drop = pieces.tool("x", f"Remove {enclosure.name}", partial(self._drop, index))
            when = ConditionField(f"Condition of enclosure {index + 1}", self._resolution)
            when.setText(enclosure.when)
            when.textEdited.connect(partial(self._condition, index))
            self._rows.addLayout(pieces.row(pieces.grow(name), size, drop))
            self._rows.addLayout(pieces.row(pieces.label("only if", "faint"), pieces.grow(when)))
            self._rows.addWidget(when.note)
            pieces.tab_through(last, name, when, drop)
            last = drop
        if not self.enclosures:
            self._rows.addWidget(pieces.label("None. Drop a file here, or add one.", "note"))

    def _rename(self, index: int, name: str) -> None:
        self.enclosures[index] = replace(self.enclosures[index], name=name)
        self.changed.emit()

    def _condition(self, index: int, when: str) -> None:
        self.enclosures[index] = replace(self.enclosures[index], when=when.strip())
        self.changed.emit()

    def _drop(self, index: int) -> None:
        del self.enclosures[index]
        self._show()
        self.changed.emit()

    def take(self, enclosure: Enclosure) -> None:
        """Add a file that is in the library now."""
        self.enclosures.append(enclosure)
        self._show()
        self.changed.emit()

    def take_paths(self, paths: list[str]) -> None:
        """Take files into the library and put them here."""
        self._add_files(paths, self.take)
