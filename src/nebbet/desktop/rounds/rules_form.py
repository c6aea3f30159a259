"""What a lead allows in rounds, set where the rounds are listed; everybody else reads it."""

from PySide6.QtCore import QSignalBlocker
from PySide6.QtWidgets import QHBoxLayout, QWidget

from nebbet.core.rounds import RoundRules
from nebbet.core.sentences import said
from nebbet.desktop.kit import pieces, theme
from nebbet.desktop.kit.pause import after_pause
from nebbet.desktop.kit.still import StillCombo
from nebbet.desktop.session.shared_library import SharedLibrary
from nebbet.library.changes import Change

_MOST = 250_000
_TYPED = 700  # milliseconds after a key until a number is kept


class RulesForm(QWidget):
    """Every change is kept at once."""

    def __init__(self, shared: SharedLibrary) -> None:
        super().__init__()
        self._shared = shared
        self.who = StillCombo()
        for words, leads_only in ((said("everybody"), False), (said("leads alone"), True)):
            self.who.addItem(words, leads_only)
        self.most = pieces.number(0, _MOST, said("any number"))
        self.looked_at = pieces.number(0, _MOST, said("never"))
        for part, name in (
            (self.who, said("Who starts rounds")), (self.most, said("How many rows at most")),
            (self.looked_at, said("From how many rows on somebody else looks first")),
        ):  # fmt: skip
            theme.named(part, name, name)
        pieces.fill(
            QHBoxLayout(self),
            pieces.label(said("Rounds are started by"), "faint"), self.who,
            pieces.label(said("Rows at most"), "faint"), self.most,
            pieces.label(said("Somebody else looks first, from so many rows on"), "faint"),
            self.looked_at, None, spacing=10,
        )  # fmt: skip
        self._soon = after_pause(self, _TYPED, self._keep)
        self.who.currentIndexChanged.connect(lambda _index: self._keep())
        for number in (self.most, self.looked_at):
            number.valueChanged.connect(lambda _value: self._soon.start())
        shared.changed.connect(self._follow)

    @property
    def rules(self) -> RoundRules:
        """What is set there."""
        return RoundRules(self.most.value(), bool(self.who.currentData()), self.looked_at.value())

    def refresh(self) -> None:
        """Show what is allowed now."""
        rules = self._shared.catalogue.round_rules
        pieces.let_type(self, self._shared.leads)
        if rules == self.rules or self._soon.isActive():
            return
        with (
            QSignalBlocker(self.who), QSignalBlocker(self.most), QSignalBlocker(self.looked_at)
        ):  # fmt: skip
            self.who.setCurrentIndex(self.who.findData(rules.leads_only))
            self.most.setValue(rules.most)
            self.looked_at.setValue(rules.looked_at)

    def _follow(self, change: Change) -> None:
        if change.touches("setting"):
            self.refresh()

    def _keep(self) -> None:
        shared, rules = self._shared, self.rules
        seen, library = shared.catalogue.round_rules, shared.library
        if rules != seen and shared.leads:
            shared.change(
                lambda: library.put_round_rules(rules, seen),
                lambda _done: shared.voice.say(said("That holds for rounds from now on.")),
            )
