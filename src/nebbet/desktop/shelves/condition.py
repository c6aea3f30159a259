"""A field for a condition, with what it says for the example beside it."""

from collections.abc import Callable

from PySide6.QtWidgets import QLineEdit

from nebbet.core import sums
from nebbet.core.errors import NebbetError
from nebbet.core.placeholders import Resolution
from nebbet.desktop.kit import pieces, theme

Resolve = Callable[[], Resolution]


class ConditionField(QLineEdit):
    """Takes a condition; empty is always. note says how it turns out for the example."""

    def __init__(self, name: str, resolution: Resolve) -> None:
        super().__init__()
        self._resolution = resolution
        theme.named(self, name)
        self.setPlaceholderText("always, or a condition: passengers >= 10")
        self.note = pieces.label("", "note", wrap=True)
        self.note.hide()
        self.textChanged.connect(self.explain)

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
            decision = self._resolution().holds(text)
            said, wrong = decision.note, decision.holds is None
        self.note.setText(said)
        pieces.restyle(self.note, "wrong", wrong)
