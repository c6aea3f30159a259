"""From a file to people and cases: columns matched, every row looked at before anything is
written."""

import hashlib
from pathlib import Path

import msgspec
from msgspec.structs import replace
from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QDragEnterEvent, QDropEvent, QResizeEvent
from PySide6.QtWidgets import QFileDialog, QHBoxLayout, QVBoxLayout, QWidget

from nebbet.core.errors import UNREADABLE, NebbetError
from nebbet.core.records.tables import DELIMITER_NAMES, ENCODINGS, KINDS, ReadTable
from nebbet.core.sentences import said
from nebbet.desktop.kit import pieces, theme
from nebbet.desktop.kit.pause import after_pause
from nebbet.desktop.kit.place import Place
from nebbet.desktop.kit.still import StillCombo
from nebbet.desktop.people.bringing_in import BringingIn
from nebbet.desktop.people.import_columns import ImportColumns
from nebbet.desktop.people.import_rows import ImportRows
from nebbet.desktop.session.shared_library import SharedLibrary
from nebbet.library.import_files import (
    How,
    ImportFile,
    looks_like_cases,
    offered,
    planned,
    proposed,
    read_import,
)
from nebbet.library.importing import Plan

_CHANGED = 150  # milliseconds after a choice until the rows are worked out anew
_WIDE = 520  # pixels
_FILES = f"{KINDS} *.vcf"


