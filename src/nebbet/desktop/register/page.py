"""The register: every letter that went out, newest first, and the message as it was sent."""

from pathlib import Path

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QColor
from PySide6.QtWidgets import (
    QFileDialog,
    QHBoxLayout,
    QLineEdit,
    QSplitter,
    QStackedWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from nebbet.core.errors import NebbetError
from nebbet.core.message.received import Received
from nebbet.core.records import Matter, Person
from nebbet.core.sentences import counted, said
from nebbet.desktop.kit import pieces, theme
from nebbet.desktop.kit.message_view import MessageView
from nebbet.desktop.kit.operations import nothing
from nebbet.desktop.kit.pause import after_pause
from nebbet.desktop.kit.place import Place
from nebbet.desktop.register.letters_table import LettersTable, came_back, count_of
from nebbet.desktop.register.narrowing import Narrowing
from nebbet.desktop.register.pages import Pages
from nebbet.desktop.register.wording import offer_wording
from nebbet.desktop.session import choices
from nebbet.desktop.session.sending import Sending
from nebbet.desktop.session.shared_library import SharedLibrary
from nebbet.library.entries import Registered
from nebbet.library.register import EVERY, LATEST, Page
from nebbet.library.remarks import CameBack
from nebbet.library.round_ledger import OfRound, round_of_letter

_MOVED = 400  # milliseconds on a row until its message is fetched
_TYPED = 120  # milliseconds after a key until the register is asked


class RegisterPage(Place):
    """Lists register entries and opens the message behind the one at hand. reworded tells the
    template of which the wording of a letter is a draft now, write_to the person and the case of a
    letter that is to be begun, person_wanted the id of somebody whose page is to be shown."""

    title = "Register"
    help = (
        "Every letter that went out, newest first. Type in the field to find by person, address, "
        "case, template or subject; narrow it to days (Ctrl+Alt+D), a colleague, a shelf or a kind "
        "of case. A click on a bar, or drawing over several, narrows it to their days. The message "
        "of the row at hand opens by itself, with Return at once. "
        "Ctrl+Alt+W begins a letter to the same person about the same case, Ctrl+Alt+I shows their "
        "page. Ctrl+Alt+G takes "
        "what you changed by hand in a letter to its template, to be offered to the team. "
        "Ctrl+Alt+E writes what is found into a table."
    )
    reworded = Signal(str)
    write_to = Signal(object, object)
    person_wanted = Signal(str)

    def __init__(self, shared: SharedLibrary, sending: Sending) -> None:
        super().__init__()
        self._shared, self._sending = shared, sending
        self.shown: list[Registered] = []
        self.back: dict[str, CameBack] = {}  # of those, the letters that came back
        self.find_field = QLineEdit()
        self.find_field.setPlaceholderText("Find by person, case, template or subject")
        self.find_field.setClearButtonEnabled(True)
        theme.named(self.find_field, "Find in the register")
        self.table = LettersTable()
        self._count = pieces.label("", "note")
        self._pages = Pages(shared)
        self.narrowing = Narrowing(shared)
        self._wanted: str | None = None  # the message to open once its row is there
        self._shown_for = EVERY
        self._open_soon = False  # somebody asked for the first row before it was there
        self.offer_button = pieces.button(
            "Offer its wording for the template", self.offer, "words", "Ctrl+Alt+G"
        )
        self.out_button = pieces.button(
            said("Write a table…"), self.ask_where, "words", "Ctrl+Alt+E"
        )
        self.write_button = pieces.button("Write to this person", self.write, "words", "Ctrl+Alt+W")
        self.person_button = pieces.button(
            said("Their page"), self.show_person, "words", "Ctrl+Alt+I"
        )
        self.view = MessageView()
        self.told = pieces.label("", "faint", wrap=True)
        self.returned = pieces.label("", "stop", wrap=True)
        self.of_round = pieces.label("", "note", wrap=True)
        self._right = QStackedWidget()
        self._lay_out()
        self._connect()
        self.refresh()

    def _lay_out(self) -> None:
        self.told.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.told.setMargin(24)
        self._right.addWidget(self.told)
        self._right.addWidget(self.view)
        left = QWidget()
        head = pieces.row(pieces.grow(self.find_field), self._count)
        below = pieces.row(
            self.write_button, self.person_button, self.offer_button, None, self.out_button
        )
        pieces.fill(QVBoxLayout(left), head, self.narrowing, self.table, below, margin=8)
        split = QSplitter()
        split.setHandleWidth(1)
        split.setChildrenCollapsible(False)
        split.addWidget(left)
        for note in (self.returned, self.of_round):
            note.setMargin(12)
            note.hide()
        parts = (self.returned, self.of_round, pieces.grow(self._right))
        split.addWidget(pieces.column("right", *parts, margin=0))
        split.setSizes([760, 500])
        pieces.fill(QHBoxLayout(self), split)

    def _connect(self) -> None:
        self._typed = after_pause(self, _TYPED, self.refresh)
        self.find_field.textChanged.connect(lambda _text: self._typed.start())
        self.narrowing.changed.connect(self.refresh)
        self._pages.came.connect(self._show_page)
        self.table.verticalScrollBar().valueChanged.connect(self._scrolled)
        self.find_field.returnPressed.connect(self.table.setFocus)
        self.table.itemSelectionChanged.connect(self._show_hint)
        self._moved = after_pause(self, _MOVED, self._open_moved)
        self.table.itemSelectionChanged.connect(self._moved.start)
        self.table.doubleClicked.connect(lambda _index: self.open_current())
        self.view.failed.connect(self._shared.voice.fail)
        self._shared.register_changed.connect(self._follow)
        self.add_key("Open the message", "Return", self._return)
        self.add_key("Find in the register", "Ctrl+L", self.find_field.setFocus)
        self.add_key("Narrow to some days", "Ctrl+Alt+D", self.narrowing.days.setFocus)
        self.add_key("Write to this person", "Ctrl+Alt+W", self.write)
        self.add_key("Show the page of this person", "Ctrl+Alt+I", self.show_person)
        self.add_key("Write a table of what is found", "Ctrl+Alt+E", self.ask_where)
        self.add_key("Offer its wording for the template", "Ctrl+Alt+G", self.offer)

    def arrive(self) -> None:
        self.find_field.setFocus()
        self.refresh()

    def _follow(self) -> None:
        if self.isVisible():
            self.refresh()

    def refresh(self) -> None:
        """Show the register as it is now."""
        self.narrowing.offer()
        self._pages.ask(self.narrowing.wanted(self.find_field.text()))

    def _scrolled(self, at: int) -> None:
        bar = self.table.verticalScrollBar()
        if at >= bar.maximum() - bar.pageStep():
            self._more()

    def _more(self) -> None:
        if self.shown and len(self.shown) < self._pages.found:
            self._pages.ask(self._pages.wanted, after=self.shown[-1])

    def _show_page(self, page: Page, after: Registered | None) -> None:
        """Show letters that were read: anew, or below those that are there."""
        news = page.back != {key: self.back.get(key) for key in page.back}
        self.back = {**(self.back if after else {}), **page.back}
        if after is None:
            self._show_rows(page.rows, anew=news)
        elif self.shown and self.shown[-1] == after:
            self.shown += page.rows
            self._fill_rows(len(self.shown) - len(page.rows))
        self._count.setText(count_of(self._pages.found, self._pages.of))
        if after is None:
            self.narrowing.show_plot(self._pages.wanted)
        if self._wanted:
            self._open_wanted()
        elif self._open_soon:
            self.open_current()

    def _show_rows(self, rows: list[Registered], *, anew: bool) -> None:
        same, self._shown_for = self._shown_for == self._pages.wanted, self._pages.wanted
        if same and rows and rows == self.shown[: len(rows)] and not anew:
            return  # a message that is open stays open
        # Whoever stands at the newest, and opened nothing, stays at the newest.
        moved = self.table.currentRow() > 0 or self._right.currentWidget() is self.view
        current = self.current if moved else None
        self.shown = list(rows)
        self.table.blockSignals(True)
        self._fill_rows(0)
        self.table.blockSignals(False)
        if rows:
            self.table.selectRow(rows.index(current) if current in rows else 0)
        self._show_hint()

    def _fill_rows(self, start: int) -> None:
        self.table.setRowCount(len(self.shown))
        for row in range(start, len(self.shown)):
            for column, text in enumerate(self._texts(self.shown[row])):
                self.table.setItem(row, column, self._cell(self.shown[row], text))

    def _cell(self, entry: Registered, text: str) -> QTableWidgetItem:
        cell = QTableWidgetItem(text)
        if back := self.back.get(entry.message_id):
            cell.setForeground(QColor(theme.tokens().brick))
            cell.setToolTip(came_back(back))
        return cell

    def _texts(self, entry: Registered) -> tuple[str, ...]:
        member = self._shared.catalogue.members.get(entry.sender)
        return (
            f"{entry.sent.astimezone():%d %b %Y %H:%M}",
            entry.name or entry.address,
            entry.case_number,
            entry.title,
            self._said_subject(entry),
            member.name if member else entry.sender,
        )

    def _said_subject(self, entry: Registered) -> str:
        if entry.message_id in self.back:
            return said("Came back: {subject}", subject=entry.subject)
        return entry.subject

    @property
    def current(self) -> Registered | None:
        """The entry at hand."""
        row = self.table.currentRow()
        return self.shown[row] if 0 <= row < len(self.shown) else None

    def show_entry(self, message_id: str) -> None:
        """Go to an entry and open its message."""
        self.find_field.clear()
        self.narrowing.clear()
        self._typed.stop()
        self._wanted = message_id
        self.refresh()

    def _open_wanted(self) -> None:
        for row, entry in enumerate(self.shown):
            if entry.message_id == self._wanted:
                self._wanted = None
                self.table.selectRow(row)
                self.open_current()
                return
        if self._pages.wanted.is_all and len(self.shown) < min(self._pages.found, LATEST):
            self._more()
        else:
            self._wanted = None

    def _show_hint(self) -> None:
        entry = self.current
        own = entry is not None and entry.sender == self._shared.my_id
        for button in (self.write_button, self.person_button):
            button.setEnabled(entry is not None)
        self.offer_button.setEnabled(own and bool(entry and entry.template))
        back = self.back.get(entry.message_id) if entry else None
        self.returned.setText(came_back(back) if back else "")
        self.returned.setVisible(back is not None)
        self._ask_for_round(entry)
        self._right.setCurrentWidget(self.told)
        if entry is None:
            self.told.setText("Nothing has gone out yet, or nothing matches.")
        else:
            made = f"With “{entry.title}”, edition {entry.edition}\n" if entry.edition else ""
            self.told.setText(
                f"To {entry.name or entry.address}\n{entry.subject}\n{made}\n"
                "Return opens the message as it was sent."
            )

    def _ask_for_round(self, entry: Registered | None) -> None:
        """Say of which round a letter is a row."""
        self.of_round.hide()
        if entry is None or not self._shared.is_open:
            return
        library = self._shared.library

        def came(found: OfRound | None) -> None:
            if found and self.current == entry:
                self.of_round.setText(
                    said("Row {row} of the round “{title}”", row=found.row, title=found.title)
                )
                self.of_round.show()

        self._shared.reads.run(
            lambda: round_of_letter(library.register_engine, entry.message_id), came, nothing
        )

    def _open_moved(self) -> None:
        """Whoever stays on a row sees its message; while rows are only passed, none is fetched."""
        if self.table.hasFocus() and self._right.currentWidget() is self.told:
            self.open_current()

    def _return(self) -> None:
        if self.table.hasFocus():
            self.open_current()
        elif self.find_field.hasFocus():
            self.table.setFocus()
        elif self.narrowing.days.hasFocus():
            self.narrowing.take_days()

    def write(self) -> None:
        """Begin a letter to the person of the entry at hand, about the same case."""
        entry = self.current
        if entry is None:
            return
        choices.about_entry(self._shared, entry, self.write_to.emit)

    def show_person(self) -> None:
        """Go to the page of the person of the entry at hand."""

        def found(person: Person, _matter: Matter | None) -> None:
            if person.contact.is_on_file:
                self.person_wanted.emit(person.contact.id)
                return
            name = person.contact.name or person.contact.email
            self._shared.voice.say(said("{name} is not on file.", name=name))

        if entry := self.current:
            choices.about_entry(self._shared, entry, found)

    def offer(self) -> None:
        """Take what was changed by hand in the letter at hand to its template."""
        entry = self.current
        if entry and entry.template in self._shared.catalogue.templates:
            offer_wording(self._shared, self._sending, entry, self.reworded.emit)
        elif entry:
            self._shared.voice.say("This letter was written without a template of the library.")

    def ask_where(self) -> None:
        """Choose where a table of what is found is to lie."""
        where, _ = QFileDialog.getSaveFileName(
            self, said("Where is the table to lie?"), "register.xlsx", "*.xlsx *.csv"
        )
        if where:
            self.write_out(Path(where))

    def write_out(self, path: Path) -> None:
        """Write what is found into a table."""
        shared, wanted = self._shared, self.narrowing.wanted(self.find_field.text())
        names = {key: member.name for key, member in shared.catalogue.members.items()}
        engine = shared.library.register_engine

        def write() -> int:
            from nebbet.library.register_out import write_register

            return write_register(engine, wanted, path, names)

        def done(count: int) -> None:
            shared.voice.say(
                counted("1 letter is in {name} now.", "{shown} letters are in {name} now.",
                        count=count, shown=f"{count:,}", name=path.name)
            )  # fmt: skip

        shared.reads.run(write, done, shared.voice.fail)

    def open_current(self) -> None:
        """Fetch and show the message of the entry at hand; while other rows are on their way, that
        of the first one that comes."""
        self._open_soon = self._typed.isActive() or self._pages.is_asked
        entry = self.current
        if entry is None or self._open_soon:
            return
        self._right.setCurrentWidget(self.told)
        self.told.setText("Fetching the message from your mailbox…")

        def done(message: Received) -> None:
            if self.current == entry:
                self.view.show_message(message)
                self._right.setCurrentWidget(self.view)

        def failed(error: NebbetError) -> None:
            if self.current == entry:
                self.told.setText(error.sentence)

        self._sending.fetch(entry, done, failed)
