"""A field for a condition, with what it says for the example beside it."""

from typing import Protocol

from PySide6.QtGui import QFocusEvent, QKeyEvent
from PySide6.QtWidgets import QLineEdit

from nebbet.core import sums
from nebbet.core.errors import NebbetError
from nebbet.core.placeholders import Resolution
from nebbet.desktop.kit import pieces, theme
from nebbet.desktop.kit.picker import Choice
from nebbet.desktop.paper.name_list import OfferList, query_in


class Known(Protocol):
    """What a condition can speak of, as the ledger knows it."""

    def offer(self, words: str) -> list[Choice]:
        """The placeholders that match some words, best first."""

    def take(self, key: str) -> str:
        """The name behind an offered key."""

    def resolution(self) -> Resolution:
        """What the example gives."""


class ConditionField(QLineEdit):
    """Takes a condition; empty is always. Typing {{ opens the list of placeholders. note says how
    it turns out for the example."""

    def __init__(self, name: str, known: Known) -> None:
        super().__init__()
        self._known = known
        theme.named(self, name)
        self.setPlaceholderText("always, or a condition: passengers >= 10")
        self.note = pieces.label("", "note", wrap=True)
        self.note.hide()
        self.textChanged.connect(self.explain)
        self.offers = OfferList(self)
        self.offers.taken.connect(self._choose)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """The list comes with {{ and goes with }}."""
        if self.offers.takes(event):
            return
        super().keyPressEvent(event)
        if event.text():
            query = query_in(self.text()[: self.cursorPosition()])
            choices = self._known.offer(query[1])[:40] if query else []
            self.offers.show_under(self, self.cursorRect(), choices)

    def focusOutEvent(self, event: QFocusEvent) -> None:
        super().focusOutEvent(event)
        self.offers.hide()

    def _choose(self) -> None:
        """Write the chosen name over what was typed; braces only where the name needs them."""
        query, key = query_in(self.text()[: self.cursorPosition()]), self.offers.key
        self.offers.hide()
        if query and key:
            name = sums.wording(sums.Name(self._known.take(key)))
            self.setSelection(query[0], self.cursorPosition() - query[0])
            self.insert(name)
            self.textEdited.emit(self.text())

    def explain(self, _text: str = "") -> None:
        """Say how the condition turns out, or what is wrong with it."""
        text = self.text().strip()
        self.note.setVisible(bool(text))
        if not text:
            return
        try:
            sums.read(text)
        except NebbetError as error:
            said, wrong = error.what, True
        else:
            decision = self._known.resolution().holds(text)
            said, wrong = decision.note, decision.holds is None
        self.note.setText(said)
        pieces.restyle(self.note, "wrong", wrong)
