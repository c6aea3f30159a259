"""The place Rounds: from a table to what went, on one page."""

from collections import Counter
from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtGui import QDragEnterEvent, QDropEvent
from PySide6.QtWidgets import QHBoxLayout, QSplitter, QVBoxLayout, QWidget

from nebbet.core.checks import Finding
from nebbet.core.errors import NebbetError
from nebbet.core.letter import Letter
from nebbet.core.records.tables import ReadTable, TableRow
from nebbet.core.rounds import Matches, chosen
from nebbet.core.rounds.pacing import lasts
from nebbet.core.sentences import counted, said
from nebbet.desktop.kit import pieces
from nebbet.desktop.kit.pause import after_pause
from nebbet.desktop.kit.place import Place
from nebbet.desktop.rounds.apart import one_of_each, send_to_me, to_drafts
from nebbet.desktop.rounds.at_hand import AtHand
from nebbet.desktop.rounds.keeping import Keeping
from nebbet.desktop.rounds.looking import Looking
from nebbet.desktop.rounds.made_of import MadeOf
from nebbet.desktop.rounds.making import Making
from nebbet.desktop.rounds.outputs import Outputs
from nebbet.desktop.rounds.round_list import RoundList
from nebbet.desktop.rounds.row_letter import RowLetterView
from nebbet.desktop.rounds.rows_table import RowsTable
from nebbet.desktop.rounds.running import Known, Running
from nebbet.desktop.rounds.side import RoundSide, told
from nebbet.desktop.session.session import Session
from nebbet.library.changes import Change
from nebbet.library.round_ledger import Round, matches_before, round_of
from nebbet.library.round_snapshot import source_of
from nebbet.library.rounds import RowLetter, Source, names_of
from nebbet.personal.settings import account_for

_CHANGED = 200  # milliseconds after a choice until the rows are looked through anew
_COUNTED = 150  # milliseconds between two counts while rows are looked through
_SIDE = 290  # pixels


