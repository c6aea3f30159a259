"""What a round is made of: the template, the table, the folder with files, which rows."""

from functools import partial
from pathlib import Path

from PySide6.QtCore import QSignalBlocker, Signal
from PySide6.QtGui import QGuiApplication
from PySide6.QtWidgets import QFileDialog, QLineEdit, QMenu, QVBoxLayout, QWidget

from nebbet.core.records.incoming import days_first
from nebbet.core.records.tables import DELIMITER_NAMES, ENCODINGS, KINDS, ReadTable
from nebbet.core.rounds import Choosing, has_days
from nebbet.core.sentences import counted, said
from nebbet.desktop.kit import pieces, theme
from nebbet.desktop.kit.pause import after_pause
from nebbet.desktop.kit.picker import Picker
from nebbet.desktop.kit.still import StillCombo
from nebbet.desktop.rounds.for_every import ForEvery
from nebbet.desktop.rounds.watched import Watched
from nebbet.desktop.session import choices
from nebbet.desktop.session.shared_library import SharedLibrary
from nebbet.library.holdings import RoundFile, Template
from nebbet.library.links import Linked, links_of
from nebbet.library.round_ledger import Round
from nebbet.library.round_tables import MOST, Origin, Taken, take

_TYPED = 400  # milliseconds after a key until people or cases are asked for anew
_NOTHING = Origin("clipboard")


