"""The page on which a lead says how grave each check of a letter is."""

from functools import partial

from PySide6.QtWidgets import QGridLayout, QLabel, QVBoxLayout, QWidget

from nebbet.core.checks import CLERK_RULES, DATE_RULES, LETTER_RULES, Grade, Rule
from nebbet.core.checks.subjects import LetterToCheck
from nebbet.core.sentences import counted, said
from nebbet.desktop.kit import pieces, theme
from nebbet.desktop.kit.place import Place
from nebbet.desktop.kit.still import StillCombo
from nebbet.desktop.session.shared_library import SharedLibrary
from nebbet.desktop.shared.check_words import WORDS
from nebbet.library.changes import Change
from nebbet.library.would_find import WouldFind, would_find

_GRADES: dict[Grade, str] = {
    "stop": said("a stop: it does not go"),
    "doubt": said("a doubt: asked once"),
    "note": said("a note"),
    "off": said("off"),
}
_SAMPLES = 3


class Checks(Place):
    """The checks that a team may grade otherwise, and what each would have found lately. Those that
    keep a letter whole (no recipient, a blank, a link to nowhere) are always stops."""

    title = "Checks"
    help = (
        "What Nebbet looks at before a letter goes, and how grave each finding is: a stop keeps "
        "the letter, a doubt is asked once, a note is only told. Beside each stands what it finds "
        "in the letters that you sent lately from this computer. Esc goes back to the shelves."
    )

    def __init__(self, shared: SharedLibrary) -> None:
        super().__init__()
        self._shared = shared
        self.boxes: dict[str, StillCombo] = {}
        self.found: dict[str, QLabel] = {}
        self.back = pieces.button(said("Back to the shelves (Esc)"), self.left.emit)
        self.told = pieces.label("", "note", wrap=True)
        inside = QWidget()
        grid = QGridLayout(inside)
        grid.setVerticalSpacing(5)
        grid.setHorizontalSpacing(14)
        grid.setColumnStretch(1, 1)
        for row, rule in enumerate(adjustable()):
            self._add_row(grid, row, rule.id)
        grid.setRowStretch(len(self.boxes), 1)
        pieces.fill(
            QVBoxLayout(self),
            pieces.row(self.back, None),
            pieces.label(said("Checks"), "title"),
            self.told,
            pieces.rule(),
            pieces.scrolled(inside),
            margin=20,
            spacing=10,
        )
        self.add_key("Back to the shelves", "Esc", self.left.emit)
        shared.changed.connect(self._follow)

    def _add_row(self, grid: QGridLayout, row: int, rule: str) -> None:
        title, words = WORDS[rule]
        box = StillCombo()
        theme.named(box, said("How grave: {title}", title=title))
        for grade, name in _GRADES.items():
            box.addItem(name, grade)
        box.activated.connect(partial(self._set, rule))
        self.boxes[rule] = box
        explained = pieces.label(words, "note", wrap=True)
        lately = pieces.label("", "note", wrap=True)
        lately.setFixedWidth(260)
        self.found[rule] = lately
        for column, part in enumerate((pieces.label(title), explained, lately, box)):
            grid.addWidget(part, row, column)

    def arrive(self) -> None:
        next(iter(self.boxes.values())).setFocus()

    def refresh(self) -> None:
        """Show the checks as they are set now, and what each would find."""
        grades, leads = self._shared.catalogue.grades, self._shared.leads
        for rule in adjustable():
            box = self.boxes[rule.id]
            box.setCurrentIndex(box.findData(grades.get(rule.id, rule.severity)))
            box.setEnabled(leads)
        self.told.setText(
            "" if leads else said("How grave a check is, is a lead's to say; here it is to read.")
        )
        self.told.setVisible(not leads)
        shared = self._shared
        if not shared.is_open:
            return
        stores, catalogue, writer = shared.stores, shared.catalogue, shared.writer()
        shared.reads.run(
            lambda: would_find(catalogue, stores.sent_letters(), writer),
            self._show_found,
            shared.voice.fail,
        )

    def _follow(self, change: Change) -> None:
        if self.isVisible() and change.touches("setting"):
            self.refresh()

    def _show_found(self, found: WouldFind) -> None:
        for rule, label in self.found.items():
            sentences = found.sentences.get(rule, ())
            words = said("nothing in {letters} letters", letters=found.letters)
            if sentences:
                count = counted("1 of {letters} letters", "{count} of {letters} letters",
                                count=len(sentences), letters=found.letters)  # fmt: skip
                words = f"{count}: {'; '.join(sentences[:_SAMPLES])}"
            if not found.letters:
                words = ""
            label.setText(words)

    def _set(self, rule: str, _index: int) -> None:
        shared, own = self._shared, {one.id: one.severity for one in adjustable()}
        seen = shared.catalogue.grades.get(rule)
        chosen: Grade = self.boxes[rule].currentData()
        grade = None if chosen == own[rule] else chosen
        if grade == seen:
            return
        library, title = shared.library, WORDS[rule][0]
        shared.change(
            lambda: library.put_grade(rule, grade, seen),
            lambda _done: shared.voice.say(
                said("“{title}” is {grade} from now on.", title=title, grade=_GRADES[chosen])
            ),
        )


def adjustable() -> list[Rule[LetterToCheck]]:
    """The checks that a team may grade otherwise."""
    return [rule for rule in (*CLERK_RULES, *DATE_RULES, *LETTER_RULES) if rule.id in WORDS]
