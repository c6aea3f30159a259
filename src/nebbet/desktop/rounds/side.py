"""Beside the rows of a round: how many stand where, what is found in how many, what is found in the
one at hand, and the start."""

from collections import Counter
from collections.abc import Iterable, Mapping

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QMenu, QVBoxLayout, QWidget

from nebbet.core.sentences import counted, said
from nebbet.desktop.kit import pieces, theme
from nebbet.desktop.kit.picker import Choice, ChoiceList
from nebbet.desktop.rounds.going import Going
from nebbet.desktop.rounds.rows_table import STATES
from nebbet.desktop.shared.check_words import WORDS
from nebbet.library.rounds import RowLetter

_MARKS = {"stop": "■", "doubt": "▲", "note": "●"}
_TONES = {"stop": "brick", "doubt": "ochre_edge", "note": "slate"}
_MOST = 6  # findings that are shown of a row
_STATE, _FOUND = "state", "found"
# What only rows of a table have; what checks of any letter find is called as they are.
_TITLES = {
    "row": said("Address"),
    "row file": said("File not there"),
    "row case": said("Case"),
    "row twice": said("Address twice"),
    "row file twice": said("File goes to others"),
    "recipient": said("No recipient"),
    "blank": said("Blank"),
}


class RoundSide(QWidget):
    """filtered tells that other rows are wanted, test that somebody wants the row at hand sent to
    themselves, samples one of each sort of row; start that the round is to begin, stop that what
    waits of it is not to go, release that what is held may; reword that the letter at hand is to be
    edited, put_back that it is to be again as the table says it."""

    filtered = Signal()
    test = Signal()
    samples = Signal()
    start = Signal()
    stop = Signal()
    release = Signal()
    put_back = Signal()
    reword = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.is_looking = False
        self.states = ChoiceList(said("How many stand where, and what is found"))
        self.row = pieces.label("", wrap=True)
        self.back_button = pieces.button(
            said("As the table says"), self.put_back.emit, "words", said("Undo what was reworded")
        )
        self.test_button = pieces.button(said("Test to me"), self.test.emit, "words", "Ctrl+Alt+T")
        self.samples_button = pieces.button(
            said("One of each sort"), self.samples.emit, "words",
            said("One of each sort of row to me (Ctrl+Alt+Shift+T)"),
        )  # fmt: skip
        self.reword_button = pieces.button(
            said("Reword"), self.reword.emit, "words", said("For this row alone (F2)")
        )
        self.menu = QMenu(self)
        self.write_button = pieces.button(said("Write…"), self._offer, "words", "Ctrl+Alt+W")
        self.going = Going()
        self.line = pieces.label("", "note", wrap=True)
        self.start_button = pieces.button(said("Start"), self.start.emit, "primary", "Ctrl+Return")
        self.stop_button = pieces.button(said("Stop"), self.stop.emit)
        self.release_button = pieces.button(said("Release"), self.release.emit, "primary")
        for part in (self.stop_button, self.release_button, self.back_button):
            part.hide()
        pieces.fill(
            QVBoxLayout(self),
            self.states,
            pieces.rule(),
            self.row,
            pieces.row(self.reword_button, self.back_button, None),
            pieces.row(self.test_button, self.samples_button, None),
            pieces.rule(),
            self.going,
            self.line,
            pieces.row(
                pieces.grow(self.start_button), self.release_button, self.stop_button,
                self.write_button,
            ),
            spacing=6,
        )  # fmt: skip
        self.states.currentRowChanged.connect(lambda _row: self.filtered.emit())

    @property
    def wanted_state(self) -> str:
        """The state of the rows that are wanted; empty for any."""
        kind, _, found = self.states.key.partition(":")
        return found if kind == _STATE else ""

    @property
    def wanted_rule(self) -> str:
        """What is found in the rows that are wanted; empty for anything."""
        kind, _, found = self.states.key.partition(":")
        return found if kind == _FOUND else ""

    def show_counts(
        self, counts: Mapping[str, int], found: Iterable[RowLetter], *, starting: bool = False
    ) -> None:
        """Show how many rows stand where, and what is found in how many; starting says that letters
        are being put into the outbox."""
        every = sum(counts.values())
        rows = [Choice(f"{_STATE}:", said("all rows"), "", f"{every:,}")]
        rows += [
            Choice(f"{_STATE}:{state}", words, "", f"{counts[state]:,}", tone=tone)
            for state, (words, tone) in STATES.items() if counts.get(state)
        ]  # fmt: skip
        if rules := _rules(found):
            rows.append(Choice("", said("Found"), heading=True))
            rows += rules
        self.states.show_choices(rows, self.states.key or f"{_STATE}:")
        may_stop = starting or counts.get("waiting") or counts.get("held")
        self.stop_button.setVisible(bool(may_stop))
        self.write_button.setEnabled(bool(every))

    def show_row(self, row: RowLetter | None, *, reworded: bool = False) -> None:
        """Show what is found in a row."""
        for button in (self.test_button, self.reword_button):
            button.setEnabled(row is not None)
        self.back_button.setVisible(reworded)
        if row is None:
            self.row.setText("")
            return
        found = [f"{_MARKS[one.severity]} {one.sentence}" for one in row.findings]
        if len(found) > _MOST:
            found[_MOST:] = [said("and {count} more", count=len(found) - _MOST)]
        head = said("Row {number}", number=row.said.number)
        if reworded:
            head = said("Row {number}, reworded", number=row.said.number)
        self.row.setText("\n".join([head, *(found or [said("The checks find nothing.")])]))

    def _offer(self) -> None:
        """Show what can be written of the round."""
        theme.named(self.menu, said("What is written"))
        self.menu.popup(self.write_button.mapToGlobal(self.write_button.rect().topLeft()))


def _rules(rows: Iterable[RowLetter]) -> list[Choice]:
    """What is found in how many rows, the gravest first."""
    counts: Counter[tuple[str, str]] = Counter()
    for row in rows:
        counts.update({(one.severity, one.rule) for one in row.findings})
    ordered = sorted(counts, key=lambda one: ([*_TONES].index(one[0]), -counts[one]))
    return [
        Choice(f"{_FOUND}:{rule}", f"{_MARKS[grave]} {title_of(rule)}", "",
               f"{counts[grave, rule]:,}", tone=_TONES[grave])
        for grave, rule in ordered
    ]  # fmt: skip


def title_of(rule: str) -> str:
    """What a check is called in a list."""
    known = _TITLES.get(rule) or (WORDS[rule][0] if rule in WORDS else "")
    return known or rule[:1].upper() + rule[1:]


def told(
    count: int, with_what: str, sender: str, minutes: float, lately: int = 0, moment: str = ""
) -> str:
    """The line before the start."""
    line = counted(
        "1 letter with {what}, from {sender}",
        "{count} letters with {what}, from {sender}",
        count=count,
        what=with_what,
        sender=sender,
    )
    if minutes < 1:
        line = said("{line}.", line=line)
    elif minutes < 120:
        line = said("{line}; the last one goes in {minutes} minutes.", line=line,
                    minutes=round(minutes))  # fmt: skip
    else:
        line = said("{line}; the last one goes {moment}.", line=line, moment=moment)
    if lately:
        line += " " + counted("1 of them got it lately.", "{count} of them got it lately.",
                              count=lately)  # fmt: skip
    return line
