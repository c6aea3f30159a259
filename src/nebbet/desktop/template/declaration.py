"""What one placeholder is: its source, and all that this source needs to know."""

from collections.abc import Callable
from typing import cast

from msgspec.structs import replace
from PySide6.QtCore import Signal
from PySide6.QtWidgets import (
    QCheckBox,
    QFormLayout,
    QLabel,
    QLineEdit,
    QVBoxLayout,
    QWidget,
)

from nebbet.core import dates, ranking
from nebbet.core.errors import NebbetError
from nebbet.core.placeholders import KINDS, Kind, Particular, Placeholder, Source
from nebbet.core.ranking import Entry
from nebbet.core.records import fold
from nebbet.core.sums import Rounding
from nebbet.desktop.kit import pieces, theme
from nebbet.desktop.kit.picker import Choice, Picker
from nebbet.desktop.kit.still import StillCombo
from nebbet.desktop.template.rule_builder import RuleBuilder
from nebbet.desktop.template.steps import StepTable
from nebbet.library.fields import Fields, spoken

SOURCES: dict[Source, str] = {
    "blank": "blank: the writer completes it",
    "recipient": "recipient",
    "sender": "sender",
    "case": "case",
    "fact": "fact",
    "date": "date rule",
    "sum": "sum",
    "first": "first of several",
}
# The same in a word or two, for a list and beside a name.
SHORT: dict[Source, str] = {**SOURCES, "blank": "blank"}
BESIDE: dict[Source, str] = {**SHORT, "blank": "", "date": "date", "first": "first"}
_TAKES = {"date": "Rule", "sum": "Sum", "first": "Try"}
_PROMPTS = {
    "date": "today + 7 working days",
    "sum": "fare * 75%",
    "first": "recipient.mobile, recipient.phone",
}
_ROUNDINGS: dict[Rounding, str] = {
    "half even": "halves to even",
    "half up": "halves up",
}
# Which rows each kind of blank needs beside those that all have.
_LIMITED = ("number", "money", "date")
_FORMATTED = ("number", "money", "date", "time")


