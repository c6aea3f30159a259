"""The place Rounds: from a table to what went, on one page."""

import hashlib
from collections import Counter
from pathlib import Path

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QDragEnterEvent, QDropEvent
from PySide6.QtWidgets import QFileDialog, QHBoxLayout, QLineEdit, QSplitter, QVBoxLayout, QWidget

from nebbet.core import letter as letters
from nebbet.core.errors import NebbetError
from nebbet.core.records.incoming import says_day_first
from nebbet.core.records.tables import ReadTable, TableRow
from nebbet.core.rounds import Choosing, Matches, chosen, propose
from nebbet.core.rounds.pacing import lasts
from nebbet.core.sentences import counted, said
from nebbet.desktop.kit import pieces, theme
from nebbet.desktop.kit.pause import after_pause
from nebbet.desktop.kit.picker import Picker
from nebbet.desktop.kit.place import Place
from nebbet.desktop.paper.fillings import filling_of
from nebbet.desktop.paper.letter_shown import LetterShown
from nebbet.desktop.rounds.looking import Looking
from nebbet.desktop.rounds.rows_table import RowsTable
from nebbet.desktop.rounds.running import Running
from nebbet.desktop.rounds.side import RoundSide, told
from nebbet.desktop.session import choices
from nebbet.desktop.session.session import Session
from nebbet.library.changes import Change
from nebbet.library.holdings import Template
from nebbet.library.round_ledger import Round
from nebbet.library.rounds import (
    RoundFile,
    RowLetter,
    Source,
    names_of,
    over_all,
    with_findings,
)
from nebbet.library.writing import examine

_CHANGED = 200  # milliseconds after a choice until the rows are looked through anew
_SIDE = 290  # pixels
_TABLES = "*.csv *.tsv *.txt *.xlsx *.xlsm *.xls *.ods"


