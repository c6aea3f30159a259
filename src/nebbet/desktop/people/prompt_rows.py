"""The letters that are offered when cases of a kind change, a row for each."""

from collections.abc import Callable, Sequence

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QGridLayout, QLineEdit, QVBoxLayout, QWidget

from nebbet.core.records import fold
from nebbet.core.records.kinds import STATE, Prompt, RecordField
from nebbet.core.sentences import said
from nebbet.desktop.kit import pieces, theme
from nebbet.desktop.kit.picker import Choice, Picker
from nebbet.desktop.kit.still import StillCombo

Offer = Callable[[str], list[Choice]]  # the templates that words find
_ROOM = 1  # empty rows below those that are filled
_HEADS = (said("When"), said("becomes"), said("offer"))


class _Row:
    """The controls of one such letter."""

    def __init__(self, number: int, offer: Offer, title: Callable[[str], str]) -> None:
        self._title = title
        self.field, self.value = StillCombo(), QLineEdit()
        self.template = Picker(said("Template"), offer, said("Template"))
        self.key = ""
        self.controls: tuple[QWidget, ...] = (self.field, self.value, self.template)
        for words, control in zip(_HEADS, self.controls, strict=True):
            theme.named(control, said("Offered letter {number}: {what}", number=number, what=words))

    def take(self, key: str) -> None:
        """Take a template."""
        self.key = key
        self.template.show_text(self._title(key))

    def offer_fields(self, fields: Sequence[RecordField], chosen: str) -> None:
        """Offer what a case has, and choose some of it."""
        self.field.blockSignals(True)
        self.field.clear()
        self.field.addItem(said("its state"), STATE)
        for field in fields:
            if field.kind not in ("list", "file"):
                self.field.addItem(field.title, field.name)
        found = [n for n in range(self.field.count())
                 if fold(str(self.field.itemData(n))) == fold(chosen)]  # fmt: skip
        self.field.setCurrentIndex(found[0] if found else 0)
        self.field.blockSignals(False)

    def prompt(self) -> Prompt | None:
        """The row as it stands here; None where something of it is missing."""
        value = self.value.text().strip()
        if not value or not self.key:
            return None
        return Prompt(str(self.field.currentData() or STATE), value, self.key)


class PromptRows(QWidget):
    """edited tells that somebody changes something."""

    edited = Signal()

    def __init__(self, offer: Offer, title: Callable[[str], str]) -> None:
        super().__init__()
        self._offer, self._title = offer, title
        self._fields: Sequence[RecordField] = ()
        self.rows: list[_Row] = []
        self._grid = QGridLayout()
        self._grid.setColumnStretch(2, 1)
        self._grid.setVerticalSpacing(4)
        self.more = pieces.button(said("One more"), self._add, "words")
        pieces.fill(
            QVBoxLayout(self),
            pieces.label(said("Letters that are offered when a case changes"), "heading"),
            self._grid,
            pieces.row(self.more, None),
        )

    def write(self, prompts: Sequence[Prompt], fields: Sequence[RecordField]) -> None:
        """Put into the rows what was chosen."""
        pieces.clear(self._grid)
        self.rows, self._fields = [], fields
        for column, words in enumerate(_HEADS):
            self._grid.addWidget(pieces.label(words, "faint"), 0, column)
        for prompt in prompts:
            row = self._add()
            row.offer_fields(fields, prompt.field)
            row.value.setText(prompt.value)
            row.take(prompt.template)
        for _ in range(_ROOM):
            self._add()

    def _add(self) -> _Row:
        row = _Row(len(self.rows) + 1, self._offer, self._title)
        row.offer_fields(self._fields, STATE)
        self.rows.append(row)
        for column, control in enumerate(row.controls):
            self._grid.addWidget(control, len(self.rows), column)
        row.value.textEdited.connect(self.edited)
        row.field.currentIndexChanged.connect(lambda _index: self.edited.emit())
        row.template.picked.connect(lambda key: self._pick(row, key))
        return row

    def _pick(self, row: _Row, key: str) -> None:
        row.take(key)
        self.edited.emit()

    def prompts(self) -> tuple[Prompt, ...]:
        """What is offered when, as it stands here."""
        return tuple(found for row in self.rows if (found := row.prompt()))