class Declaration(QWidget):
    """The form of the placeholder at hand.

    changed tells what the placeholder is now, renamed its new name; year that the person wants to
    see what its date rule does over a year, example that another case is to be the example.
    """

    changed = Signal(object)
    renamed = Signal(str)
    year = Signal()
    example = Signal()

    def __init__(
        self,
        fields: Callable[[], Fields],
        example: Callable[[Placeholder], tuple[str, Particular]],
        date_names: Callable[[], list[str]],
    ) -> None:
        super().__init__()
        self._fields, self._example = fields, example
        self._shown: Placeholder | None = None
        # What each source took, until the template is left: who changes the source and back has
        # lost nothing.
        self._held: dict[tuple[str, Source], str] = {}
        self._filling = False
        self._make_fields(date_names)
        self._lay_out()
        self._connect()

    def _make_fields(self, date_names: Callable[[], list[str]]) -> None:
        self.name, self.label = QLineEdit(), QLineEdit()
        self.source, self.kind, self.rounding = StillCombo(), StillCombo(), StillCombo()
        for source, words in SOURCES.items():
            self.source.addItem(words, source)
        self.kind.addItems(KINDS)
        for rounding, words in _ROUNDINGS.items():
            self.rounding.addItem(words, rounding)
        self.of = Picker("Takes", self._offer)
        self.builder, self.steps = RuleBuilder(date_names), StepTable(date_names)
        self.see_year = pieces.button("See a year of it", self.year.emit, "words")
        self.choices, self.pattern, self.currency = QLineEdit(), QLineEdit(), QLineEdit()
        self.least, self.most = QLineEdit(), QLineEdit()
        self.format, self.fallback, self.hint = QLineEdit(), QLineEdit(), QLineEdit()
        self.required = QCheckBox("has to be completed")
        self.remember = QCheckBox("offer the last answer again")
        self.note = pieces.label("", "note", wrap=True)
        self.other = pieces.button("other example", self.example.emit, "words")
        self.choices.setPlaceholderText("Marrowby, Quillan, Stennick")
        self.pattern.setPlaceholderText("AA-99999: A letter, 9 digit, X either")
        self.currency.setPlaceholderText("GBP")
        self.format.setPlaceholderText("short, medium, long, full or a CLDR pattern")

    def _lay_out(self) -> None:
        self._form = QFormLayout()
        self._form.setContentsMargins(0, 6, 0, 0)
        self._form.setVerticalSpacing(4)
        self._captions: dict[QWidget, QLabel] = {}
        for words, field in (
            ("Name", self.name),
            ("Label", self.label),
            ("Source", self.source),
            ("Takes", self.of),
        ):
            self._row(words, field)
        self._acts = QWidget()
        acts = pieces.row(self.see_year, None, self.other)
        self._acts.setLayout(acts)
        for wide in (self.note, self._acts, self.builder, self.steps):
            self._form.addRow(wide)
        for words, field in (
            ("Rounding", self.rounding),
            ("Kind", self.kind),
            ("Choices", self.choices),
            ("Shape", self.pattern),
            ("Currency", self.currency),
            ("At least", self.least),
            ("At most", self.most),
            ("Format", self.format),
            ("If missing", self.fallback),
            ("Hint", self.hint),
        ):
            self._row(words, field)
        for box in (self.required, self.remember):
            theme.named(box, box.text())
            self._form.addRow(box)
        pieces.fill(QVBoxLayout(self), self._form)

    def _row(self, words: str, field: QWidget) -> None:
        self._captions[field] = pieces.captioned(self._form, words, field)

    def _connect(self) -> None:
        for line in (
            self.label, self.choices, self.pattern, self.currency, self.least, self.most,
            self.format, self.fallback, self.hint,
        ):  # fmt: skip
            line.textEdited.connect(self._edited)
        for box in (self.required, self.remember):
            box.toggled.connect(self._edited)
        for combo in (self.kind, self.rounding):
            combo.currentIndexChanged.connect(self._edited)
        self.source.currentIndexChanged.connect(self._other_source)
        self.name.editingFinished.connect(lambda: self.renamed.emit(self.name.text()))
        self.of.textChanged.connect(self._edited)
        self.of.picked.connect(self.of.show_text)
        self.of.entered.connect(self.of.show_text)
        self.builder.changed.connect(self.of.show_text)
        self.steps.changed.connect(self.of.show_text)

    # Showing

    def show_placeholder(self, found: Placeholder) -> None:
        """Take up a placeholder."""
        self._filling = True
        self._shown = found
        self.name.setText(found.name)
        self.label.setText(found.label)
        self.source.setCurrentIndex(list(SOURCES).index(found.source))
        self.of.show_text(found.of)
        self.kind.setCurrentIndex(KINDS.index(found.kind))
        self.rounding.setCurrentIndex(list(_ROUNDINGS).index(found.rounding))
        self.choices.setText(", ".join(found.choices))
        for field, text in (
            (self.pattern, found.pattern),
            (self.currency, found.currency),
            (self.least, found.least),
            (self.most, found.most),
            (self.format, found.format),
            (self.fallback, found.fallback),
            (self.hint, found.hint),
        ):
            field.setText(text)
        pieces.show_beginnings(self)
        self.required.setChecked(found.required)
        self.remember.setChecked(found.remember)
        self._filling = False
        self._fit(found)
        self.explain()

    def _fit(self, found: Placeholder) -> None:
        """Show the rows that this source and kind need, and no others."""
        source, kind = found.source, found.kind
        own = source == "blank"
        shown: dict[QWidget, bool] = {
            self.of: not own,
            self.builder: source == "date",
            self._acts: not own,
            self.steps: source == "sum",
            self.rounding: source == "sum",
            self.kind: own,
            self.choices: own and kind == "choice",
            self.pattern: own and kind == "text",
            self.currency: own and kind == "money",
            self.least: own and kind in _LIMITED,
            self.most: own and kind in _LIMITED,
            self.format: not own or kind in _FORMATTED,
            self.hint: own,
            self.remember: own,
        }
        for field, visible in shown.items():
            self._form.setRowVisible(field, visible)
        self.see_year.setVisible(source == "date")
        self.of.free = source in _TAKES
        self.of.setPlaceholderText(_PROMPTS.get(source, ""))
        caption = self._captions[self.of]
        caption.setText(_TAKES.get(source, "Takes"))
        limit = "today + 30 days" if kind == "date" else "0.01"
        self.least.setPlaceholderText("today" if kind == "date" else limit)
        self.most.setPlaceholderText(limit)
        if source == "date":
            self._show_rule(found.of)
        if source == "sum":
            self.steps.show_sum(found.of)

    def _show_rule(self, text: str) -> None:
        try:
            self.builder.show_rule(dates.read(text or "today"))
        except NebbetError:
            return  # the note says what is wrong; the choices stay as they were

    def explain(self) -> None:
        """One line on what the placeholder would give now."""
        found = self._shown
        if found is None:
            return
        about, particular = self._example(found)
        said = particular.note
        if particular.text:
            said = f"{about}{particular.text}. {_begun(said)}"
        if found.source == "date":
            said = f"{_sentence(found.of)} {said}".strip()
        self.note.setText(said)
        asked = found.source in _PROMPTS and not found.of
        if asked:
            said = f"Type it, such as {_PROMPTS[found.source]}, or build it below."
            self.note.setText(said)
        wrong = found.source in ("date", "sum") and particular.text is None and not asked
        pieces.restyle(self.note, "wrong", wrong)
        self.see_year.setEnabled(found.source != "date" or bool(_sentence(found.of)))

    # Editing

    def _other_source(self) -> None:
        """Another source takes something else: what it took before, or nothing yet."""
        found = self._shown
        if self._filling or found is None:
            return
        key = fold(found.name)
        self._held[key, found.source] = found.of
        wanted = cast(Source, self.source.currentData())
        self._filling = True
        self.of.show_text(self._held.get((key, wanted), ""))
        self._filling = False
        self._edited()

    def forget(self) -> None:
        """Another template is taken up."""
        self._held.clear()

    def _edited(self, *_args: object) -> None:
        found = self._shown
        if found is None or self._filling:
            return
        changed = replace(
            found,
            label=self.label.text().strip(),
            source=cast(Source, self.source.currentData()),
            of=self.of.text().strip(),
            kind=cast(Kind, self.kind.currentText()),
            choices=tuple(c.strip() for c in self.choices.text().split(",") if c.strip()),
            pattern=self.pattern.text().strip(),
            currency=self.currency.text().strip().upper(),
            least=self.least.text().strip(),
            most=self.most.text().strip(),
            rounding=cast(Rounding, self.rounding.currentData()),
            format=self.format.text().strip(),
            fallback=self.fallback.text(),
            hint=self.hint.text().strip(),
            required=self.required.isChecked(),
            remember=self.remember.isChecked(),
        )
        if changed != found:
            self._shown = changed
            self.changed.emit(changed)
            self._fit(changed)
            self.explain()

    def _offer(self, words: str) -> list[Choice]:
        source = str(self.source.currentData())
        if source == "date":
            return [Choice(form, form) for form in dates.FORMS]
        entries = [Entry(name, (spoken(name),)) for name in self._fields().of(source)]
        return [Choice(key, key) for key in ranking.find(words, entries)]


def _sentence(rule: str) -> str:
    """A date rule as a plain sentence, or nothing when it cannot be read."""
    try:
        return _begun(dates.describe(dates.read(rule)))
    except NebbetError:
        return ""


def _begun(said: str) -> str:
    return said[:1].upper() + said[1:] + ("" if said.endswith(".") else ".")
