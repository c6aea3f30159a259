"""The enclosures of a template: library files with the names they get in the message."""

from functools import partial

from msgspec.structs import replace
from PySide6.QtCore import Signal
from PySide6.QtWidgets import QLineEdit, QVBoxLayout, QWidget

from nebbet.core.letter import Enclosure
from nebbet.desktop.kit import pieces, theme
from nebbet.desktop.kit.drops import FileDrop
from nebbet.desktop.kit.message_view import size_words
from nebbet.desktop.session.shared_library import SharedLibrary
from nebbet.desktop.session.valid_until import set_valid_until
from nebbet.desktop.template.condition import ConditionField
from nebbet.desktop.template.ledger import Ledger
from nebbet.desktop.template.slot_line import SlotLine


class Enclosures(FileDrop):
    """Lists enclosures; files can be dropped here or chosen. changed says that something did."""

    changed = Signal()

    def __init__(self, shared: SharedLibrary, ledger: Ledger) -> None:
        super().__init__(self.take_paths)
        self._shared, self._ledger = shared, ledger
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
            last = self._show_row(index, enclosure, last)
        self._rows.addWidget(pieces.label(self._total(), "note", wrap=True))

    def _show_row(self, index: int, enclosure: Enclosure, last: QWidget) -> QWidget:
        number = index + 1
        name = SlotLine(f"Name of enclosure {number}", self._ledger)
        name.set_text(enclosure.name)
        name.edited.connect(lambda: self.rename(index, name.text().strip()))
        name.entered.connect(self.focusNextChild)
        size = pieces.label(size_words(enclosure.size), "note")
        drop = pieces.tool("x", f"Remove {enclosure.name}", partial(self._drop, index))
        when = ConditionField(f"Condition of enclosure {number}", self._ledger)
        when.setText(enclosure.when)
        when.textEdited.connect(partial(self._condition, index))
        until = self._until(number, enclosure)
        self._rows.addLayout(pieces.row(pieces.grow(name), size, drop))
        self._rows.addLayout(pieces.row(pieces.label("only if", "faint"), pieces.grow(when)))
        self._rows.addWidget(when.note)
        self._rows.addLayout(pieces.row(pieces.label("valid until", "faint"), pieces.grow(until)))
        pieces.tab_through(last, name, drop, when, until)
        return until

    def _until(self, number: int, enclosure: Enclosure) -> QLineEdit:
        """The last day on which the file should go out; it holds wherever the file is used."""
        until = QLineEdit()
        theme.named(until, f"Last day of enclosure {number}", "holds wherever the file is used")
        until.setPlaceholderText("no end, or 2027-03-31")
        held = self._shared.catalogue.files.get(enclosure.file)
        if held and held.valid_until:
            until.setText(held.valid_until.isoformat())
            past = self._shared.catalogue.expired(enclosure.file, self._shared.now().date())
            pieces.restyle(until, "wrong", bool(past))
        until.editingFinished.connect(
            lambda: set_valid_until(self._shared, enclosure.file, until.text())
        )
        return until

    def _total(self) -> str:
        """What the files weigh in the message: base64 makes four bytes of three (RFC 2045)."""
        if not self.enclosures:
            return "None. Drop a file here, or add one."
        encoded = sum(-(-e.size // 3) * 4 for e in self.enclosures)
        return f"{size_words(encoded)} in the message, encoded."

    def rename(self, index: int, name: str) -> None:
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
        self._shared.intake.add_files(paths, self.take)