class MadeOf(QWidget):
    """other tells that the template or the table is another one, narrowed that other rows are
    meant, or other files are at hand, keep that somebody wants to keep it under a name."""

    other = Signal()
    narrowed = Signal()
    keep = Signal()

    def __init__(self, shared: SharedLibrary, near: Path) -> None:
        super().__init__()
        self._shared = shared
        self._near = near  # where files are looked for first
        self.template: Template | None = None
        self.table: ReadTable | None = None
        self.origin = _NOTHING
        self.data, self.folder = b"", Path()
        self.files: dict[str, RoundFile] = {}
        self.links: dict[str, str] = {}  # the names of linked tables
        self.started: Round | None = None  # a round that was opened as it was started
        self._is_begun = False  # the round of this table was started before
        self.pick = Picker(said("Template"), partial(choices.templates, shared), said("Template"))
        self.pick.setMinimumWidth(200)
        self.pick.opens_by_click = True
        self.menu = QMenu(self)
        self.choose = pieces.button(said("Table…"), self.ask_for_origin, hint="Ctrl+O")
        self.sheet, self.encoding, self.delimiter = StillCombo(), StillCombo(), StillCombo()
        self.days = StillCombo()  # how days are read that could be others
        self.folder_button = pieces.button(said("Folder of files…"), self.ask_for_folder, "words")
        self.keep_button = pieces.button(
            said("Keep it…"), self.keep.emit, "words", said("Keep what it is made of (Ctrl+S)")
        )
        self.places, self.words, self.when = QLineEdit(), QLineEdit(), QLineEdit()
        self.for_every = ForEvery()
        self.watched = Watched(shared, self._take_changed)
        self._typed = after_pause(self, _TYPED, self._retake)
        self._lay_out()
        self._connect()

    def _lay_out(self) -> None:
        for part, name, prompt in (
            (self.places, said("Which rows"), said("all rows; or 1-20, 35")),
            (self.words, said("Rows with these words"), said("with these words")),
            (self.when, said("Only where"), said("only where: passengers >= 2")),
        ):
            part.setPlaceholderText(prompt)
            theme.named(part, name)
        for box, name in (
            (self.sheet, said("Sheet, or kind of case")), (self.encoding, said("Encoding")),
            (self.delimiter, said("What stands between the cells")),
            (self.days, said("How days are read that could be others")),
        ):  # fmt: skip
            theme.named(box, name, name)
        for words, first in ((said("days as they tell"), None), (said("day first"), True),
                             (said("month first"), False)):  # fmt: skip
            self.days.addItem(words, first)
        for sign, words in DELIMITER_NAMES.items():
            self.delimiter.addItem(words, sign)
        self.places.setMaximumWidth(150)
        self._narrowing = QWidget()
        pieces.fill(
            QVBoxLayout(self._narrowing),
            pieces.row(
                self.places, self.words, self.when, self.encoding, self.delimiter, self.days
            ),
        )
        pieces.fill(
            QVBoxLayout(self),
            pieces.row(
                pieces.grow(self.pick), self.choose, self.sheet, self.folder_button,
                self.keep_button,
            ),
            self._narrowing,
            self.for_every,
            self.watched,
        )  # fmt: skip
        self._show_parts()

    def _connect(self) -> None:
        self.pick.picked.connect(self.take_template)
        for box in (self.sheet, self.encoding, self.delimiter):
            box.currentIndexChanged.connect(lambda _index: self._read_otherwise())
        self.words.textChanged.connect(lambda _text: self._narrow_by_words())
        self.for_every.edited.connect(self.narrowed)
        self.days.currentIndexChanged.connect(lambda _index: self.narrowed.emit())
        for line in (self.places, self.when):
            line.textChanged.connect(lambda _text: self.narrowed.emit())

    def _show_parts(self) -> None:
        """Show what there is to choose of the table."""
        has = self.table is not None and not (self.started or self._is_begun)
        is_text = bool(has and self.table and self.table.encoding and self.origin.kind == "file")
        self._narrowing.setVisible(has)
        self.sheet.setVisible(has and self.sheet.count() > 1)
        self.encoding.setVisible(is_text)
        self.delimiter.setVisible(is_text)
        self.days.setVisible(bool(has and self.table and has_days(self.table)))
        self.folder_button.setVisible(has)
        self.keep_button.setVisible(has)
        self.choose.setVisible(self.started is None)
        self.pick.setReadOnly(self.started is not None)

    def show_begun(self, begun: bool) -> None:
        """Show what can still be chosen: which rows are meant stays as it was at the start."""
        self._is_begun = begun
        self._show_parts()

    @property
    def is_chosen_from(self) -> bool:
        """Whether the focus is where the template and the table are chosen."""
        return self.pick.hasFocus() or self.choose.hasFocus()

    @property
    def choosing(self) -> Choosing:
        """Which rows are meant, but for those that are taken out by hand."""
        words = "" if self.origin.is_on_file else self.words.text()
        return Choosing(places=self.places.text(), words=words, when=self.when.text())

    @property
    def day_first(self) -> dict[str, bool]:
        """How days are read, by their headings: as it was chosen, else as the columns tell."""
        chosen = self.days.currentData()
        if self.table is None or chosen is None:
            return days_first(self.table) if self.table else {}
        return dict.fromkeys(self.table.headings, bool(chosen))

    @property
    def name(self) -> str:
        """What the table is called."""
        if self.started:
            return self.started.title
        match self.origin.kind:
            case "file":
                return Path(self.origin.at).name
            case "people":
                return said("People")
            case "cases":
                return self.origin.at or said("Cases")
            case "linked":
                return self.links.get(self.origin.at, said("Linked table"))
        return said("Clipboard")

    @property
    def about(self) -> str:
        """What the table is, in a sentence."""
        if self.table is None:
            return said("Choose a template and a table: each row becomes one letter.")
        table, name = self.table, self.name
        rows = counted("1 row", "{count} rows", count=len(table.rows))
        told = said("{name}: {rows}.", name=name, rows=rows)
        if table.encoding:
            told = said("{name} ({encoding}): {rows}.", name=name, encoding=table.encoding,
                        rows=rows)  # fmt: skip
        if table.sheet:
            told = said("{name}, sheet {sheet}: {rows}.", name=name, sheet=table.sheet, rows=rows)
        if self.origin.is_on_file and len(table.rows) == MOST:
            told += " " + said("More are not taken at once.")
        return " ".join([told, *(f"{one.rstrip('.')}." for one in table.told)])

    # The template

    def take_template(self, key: str) -> None:
        """Take a template for the letters."""
        self.template = self._shared.catalogue.templates.get(key)
        if self.template:
            self.pick.show_text(self.template.title)
            self.other.emit()

    def follow(self) -> None:
        """The template may be another edition by now."""
        if self.template and self.started is None:
            self.template = self._shared.catalogue.templates.get(self.template.id)

    # The table

    def ask_for_origin(self) -> None:
        """Offer where a table can come from."""
        library = self._shared.library

        def came(found: dict[str, Linked]) -> None:
            self.links = {key: one.link.name for key, one in found.items()}
            self._offer_origins()

        self._shared.reads.run(lambda: links_of(library), came, self._shared.voice.fail)

    def _offer_origins(self) -> None:
        menu = self.menu
        menu.clear()
        theme.named(menu, said("Where the table comes from"))
        menu.addAction(said("A file…"), self.ask_for_table)
        menu.addAction(said("The clipboard"), self.paste)
        menu.addSeparator()
        menu.addAction(said("People on file"), lambda: self.take_origin(Origin("people")))
        menu.addAction(said("Cases on file"), lambda: self.take_origin(Origin("cases")))
        for key, name in self.links.items():
            origin = Origin("linked", key)
            menu.addAction(name, lambda origin=origin: self.take_origin(origin))
        menu.popup(self.choose.mapToGlobal(self.choose.rect().bottomLeft()))

    def ask_for_table(self) -> None:
        """Choose the file with the table."""
        path, _ = QFileDialog.getOpenFileName(self, said("Which table?"), str(self._near), KINDS)
        if path:
            self._near = Path(path).parent
            self.take_table(Path(path))

    def take_table(self, path: Path) -> None:
        """Read a table; it stays as it is now, whatever becomes of the file."""
        self.take_origin(Origin("file", str(path.absolute())))

    def paste(self) -> None:
        """Take the table on the clipboard, as programs with tables put it there."""
        text = QGuiApplication.clipboard().text()
        if not text.strip():
            self._shared.voice.say(said("There is no table on the clipboard."))
            return
        self.take_origin(Origin("clipboard"), text.encode("utf-8", "replace"))

    def take_origin(self, origin: Origin, pasted: bytes = b"") -> None:
        """Take a table from wherever it comes; it stays as it is now."""
        people = self._shared.library.people

        def came(found: Taken) -> None:
            self._show_taken(origin, found)

        self._shared.reads.run(lambda: take(origin, people, pasted), came, self._shared.voice.fail)

    def _show_taken(self, origin: Origin, found: Taken) -> None:
        self.origin, self.data, self.table = origin, found.data, found.table
        self.started = None
        table = found.table
        with QSignalBlocker(self.sheet), QSignalBlocker(self.encoding):
            self.sheet.clear()
            for sheet in table.sheets:
                self.sheet.addItem(sheet, sheet)
            if origin.kind == "cases":
                self.sheet.addItem(said("any kind"), "")
                for kind in sorted(self._kinds(), key=str.casefold):
                    self.sheet.addItem(kind, kind)
            at = origin.at if origin.kind == "cases" else table.sheet
            self.sheet.setCurrentIndex(max(self.sheet.findData(at), 0))
            self.encoding.clear()
            for name in dict.fromkeys((table.encoding, *ENCODINGS)):
                self.encoding.addItem(name, name)
        with QSignalBlocker(self.delimiter):
            self.delimiter.setCurrentIndex(max(self.delimiter.findData(table.delimiter), 0))
        if origin.is_on_file and self.words.text() != origin.words:
            with QSignalBlocker(self.words):
                self.words.setText(origin.words)
        self.watched.watch(origin, table)
        self._show_parts()
        self.other.emit()

    def _kinds(self) -> list[str]:
        known = self._shared.catalogue.known_kinds.values()
        return [one.name for one in known if not one.is_people]

    def _read_otherwise(self) -> None:
        """Take another sheet or kind of case, or read the bytes in another way."""
        if self.table is None:
            return
        kind, chosen = self.origin.kind, str(self.sheet.currentData() or "")
        if kind == "cases":
            self.take_origin(Origin("cases", chosen, self.words.text()))
            return
        text = bool(self.table.encoding)
        origin = Origin(
            kind, self.origin.at, sheet="" if text else chosen,
            encoding=str(self.encoding.currentData() or "") if text else "",
            delimiter=str(self.delimiter.currentData() or "") if text else "",
        )  # fmt: skip
        data = self.data

        def act() -> Taken:
            from nebbet.library.round_tables import read

            return Taken(data, read(origin, data))

        self._shared.reads.run(
            act, lambda found: self._show_taken(origin, found), self._shared.voice.fail
        )

    def _take_changed(self, found: Taken) -> None:
        """Take the file as it is now."""
        self._show_taken(self.origin, found)

    def _narrow_by_words(self) -> None:
        if self.origin.is_on_file:
            self._typed.start()
        else:
            self.narrowed.emit()

    def _retake(self) -> None:
        """Ask for people or cases with other words."""
        origin = self.origin
        if origin.is_on_file and origin.words != self.words.text():
            self.take_origin(Origin(origin.kind, origin.at, self.words.text()))

    # A round as it was started

    def take_started(self, started: Round, template: Template) -> None:
        """Take the template and the table of a round as they were when it was started."""
        self.started, self.template, self.table = started, template, started.table
        self.files = dict(started.snapshot.files)
        self.data, self.origin = b"", _NOTHING
        self.show_choosing(Choosing())
        self.pick.show_text(template.title)
        self.watched.leave()
        self._show_parts()
        self.other.emit()

    def begin_anew(self) -> None:
        """Begin another round with the table of one that was started."""
        begun = self.started
        if begun is None:
            return
        self.started, self.data = None, begun.id.encode()
        self.template = self._shared.catalogue.templates.get(begun.template)
        self._show_parts()
        self.other.emit()

    def show_choosing(self, choosing: Choosing) -> None:
        """Show which rows are meant."""
        for line, text in (
            (self.places, choosing.places), (self.words, choosing.words),
            (self.when, choosing.when),
        ):  # fmt: skip
            with QSignalBlocker(line):
                line.setText(text)

    def leave(self) -> None:
        """Begin with nothing."""
        self.started, self.template, self.table = None, None, None
        self.files, self.folder, self.data, self.origin = {}, Path(), b"", _NOTHING
        self.show_choosing(Choosing())
        self.pick.show_text("")
        self.folder_button.setText(said("Folder of files…"))
        self.watched.leave()
        self._show_parts()
        self.other.emit()

    # Files

    def ask_for_folder(self) -> None:
        """Choose the folder with the files that rows name."""
        folder = QFileDialog.getExistingDirectory(
            self, said("Where are the files?"), str(self._near)
        )
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