class RoundsPage(Place):
    """One template to each row of a table."""

    title = "Rounds"
    help = (
        "One letter to each row of a table, one message each. Choose a template and a table "
        "(Ctrl+O, or drop it here); above the headings stands what each column is for. Every row "
        "is looked through; the letter of the one at hand stands below, exactly as it will go, and "
        "Alt+Down goes to the next. Ctrl+Alt+T sends the one at hand to yourself. Ctrl+Return "
        "starts: the letters go into the outbox, each row once, whoever starts the round again. "
        "In “only where” you write a condition, as in templates: passengers >= 2."
    )
    outbox_wanted = Signal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        shared = self._shared = session.shared
        self._template: Template | None = None
        self._data, self._path, self._folder = b"", Path(), Path()
        self._table: ReadTable | None = None
        self._files: dict[str, RoundFile] = {}
        self._source: Source | None = None
        self._meant: list[TableRow] = []
        self._is_stale = False  # what was looked through is another one by now
        self._is_through = True  # every row was looked at
        self.template = Picker(said("Template"), prompt=said("Template"), ask=self._offer)
        self.choose = pieces.button(said("Table…"), self.ask_for_table, hint="Ctrl+O")
        self.folder = pieces.button(said("Folder of files…"), self.ask_for_folder, "words")
        self.places, self.when = QLineEdit(), QLineEdit()
        self.places.setPlaceholderText(said("all rows; or 1-20, 35"))
        self.when.setPlaceholderText(said("only where: passengers >= 2"))
        theme.named(self.places, said("Which rows"))
        theme.named(self.when, said("Only where"))
        self.told = pieces.label("", "note", wrap=True)
        self.table = RowsTable()
        self.paper = LetterShown(shared.pictures)
        self.side = RoundSide()
        self.looking = Looking(shared)
        self.running = Running(session)
        self._soon = after_pause(self, _CHANGED, self._look)
        self._lay_out()
        self._connect()
        self._show_nothing()

    def _lay_out(self) -> None:
        self.template.setMinimumWidth(220)
        self.places.setMaximumWidth(170)
        head = pieces.row(self.template, self.choose, self.folder, self.places, self.when)
        top, left = QWidget(), QSplitter(Qt.Orientation.Vertical)
        pieces.fill(QVBoxLayout(top), head, self.told, self.table, margin=8)
        left.setHandleWidth(1)
        left.setChildrenCollapsible(False)
        left.addWidget(top)
        left.addWidget(self.paper)
        left.setSizes([360, 340])
        right = pieces.column("right", self.side, margin=12)
        right.setFixedWidth(_SIDE)
        pieces.fill(QHBoxLayout(self), pieces.grow(left), right, spacing=0)
        self.setAcceptDrops(True)

    def _connect(self) -> None:
        self.template.picked.connect(self.take_template)
        for line in (self.places, self.when):
            line.textChanged.connect(lambda _text: self._look_soon())
        self.table.head.chosen.connect(self._look_soon)
        self.table.at_hand.connect(self._show_row)
        self.looking.came.connect(self._came)
        self.looking.done.connect(self._looked)
        self.looking.failed.connect(self._shared.voice.fail)
        self.side.filtered.connect(self._filter)
        self.side.start.connect(self.start)
        self.side.test.connect(self.test)
        self.running.changed.connect(self._show_states)
        self._shared.changed.connect(self._follow)
        for words, keys, act in (
            (said("Choose a table"), "Ctrl+O", self.ask_for_table),
            (said("Start the round"), "Ctrl+Return", self.start),
            (said("Send the row at hand to yourself"), "Ctrl+Alt+T", self.test),
            (said("The next row"), "Alt+Down", lambda: self.table.step(1)),
            (said("The row before"), "Alt+Up", lambda: self.table.step(-1)),
        ):
            self.add_key(words, keys, act)

    def arrive(self) -> None:
        (self.table if self._table and self._template else self.template).setFocus()

    def end(self) -> None:
        """Look no further: the window closes."""
        self.looking.finish()

    # The template and the table

    def _offer(self, words: str, show: choices.Show) -> None:
        show(choices.templates(self._shared, words))

    def take_template(self, key: str) -> None:
        """Take a template for the letters."""
        self._template = self._shared.catalogue.templates.get(key)
        if self._template:
            self.template.show_text(self._template.title)
            self._propose()

    def ask_for_table(self) -> None:
        """Choose the file with the table."""
        path, _ = QFileDialog.getOpenFileName(self, said("Which table?"), "", _TABLES)
        if path:
            self.take_table(Path(path))

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if event.mimeData().hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        paths = [Path(url.toLocalFile()) for url in event.mimeData().urls() if url.isLocalFile()]
        if paths:
            (self.take_folder if paths[0].is_dir() else self.take_table)(paths[0])

    def take_table(self, path: Path) -> None:
        """Read a table; it stays as it is now, whatever becomes of the file."""

        def read() -> tuple[bytes, ReadTable]:
            from nebbet.core.records.tables import LARGEST, read_table
            from nebbet.library.disk import read_file

            data = read_file(path, f"The table {path.name}", largest=LARGEST)
            return data, read_table(data)

        def came(found: tuple[bytes, ReadTable]) -> None:
            self._path, (self._data, self._table) = path, found
            self.told.setText(" ".join([_about(path, self._table), *self._table.told]))
            self._propose()

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
            self._folder, self._files = folder, found
            self.folder.setText(said("{count} files", count=len(found)))
            self._look_soon()

        self._shared.reads.run(read, came, self._shared.voice.fail)

    def _propose(self) -> None:
        """Say what the columns are for, as far as that shows."""
        if self._table and self._template:
            names = names_of(self._shared.catalogue, self._template)
            self.table.head.show_matches(self._table, names, propose(self._table, names))
            self._look()

    # Looking through

    def _look_soon(self) -> None:
        """Something is another one: what was found holds no more, and nothing starts by it."""
        self._is_stale = True
        self._soon.start()
        self._show_counts()

    def _look(self) -> None:
        """Look through the rows that are meant, from the first on."""
        table, template, shared = self._table, self._template, self._shared
        if table is None or template is None:
            return
        choosing = Choosing(places=self.places.text(), when=self.when.text())
        try:
            calendar = shared.catalogue.calendar
            self._meant = chosen(table, choosing, shared.now().date(), calendar)
        except NebbetError as error:
            self.told.setText(error.sentence)  # what was looked through stays until it makes sense
            return
        self._is_stale, self._is_through = False, False
        self.told.setText(" ".join([_about(self._path, table), *table.told]))
        days = {
            heading: first for at, heading in enumerate(table.headings)
            if (first := says_day_first(table, at)) is not None
        }  # fmt: skip
        matches = Matches(self.table.head.roles(), days)
        self._source = Source(table, matches, template, self._files)
        self.running.take(self._begun(choosing))
        self.table.rows.found = {}
        self.looking.ask(self._source, self._meant)
        self._filter()

    def _begun(self, choosing: Choosing) -> Round:
        assert self._source is not None
        template, shared = self._source.template, self._shared
        digest = hashlib.sha256(self._data + template.id.encode()).hexdigest()
        return Round(
            digest[:24], self._path.stem, shared.my_id, shared.now(), template.id,
            template.edition, self._source.table, self._source.matches, choosing,
        )  # fmt: skip

    def _came(self, some: list[RowLetter]) -> None:
        self.table.rows.found.update((one.said.number, one) for one in some)
        self.table.rows.renew()
        self._show_counts()
        current = self.table.current
        if current and any(one.said.number == current.number for one in some):
            self._show_row(current)

    def _looked(self) -> None:
        """All rows are known: what only all together tell is known, too."""
        if self._source is None:
            return
        self._is_through = True
        found = self.table.rows.found
        together = over_all(self._source, list(found.values()))
        for number in together:
            found[number] = with_findings(found[number], together)
        self.table.rows.renew()
        self._show_counts()
        self._show_row(self.table.current)

    # Showing

    def _show_nothing(self) -> None:
        self.table.show_rows(None, [])
        self.told.setText(said("Choose a template and a table: each row becomes one letter."))
        self._show_counts()

    def _filter(self) -> None:
        """Show the rows that are wanted alone."""
        wanted, model = self.side.wanted, self.table.rows
        rows = [row for row in self._meant if not wanted or model.state(row) == wanted]
        self.table.show_rows(self._table, rows)
        self._show_counts()

    def _show_states(self) -> None:
        self.table.rows.states = self.running.states
        self.table.rows.renew()
        self._show_counts()

    def _show_counts(self) -> None:
        model = self.table.rows
        counts = Counter(model.state(row) for row in self._meant)
        self.side.show_counts(counts)
        ready = counts["ready"] + (counts["doubtful"] if self.side.with_doubts else 0)
        looking = self._is_stale or not self._is_through
        self.side.start_button.setEnabled(bool(ready) and not looking)
        if self._template is None or not self._meant:
            self.side.line.setText("")
            return
        if looking:
            self.side.line.setText(said("Looking through the rows…"))
            self.side.is_looking = True
            return
        self.side.is_looking = False
        shared = self._shared
        long = lasts(ready, shared.now(), self.side.pace).total_seconds() / 60
        what = said("“{title}”, edition {edition}", title=self._template.title,
                    edition=self._template.edition)  # fmt: skip
        sender = shared.me.email if shared.me else ""
        self.side.line.setText(told(ready, what, sender, long))

    def _show_row(self, row: TableRow | None) -> None:
        found = self.table.rows.found.get(row.number) if row else None
        self.side.show_row(found)
        self.paper.setVisible(found is not None)
        if found is None:
            return
        shared = self._shared
        worked = examine(shared.catalogue, found.letter, shared.writer())
        letter = worked.letter
        values = {
            key: filling_of(one, letter.language)
            for key, one in letters.by_place(letter, worked.particulars).items()
        }
        frame = shared.catalogue.frame(letter.frame)
        self.paper.show_letter(letter, values, frame, said("nobody"))

    def _follow(self, change: Change) -> None:
        """Somebody changed the library: what hangs on it is looked through again."""
        if self._template and change.touches("template", "fact", "passage", "frame"):
            self._template = self._shared.catalogue.templates.get(self._template.id)
            self._look_soon()

    # Acts

    def test(self) -> None:
        """Send the row at hand to oneself; that is in no register and no ledger."""
        row = self.table.current
        found = self.table.rows.found.get(row.number) if row else None
        if found is not None:
            self.running.test(found)

    def start(self) -> None:
        """Start the round, with the rows that may go."""
        if self._source is None or not self.side.start_button.isEnabled():
            if self._meant and self.side.is_looking:
                self._shared.voice.say(said("The rows are still being looked through."))
            return
        rows = [
            found for row in self._meant
            if (found := self.table.rows.found.get(row.number)) is not None
        ]  # fmt: skip
        self.running.start(rows, self._source, self._folder, self.side)


def _about(path: Path, table: ReadTable) -> str:
    rows = counted("1 row", "{count} rows", count=len(table.rows))
    if table.sheet:
        return said("{name}, sheet {sheet}: {rows}.", name=path.name, sheet=table.sheet, rows=rows)
    return said("{name} ({encoding}): {rows}.", name=path.name, encoding=table.encoding, rows=rows)
