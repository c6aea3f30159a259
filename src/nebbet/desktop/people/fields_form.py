"""The fields of a person or a case that are the team's own, to be filled in."""

from collections.abc import Mapping, Sequence
from datetime import date

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QFormLayout, QLineEdit, QPlainTextEdit, QVBoxLayout, QWidget

from nebbet.core.errors import NebbetError
from nebbet.core.placeholders.field_texts import field_text, field_value
from nebbet.core.records import field_name, fold, label_of
from nebbet.core.records.kinds import FieldKind, Kind, RecordField, in_order
from nebbet.core.sentences import said
from nebbet.desktop.kit import pieces
from nebbet.desktop.kit.still import StillCombo
from nebbet.library.held_fields import kind_of

_LANGUAGE = "en_GB"  # the window's own
_MORE = "\n"  # in the place of a field's name: lines of fields that are new


class FieldsForm(QWidget):
    """A row for each field of the kind, and for each that the record has beside; then room for new
    ones. edited tells that somebody types."""

    edited = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.lines: dict[str, QLineEdit | StillCombo] = {}
        self._fields: dict[str, RecordField] = {}
        self._before: Mapping[str, object] = {}
        self._form = QFormLayout()
        self._form.setVerticalSpacing(6)
        self.more = QPlainTextEdit()
        self.more.setPlaceholderText(said("one field on each line, as\ncabin: 214"))
        self.more.setTabChangesFocus(True)
        self.more.setFixedHeight(52)
        self.more.textChanged.connect(self.edited)
        last = QFormLayout()
        self._caption = pieces.captioned(last, said("Further fields"), self.more)
        pieces.fill(QVBoxLayout(self), self._form, last)

    def show_fields(self, kind: Kind | None, values: Mapping[str, object]) -> None:
        """Take up the fields of a record, of a kind or of none."""
        self._before = values
        while self._form.rowCount():
            self._form.removeRow(0)
        self.lines.clear()
        self._fields.clear()
        for name in in_order(values, kind):
            declared = kind.field(name) if kind else None
            field = declared or RecordField(name, _kind_of(values.get(name)))
            self._fields[name] = field
            line = self._line(field)
            self.lines[name] = line
            caption = pieces.captioned(self._form, field.title or label_of(name), line)
            caption.setFixedWidth(110)
            caption.setWordWrap(True)
            self._set(line, field_text(values.get(name), _LANGUAGE))
        self.more.clear()
        self._caption.setFixedWidth(110)

    def _line(self, field: RecordField) -> "QLineEdit | StillCombo":
        options: Sequence[str] = field.choices
        if field.kind == "yes/no":
            options = (said("yes"), said("no"))
        if options:
            box = StillCombo()
            box.addItem("")
            box.addItems(list(options))
            box.currentIndexChanged.connect(lambda _index: self.edited.emit())
            return box
        line = QLineEdit()
        line.textEdited.connect(self.edited)
        if field.kind == "list":
            line.setPlaceholderText(said("several, with semicolons between"))
        return line

    def _set(self, line: "QLineEdit | StillCombo", text: str) -> None:
        if isinstance(line, QLineEdit):
            line.setText(text)
            line.setCursorPosition(0)
            return
        if text and line.findText(text) < 0:
            line.addItem(text)  # one that the kind does not have any more
        line.setCurrentText(text)

    def write(self, typed: Mapping[str, str]) -> None:
        """Put into the fields what was typed."""
        for name, line in self.lines.items():
            if name in typed:
                self._set(line, typed[name])
        self.more.setPlainText(typed.get(_MORE, ""))

    def typed(self) -> dict[str, str]:
        """What stands in the fields."""
        found = {
            name: line.text() if isinstance(line, QLineEdit) else line.currentText()
            for name, line in self.lines.items()
        }
        return found | {_MORE: self.more.toPlainText()}

    def values(self, today: date) -> dict[str, object]:
        """The fields in their JSON form. Raises NebbetError, and goes to the field, where one makes
        no sense."""
        found: dict[str, object] = {}
        typed = self.typed()
        for name, line in self.lines.items():
            try:
                value = field_value(
                    typed[name], self._fields[name], self._before.get(name), today, _LANGUAGE
                )
            except NebbetError:
                line.setFocus()
                raise
            if value is not None:
                found[name] = value
        return found | self._new_ones()

    def _new_ones(self) -> dict[str, object]:
        found: dict[str, object] = {}
        known = {fold(name) for name in self.lines}
        for line in filter(None, map(str.strip, self.more.toPlainText().splitlines())):
            name, colon, value = line.partition(":")
            key = field_name(name)
            if not colon or not key or not value.strip() or fold(key) in known:
                self.more.setFocus()
                raise NebbetError(
                    said("Not kept yet: “{line}” is no new field: write it as cabin: 214",
                         line=line)
                )  # fmt: skip
            found[key] = value.strip()
        return found


def _kind_of(raw: object) -> FieldKind:
    found = kind_of(raw) if raw is not None else "text"
    return found if found in ("number", "money", "date", "time", "yes/no", "list") else "text"  # type: ignore[return-value]
