"""A kind of case, or what people have, to be filled in: a row for each field."""

from collections.abc import Callable

from msgspec import Struct
from PySide6.QtCore import Signal
from PySide6.QtWidgets import QCheckBox, QGridLayout, QLineEdit, QVBoxLayout, QWidget

from nebbet.core.records import field_name
from nebbet.core.records.kinds import (
    FIELD_KINDS,
    PEOPLE,
    FieldKind,
    Kind,
    Prompt,
    RecordField,
)
from nebbet.core.sentences import said
from nebbet.desktop.kit import pieces, theme
from nebbet.desktop.kit.still import StillCombo
from nebbet.desktop.people.prompt_rows import Offer, PromptRows

_HEADS = (said("Name"), said("Label"), said("Holds"), said("To choose from"), said("First"))
_ROOM = 3  # empty rows below those that are filled


class TypedKind(Struct, frozen=True):
    """What stands in the form."""

    name: str = ""
    naming: str = ""
    fields: tuple[RecordField, ...] = ()
    prompts: tuple[Prompt, ...] = ()


class FieldRow:
    """The controls of one field."""

    def __init__(self, number: int) -> None:
        self.name, self.label, self.choices = QLineEdit(), QLineEdit(), QLineEdit()
        self.kind, self.first = StillCombo(), QCheckBox()
        self.kind.addItems(FIELD_KINDS)
        self.kind.currentTextChanged.connect(self._show_choices)
        self._show_choices(self.kind.currentText())
        self.controls: tuple[QWidget, ...] = (
            self.name, self.label, self.kind, self.choices, self.first,
        )  # fmt: skip
        for words, control in zip(_HEADS, self.controls, strict=True):
            theme.named(control, said("{what} of field {number}", what=words, number=number))

    def _show_choices(self, kind: str) -> None:
        """Only a choice has something to choose from."""
        self.choices.setEnabled(kind == "choice")
        words = said("with semicolons between") if kind == "choice" else ""
        self.choices.setPlaceholderText(words)

    def show_field(self, field: RecordField) -> None:
        """Take up a field."""
        self.name.setText(field.name)
        self.label.setText(field.label)
        self.kind.setCurrentText(field.kind)
        self.choices.setText("; ".join(field.choices))
        self.first.setChecked(field.first)

    def field(self) -> RecordField | None:
        """The field as it stands here; None where nothing does."""
        name = field_name(self.name.text()) or field_name(self.label.text())
        if not name:
            return None
        kind: FieldKind = self.kind.currentText()  # type: ignore[assignment]
        parts = (part.strip() for part in self.choices.text().split(";"))
        options = tuple(filter(None, parts)) if kind == "choice" else ()
        return RecordField(
            name, kind, self.label.text().strip(), options, first=self.first.isChecked()
        )


class KindForm(QWidget):
    """Edits a kind. edited tells that somebody types; offer gives templates, title says what one is
    called."""

    edited = Signal()

    def __init__(self, offer: Offer, title: Callable[[str], str]) -> None:
        super().__init__()
        self._id = ""
        self.prompts = PromptRows(offer, title)
        self.prompts.edited.connect(self.edited)
        self.name = QLineEdit()
        theme.named(self.name, said("Name of the kind"))
        self.naming = StillCombo()
        theme.named(self.naming, said("What names a case beside its number"))
        self.more = pieces.button(said("More fields"), self._add_room, "words")
        self.rows: list[FieldRow] = []
        self._grid = QGridLayout()
        self._grid.setVerticalSpacing(4)
        self._named = QWidget()
        pieces.fill(
            QVBoxLayout(self._named),
            pieces.row(pieces.label(said("Name"), "faint"), self.name, None),
            pieces.row(
                pieces.label(said("Beside its number, a case is called by"), "faint"),
                self.naming,
                None,
            ),
        )
        pieces.fill(
            QVBoxLayout(self), self._named, self._grid, pieces.row(self.more, None), self.prompts,
            None,
        )  # fmt: skip
        self.name.textEdited.connect(self.edited)
        self.naming.currentIndexChanged.connect(lambda _index: self.edited.emit())

    def show_kind(self, record: object) -> None:
        """Take up a kind, or a new one."""
        kind = record if isinstance(record, Kind) else Kind("", "")
        self._id = kind.id
        # Cases and templates know a kind by its name: it stays what it is.
        self.name.setReadOnly(bool(kind.id))
        self._named.setVisible(not kind.is_people)
        self.prompts.setVisible(not kind.is_people)
        self.write(TypedKind(kind.name, kind.naming, kind.fields, kind.prompts))

    def write(self, typed: TypedKind) -> None:
        """Put into the form what was typed."""
        self.name.setText(typed.name)
        self._lay_rows(len(typed.fields) + _ROOM)
        for row, field in zip(self.rows, typed.fields, strict=False):
            row.show_field(field)
        self._offer_naming(typed.naming)
        self.prompts.write(typed.prompts, typed.fields)

    def _lay_rows(self, count: int) -> None:
        pieces.clear(self._grid)
        self.rows = []
        for column, words in enumerate(_HEADS):
            self._grid.addWidget(pieces.label(words, "faint"), 0, column)
        self._grid.setColumnStretch(1, 2)
        self._grid.setColumnStretch(3, 2)
        for number in range(1, count + 1):
            self._add_row(number)

    def _add_row(self, number: int) -> None:
        row = FieldRow(number)
        self.rows.append(row)
        for column, control in enumerate(row.controls):
            self._grid.addWidget(control, number, column)
        for line in (row.name, row.label, row.choices):
            line.textEdited.connect(self.edited)
        row.name.editingFinished.connect(lambda: self._offer_naming(self._naming()))
        row.kind.currentIndexChanged.connect(lambda _index: self.edited.emit())
        row.first.toggled.connect(lambda _on: self.edited.emit())

    def _add_room(self) -> None:
        for _ in range(_ROOM):
            self._add_row(len(self.rows) + 1)
        self.rows[-_ROOM].name.setFocus()

    def _naming(self) -> str:
        return str(self.naming.currentData() or "")

    def _offer_naming(self, chosen: str) -> None:
        self.naming.blockSignals(True)
        self.naming.clear()
        self.naming.addItem(said("its title"), "")
        for field in self._fields():
            if field.kind in ("text", "choice"):
                self.naming.addItem(field.title, field.name)
        self.naming.setCurrentIndex(max(self.naming.findData(chosen), 0))
        self.naming.blockSignals(False)

    def _fields(self) -> tuple[RecordField, ...]:
        return tuple(field for row in self.rows if (field := row.field()))

    def typed(self) -> TypedKind:
        """What stands in the form."""
        return TypedKind(self.name.text(), self._naming(), self._fields(), self.prompts.prompts())

    def kind(self) -> Kind:
        """The kind as it stands here, with an id of its name."""
        typed = self.typed()
        name = " ".join(typed.name.split())
        key = self._id or field_name(name)[:64]
        if self._id == PEOPLE:
            return Kind(PEOPLE, said("People"), typed.fields)
        return Kind(key, name, typed.fields, typed.naming, typed.prompts)
