"""The list of people and cases, and the one at hand: to read, or to fill in."""

from collections.abc import Callable

from msgspec.structs import replace
from PySide6.QtCore import Signal
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QStackedWidget, QVBoxLayout, QWidget

from nebbet.core.records import Case, Contact, Person
from nebbet.core.sentences import said
from nebbet.desktop.kit import pieces
from nebbet.desktop.kit.place import Place
from nebbet.desktop.people.filling import Filling, called
from nebbet.desktop.people.found_list import FoundList
from nebbet.desktop.people.record_view import CaseView, PersonView
from nebbet.desktop.session import choices
from nebbet.desktop.session.arrived import ArrivedMail
from nebbet.desktop.session.shared_library import SharedLibrary
from nebbet.library.changes import Change
from nebbet.library.entries import Registered
from nebbet.library.people_pages import CasePage, PersonPage, case_page, person_page
from nebbet.library.people_writing import Changed, undoing

_LIST = 340  # pixels
Do = Callable[[list[Changed], str], object]


class PeopleView(Place):
    """The place's first page. write tells a person and a case of a letter that is to be begun,
    entry_wanted the message id of a letter that is to be read, again the entry of one that is to
    be written once more; twins_wanted and held_wanted that somebody wants to see who may be the
    same person, and all that is held on one."""

    title = "People"
    help = (
        "People and the cases one writes about. Type in the field to find by name, address, number "
        "or any field; mistakes are forgiven. Return on the one at hand begins a letter. "
        "Ctrl+E changes it, Ctrl+Alt+A adds a person, Ctrl+Alt+D a case, Ctrl+Alt+Y a file to a "
        "case, Ctrl+Alt+X files away. "
        "Ctrl+S keeps what is filled in, Esc leaves it as a draft."
    )
    write = Signal(object, object)
    twins_wanted = Signal(object)
    held_wanted = Signal(str)
    entry_wanted = Signal(str)
    again = Signal(object)

    def __init__(self, shared: SharedLibrary, mail: ArrivedMail, links: list[QWidget]) -> None:
        super().__init__()
        self._shared, self._mail = shared, mail
        self.found = FoundList(shared)
        self.new_person = pieces.button(said("New person"), self.add_person, hint="Ctrl+Alt+A")
        self.new_case = pieces.button(said("New case"), self.add_case, hint="Ctrl+Alt+D")
        self.filing = [self._filing(), self._filing()]
        self.twins_button = pieces.button(
            said("One person?"), self.show_twins, "words", "Ctrl+Alt+T"
        )
        self.held_button = pieces.button(said("All we hold"), self.show_held, "words", "Ctrl+Alt+I")
        acts = (*self._acts(), self.filing[0], self.twins_button, self.held_button)
        self.person_view = PersonView(shared, acts)
        self.case_view = CaseView(shared, (*self._acts(), self.filing[1]))
        self.filling = Filling(shared)
        self.page: PersonPage | CasePage | None = None
        self._asked = ("", "")  # what was asked for last: a person or a case, and its id
        self._nothing = pieces.label(said("Nobody is chosen."), "faint")
        self._right = QStackedWidget()
        self._lay_out(links)
        self._connect()

    def _acts(self) -> list[QWidget]:
        return [
            pieces.button(said("Write"), self.write_letter, "primary", "Return, Ctrl+Alt+W"),
            pieces.button(said("Change"), self.edit, hint="Ctrl+E"),
        ]

    def _filing(self) -> QPushButton:
        return pieces.button(said("File away"), self.file_away, "words", "Ctrl+Alt+X")

    def _lay_out(self, links: list[QWidget]) -> None:
        left = pieces.column(
            "left",
            pieces.row(self.new_person, self.new_case, None),
            self.found,
            pieces.row(*links, None),
            margin=8,
        )
        left.setFixedWidth(_LIST)
        nothing = QWidget()
        pieces.fill(QVBoxLayout(nothing), self._nothing, None, margin=20)
        for page in (nothing, self.person_view, self.case_view, self.filling):
            self._right.addWidget(page)
        pieces.fill(QHBoxLayout(self), left, self._right, spacing=0)

    def _connect(self) -> None:
        self.found.at_hand.connect(self._moved)
        self.found.taken.connect(self.write_letter)
        self.filling.left.connect(self._left_form)
        self.filling.kept.connect(self._kept)
        for view in (self.person_view, self.case_view):
            view.person.connect(self.show_person)
            view.case.connect(self.show_case)
            view.letters.opened.connect(self.entry_wanted)
            view.letters.again.connect(self.again)
        self.case_view.other.wanted.connect(self._take_files)
        self._shared.changed.connect(self._follow)
        self._shared.register_changed.connect(self._show_again)
        for words, keys, act in (
            ("Find", "Ctrl+L", self.found.find_field.setFocus),
            ("Write", "Ctrl+Alt+W", self.write_letter),
            ("Change", "Ctrl+E", self.edit),
            ("New person", "Ctrl+Alt+A", self.add_person),
            ("New case", "Ctrl+Alt+D", self.add_case),
            ("File away, or bring back", "Ctrl+Alt+X", self.file_away),
            ("Who may be the same person", "Ctrl+Alt+T", self.show_twins),
            ("All we hold on this person", "Ctrl+Alt+I", self.show_held),
            ("Add a file to the case", "Ctrl+Alt+Y", self._add_file),
            ("Keep", "Ctrl+S", self.keep),
            ("Leave the form", "Esc", self.leave_form),
            ("Write again like the letter at hand", "Ctrl+Alt+R", self._write_again),
        ):
            self.add_key(words, keys, act)

    # Showing

    def arrive(self) -> None:
        if self.is_filling:
            return
        self.found.find_field.setFocus()
        self.found.refresh()

    def gone(self) -> None:
        self.filling.keep_drafts()

    @property
    def is_filling(self) -> bool:
        """Whether somebody fills in a form."""
        return self._right.currentWidget() is self.filling

    def _follow(self, change: Change) -> None:
        if change.touches("contact", "case", "kind") and self.isVisible():
            self.found.refresh()
            self._show_again()

    def _moved(self) -> None:
        if self.is_filling:
            return
        if self.found.cases:
            self._ask_case(self.found.key)
        else:
            self._ask_person(self.found.key)

    def show_person(self, key: str) -> None:
        """Show somebody."""
        self.leave_form()
        self.found.show_kind(cases=False, key=key)
        self.found.list.setFocus()
        self._ask_person(key)

    def show_case(self, key: str) -> None:
        """Show a case."""
        self.leave_form()
        self.found.show_kind(cases=True, key=key)
        self.found.list.setFocus()
        self._ask_case(key)

    def _show_again(self) -> None:
        """Whoever was asked for last may be another one now."""
        which, key = self._asked
        if key:
            (self._ask_case if which == "case" else self._ask_person)(key)

    def _ask_person(self, key: str) -> None:
        library, self._asked = self._shared.library, ("person", key)
        self._shared.people.ask(
            lambda people: person_page(people, library.register_engine, key),
            self._show,
            asker="record",
        )

    def _ask_case(self, key: str) -> None:
        library, self._asked = self._shared.library, ("case", key)
        self._shared.people.ask(
            lambda people: case_page(people, library.register_engine, key),
            self._show,
            asker="record",
        )

    def _show(self, page: PersonPage | CasePage | None) -> None:
        self.page = page
        if isinstance(page, PersonPage):
            self.person_view.show_person(page, self._mail.of_addresses(page.contact.every_address))
        elif page:
            self.case_view.show_case(page)
        self._name_filing()
        self._hold()
        if not self.is_filling:
            self._show_view()

    def _hold(self) -> None:
        """The one that is shown is the row at hand."""
        if isinstance(self.page, PersonPage) and not self.found.cases:
            self.found.hold(choices.person_choice(self.page.contact))
        elif isinstance(self.page, CasePage) and self.found.cases:
            self.found.hold(choices.matter_choice(self.page.matter))

    def _name_filing(self) -> None:
        record = self._record
        if record is None:
            return
        for button in self.filing:
            button.setText(said("Bring back") if record.filed else said("File away"))
            button.setAccessibleName(button.text())

    def show_twins(self) -> None:
        """Look at who may be the same person."""
        if isinstance(self.page, PersonPage) and not self.is_filling:
            self.twins_wanted.emit(self.page.twins)

    def show_held(self) -> None:
        """Look at all that is held on the person at hand."""
        if isinstance(self.page, PersonPage) and not self.is_filling:
            self.held_wanted.emit(self.page.contact.id)

    def _show_view(self) -> None:
        if isinstance(self.page, PersonPage):
            self._right.setCurrentWidget(self.person_view)
        elif self.page:
            self._right.setCurrentWidget(self.case_view)
        else:
            self._right.setCurrentIndex(0)

    @property
    def _record(self) -> Contact | Case | None:
        """The person or case at hand."""
        if isinstance(self.page, PersonPage):
            return self.page.contact
        return self.page.matter.case if self.page else None

    # Writing letters

    def write_letter(self) -> None:
        """Begin a letter to the person, or about the case, at hand."""
        if self.is_filling or self.page is None:
            return
        if isinstance(self.page, PersonPage):
            only = self.page.cases[0] if len(self.page.cases) == 1 else None
            self.write.emit(Person(self.page.contact, only), None)
        else:
            self.write.emit(None, self.page.matter)

    def _write_again(self) -> None:
        view = self.person_view if isinstance(self.page, PersonPage) else self.case_view
        entry: Registered | None = view.letters.current
        if entry and not self.is_filling:
            self.again.emit(entry)

    # Filling in

    def add_person(self) -> None:
        """Fill in somebody new."""
        self._fill()
        self.filling.add_person()

    def add_case(self) -> None:
        """Fill in a new case; of the person at hand, if there is one."""
        self._fill()
        self.filling.add_case(self.page.contact if isinstance(self.page, PersonPage) else None)

    def edit(self) -> None:
        """Change the person or case at hand."""
        page, record = self.page, self._record
        if page is None or record is None or self.is_filling:
            return
        if record.source:
            self._shared.voice.say(
                said("This comes from the linked table “{name}”: change it there.",
                     name=record.source)
            )  # fmt: skip
            return
        self._fill()
        self.filling.change(page)

    def _fill(self) -> None:
        self._right.setCurrentWidget(self.filling)

    def leave_form(self) -> None:
        """Go back to reading; what is typed waits as a draft."""
        if self.is_filling:
            self.filling.leave()

    def _left_form(self) -> None:
        self._show_view()
        self.found.list.setFocus()
        self._moved()

    def _kept(self, record: Contact | Case) -> None:
        if not self.is_filling:
            return
        self._show_view()
        if isinstance(record, Contact):
            self.show_person(record.id)
        else:
            self.show_case(record.id)
        self.found.list.setFocus()

    def keep(self) -> None:
        """Keep what is filled in."""
        if self.is_filling:
            self.filling.keep()

    # Filing away

    def file_away(self) -> None:
        """File the one at hand away, or bring it back; with a way to undo that."""
        record = self._record
        if record is None or self.is_filling:
            return
        made = replace(record, filed=not record.filed)
        words = (
            said("{name} is filed away.", name=called(record))
            if made.filed
            else said("{name} is back.", name=called(record))
        )
        self.do([Changed(record, made)], words)

    def _add_file(self) -> None:
        if self.is_filling:
            self.filling.add_files()
        elif isinstance(self.page, CasePage):
            self.case_view.other.ask_for_files()

    def _take_files(self, case: Case, files: tuple[str, ...], words: str) -> None:
        """Let a case have other files."""
        self.do([Changed(case, replace(case, files=files))], words)

    def do(
        self, changes: list[Changed], words: str, after: Callable[[], object] | None = None
    ) -> None:
        """Make changes to people and cases, say so, and offer to undo them."""
        shared = self._shared

        def undo() -> None:
            shared.change(
                lambda: shared.library.change_people(undoing(changes)),
                lambda _result: shared.voice.say(said("It is as it was before.")),
            )

        def done(_result: object) -> None:
            shared.voice.say(words, said("Undo"), undo)
            if after:
                after()

        shared.change(lambda: shared.library.change_people(changes), done, once="people")
