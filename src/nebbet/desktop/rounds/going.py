"""When and how the letters of a round go."""

from collections.abc import Sequence
from datetime import time

from PySide6.QtCore import QSignalBlocker, Signal
from PySide6.QtGui import QDoubleValidator
from PySide6.QtWidgets import QLineEdit, QVBoxLayout, QWidget

from nebbet.core.errors import NebbetError
from nebbet.core.rounds import Twice
from nebbet.core.rounds.pacing import Pace, read_days, read_hours
from nebbet.core.sentences import said
from nebbet.desktop.kit import pieces, theme
from nebbet.desktop.kit.still import StillCombo
from nebbet.library.round_ledger import How

_DOUBTS = ((said("rows with a doubt stay"), False), (said("rows with a doubt go too"), True))
_TWICE: tuple[tuple[str, Twice], ...] = (
    (said("an address twice: look at it"), "ask"),
    (said("an address twice: the first row goes"), "first"),
    (said("an address twice: the last row goes"), "last"),
)
DRAFTS = "drafts"
_HOW = (
    (said("they go at once"), "go"),
    (said("they wait until I release them"), "held"),
    (said("somebody else looks first"), "asks"),
    (said("they go to my drafts"), DRAFTS),
)


class Going(QWidget):
    """changed tells that letters are to go otherwise, other_rows that other rows go."""

    changed = Signal()
    other_rows = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.doubts = _choice(said("Rows with a doubt"), _DOUBTS)
        self.twice = _choice(said("An address that several rows have"), _TWICE)
        self.how = _choice(said("How letters go"), _HOW)
        self.every, self.hours, self.days = QLineEdit(), QLineEdit(), QLineEdit()
        self.every.setValidator(QDoubleValidator(0.0, 86_400.0, 1, self))
        for line, name, prompt in (
            (self.every, said("Seconds between two letters"), said("every … seconds")),
            (self.hours, said("Between which hours letters go"), said("any hour; 9-17")),
            (self.days, said("On which days letters go"), said("any day; Mon-Fri")),
        ):
            theme.named(line, name, name)
            line.setPlaceholderText(prompt)
            line.textChanged.connect(lambda _text: self.changed.emit())
        pieces.fill(
            QVBoxLayout(self), self.doubts, self.twice, self.how, self.every,
            pieces.row(self.hours, self.days),
        )  # fmt: skip
        self.doubts.currentIndexChanged.connect(lambda _index: self.changed.emit())
        self.how.currentIndexChanged.connect(lambda _index: self.changed.emit())
        self.twice.currentIndexChanged.connect(lambda _index: self.other_rows.emit())

    @property
    def with_doubts(self) -> bool:
        """Whether rows with a doubt go, too."""
        return bool(self.doubts.currentData())

    @property
    def wanted_twice(self) -> Twice:
        """Which of several rows with one address go."""
        found: Twice = self.twice.currentData()
        return found

    @property
    def to_drafts(self) -> bool:
        """Whether letters go to one's own drafts, and not to their recipients."""
        return bool(self.how.currentData() == DRAFTS)

    @property
    def wanted_how(self) -> How:
        """Whether letters go at once, or wait for somebody's word."""
        found: How = "go" if self.to_drafts else self.how.currentData()
        return found

    @property
    def pace(self) -> Pace:
        """When letters go. Raises NebbetError where what is written makes no sense."""
        text = self.every.text().replace(",", ".")
        every = float(text) if self.every.hasAcceptableInput() else 0.0
        return Pace(every, *read_hours(self.hours.text()), read_days(self.days.text()))

    @property
    def trouble(self) -> str:
        """Why what is written makes no sense, as a sentence; empty where it does."""
        try:
            _ = self.pace
        except NebbetError as error:
            return error.sentence
        return ""

    def ask(self, needed: bool) -> None:
        """Say that somebody else has to look first, or that one may choose."""
        with QSignalBlocker(self.how):
            if needed:
                self.how.setCurrentIndex(self.how.findData("asks"))
            self.how.setEnabled(not needed)

    def show_going(self, pace: Pace, how: How, *, with_doubts: bool, twice: Twice) -> None:
        """Show what was chosen before."""
        with QSignalBlocker(self):
            self.doubts.setCurrentIndex(self.doubts.findData(with_doubts))
            self.twice.setCurrentIndex(self.twice.findData(twice))
            self.how.setCurrentIndex(self.how.findData(how))
            self.every.setText(f"{pace.every:g}" if pace.every else "")
            until = "24" if pace.before == time.max else f"{pace.before:%H:%M}"
            self.hours.setText("" if pace.is_any_time else f"{pace.after:%H:%M}-{until}")
            self.days.setText("" if len(pace.weekdays) == 7 else _days(pace.weekdays))


def _days(weekdays: frozenset[int]) -> str:
    names = ("Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun")
    return ", ".join(names[day] for day in sorted(weekdays))


def _choice(name: str, choices: Sequence[tuple[str, object]]) -> StillCombo:
    made = StillCombo()
    theme.named(made, name)
    for words, data in choices:
        made.addItem(words, data)
    return made