class RoundsPage(Place):
    """One template to each row of a table."""

    title = "Rounds"
    help = (
        "One letter to each row of a table, one message each. Choose a template and a table "
        "(Ctrl+O, or drop it here); above the headings stands what each column is for. Every row "
        "is looked through; the letter of the one at hand stands below, exactly as it will go, and "
        "Alt+Down goes to the next. Space takes a row out. F2 rewords the letter of a row for it "
        "alone. Ctrl+Alt+T sends the one at hand to yourself. Ctrl+Return starts: the letters go "
        "into the outbox, each row once, whoever starts the round again. Ctrl+S keeps what the "
        "round is made of under a name. Esc goes back to the list of rounds. In “only where” you "
        "write a condition, as in templates: passengers >= 2."
    )

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        shared = self._shared = session.shared
        self._source: Source | None = None
        self._round: Round | None = None
        # Of which template and table the rows are that are shown.
        self._shown_of: tuple[str, ReadTable | None] = ("", None)
        self._editing = 0  # the number of the row that is being reworded
        self._is_stale = False  # what was looked through is another one by now
        self._is_through = True  # every row was looked at
        self.made_of = MadeOf(shared, session.parts.home.data)
        self.told = pieces.label("", "note", wrap=True)
        self.anew = pieces.button(said("Begin a new one"), self.begin_anew, "words")
        self.back = pieces.button(said("All rounds"), self.leave, "words", said("Esc"))
        self.table = RowsTable()
        self.rows = AtHand(self.table.rows)
        self.list = RoundList(shared)
        self.side = RoundSide()
        self.looking = Looking(shared)
        self.running = Running(session)
        self.keeping = Keeping(shared, self, self.made_of, self.side.going, self.list)
        self.making = Making(
            shared, self.made_of, self.table, self.rows, self.running, self.side.going, self.keeping
        )
        self.paper = RowLetterView(shared, self.making.catalogue)
        self.outputs = Outputs(shared, self, self.side.menu, self.making.shown)
        self._soon = after_pause(self, _CHANGED, self._look)
        self._count = after_pause(self, _COUNTED, self._show_counts)
        self._lay_out()
        self._connect()
        self._show_nothing()

    def _lay_out(self) -> None:
        top, left = QWidget(), QSplitter(Qt.Orientation.Vertical)
        pieces.fill(
            QVBoxLayout(top), self.made_of,
            pieces.row(pieces.grow(self.told), self.anew, self.back), self.list, self.table,
            margin=8,
        )  # fmt: skip
        top.layout().setAlignment(Qt.AlignmentFlag.AlignTop)  # type: ignore[union-attr]
        left.setHandleWidth(1)
        left.setChildrenCollapsible(False)
        left.addWidget(top)
        left.addWidget(self.paper)
        left.setSizes([360, 340])
        self._right = pieces.column("right", self.side, margin=12)
        self._right.setFixedWidth(_SIDE)
        pieces.fill(QHBoxLayout(self), pieces.grow(left), self._right, spacing=0)
        self.setAcceptDrops(True)

    def _connect(self) -> None:
        self.made_of.other.connect(self._propose)
        self.made_of.narrowed.connect(self._look_soon)
        self.made_of.keep.connect(self.keep_as)
        self.table.head.chosen.connect(self._columns_chosen)
        self.table.at_hand.connect(self._show_row)
        self.table.doubleClicked.connect(lambda _index: self.edit())
        self.table.rows.ticked.connect(self._ticked)
        self.list.opened.connect(self.open_round)
        self.list.chosen.connect(self.keeping.run)
        self.paper.edited.connect(self._reworded)
        self.looking.came.connect(self._came)
        self.looking.done.connect(self._looked)
        self.looking.failed.connect(self._shared.voice.fail)
        side = self.side
        side.filtered.connect(self._filter)
        side.put_back.connect(self._put_back)
        side.reword.connect(self.edit)
        side.going.changed.connect(self._show_counts)
        side.going.other_rows.connect(self._put_together)
        for signal, act in (
            (side.start, self.start), (side.stop, self.running.stop),
            (side.release, self.running.release), (side.test, self.test),
            (side.samples, self.send_samples),
        ):  # fmt: skip
            signal.connect(act)
        self.running.changed.connect(self._show_states)
        self.running.started.connect(self._show_counts)
        self._shared.changed.connect(self._follow)
        for words, keys, act in (
            (said("Choose where the table comes from"), "Ctrl+O", self.made_of.ask_for_origin),
            (said("Take a table from the clipboard"), "Ctrl+Shift+V", self.made_of.paste),
            (said("Start the round"), "Ctrl+Return", self.start),
            (said("Send the row at hand to yourself"), "Ctrl+Alt+T", self.test),
            (said("Send one of each sort to yourself"), "Ctrl+Alt+Shift+T", self.send_samples),
            (said("Write something of the round"), "Ctrl+Alt+W", side.write_button.click),
            (said("Reword the letter of the row at hand"), "F2", self.edit),
            (said("Keep the round under a name"), "Ctrl+S", self.keep_as),
            (said("Back to the list of rounds"), "Esc", self.step_back),
            (said("The next row"), "Alt+Down", lambda: self.table.step(1)),
            (said("The row before"), "Alt+Up", lambda: self.table.step(-1)),
        ):
            self.add_key(words, keys, act)

    # Coming and going

    def arrive(self) -> None:
        made = self.made_of
        self.list.refresh()
        (self.table if made.table and made.template else made.pick).setFocus()

    def end(self) -> None:
        """Look no further: the window closes."""
        self.looking.finish()

    def step_back(self) -> None:
        """From the words of a letter to its row, from a field to the rows, from a round to the list
        of rounds."""
        self.paper.read()
        if self.table.isVisible() and not self.table.hasFocus():
            self.table.setFocus()
            return
        self.leave()

    def leave(self) -> None:
        """Go back to the list of rounds; what was chosen for one that was not started is asked
        about."""
        self.paper.read()
        is_new = self.running.begun is None and self._source is not None
        if is_new and not self._shared.voice.ask(
            said("Leave this round?"),
            said("It was not started, and what was chosen for it is not kept: Ctrl+S keeps it."),
            said("Leave it"),
        ):  # fmt: skip
            return
        self.keeping.current = None
        self.made_of.leave()
        self.made_of.pick.setFocus()

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if event.mimeData().hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        paths = [Path(url.toLocalFile()) for url in event.mimeData().urls() if url.isLocalFile()]
        if paths:
            made = self.made_of
            (made.take_folder if paths[0].is_dir() else made.take_table)(paths[0])

    def open_round(self, round_id: str) -> None:
        """Open a round as it was started."""
        engine = self._shared.library.register_engine

        def came(found: Round | None) -> None:
            source = source_of(self._shared.catalogue, found) if found else None
            if found is None or source is None:
                self._shared.voice.say(said("This round cannot be read any more."))
                return
            self.made_of.take_started(found, source.template)

        self._shared.reads.run(lambda: round_of(engine, round_id), came, self._shared.voice.fail)

    def begin_anew(self) -> None:
        """Begin another round with the same table, with the texts of today."""
        self.making.again = self._shared.token()
        if self.made_of.started is not None:
            self.made_of.begin_anew()
        else:
            self._propose(keep=True)

    # What columns are for

    def _propose(self, *, keep: bool = False) -> None:
        """Say what the columns are for, as far as that shows; a round of this table and template
        that was started before is taken up as it was then."""
        made = self.made_of
        table, template = made.table, made.template
        self._source = self._round = None
        self._is_stale = table is not None and template is not None
        self._let_go_of_words()
        if not keep and made.started is None:
            self.making.again = ""
        self.looking.end()
        self.running.leave()
        self._show_nothing()
        if table is None or template is None:
            return
        engine, name = self._shared.library.register_engine, self.making.name
        names = names_of(self.making.catalogue(), template)

        def read() -> tuple[Matches, Round | None]:
            return matches_before(engine, template.id, table.headings), round_of(engine, name)

        def came(found: tuple[Matches, Round | None]) -> None:
            if made.table is table and made.template is template:
                self._take_up(names, *found)

        self._shared.reads.run(read, came, self._shared.voice.fail)

    def _let_go_of_words(self) -> None:
        """Another table, or template: what was reworded stays for rows that are the same."""
        made, before = self.made_of, self._shown_of
        self._shown_of = (made.template.id if made.template else "", made.table)
        same: set[int] = set()
        if before[1] and made.table and before[0] == self._shown_of[0] and made.started is None:
            held = {row.number: row.cells for row in before[1].rows}
            same = {row.number for row in made.table.rows if held.get(row.number) == row.cells}
        lost = self.rows.clear(same)
        if lost and made.table is not None:
            self._shared.voice.say(
                counted("What was reworded for 1 row is gone with it.",
                        "What was reworded for {count} rows is gone with them.", count=lost)
            )  # fmt: skip

    def _take_up(self, names: list[str], before: Matches, begun: Round | None) -> None:
        if begun is not None:
            self.running.take(begun, Known(begun))
            self.rows.edited = {**begun.snapshot.edited, **self.rows.edited}
            self.table.rows.out = set(begun.choosing.out)
            self.side.going.show_going(
                begun.pace, begun.how, with_doubts=self.side.going.with_doubts,
                twice=begun.choosing.twice,
            )  # fmt: skip
        self.making.show_roles(names, before)
        self._look()
        if self.made_of.is_chosen_from:
            self.table.setFocus()

    def _columns_chosen(self) -> None:
        self.making.show_blanks()
        self._look_soon()

    # Looking through

    def _look_soon(self) -> None:
        """Something is another one: what was found holds no more, and nothing starts by it."""
        self._is_stale = True
        self._soon.start()
        self._show_counts()

    def _look(self) -> None:
        """Look through the rows that are meant, from the first on."""
        table, shared = self.made_of.table, self._shared
        if table is None or self.made_of.template is None:
            return
        try:
            today, calendar = shared.now().date(), shared.catalogue.calendar
            meant = chosen(table, self.making.choosing(), today, calendar)
        except NebbetError as error:
            self.told.setText(error.sentence)  # what was looked through stays until it makes sense
            return
        self._is_stale, self._is_through = False, False
        self._tell_of()
        self._source = self.making.source()
        assert self._source is not None
        self._round = self.making.round(self._source)
        self.rows.begin(meant)
        self.running.take(self._round)
        self.looking.ask(self.making.catalogue(), self._source, meant)
        self._filter()
        self._show_counts()

    def _tell_of(self) -> None:
        """Say what the table is, and whether the round was started before."""
        begun = self.running.begun
        self.told.setText(self.making.about())
        self.anew.setVisible(begun is not None)
        self.made_of.show_begun(begun is not None)
        self.making.show_blanks()
        self.table.head.fix(begun is not None)

    def _came(self, some: list[RowLetter]) -> None:
        self.rows.take(some)
        if not self._count.isActive():
            self._count.start()
        current = self.table.current
        if current and any(one.said.number == current.number for one in some):
            self._show_row(current)

    def _looked(self) -> None:
        """All rows are known: what only all together tell is known, too."""
        self._is_through = True
        self._put_together()

    def _put_together(self) -> None:
        """Say of each row what only all of them together tell."""
        if self._source is None or not self._is_through:
            return
        self.rows.put_together(self._source, self.side.going.wanted_twice)
        self._show_counts()
        if not self.paper.is_edited:
            self._show_row(self.table.current)

    def _ticked(self) -> None:
        self._put_together()
        self._show_counts()

    # Showing

    def _show_nothing(self) -> None:
        self.table.show_rows(None, [])
        self._show_parts()
        self.told.setText(self.made_of.about)
        self.anew.hide()
        self.made_of.show_begun(False)
        self._show_counts()

    def _show_parts(self) -> None:
        """Before there is a table, there is nothing to be shown of it."""
        has = self.made_of.table is not None
        for part in (self.table, self._right, self.back):
            part.setVisible(has)
        self.list.setVisible(not has)
        if not has:
            self.made_of.for_every.show_blanks([], {})
            self.list.refresh()

    def _filter(self) -> None:
        """Show the rows that are wanted alone."""
        rows = self.rows.wanted(self.side.wanted_state, self.side.wanted_rule)
        self.table.show_rows(self.made_of.table, rows)

    def _show_states(self) -> None:
        self.table.rows.states = self.running.states
        self.table.rows.renew()
        if self.running.begun is not None and self.made_of.table is not None:
            self._tell_of()
        self._show_counts()

    def _show_counts(self) -> None:
        side, rows = self.side, self.rows
        side.show_counts(rows.counts(), rows.going(), starting=bool(self.running.starting))
        begun, shared, running = self.running.begun, self._shared, self.running
        rules, going = shared.catalogue.round_rules, side.going
        going.ask(rules.asks(len(rows.meant)) and begun is None)
        startable = rows.startable(with_doubts=going.with_doubts)
        looking = self._is_stale or not self._is_through
        trouble = going.trouble or rules.against(len(startable), leads=shared.leads)
        # What somebody else holds is theirs to start, and at most mine to release.
        held = begun is not None and begun.how != "go" and running.known.release is None
        theirs = held and begun is not None and begun.member != shared.my_id
        may = bool(startable) and not (looking or trouble or running.starting)
        side.release_button.setVisible(running.waits_for_me)
        side.start_button.setVisible(not theirs)
        side.start_button.setEnabled(may)
        going.setVisible(not theirs)
        side.is_looking = looking and bool(rows.meant or self._is_stale)
        if self.made_of.template is None or not rows.meant:
            side.line.setText("")
        elif looking:
            side.line.setText(said("Looking through the rows…"))
        else:
            side.line.setText(running.starting or trouble or self._line(startable))

    def _line(self, rows: list[RowLetter]) -> str:
        """The line before the start."""
        template, shared = self.made_of.template, self._shared
        assert template is not None
        if not rows:
            counts = Counter(self.running.states.values())
            if waiting := counts["waiting"] + counts["held"]:
                return counted("1 letter waits.", "{count} letters wait.", count=waiting)
            return said("Nothing is left to go.") if counts else said("No row may go now.")
        me = shared.me.email if shared.me else ""
        accounts = self._session.sending.accounts
        sender = self._session.sending.account_of(rows[0].letter).user if rows else me
        limits = account_for(accounts, sender).limits
        first = shared.now()
        long = lasts(len(rows), first, self.side.going.pace, limits)
        what = said("“{title}”, edition {edition}", title=template.title,
                    edition=template.edition)  # fmt: skip
        lately = sum(any(one.rule == "again" for one in row.findings) for row in rows)
        return told(
            len(rows), what, me or sender, long.total_seconds() / 60, lately,
            f"{first + long:%a %d %b %H:%M}",
        )  # fmt: skip

    def _show_row(self, row: TableRow | None) -> None:
        found = self.rows.found(row)
        reworded = bool(found and found.said.number in self.rows.edited)
        self.side.show_row(found, reworded=reworded)
        if self.paper.is_edited and row is not None and row.number == self._editing:
            return  # whoever types is not disturbed
        self.paper.setVisible(found is not None)
        if found is not None:
            self.paper.show_letter(found.letter)

    def _follow(self, change: Change) -> None:
        """Somebody changed the library: what hangs on it is looked through again, unless the round
        is as it was started."""
        if change.touches("setting"):
            self._show_counts()
        begun = self.running.begun
        if (
            begun is None
            and self.made_of.template
            and change.touches("template", "fact", "passage", "frame")
        ):
            self.made_of.follow()
            self._look_soon()

    # A row alone

    def edit(self) -> None:
        """Let the letter of the row at hand be reworded, for that row alone."""
        row = self.table.current
        if row is None or self.rows.found(row) is None:
            return
        if self.running.states.get(f"r{row.number}", "refused") != "refused":
            self._shared.voice.say(said("This letter is on its way, or has gone."))
            return
        self._editing = row.number
        self.paper.edit()

    def _reworded(self, letter: Letter, findings: tuple[Finding, ...]) -> None:
        row = self.table.current
        if row is None or row.number != self._editing:
            return
        self.rows.reword(row.number, letter, findings)
        self._put_together()
        self.side.show_row(self.rows.found(row), reworded=True)

    def _put_back(self) -> None:
        """Let the letter of the row at hand be again as the table says it."""
        row = self.table.current
        if row is not None and self.rows.edited.pop(row.number, None) is not None:
            self.paper.read()
            self._look()

    def keep_as(self) -> None:
        """Keep what the round is made of under a name."""
        self.keeping.ask(self.making.matches())

    # Acts

    def test(self) -> None:
        """Send the row at hand to oneself; that is in no register and no ledger."""
        found = self.rows.found(self.table.current)
        if found is not None:
            send_to_me(self._session, self.making.catalogue(), [found])

    def send_samples(self) -> None:
        """Send one row of each sort to oneself."""
        if rows := self.rows.letters():
            send_to_me(self._session, self.making.catalogue(), one_of_each(rows))

    def start(self) -> None:
        """Start the round, with the rows that may go, or go on with it."""
        if self.side.is_looking:
            self._shared.voice.say(said("The rows are still being looked through."))
            return
        if self._source is None or self._round is None or not self.side.start_button.isEnabled():
            return
        if not self.side.start_button.isVisible():
            return
        self.paper.read()
        rows = self.rows.startable(with_doubts=self.side.going.with_doubts)
        made = self.making.round(self._source)
        if self.side.going.to_drafts:
            to_drafts(self._session, self.making.catalogue(), rows)
            return
        self.running.start(
            made,
            rows,
            self._source,
            self.made_of.folder,
            self.making.catalogue(),
            with_doubts=self.side.going.with_doubts,
        )
