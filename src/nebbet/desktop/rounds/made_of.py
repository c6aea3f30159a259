"""What a round is made of: the template, the table, the folder with files, which rows."""

from pathlib import Path

from PySide6.QtCore import QSignalBlocker, Signal
from PySide6.QtGui import QGuiApplication
from PySide6.QtWidgets import QFileDialog, QHBoxLayout, QLineEdit, QWidget

from nebbet.core.records.tables import ReadTable
from nebbet.core.rounds import Choosing
from nebbet.core.sentences import counted, said
from nebbet.desktop.kit import pieces, theme
from nebbet.desktop.kit.picker import Picker
from nebbet.desktop.kit.still import StillCombo
from nebbet.desktop.session import choices
from nebbet.desktop.session.shared_library import SharedLibrary
from nebbet.library.holdings import Template
from nebbet.library.rounds import RoundFile

_TABLES = "*.csv *.tsv *.txt *.xlsx *.xlsm *.xls *.ods"


class MadeOf(QWidget):
    """other tells that the template or the table is another one, narrowed that other rows are
    meant, or other files are at hand."""

    other = Signal()
    narrowed = Signal()

    def __init__(self, shared: SharedLibrary) -> None:
        super().__init__()
        self._shared = shared
        self.template: Template | None = None
        self.table: ReadTable | None = None
        self.data, self.path, self.folder = b"", Path(), Path()
        self.files: dict[str, RoundFile] = {}
        self.pick = Picker(said("Template"), prompt=said("Template"), ask=self._offer)
        self.choose = pieces.button(said("Table…"), self.ask_for_table, hint="Ctrl+O")
        self.sheet = StillCombo()
        self.folder_button = pieces.button(said("Folder of files…"), self.ask_for_folder, "words")
        self.places, self.when = QLineEdit(), QLineEdit()
        self.places.setPlaceholderText(said("all rows; or 1-20, 35"))
        self.when.setPlaceholderText(said("only where: passengers >= 2"))
        theme.named(self.sheet, said("Sheet"))
        theme.named(self.places, said("Which rows"))
        theme.named(self.when, said("Only where"))
        self.pick.setMinimumWidth(220)
        self.places.setMaximumWidth(170)
        pieces.fill(
            QHBoxLayout(self), self.pick, self.choose, self.sheet, self.folder_button,
            self.places, self.when,
        )  # fmt: skip
        for part in (self.sheet, self.places, self.when):
            part.hide()
        self.pick.picked.connect(self.take_template)
        self.sheet.currentTextChanged.connect(
            lambda name: self._take_data(self.path, self.data, name)
        )
        for line in (self.places, self.when):
            line.textChanged.connect(lambda _text: self.narrowed.emit())

    @property
    def choosing(self) -> Choosing:
        """Which rows are meant."""
        return Choosing(places=self.places.text(), when=self.when.text())

    @property
    def about(self) -> str:
        """What the table is, in a sentence."""
        if self.table is None:
            return said("Choose a template and a table: each row becomes one letter.")
        table, name = self.table, self.path.name
        rows = counted("1 row", "{count} rows", count=len(table.rows))
        told = said("{name} ({encoding}): {rows}.", name=name, encoding=table.encoding, rows=rows)
        if table.sheet:
            told = said("{name}, sheet {sheet}: {rows}.", name=name, sheet=table.sheet, rows=rows)
        return " ".join([told, *table.told])

    def _offer(self, words: str, show: choices.Show) -> None:
        show(choices.templates(self._shared, words))

    def take_template(self, key: str) -> None:
        """Take a template for the letters."""
        self.template = self._shared.catalogue.templates.get(key)
        if self.template:
            self.pick.show_text(self.template.title)
            self.other.emit()

    def follow(self) -> None:
        """The template may be another edition by now."""
        if self.template:
            self.template = self._shared.catalogue.templates.get(self.template.id)

    def ask_for_table(self) -> None:
        """Choose the file with the table."""
        path, _ = QFileDialog.getOpenFileName(self, said("Which table?"), "", _TABLES)
        if path:
            self.take_table(Path(path))

    def take_table(self, path: Path) -> None:
        """Read a table; it stays as it is now, whatever becomes of the file."""

        def read() -> bytes:
            from nebbet.core.records.tables import LARGEST
            from nebbet.library.disk import read_file

            return read_file(path, f"The table {path.name}", largest=LARGEST)

        self._shared.reads.run(
            read, lambda data: self._take_data(path, data), self._shared.voice.fail
        )

    def paste(self) -> None:
        """Take the table on the clipboard, as programs with tables put it there."""
        text = QGuiApplication.clipboard().text()
        if not text.strip():
            self._shared.voice.say(said("There is no table on the clipboard."))
            return
        self._take_data(Path(said("Clipboard")), text.encode("utf-8", "replace"))

    def _take_data(self, path: Path, data: bytes, sheet: str = "") -> None:
        """Take the table of some bytes; of a workbook, one sheet."""

        def read() -> ReadTable:
            from nebbet.core.records.tables import read_table

            return read_table(data, sheet=sheet)

        def came(found: ReadTable) -> None:
            self.path, self.data, self.table = path, data, found
            with QSignalBlocker(self.sheet):
                self.sheet.clear()
                self.sheet.addItems(list(found.sheets))
                self.sheet.setCurrentText(found.sheet)
            self.sheet.setVisible(len(found.sheets) > 1)
            for part in (self.places, self.when):
                part.show()
            self.other.emit()

        self._shared.reads.run(read, came, self._shared.voice.fail)

    def ask_for_folder(self) -> None:
        """Choose the folder with the files that rows name."""
        folder = QFileDialog.getExistingDirectory(self, said("Where are the files?"))
        if folder:
            self.take_folder(Path(folder))

    def take_folder(self, folder: Path) -> None:
        """Take the files of a folder, which rows can name."""

        def read() -> dict[str, RoundFile]:
            from nebbet.post.rounds import files_in

            return files_in(folder)

        def came(found: dict[str, RoundFile]) -> None:
            self.folder, self.files = folder, found
            self.folder_button.setText(said("{count} files", count=len(found)))
            self.narrowed.emit()

        self._shared.reads.run(read, came, self._shared.voice.fail)
