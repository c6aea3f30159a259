"""The place Rounds: from a table to what went, on one page."""

from collections import Counter
from pathlib import Path

from msgspec.structs import replace
from PySide6.QtCore import Qt
from PySide6.QtGui import QDragEnterEvent, QDropEvent
from PySide6.QtWidgets import QHBoxLayout, QSplitter, QVBoxLayout, QWidget

from nebbet.core.checks import Finding
from nebbet.core.errors import NebbetError
from nebbet.core.letter import Letter
from nebbet.core.records.incoming import days_first
from nebbet.core.records.tables import TableRow
from nebbet.core.rounds import Choosing, Matches, chosen, propose
from nebbet.core.rounds.pacing import Pace, lasts
from nebbet.core.sentences import said
from nebbet.desktop.kit import pieces
from nebbet.desktop.kit.asking import ask_line
from nebbet.desktop.kit.pause import after_pause
from nebbet.desktop.kit.place import Place
from nebbet.desktop.rounds.apart import one_of_each, send_to_me, to_drafts
from nebbet.desktop.rounds.looking import Looking
from nebbet.desktop.rounds.made_of import MadeOf
from nebbet.desktop.rounds.outputs import Outputs, Shown
from nebbet.desktop.rounds.round_list import RoundList
from nebbet.desktop.rounds.row_letter import RowLetterView
from nebbet.desktop.rounds.rows_table import RowsTable
from nebbet.desktop.rounds.running import Known, Running
from nebbet.desktop.rounds.side import RoundSide, told
from nebbet.desktop.session.session import Session
from nebbet.library.catalogue import Catalogue
from nebbet.library.changes import Change
from nebbet.library.round_kept import KeptRound
from nebbet.library.round_ledger import Round, matches_before, name_of_round, round_of
from nebbet.library.round_report import About
from nebbet.library.round_snapshot import as_started, snapshot_of, source_of
from nebbet.library.round_tables import roles_of
from nebbet.library.rounds import RowLetter, Source, names_of, over_all, with_findings
from nebbet.personal.settings import account_for