class Importing(Place):
    """The page on which a file becomes people or cases."""

    title = "Import"
    help = (
        "Choose a file: a table (CSV, XLSX, ODS, XLS) or cards (vCard). Say what it holds and "
        "where each column goes; below stands what every row would do. Nothing is written until "
        "Ctrl+Return, and one step undoes it. Ctrl+O chooses another file, Esc goes back."
    )
    done = Signal(bool)

    def __init__(self, shared: SharedLibrary) -> None:
        super().__init__()
        self._shared = shared
        self._path: Path | None = None
        self._file: ImportFile | None = None
        self._how = How()
        self.plan = Plan()
        self.setAcceptDrops(True)
        self.back = pieces.button(said("Back to people (Esc)"), self.left.emit)
        self.choose = pieces.button(said("Choose a file…"), self.ask_for_file, hint="Ctrl+O")
        self.name = pieces.label(said("No file is chosen yet."), "title", wrap=True)
        self.told = pieces.label("", "note", wrap=True)
        self.what, self.kind = StillCombo(), StillCombo()
        self.sheet, self.encoding, self.delimiter = StillCombo(), StillCombo(), StillCombo()
        self.days = StillCombo()
        self.columns = ImportColumns()
        self.rows = ImportRows()
        self.bring = BringingIn(shared)
        self._soon = after_pause(self, _CHANGED, self._work_out)
        self._fill_boxes()
        self._lay_out()
        self._connect()
        self._show_file()

    def _fill_boxes(self) -> None:
        for box, words in (
            (self.what, said("What the file holds")),
            (self.kind, said("Kind of case")),
            (self.sheet, said("Sheet")),
            (self.encoding, said("Encoding")),
            (self.delimiter, said("Between the cells")),
            (self.days, said("How days are written")),
        ):
            theme.named(box, words)
        self.what.addItem(said("people"), True)
        self.what.addItem(said("cases"), False)
        self.kind.setEditable(True)
        self.kind.setMinimumContentsLength(14)
        self.encoding.addItems(list(ENCODINGS))
        for sign, name in DELIMITER_NAMES.items():
            self.delimiter.addItem(name, sign)
        self.days.addItem(said("3/4 is in April"), True)
        self.days.addItem(said("3/4 is in March"), False)

    def _lay_out(self) -> None:
        left = QWidget()
        self._choices = QWidget()
        pieces.fill(
            QHBoxLayout(self._choices),
            pieces.label(said("It holds"), "faint"),
            self.what,
            self.kind,
            self.sheet,
            self.encoding,
            self.delimiter,
            self.days,
            None,
        )
        pieces.fill(
            QVBoxLayout(left),
            pieces.row(self.back, self.choose, None),
            self.name,
            self.told,
            self._choices,
            pieces.rule(),
            margin=16,
        )
        columns = pieces.column(
            "left", pieces.label(said("Where the columns go"), "heading"),
            pieces.scrolled(self.columns), margin=12,
        )  # fmt: skip
        right = QWidget()
        pieces.fill(QVBoxLayout(right), self.rows, self.bring, margin=12)
        self._below = QWidget()
        self._columns = columns
        pieces.fill(QHBoxLayout(self._below), columns, pieces.grow(right), spacing=0)
        whole = pieces.fill(QVBoxLayout(self), left, self._below, spacing=0)
        whole.setAlignment(left, Qt.AlignmentFlag.AlignTop)  # also while there is nothing below
        whole.setStretch(1, 1)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._columns.setFixedWidth(min(_WIDE, event.size().width() * 2 // 5))

    def _connect(self) -> None:
        self.what.currentIndexChanged.connect(lambda _index: self._propose_anew())
        self.kind.currentTextChanged.connect(lambda _text: self._soon.start())
        self.days.currentIndexChanged.connect(lambda _index: self._soon.start())
        for box in (self.sheet, self.encoding, self.delimiter):
            box.currentIndexChanged.connect(lambda _index: self._read_again())
        self.columns.changed.connect(self._soon.start)
        self.bring.done.connect(self._brought_in)
        self.add_key("Back to people", "Esc", self._leave)
        self.add_key("Choose a file", "Ctrl+O", self.ask_for_file)
        self.add_key("Bring in", "Ctrl+Return", self.bring.go)

    def arrive(self) -> None:
        self.choose.setFocus()

    def _leave(self) -> None:
        if not self.bring.is_busy:
            self.left.emit()

    # The file

    def ask_for_file(self) -> None:
        """Choose a file in a dialog."""
        if self.bring.is_busy:
            return
        where, _ = QFileDialog.getOpenFileName(
            self, said("Which file?"), "", said("Tables and cards ({kinds})", kinds=_FILES)
        )
        if where:
            self.take(Path(where))

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if event.mimeData().hasUrls() and not self.bring.is_busy:
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        paths = [url.toLocalFile() for url in event.mimeData().urls() if url.isLocalFile()]
        if paths:
            event.acceptProposedAction()
            self.take(Path(paths[0]))

    def take(self, path: Path, *, sheet: str = "", encoding: str = "", delimiter: str = "") -> None:
        """Read a file, and propose how it is taken."""
        self._path = path
        self.told.setText(said("Reading {name}…", name=path.name))

        def read() -> ImportFile:
            return read_import(path, sheet=sheet, encoding=encoding, delimiter=delimiter)

        def failed(error: NebbetError) -> None:
            self._file = None
            self._show_file()
            self._shared.voice.fail(error)

        self._shared.reads.run(read, self._take_up, failed)

    def _take_up(self, file: ImportFile) -> None:
        again = self._file is not None and self._file.name == file.name
        self._file = file
        if file.table is not None and not again:
            people = not looks_like_cases(file.table)
            self._set(self.what, 0 if people else 1)
        elif file.table is None:
            self._set(self.what, 0)
        self._show_file()
        self._propose_anew()

    def _set(self, box: StillCombo, index: int) -> None:
        box.blockSignals(True)
        box.setCurrentIndex(index)
        box.blockSignals(False)

    def _show_file(self) -> None:
        file = self._file
        self._below.setVisible(file is not None)
        self._choices.setVisible(file is not None)
        if file is None:
            self.name.setText(said("No file is chosen yet."))
            self.told.setText(
                said("A table (CSV, XLSX, ODS, XLS) or cards (vCard); it can also be dropped here.")
            )
            return
        table = file.table
        self.name.setText(file.name)
        self._columns.setVisible(table is not None)
        self.what.setEnabled(table is not None)
        for box in (self.sheet, self.encoding, self.delimiter, self.days):
            box.hide()
        if table is None:
            self.told.setText(said("{count} cards", count=len(file.cards)))
            return
        self._show_reading(table)

    def _show_reading(self, table: ReadTable) -> None:
        """Show how a table was read, where that can be another way."""
        told = [said("{count} rows", count=f"{len(table.rows):,}"), *table.told]
        self.told.setText(". ".join(told))
        if len(table.sheets) > 1:
            self.sheet.blockSignals(True)
            self.sheet.clear()
            self.sheet.addItems(list(table.sheets))
            self.sheet.setCurrentText(table.sheet)
            self.sheet.blockSignals(False)
            self.sheet.show()
        if table.encoding:
            if self.encoding.findText(table.encoding) < 0:
                self.encoding.addItem(table.encoding)
            self._set(self.encoding, self.encoding.findText(table.encoding))
            self._set(self.delimiter, self.delimiter.findData(table.delimiter))
            self.encoding.show()
            self.delimiter.show()
            self.days.show()

    def _read_again(self) -> None:
        """Read the file in another way that was chosen."""
        table = self._file.table if self._file else None
        if self._path and table is not None:
            text = bool(table.encoding)
            self.take(
                self._path,
                sheet=self.sheet.currentText() if len(table.sheets) > 1 else "",
                encoding=self.encoding.currentText() if text else "",
                delimiter=str(self.delimiter.currentData()) if text else "",
            )

    # How it is taken

    @property
    def _people(self) -> bool:
        return bool(self.what.currentData())

    def _propose_anew(self) -> None:
        """Match the columns, as the last file of this shape was or by what they are."""
        file = self._file
        self.kind.setVisible(not self._people)
        if file is None:
            return
        if not self._people:
            self._offer_kinds()
        if file.table is not None:
            catalogue = self._shared.catalogue
            how = How(self._people, kind="" if self._people else self.kind.currentText().strip())
            self._how = proposed(catalogue, file.table, how, self._remembered(file.table))
            self._set(self.days, 0 if self._how.day_first else 1)
            self.columns.show_table(file.table, offered(catalogue, self._how), self._how.matches)
        self._work_out()

    def _offer_kinds(self) -> None:
        now, kinds = self.kind.currentText(), self._shared.search.fields.kinds
        self.kind.blockSignals(True)
        self.kind.clear()
        self.kind.addItems(["", *filter(None, kinds)])
        self.kind.setCurrentText(now)
        self.kind.blockSignals(False)

    def _shape(self, table: ReadTable) -> str:
        mark = hashlib.blake2b(table.shape.encode("utf-8", "replace"), digest_size=12).hexdigest()
        return f"import:{'people' if self._people else 'cases'}:{mark}"

    def _remembered(self, table: ReadTable) -> dict[str, str] | None:
        data = self._shared.own.drafts.get(self._shape(table))
        try:
            return msgspec.json.decode(data, type=dict[str, str]) if data else None
        except UNREADABLE:
            return None

    def _work_out(self) -> None:
        """Work out what every row would do."""
        file, shared = self._file, self._shared
        if file is None:
            return
        self._soon.stop()
        how = replace(
            self._how,
            people=self._people,
            matches=self.columns.matches() if file.table is not None else {},
            kind="" if self._people else self.kind.currentText().strip(),
            day_first=bool(self.days.currentData()),
        )
        self._how = how
        self.rows.wait()
        self.bring.show_plan(Plan())
        prefix = "p" if how.people else "c"
        catalogue = shared.catalogue
        shared.people.ask(
            lambda people: planned(
                people, catalogue, file, how, lambda: f"{prefix}-{shared.token()}"
            ),
            self._show_plan,
            asker="import",
            failed=lambda _error: self.rows.show_plan(Plan()),
        )

    def _show_plan(self, plan: Plan) -> None:
        self.plan = plan
        self.rows.show_plan(plan)
        self.bring.show_plan(plan)

    def _brought_in(self) -> None:
        """It is done: the next file of this shape is taken alike."""
        if self._file and self._file.table is not None:
            kept = msgspec.json.encode(self._how.matches)
            self._shared.own.keep_draft(self._shape(self._file.table), kept)
        people = self._people
        self._file = None
        self._show_file()
        self.left.emit()
        self.done.emit(people)
