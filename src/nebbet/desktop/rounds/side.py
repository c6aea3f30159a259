"""Beside the rows of a round: how many stand where, what is wrong with the one at hand, and the
start."""

from collections import Counter
from collections.abc import Mapping

from PySide6.QtCore import Signal
from PySide6.QtGui import QDoubleValidator
from PySide6.QtWidgets import QLineEdit, QVBoxLayout, QWidget

from nebbet.core.rounds.pacing import Pace
from nebbet.core.sentences import counted, said
from nebbet.desktop.kit import pieces, theme
from nebbet.desktop.kit.picker import Choice, ChoiceList
from nebbet.desktop.kit.still import StillCombo
from nebbet.desktop.rounds.rows_table import STATES
from nebbet.library.rounds import RowLetter

_MARKS = {"stop": "■", "doubt": "▲", "note": "●"}
_MOST = 6  # findings that are shown of a row


class RoundSide(QWidget):
    """filtered tells that other rows are wanted, test that somebody wants a row sent to themselves,
    start that the round is to begin, stop that what waits of it is not to go, write that somebody
    wants a table of what became of it."""

    filtered = Signal()
    test = Signal()
    start = Signal()
    stop = Signal()
    write = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.is_looking = False
        self.states = ChoiceList(said("How many stand where"))
        self.states.setMaximumHeight(190)
        self.row = pieces.label("", wrap=True)
        self.test_button = pieces.button(said("Test to me"), self.test.emit, "words", "Ctrl+Alt+T")
        self.doubts, self.every = StillCombo(), QLineEdit()
        theme.named(self.doubts, said("Rows with a doubt"))
        self.doubts.addItem(said("rows with a doubt stay"), False)
        self.doubts.addItem(said("rows with a doubt go too"), True)
        theme.named(self.every, said("Seconds between two letters"))
        self.every.setPlaceholderText(said("seconds between two letters"))
        self.every.setValidator(QDoubleValidator(0.0, 86_400.0, 1, self))
        self.line = pieces.label("", "note", wrap=True)
        self.start_button = pieces.button(
            said("Start"), self.start.emit, "primary", said("Ctrl+Return")
        )
        self.stop_button = pieces.button(said("Stop"), self.stop.emit)
        self.write_button = pieces.button(said("Write a table…"), self.write.emit, "words")
        self.stop_button.hide()
        pieces.fill(
            QVBoxLayout(self),
            self.states,
            pieces.rule(),
            pieces.grow(self.row),
            pieces.row(self.test_button, None, self.write_button),
            None,
            pieces.rule(),
            self.doubts,
            self.every,
            self.line,
            pieces.row(pieces.grow(self.start_button), self.stop_button),
            spacing=8,
        )
        self.states.currentRowChanged.connect(lambda _row: self.filtered.emit())
        for change in (self.doubts.currentIndexChanged, self.every.textChanged):
            change.connect(lambda _value: self.filtered.emit())

    @property
    def wanted(self) -> str:
        """The state of the rows that are wanted; empty for all."""
        return self.states.key.partition(":")[2]

    @property
    def with_doubts(self) -> bool:
        """Whether rows with a doubt go, too."""
        return bool(self.doubts.currentData())

    @property
    def pace(self) -> Pace:
        """The distance between letters."""
        text = self.every.text().replace(",", ".")
        return Pace(float(text)) if self.every.hasAcceptableInput() else Pace()

    def show_counts(self, counts: Mapping[str, int]) -> None:
        """Show how many rows stand where."""
        every = sum(counts.values())
        rows = [Choice("state:", said("all rows"), "", f"{every:,}")]
        rows += [
            Choice(f"state:{state}", words, "", f"{counts[state]:,}", tone=tone)
            for state, (words, tone) in STATES.items() if counts.get(state)
        ]  # fmt: skip
        self.states.show_choices(rows, self.states.key or "state:")
        self.stop_button.setVisible(bool(counts.get("waiting")))
        self.write_button.setEnabled(bool(every))

    def show_row(self, row: RowLetter | None) -> None:
        """Show what is found in a row."""
        self.test_button.setEnabled(row is not None)
        if row is None:
            self.row.setText("")
            return
        found = [f"{_MARKS[one.severity]} {one.sentence}" for one in row.findings]
        if len(found) > _MOST:
            found[_MOST:] = [said("and {count} more", count=len(found) - _MOST)]
        head = said("Row {number}", number=row.said.number)
        self.row.setText("\n".join([head, *(found or [said("The checks find nothing.")])]))


def findings_in(rows: Mapping[int, RowLetter]) -> Counter[str]:
    """How often each check found something."""
    return Counter(one.rule for row in rows.values() for one in row.findings)


def told(count: int, with_what: str, sender: str, minutes: float) -> str:
    """The line before the start."""
    line = counted(
        "1 letter with {what}, from {sender}",
        "{count} letters with {what}, from {sender}",
        count=count,
        what=with_what,
        sender=sender,
    )
    if minutes < 1:
        return said("{line}.", line=line)
    if minutes < 120:
        return said("{line}; the last one goes in {minutes} minutes.", line=line,
                    minutes=round(minutes))  # fmt: skip
    return said("{line}; the last one goes in {hours} hours.", line=line,
                hours=round(minutes / 60))  # fmt: skip