_CHANGED = 200  # milliseconds after a choice until the rows are looked through anew
_COUNTED = 150  # milliseconds between two counts while rows are looked through
_SIDE = 290  # pixels
_GOES = ("ready", "refused")  # states of rows that a start puts into the outbox


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
        self._meant: list[TableRow] = []
        self._base: dict[int, RowLetter] = {}  # before what only all rows together tell
        self._edited: dict[int, Letter] = {}
        self._again = ""  # tells apart a round that is begun anew
        self._kept: KeptRound | None = None
        self._is_stale = False  # what was looked through is another one by now
        self._is_through = True  # every row was looked at
        self.made_of = MadeOf(shared, session.parts.home.data)
        self.told = pieces.label("", "note", wrap=True)
        self.anew = pieces.button(said("Begin a new one"), self.begin_anew, "words")
        self.table = RowsTable()
        self.list = RoundList(shared)
        self.paper = RowLetterView(shared, self._catalogue)
        self.side = RoundSide()
        self.looking = Looking(shared)
        self.running = Running(session)
        self.outputs = Outputs(shared, self, self.side.menu, self._shown)
        self._soon = after_pause(self, _CHANGED, self._look)
        self._count = after_pause(self, _COUNTED, self._show_counts)
        self._lay_out()
        self._connect()
        self._show_nothing()

    def _lay_out(self) -> None:
        top, left = QWidget(), QSplitter(Qt.Orientation.Vertical)
        pieces.fill(
            QVBoxLayout(top), self.made_of, pieces.row(pieces.grow(self.told), self.anew),
            self.list, self.table, margin=8,
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
        self.table.head.chosen.connect(self._look_soon)
        self.table.at_hand.connect(self._show_row)
        self.table.doubleClicked.connect(lambda _index: self.edit())
        self.table.rows.ticked.connect(self._ticked)
        self.list.opened.connect(self.open_round)
        self.list.chosen.connect(self.run_kept)
        self.paper.edited.connect(self._reworded)
        self.looking.came.connect(self._came)
        self.looking.done.connect(self._looked)
        self.looking.failed.connect(self._shared.voice.fail)
        side = self.side
        side.filtered.connect(self._filter)
        side.put_back.connect(self._put_back)
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
        """From the words of a letter to its row, from a round to the list of rounds."""
        if self.paper.is_edited:
            self.paper.read()
            self.table.setFocus()
            return
        if self._edited and self.running.begun is None and not self._shared.voice.ask(
            said("Leave this round?"), said("What was reworded for single rows is lost."),
            said("Leave it"),
        ):  # fmt: skip
            return
        self._kept = None
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

    def run_kept(self, kept: KeptRound) -> None:
        """Begin with what was kept under a name, and the table as it is now."""
        if kept.template not in self._shared.catalogue.templates:
            self._shared.voice.say(said("The template of this round is not there any more."))
            return
        made = self.made_of
        made.leave()
        self._kept = kept
        made.take_template(kept.template)
        made.show_choosing(kept.choosing)
        self.side.going.show_going(
            kept.pace, kept.how, with_doubts=kept.with_doubts, twice=kept.choosing.twice
        )
        if kept.folder:
            made.take_folder(Path(kept.folder))
        if kept.origin.kind == "clipboard":
            words = said("Its table came from the clipboard: copy one, then Ctrl+Shift+V.")
            self._shared.voice.say(words)
        else:
            made.take_origin(kept.origin)

    def keep_as(self) -> None:
        """Keep what the round is made of under a name."""
        made, shared = self.made_of, self._shared
        if made.table is None or made.template is None or made.started:
            return
        before = self._kept.title if self._kept else made.name.rpartition(".")[0] or made.name
        title = ask_line(self, said("Keep this round"), said("Its name"), said("Keep it"), before)
        if not title:
            return
        known = next((k for k in self.list.kept.values() if k.title == title), None)
        known = known if known and known.member == shared.my_id else None
        going = self.side.going
        try:
            pace = going.pace
        except NebbetError as error:
            shared.voice.fail(error)
            return
        kept = KeptRound(
            known.id if known else shared.token(), title, shared.my_id, made.template.id,
            made.origin, str(made.folder) if made.files else "", self._matches(),
            replace(made.choosing, twice=going.wanted_twice), pace, going.wanted_how,
            going.with_doubts,
        )  # fmt: skip
        library = shared.library

        def done(_result: object) -> None:
            self._kept = kept
            self.list.refresh()
            shared.voice.say(said("“{title}” is kept: it is in the list of rounds.", title=title))

        shared.change(lambda: library.keep_round_as(kept), done)

    def begin_anew(self) -> None:
        """Begin another round with the same table, with the texts of today."""
        self._again = self._shared.token()
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
        self._meant, self._base, self._edited = [], {}, {}
        self.table.rows.found, self.table.rows.out, self.table.rows.reworded = {}, set(), set()
        if not keep and made.started is None:
            self._again = ""
        self.looking.end()
        self.running.leave()
        self._show_nothing()
        if table is None or template is None:
            return
        names, engine = names_of(self._catalogue(), template), self._shared.library.register_engine
        name = self._name()

        def read() -> tuple[Matches, Round | None]:
            return matches_before(engine, template.id, table.headings), round_of(engine, name)

        def came(found: tuple[Matches, Round | None]) -> None:
            if made.table is table and made.template is template:
                self._take_up(names, *found)

        self._shared.reads.run(read, came, self._shared.voice.fail)

    def _take_up(self, names: list[str], before: Matches, begun: Round | None) -> None:
        table = self.made_of.table
        assert table is not None
        if begun is not None:
            self.running.take(begun, Known(begun))
            self._edited = dict(begun.snapshot.edited)
            self.table.rows.out = set(begun.choosing.out)
            self.side.going.show_going(
                begun.pace, begun.how, with_doubts=self.side.going.with_doubts,
                twice=begun.choosing.twice,
            )  # fmt: skip
            self.table.head.show_matches(table, names, begun.matches.roles)
        else:
            roles = dict(before.roles)
            if self._kept and set(self._kept.matches.roles) == set(table.headings):
                roles = dict(self._kept.matches.roles)
            if self.made_of.origin.is_on_file and not roles:
                roles = roles_of(table)
            self.table.head.show_matches(table, names, propose(table, names, roles))
        self._look()

    def _name(self) -> str:
        """The name of the round at hand."""
        made = self.made_of
        if made.started is not None:
            return made.started.id
        sheet = made.table.sheet if made.table else ""
        template = made.template.id if made.template else ""
        return name_of_round(made.data, sheet, template, self._again)

    def _catalogue(self) -> Catalogue:
        """What letters are worked out with: the library as it is, or as it was at the start."""
        begun, catalogue = self.running.begun, self._shared.catalogue
        begun = begun or self.made_of.started
        return as_started(catalogue, begun.snapshot) if begun else catalogue

    def _matches(self) -> Matches:
        table, begun = self.made_of.table, self.running.begun
        if begun is not None:
            return begun.matches
        return Matches(self.table.head.roles(), days_first(table) if table else {})

    # Looking through

    def _look_soon(self) -> None:
        """Something is another one: what was found holds no more, and nothing starts by it."""
        self._is_stale = True
        self._soon.start()
        self._show_counts()

    def _look(self) -> None:
        """Look through the rows that are meant, from the first on."""
        made, shared = self.made_of, self._shared
        table, template, begun = made.table, made.template, self.running.begun
        if table is None or template is None:
            return
        choosing = made.choosing if begun is None else replace(begun.choosing, out=frozenset())
        try:
            today = shared.now().date()
            self._meant = chosen(table, choosing, today, shared.catalogue.calendar)
        except NebbetError as error:
            self.told.setText(error.sentence)  # what was looked through stays until it makes sense
            return
        self._is_stale, self._is_through = False, False
        self._tell_of()
        source = source_of(shared.catalogue, begun) if begun else None
        self._source = replace(
            source or Source(table, self._matches(), template, made.files), edited=self._edited
        )
        self._round = self._begun(choosing)
        self.running.take(self._round)
        self._base, self.table.rows.found = {}, {}
        self.table.rows.reworded = set(self._edited)
        self.looking.ask(self._catalogue(), self._source, self._meant)
        self._filter()

    def _tell_of(self) -> None:
        """Say what the table is, and whether the round was started before."""
        begun, shared = self.running.begun, self._shared
        words = self.made_of.about
        if begun is not None:
            member = shared.catalogue.members.get(begun.member)
            words += " " + said(
                "Started by {name} on {moment} with edition {edition}: what is left goes as it "
                "was then.",
                name=member.name if member else begun.member,
                moment=f"{begun.made.astimezone():%d %b %Y %H:%M}", edition=begun.edition,
            )  # fmt: skip
            if begun.how == "asks" and not self.running.known.release:
                words += " " + said("It waits until somebody else has looked.")
        self.told.setText(words)
        self.anew.setVisible(begun is not None)
        self.made_of.show_begun(begun is not None)
        self.table.head.fix(begun is not None)

    def _begun(self, choosing: Choosing) -> Round:
        """The round as it would be started now, or goes on."""
        assert self._source is not None
        source, going, made, shared = self._source, self.side.going, self.made_of, self._shared
        begun, pace = self.running.begun, self._pace()
        if begun is not None:
            return replace(begun, pace=pace or begun.pace)
        choosing = replace(choosing, twice=going.wanted_twice, out=frozenset(self.table.rows.out))
        title = Path(made.name).stem if made.origin.kind == "file" else made.name
        snapshot = snapshot_of(shared.catalogue, source.template, made.files, self._edited)
        return Round(
            self._name(), self._kept.title if self._kept else title, shared.my_id, shared.now(),
            source.template.id, source.template.edition, source.table, source.matches, choosing,
            pace or Pace(), going.wanted_how, snapshot,
        )  # fmt: skip

    def _pace(self) -> Pace | None:
        try:
            return self.side.going.pace
        except NebbetError:
            return None

    def _came(self, some: list[RowLetter]) -> None:
        self._base.update((one.said.number, one) for one in some)
        self.table.rows.found.update((one.said.number, one) for one in some)
        self.table.rows.renew()
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
        out = self.table.rows.out
        going = [one for number, one in self._base.items() if number not in out]
        together = over_all(self._source, going, self.side.going.wanted_twice)
        self.table.rows.found = {
            number: with_findings(one, together) for number, one in self._base.items()
        }
        self.table.rows.renew()
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
        for part in (self.table, self._right):
            part.setVisible(has)
        self.list.setVisible(not has)
        if not has:
            self.list.refresh()

    def _filter(self) -> None:
        """Show the rows that are wanted alone."""
        state, rule, model = self.side.wanted_state, self.side.wanted_rule, self.table.rows
        rows = [
            row for row in self._meant
            if (not state or model.state(row) == state)
            and (not rule or _has(model.found.get(row.number), rule))
        ]  # fmt: skip
        self.table.show_rows(self.made_of.table, rows)

    def _show_states(self) -> None:
        self.table.rows.states = self.running.states
        self.table.rows.renew()
        if self.running.begun is not None and self.made_of.table is not None:
            self._tell_of()
        self._show_counts()

    def _startable(self) -> list[RowLetter]:
        """The rows that a start puts into the outbox."""
        model = self.table.rows
        states = (*_GOES, "doubtful") if self.side.going.with_doubts else _GOES
        rows = [row for row in self._meant if model.state(row) in states]
        return [model.found[row.number] for row in rows if row.number in model.found]

    def _show_counts(self) -> None:
        model, side, shared = self.table.rows, self.side, self._shared
        counts = Counter(model.state(row) for row in self._meant)
        side.show_counts(counts, (
            model.found[row.number] for row in self._meant
            if row.number in model.found and row.number not in model.out
        ))  # fmt: skip
        begun, rules = self.running.begun, shared.catalogue.round_rules
        rows = self._startable()
        side.going.ask(rules.asks(len(self._meant)) and begun is None)
        looking = self._is_stale or not self._is_through
        trouble = side.going.trouble or rules.against(len(rows), leads=shared.leads)
        theirs = begun is not None and begun.how == "asks" and begun.member != shared.my_id
        waits = self.running.waits_for_me
        side.release_button.setVisible(waits)
        side.start_button.setVisible(not (waits and theirs))
        side.start_button.setEnabled(bool(rows) and not looking and not trouble)
        side.going.setVisible(not (begun is not None and theirs))
        side.is_looking = looking and bool(self._meant or self._is_stale)
        if self.made_of.template is None or not self._meant:
            side.line.setText("")
        elif looking:
            side.line.setText(said("Looking through the rows…"))
        else:
            side.line.setText(trouble or self._line(rows))

    def _line(self, rows: list[RowLetter]) -> str:
        """The line before the start."""
        template, shared = self.made_of.template, self._shared
        assert template is not None
        if not rows:
            gone = self.running.states and not self._still(("waiting", "held"))
            return said("Nothing is left to go.") if gone else said("No row may go now.")
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

    def _still(self, states: tuple[str, ...]) -> bool:
        return any(state in states for state in self.running.states.values())

    def _show_row(self, row: TableRow | None) -> None:
        found = self.table.rows.found.get(row.number) if row else None
        self.side.show_row(found, reworded=bool(found and found.said.number in self._edited))
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
        if row is None or row.number not in self.table.rows.found:
            return
        if self.running.states.get(f"r{row.number}", "refused") != "refused":
            self._shared.voice.say(said("This letter is on its way, or has gone."))
            return
        self.paper.edit()

    def _reworded(self, letter: Letter, findings: tuple[Finding, ...]) -> None:
        row = self.table.current
        if row is None or row.number not in self._base:
            return
        self._edited[row.number] = letter
        self.table.rows.reworded.add(row.number)
        before = self._base[row.number]
        addressed = letter.recipient is not None and bool(letter.recipient.email)
        own = [
            one for one in before.findings
            if one.rule.startswith("row") and not (one.rule == "row" and addressed)
        ]  # fmt: skip
        self._base[row.number] = replace(before, letter=letter, findings=(*own, *findings))
        if self._source is not None:
            self._source = replace(self._source, edited=self._edited)
        self._put_together()
        self.side.show_row(self.table.rows.found.get(row.number), reworded=True)

    def _put_back(self) -> None:
        """Let the letter of the row at hand be again as the table says it."""
        row = self.table.current
        if row is not None and row.number in self._edited:
            del self._edited[row.number]
            self.paper.read()
            self._look()

    # Acts

    def test(self) -> None:
        """Send the row at hand to oneself; that is in no register and no ledger."""
        row = self.table.current
        found = self.table.rows.found.get(row.number) if row else None
        if found is not None:
            send_to_me(self._session, self._catalogue(), [found])

    def send_samples(self) -> None:
        """Send one row of each sort to oneself."""
        found = self.table.rows.found
        rows = [found[row.number] for row in self._meant if row.number in found]
        if rows:
            send_to_me(self._session, self._catalogue(), one_of_each(rows))

    def _shown(self) -> Shown | None:
        """The round as it is on the page."""
        table, made, members = self.made_of.table, self._round, self._shared.catalogue.members
        if table is None or made is None:
            return None
        found, known = self.table.rows.found, self.running.known
        begun, release = known.begun, known.release
        title = self.made_of.template.title if self.made_of.template else ""
        who = members.get(made.member)
        about = About(
            made.title, title, made.edition, who.name if who else made.member,
            begun.made if begun else None, who.email if who else "",
            members[release.member].name if release and release.member in members else "",
        )  # fmt: skip
        return Shown(
            table, list(self._meant), [found[r.number] for r in self._meant if r.number in found],
            {number: self.running.told(row) for number, row in found.items()}, about,
            self._catalogue(),
        )  # fmt: skip

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
        rows, made = self._startable(), self._begun(self.made_of.choosing)
        if self.side.going.to_drafts:
            to_drafts(self._session, self._catalogue(), rows)
            return
        self.running.start(
            made,
            rows,
            self._source,
            self.made_of.folder,
            self._catalogue(),
            with_doubts=self.side.going.with_doubts,
        )


def _has(row: RowLetter | None, rule: str) -> bool:
    return row is not None and any(one.rule == rule for one in row.findings)
