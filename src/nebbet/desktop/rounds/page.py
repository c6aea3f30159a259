"""The place Rounds: from a table to what went, on one page."""

from collections import Counter
from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtGui import QDragEnterEvent, QDropEvent
from PySide6.QtWidgets import QFileDialog, QHBoxLayout, QSplitter, QVBoxLayout, QWidget

from nebbet.core import letter as letters
from nebbet.core.errors import NebbetError
from nebbet.core.records.incoming import days_first
from nebbet.core.records.tables import TableRow
from nebbet.core.rounds import Choosing, Matches, chosen, propose
from nebbet.core.rounds.pacing import lasts
from nebbet.core.sentences import counted, said
from nebbet.desktop.kit import pieces
from nebbet.desktop.kit.pause import after_pause
from nebbet.desktop.kit.place import Place
from nebbet.desktop.paper.fillings import filling_of
from nebbet.desktop.paper.letter_shown import LetterShown
from nebbet.desktop.rounds.looking import Looking
from nebbet.desktop.rounds.made_of import MadeOf
from nebbet.desktop.rounds.rows_table import RowsTable
from nebbet.desktop.rounds.running import Running
from nebbet.desktop.rounds.side import RoundSide, told
from nebbet.desktop.session.session import Session
from nebbet.library.changes import Change
from nebbet.library.round_ledger import Round, matches_before, name_of_round
from nebbet.library.rounds import (
    RowLetter,
    Source,
    names_of,
    over_all,
    with_findings,
)
from nebbet.library.writing import examine

_CHANGED = 200  # milliseconds after a choice until the rows are looked through anew
_SIDE = 290  # pixels


