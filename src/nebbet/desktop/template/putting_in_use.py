"""Putting a template in use: what the checks find, one line on what changed, and the edition."""

from collections.abc import Callable

from PySide6.QtCore import QTimer, Signal
from PySide6.QtWidgets import QLineEdit, QVBoxLayout, QWidget

from nebbet.core.checks import Finding, Remedy
from nebbet.desktop.kit import pieces, theme
from nebbet.desktop.kit.pause import DOUBLE_PRESS
from nebbet.desktop.kit.picker import Choice, ChoiceList
from nebbet.library.writing import in_the_way

_TONES = {"stop": "brick", "doubt": "ochre_edge", "note": "slate"}
_MOST_ROWS = 5
_MARKS = {"stop": "■", "doubt": "▲", "note": "●"}


class PuttingInUse(QWidget):
    """The pane under the ledger. wanted says that the template is to be put in use, go that
    somebody wants to see where a finding is, mend that it is to be mended."""

    wanted = Signal()
    go = Signal(object)
    mend = Signal()

    def __init__(self, keep: Callable[[], None]) -> None:
        super().__init__()
        self._found: tuple[Finding, ...] = ()
        self._accepted: tuple[Finding, ...] = ()
        self.list = ChoiceList("Findings on this template")
        self.list.itemActivated.connect(lambda _item: self.show_place())
        self.list.itemClicked.connect(lambda _item: self.show_place())
        self.mend_button = pieces.button("Mend (Shift+F8)", self.mend.emit, "words")
        self.note = QLineEdit()
        theme.named(self.note, "What changed")
        self.note.setPlaceholderText("What changed, in one line")
        self.note.returnPressed.connect(self.wanted.emit)
        self.use_button = pieces.button("Put in use", self.wanted.emit, "primary", "Ctrl+Shift+S")
        self.keep_button = pieces.button("Keep as draft", keep, hint="Ctrl+S")
        self.state = pieces.label("", "note", wrap=True)
        pieces.fill(
            QVBoxLayout(self),
            self.list,
            pieces.row(self.mend_button, None),
            self.note,
            pieces.row(self.keep_button, pieces.grow(self.use_button)),
            self.state,
        )
        pieces.keep_low(self)
        self.show_findings(())

    def show_state(self, number: int, others: str, *, changed: bool, proposes: bool) -> None:
        """Say which edition is in use, and whether there is more here than that."""
        said = f"Edition {number} is in use" if number else "No edition is in use yet"
        draft = "; your changes are a draft." if changed else "."
        self.state.setText(f"{said}{draft} {others}".strip())
        words = "Propose" if proposes else f"Put in use as edition {number + 1}"
        self.use_button.setText(words)
        self.use_button.setAccessibleName(words)

    def show_findings(self, found: tuple[Finding, ...]) -> None:
        """List what is wrong, the gravest first."""
        self._found = found
        chosen = self.list.currentRow()
        self.list.show_choices(
            [
                Choice(str(number), f"{_MARKS[f.severity]} {f.sentence}", tone=_TONES[f.severity])
                for number, f in enumerate(found)
            ]
        )
        self.list.setCurrentRow(min(chosen, len(found) - 1))
        for row, finding in enumerate(found):
            self.list.item(row).setToolTip(theme.plain_hint(finding.sentence))
        self.list.setFixedHeight(min(len(found), _MOST_ROWS) * theme.ROW + 4)
        self.list.setVisible(bool(found))
        self.mend_button.setVisible(any(f.remedy for f in found))

    def go_on(self, text: QWidget) -> None:
        """Go on in a text; from the line on what changed after a moment, as a second Return is not
        for the text."""

        def leave() -> None:
            if self.note.hasFocus() and not self.note.text():
                text.setFocus()

        if self.note.hasFocus():
            QTimer.singleShot(DOUBLE_PRESS, self, leave)
        else:
            text.setFocus()

    def step(self) -> None:
        """Go to the next finding and show where it is."""
        if self._found:
            self.list.setCurrentRow((self.list.currentRow() + 1) % len(self._found))
            self.show_place()

    def show_place(self) -> None:
        """Show where the finding at hand is."""
        if self.list.key:
            self.go.emit(self._found[int(self.list.key)])

    def forget(self) -> None:
        """The text has changed: doubts are asked about again."""
        self._accepted = ()

    @property
    def first_remedy(self) -> Remedy | None:
        """What mends the first finding, if anything does."""
        return self._found[0].remedy if self._found else None

    def refusal(self, found: tuple[Finding, ...]) -> str:
        """Why a template with these findings is not put in use yet, or nothing; a doubt is told
        once, a stop as long as it is there."""
        self.show_findings(found)
        sure = {f.key for f in self._accepted} if self._accepted == found else set()
        if held := in_the_way(found, sure):
            self._accepted = found
            more = f" ({len(found) - 1} more)" if len(found) > 1 else ""
            stop = held[0].severity == "stop"
            advice = "Mend it first." if stop else "Put it in use again to keep it so."
            said = held[0].sentence
            end = "" if said.endswith("?") and not more else "."
            return f"Not in use yet; your draft is kept. {said}{more}{end} {advice}"
        return ""
