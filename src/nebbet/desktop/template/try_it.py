"""Trying a template: the letter it would be for a chosen case, and what the checks would say."""

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QStackedWidget, QVBoxLayout, QWidget

from nebbet.core import inline
from nebbet.core import letter as letters
from nebbet.core.checks import Finding
from nebbet.core.letter import Content, Letter
from nebbet.core.placeholders import Particular
from nebbet.core.records import fold
from nebbet.desktop.kit import pieces
from nebbet.desktop.kit.as_received import AsReceived
from nebbet.desktop.kit.picker import Picker
from nebbet.desktop.paper.fillings import Filling, filling_of
from nebbet.desktop.paper.letter_shown import LetterShown
from nebbet.desktop.session import choices
from nebbet.desktop.session.shared_library import SharedLibrary
from nebbet.library.writing import examine

_MOST_FINDINGS = 4
_MARKS = {"stop": "■", "doubt": "▲", "note": "●"}


class TryIt(QWidget):
    """Shows a template with the values of a case; steps through cases, and marks what varies.

    left tells that the person goes back to the text.
    """

    left = Signal()

    def __init__(self, shared: SharedLibrary) -> None:
        super().__init__()
        self.setObjectName("page")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self._shared = shared
        self._content, self._language = Content(), ""
        self._cases: list[str] = []
        self._before: dict[str, str | None] = {}
        self.case = Picker("Try it with", prompt="A case: number, matter or name", ask=self._offer)
        self.earlier = pieces.button("Previous", lambda: self.step(-1))
        self.further = pieces.button("Next", lambda: self.step(1))
        self.back = pieces.button("Back to the text (Esc)", self.left.emit)
        self.received = AsReceived()
        self.as_received = pieces.button("As received", self.show_received, hint="Ctrl+Shift+T")
        self._letter: Letter | None = None
        self.paper = LetterShown(shared.pictures)
        self.lines, self.to, self.body = self.paper.lines, self.paper.to, self.paper.body
        self.files = pieces.label("", "note", wrap=True)
        self.findings = pieces.label("", "note", wrap=True)
        self._lay_out()

    def _lay_out(self) -> None:
        head = pieces.row(
            pieces.label("Try it with", "faint"),
            pieces.grow(self.case),
            self.earlier,
            self.further,
            self.as_received,
            self.back,
        )
        said = QWidget()
        pieces.fill(QVBoxLayout(said), head, self.files, self.findings, margin=8)
        self._pages = QStackedWidget()
        self._pages.addWidget(self.paper)
        seen = QWidget()
        pieces.fill(QVBoxLayout(seen), self.received, margin=8)
        self._pages.addWidget(seen)
        pieces.fill(QVBoxLayout(self), said, pieces.rule(), self._pages, spacing=0)
        self._shared.pictures.loaded.connect(lambda _file: self._show_received())
        self.case.picked.connect(self._pick)

    def show_content(self, content: Content, language: str, cases: list[str]) -> None:
        """Show a template, first with the case that fits it best; Next goes through the others."""
        self._content, self._language, self._cases = content, language, cases
        self._before = {}
        self._show(cases[0] if cases else "")

    def step(self, by: int) -> None:
        """Show the next case, or the one before."""
        if self._cases:
            self._cases = [*self._cases[by:], *self._cases[:by]]
            self._show(self._cases[0])

    def show_received(self) -> None:
        """Show the letter as its recipient sees it, or on paper again."""
        self._pages.setCurrentIndex(1 - self._pages.currentIndex())
        on = self._pages.currentIndex() == 1
        self.as_received.setText("On paper" if on else "As received")
        self._show_received()

    def _show_received(self) -> None:
        if self._letter is not None and self._pages.currentIndex() == 1:
            self.received.show_message(*self._shared.received(self._letter))

    def _offer(self, words: str, show: choices.Show) -> None:
        choices.cases(self._shared, words, show, "Try it")

    def _pick(self, key: str) -> None:
        rest = [case for case in self._cases if case != key]
        self._cases = [key, *rest]
        self._show(key)

    def _show(self, key: str) -> None:
        catalogue = self._shared.catalogue
        matter = self._shared.people.matters.get(key)
        case = matter.case if matter else catalogue.samples.get(key)
        contact = matter.contact if matter else catalogue.contact_of(case)
        content = catalogue.included(self._content)
        letter = letters.start("", content, recipient=contact, case=case, language=self._language)
        shared = self._shared
        found = examine(shared.catalogue, letter, shared.writer())
        letter, values = found.letter, found.particulars
        self.case.show_text(f"{case.number}, {case.title}" if case else "")
        shown = {
            key: self._value(key, p, letter.language)
            for key, p in letters.by_place(letter, values).items()
        }
        self.paper.show_letter(letter, shown, catalogue.frame(letter.frame), "nobody")
        self._letter = letter
        self._show_received()
        self._tell(letter, found.findings)
        self._before = {fold(p.name): p.text for p in values}

    def _value(self, key: str, particular: Particular, language: str) -> Filling:
        """A value; one that is another than in the case before has a double foot."""
        made = filling_of(particular, language)
        varies = key in self._before and self._before[key] != particular.text
        return made._replace(kind="changed") if varies and made.kind == "value" else made

    def _tell(self, letter: Letter, found: tuple[Finding, ...]) -> None:
        names = [inline.shown(a.name) for a in letter.attached]
        out = [f"{inline.shown(a.name)} (only if {a.when})" for a in letter.attachments if a.out]
        said = [f"Attached: {', '.join(names)}"] if names else []
        said += [f"left out: {', '.join(out)}"] if out else []
        self.files.setText("; ".join(said))
        self.files.setVisible(bool(said))
        lines = [f"{_MARKS[f.severity]} {f.sentence}" for f in found[:_MOST_FINDINGS]]
        if len(found) > _MOST_FINDINGS:
            lines.append(f"and {len(found) - _MOST_FINDINGS} more")
        self.findings.setText("\n".join(lines) or "The checks would find nothing.")