class RoundsPage(Place):
    """One template to each row of a table."""

    title = "Rounds"
    help = (
        "One letter to each row of a table, one message each. Choose a template and a table "
        "(Ctrl+O, or drop it here); above the headings stands what each column is for. Every row "
        "is looked through; the letter of the one at hand stands below, exactly as it will go, and "
        "Alt+Down goes to the next. Ctrl+Alt+T sends the one at hand to yourself. Ctrl+Return "
        "starts: the letters go into the outbox, each row once, whoever starts the round again. "
        "Ctrl+Shift+V takes a table from the clipboard. In “only where” you write a condition, as "
        "in templates: passengers >= 2."
    )

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        shared = self._shared = session.shared
        self._source: Source | None = None
        self._meant: list[TableRow] = []
        self._is_stale = False  # what was looked through is another one by now
        self._is_through = True  # every row was looked at
        self.made_of = MadeOf(shared)
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
        top, left = QWidget(), QSplitter(Qt.Orientation.Vertical)
        pieces.fill(QVBoxLayout(top), self.made_of, self.told, self.table, margin=8)
        top.layout().setAlignment(Qt.AlignmentFlag.AlignTop)  # type: ignore[union-attr]
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
        self.made_of.other.connect(self._propose)
        self.made_of.narrowed.connect(self._look_soon)
        self.table.head.chosen.connect(self._look_soon)
        self.table.at_hand.connect(self._show_row)
        self.looking.came.connect(self._came)
        self.looking.done.connect(self._looked)
        self.looking.failed.connect(self._shared.voice.fail)
        self.side.filtered.connect(self._filter)
        self.side.start.connect(self.start)
        self.side.stop.connect(self.running.stop)
        self.side.write.connect(self.ask_where)
        self.side.test.connect(self.test)
        self.running.changed.connect(self._show_states)
        self._shared.changed.connect(self._follow)
        for words, keys, act in (
            (said("Choose a table"), "Ctrl+O", self.made_of.ask_for_table),
            (said("Take a table from the clipboard"), "Ctrl+Shift+V", self.made_of.paste),
            (said("Start the round"), "Ctrl+Return", self.start),
            (said("Send the row at hand to yourself"), "Ctrl+Alt+T", self.test),
            (said("The next row"), "Alt+Down", lambda: self.table.step(1)),
            (said("The row before"), "Alt+Up", lambda: self.table.step(-1)),
        ):
            self.add_key(words, keys, act)

    def arrive(self) -> None:
        made = self.made_of
        (self.table if made.table and made.template else made.pick).setFocus()

    def end(self) -> None:
        """Look no further: the window closes."""
        self.looking.finish()

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if event.mimeData().hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        paths = [Path(url.toLocalFile()) for url in event.mimeData().urls() if url.isLocalFile()]
        if paths:
            made = self.made_of
            (made.take_folder if paths[0].is_dir() else made.take_table)(paths[0])

    def _propose(self) -> None:
        """Say what the columns are for, as far as that shows."""
        table, template = self.made_of.table, self.made_of.template
        self.told.setText(self.made_of.about)
        self._is_stale = True  # what stands there is of the table before
        self._show_parts()
        self._show_counts()
        if table is None or template is None:
            return
        names, library = names_of(self._shared.catalogue, template), self._shared.library

        def came(kept: Matches) -> None:
            if self.made_of.table is table and self.made_of.template is template:
                self.table.head.show_matches(table, names, propose(table, names, kept.roles))
                self._look()

        self._shared.reads.run(
            lambda: matches_before(library.register_engine, template.id, table.headings),
            came,
            self._shared.voice.fail,
        )

    # Looking through

    def _look_soon(self) -> None:
        """Something is another one: what was found holds no more, and nothing starts by it."""
        self._is_stale = True
        self._soon.start()
        self._show_counts()

    def _look(self) -> None:
        """Look through the rows that are meant, from the first on."""
        table, template, shared = self.made_of.table, self.made_of.template, self._shared
        if table is None or template is None:
            return
        choosing = self.made_of.choosing
        try:
            calendar = shared.catalogue.calendar
            self._meant = chosen(table, choosing, shared.now().date(), calendar)
        except NebbetError as error:
            self.told.setText(error.sentence)  # what was looked through stays until it makes sense
            return
        self._is_stale, self._is_through = False, False
        self.told.setText(self.made_of.about)
        matches = Matches(self.table.head.roles(), days_first(table))
        self._source = Source(table, matches, template, self.made_of.files)
        self.running.take(self._begun(choosing))
        self.table.rows.found = {}
        self.looking.ask(self._source, self._meant)
        self._filter()

    def _begun(self, choosing: Choosing) -> Round:
        assert self._source is not None
        template, shared, made = self._source.template, self._shared, self.made_of
        name = name_of_round(made.data, self._source.table.sheet, template.id)
        return Round(
            name, made.path.stem, shared.my_id, shared.now(), template.id,
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
        self._show_parts()
        self.told.setText(self.made_of.about)
        self._show_counts()

    def _show_parts(self) -> None:
        """Before there is a table, there is nothing to be shown of it."""
        for part in (self.table, self.side):
            part.setVisible(self.made_of.table is not None)

    def _filter(self) -> None:
        """Show the rows that are wanted alone."""
        wanted, model = self.side.wanted, self.table.rows
        rows = [row for row in self._meant if not wanted or model.state(row) == wanted]
        self.table.show_rows(self.made_of.table, rows)
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
        template = self.made_of.template
        if template is None or not self._meant:
            self.side.line.setText("")
            return
        if looking:
            self.side.line.setText(said("Looking through the rows…"))
            self.side.is_looking = True
            return
        self.side.is_looking = False
        shared = self._shared
        long = lasts(ready, shared.now(), self.side.pace).total_seconds() / 60
        what = said("“{title}”, edition {edition}", title=template.title,
                    edition=template.edition)  # fmt: skip
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
        if self.made_of.template and change.touches("template", "fact", "passage", "frame"):
            self.made_of.follow()
            self._look_soon()

    # Acts

    def test(self) -> None:
        """Send the row at hand to oneself; that is in no register and no ledger."""
        row = self.table.current
        found = self.table.rows.found.get(row.number) if row else None
        if found is not None:
            self.running.test(found)

    def ask_where(self) -> None:
        """Choose where a copy of the table is to lie, with what became of each row."""
        where, _ = QFileDialog.getSaveFileName(
            self,
            said("Where is the table to lie?"),
            f"{self.made_of.path.stem}.xlsx",
            "*.xlsx *.csv",
        )
        if where:
            self.write_out(Path(where))

    def write_out(self, path: Path) -> None:
        """Write a copy of the table with what became of each row."""
        table, rows, found = self.made_of.table, list(self._meant), self.table.rows.found
        if table is None:
            return
        told = {number: self.running.told(row) for number, row in found.items()}

        def write() -> int:
            from nebbet.library.round_out import write_round

            return write_round(table, rows, told, path, overwrite=True)

        self._shared.reads.run(
            write,
            lambda count: self._shared.voice.say(
                counted("1 row is in {name} now.", "{count} rows are in {name} now.",
                        count=count, name=path.name)
            ),
            self._shared.voice.fail,
        )  # fmt: skip

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
        self.running.start(rows, self._source, self.made_of.folder, self.side)
