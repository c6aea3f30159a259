"""The addresses of a template that are copied only under a condition."""

from functools import partial
from typing import cast

from msgspec.structs import replace
from PySide6.QtCore import Signal
from PySide6.QtWidgets import QVBoxLayout, QWidget

from nebbet.core.letter import Copy
from nebbet.desktop.kit import pieces, theme
from nebbet.desktop.kit.still import StillCombo
from nebbet.desktop.template.condition import ConditionField
from nebbet.desktop.template.ledger import Ledger
from nebbet.desktop.template.slot_line import SlotLine

_PARTS = {"to": "To", "cc": "Cc", "bcc": "Bcc"}


class ConditionalCopies(QWidget):
    """Lists them, one below the other; changed says that something did."""

    changed = Signal()

    def __init__(self, ledger: Ledger) -> None:
        super().__init__()
        self._ledger = ledger
        self.copies: list[Copy] = []
        self._rows = QVBoxLayout()
        self.add = pieces.button("Add an address", self._add, "words")
        head = pieces.row(pieces.label("Copies under a condition", "heading"), None, self.add)
        pieces.fill(QVBoxLayout(self), head, pieces.rule(), self._rows, spacing=3)

    def show_copies(self, shown: tuple[Copy, ...]) -> None:
        """Take up a template's conditional copies."""
        self.copies = list(shown)
        self._show()

    def _show(self) -> None:
        pieces.clear(self._rows)
        self._last: QWidget = self.add
        for index, copy in enumerate(self.copies):
            self._show_row(index, copy)
        if not self.copies:
            self._rows.addWidget(pieces.label("None.", "note"))

    def _show_row(self, index: int, copy: Copy) -> None:
        part = StillCombo()
        for key, words in _PARTS.items():
            part.addItem(words, key)
        part.setCurrentIndex(list(_PARTS).index(copy.part))
        theme.named(part, f"Kind of copy {index + 1}")
        address = SlotLine(f"Address of copy {index + 1}", self._ledger, "address, or {{name}}")
        address.set_text(copy.address)
        when = ConditionField(f"Condition of copy {index + 1}", self._ledger)
        when.setText(copy.when)
        drop = pieces.tool("x", f"Remove copy {index + 1}", partial(self._drop, index))
        part.currentIndexChanged.connect(
            lambda _i: self._take(index, part=cast(str, part.currentData()))
        )
        address.edited.connect(lambda: self._take(index, address=address.text().strip()))
        address.entered.connect(self.focusNextChild)
        when.textEdited.connect(lambda text: self._take(index, when=text.strip()))
        self._rows.addLayout(pieces.row(part, pieces.grow(address), drop, spacing=4))
        self._rows.addLayout(pieces.row(pieces.label("only if", "faint"), pieces.grow(when)))
        self._rows.addWidget(when.note)
        pieces.tab_through(self._last, part, address, when, drop)
        self._last = drop

    def _take(self, index: int, **change: str) -> None:
        self.copies[index] = replace(self.copies[index], **change)
        self.changed.emit()

    def _add(self) -> None:
        self.copies.append(Copy("cc", "", ""))
        self._show()
        self.changed.emit()
        for field in self.findChildren(SlotLine):
            if field.accessibleName() == f"Address of copy {len(self.copies)}":
                field.show()
                field.setFocus()

    def _drop(self, index: int) -> None:
        del self.copies[index]
        self._show()
        self.changed.emit()
