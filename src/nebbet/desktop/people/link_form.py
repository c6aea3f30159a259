"""A linked table to be filled in."""

from pathlib import Path

from msgspec.structs import replace
from PySide6.QtCore import Signal
from PySide6.QtWidgets import (
    QFileDialog,
    QFormLayout,
    QLineEdit,
    QPlainTextEdit,
    QVBoxLayout,
    QWidget,
)

from nebbet.core.records import field_name
from nebbet.core.records.matching import Target
from nebbet.core.records.tables import ReadTable
from nebbet.core.sentences import said
from nebbet.desktop.kit import pieces, theme
from nebbet.desktop.kit.still import StillCombo
from nebbet.desktop.people.import_columns import ImportColumns
from nebbet.library.import_files import How
from nebbet.library.links import Link

_PLACE = said("a file, or postgresql://login@host/name")


class LinkForm(QWidget):
    """Edits a link. edited tells that somebody types, looked that they want to see the table."""

    edited = Signal()
    looked = Signal()

    def __init__(self) -> None:
        super().__init__()
        self._shown = Link("", "", "", "")
        self._table: ReadTable | None = None
        self.name, self.place, self.sheet = QLineEdit(), QLineEdit(), QLineEdit()
        self.query, self.password = QPlainTextEdit(), QLineEdit()
        self.key, self.what, self.kind = StillCombo(), StillCombo(), QLineEdit()
        self.minutes = pieces.number(1, 10_080)
        self.choose = pieces.button(said("Choose a file…"), self._ask_for_file)
        self.look = pieces.button(said("Look at the table"), self.looked.emit, hint="Ctrl+Alt+G")
        self.columns = ImportColumns()
        self._lay_out()
        for line in (self.name, self.place, self.sheet, self.kind):
            line.textEdited.connect(self.edited)
        self.place.textChanged.connect(lambda _text: self._show_for_place())
        self.query.textChanged.connect(self.edited)
        for box in (self.key, self.what):
            box.currentIndexChanged.connect(lambda _index: self.edited.emit())
        self.what.currentIndexChanged.connect(lambda _index: self._show_for_place())
        self.minutes.valueChanged.connect(lambda _value: self.edited.emit())
        self.columns.changed.connect(self.edited)

    def _lay_out(self) -> None:
        self.form = QFormLayout()
        self.form.setVerticalSpacing(6)
        self.what.addItem(said("people"), True)
        self.what.addItem(said("cases"), False)
        self.place.setPlaceholderText(_PLACE)
        self.query.setPlaceholderText("SELECT number, name, email FROM passengers")
        self.query.setTabChangesFocus(True)
        self.query.setFixedHeight(58)
        self.password.setEchoMode(QLineEdit.EchoMode.Password)
        self.password.setPlaceholderText(said("kept in the keyring, not in the library"))
        where = QWidget()
        row = pieces.row(pieces.grow(self.place), self.choose)
        pieces.fill(QVBoxLayout(where), row)
        theme.named(self.place, said("Place"))
        pieces.captioned(self.form, said("Name"), self.name)
        self.form.addRow(pieces.label(said("Place"), "faint"), where)
        pieces.captioned(self.form, said("Sheet"), self.sheet)
        pieces.captioned(self.form, said("Query"), self.query)
        pieces.captioned(self.form, said("Password"), self.password)
        pieces.captioned(self.form, said("It holds"), self.what)
        pieces.captioned(self.form, said("Kind of case"), self.kind)
        pieces.captioned(self.form, said("Read every … minutes"), self.minutes)
        pieces.captioned(self.form, said("Names each row"), self.key)
        pieces.fill(
            QVBoxLayout(self),
            self.form,
            pieces.row(self.look, None),
            self.columns,
            None,
            spacing=8,
        )

    def _show_for_place(self) -> None:
        """Show what is asked of a file, or of a database."""
        database = "://" in self.place.text()
        for field, shown in (
            (self.sheet, not database),
            (self.query, database),
            (self.password, database),
            (self.kind, not self.what.currentData()),
        ):
            self.form.setRowVisible(field, shown)

    def _ask_for_file(self) -> None:
        where, _ = QFileDialog.getOpenFileName(self, said("Which table?"))
        if where:
            self.place.setText(str(Path(where).absolute()))
            self.edited.emit()

    def show_link(self, record: object) -> None:
        """Take up a link, or a new one."""
        self._shown = record if isinstance(record, Link) else Link("", "", "", "")
        self._table = None
        self.password.clear()
        self.columns.show_table(ReadTable((), ()), (), {})
        self.write(self._shown)
        self.name.setReadOnly(bool(self._shown.id))

    def write(self, link: Link) -> None:
        """Put into the form what was typed."""
        self.name.setText(link.name)
        self.place.setText(link.place)
        self.sheet.setText(link.sheet)
        self.query.setPlainText(link.query)
        self.minutes.setValue(link.minutes)
        self.what.setCurrentIndex(0 if link.how.people else 1)
        self.kind.setText(link.how.kind)
        self._offer_keys([*link.how.matches, link.key] if link.key else [*link.how.matches])
        self.key.setCurrentText(link.key)
        self._shown = replace(self._shown, how=link.how)
        self._show_for_place()

    def _offer_keys(self, headings: list[str]) -> None:
        self.key.blockSignals(True)
        self.key.clear()
        self.key.addItems(["", *dict.fromkeys(headings)])
        self.key.blockSignals(False)

    def show_table(self, table: ReadTable, offered: list[Target], how: How) -> None:
        """Show the table as it is now, and where its columns go."""
        chosen = self.key.currentText()
        self._table = table
        self._offer_keys(list(table.headings))
        guess = next((h for h in table.headings if field_name(h) in ("id", "key", "number")), "")
        self.key.setCurrentText(chosen if chosen in table.headings else guess)
        self.columns.show_table(table, offered, how.matches)

    def typed(self) -> Link:
        """The link as it stands here."""
        matches = self.columns.matches() if self._table else self._shown.how.matches
        name = " ".join(self.name.text().split())
        how = How(
            bool(self.what.currentData()),
            matches,
            "" if self.what.currentData() else self.kind.text().strip(),
            self._shown.how.day_first,
        )
        return Link(
            self._shown.id or field_name(name)[:40],
            name,
            self.place.text().strip(),
            self.key.currentText(),
            self.query.toPlainText().strip(),
            self.sheet.text().strip(),
            how,
            self.minutes.value(),
        )
