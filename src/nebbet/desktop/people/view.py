"""The list of people and cases, and the one at hand: to read, or to fill in."""

from collections.abc import Callable

from msgspec.structs import replace
from PySide6.QtCore import Signal
from PySide6.QtWidgets import QHBoxLayout, QStackedWidget, QVBoxLayout, QWidget

from nebbet.core.errors import NebbetError
from nebbet.core.records import Case, Contact, Person
from nebbet.core.sentences import said
from nebbet.desktop.kit import pieces
from nebbet.desktop.kit.place import Place
from nebbet.desktop.people.case_form import CaseForm
from nebbet.desktop.people.found_list import FoundList
from nebbet.desktop.people.person_form import PersonForm
from nebbet.desktop.people.record_view import CaseView, PersonView
from nebbet.desktop.session.shared_library import SharedLibrary
from nebbet.desktop.shared.unsaved import Form, Unsaved
from nebbet.library.changes import Change
from nebbet.library.entries import Registered
from nebbet.library.holdings import Overtaken
from nebbet.library.people_pages import CasePage, PersonPage, case_page, person_page
from nebbet.library.people_writing import Changed, undoing

_LIST = 340  # pixels
Typed = dict[str, str]


class PeopleView(Place):
    """The place's first page. write tells a person and a case of a letter that is to be begun,
    entry_wanted the message id of a letter that is to be read, again the entry of one that is to
    be written once more."""

    title = "People"
    help = (
        "People and the cases one writes about. Type in the field to find by name, address, number "
        "or any field; mistakes are forgiven. Return on the one at hand begins a letter. "
        "Ctrl+E changes it, Ctrl+Alt+A adds a person, Ctrl+Alt+D a case, Ctrl+Alt+X files away. "
        "Ctrl+S keeps what is filled in, Esc leaves it as a draft."
    )
    write = Signal(object, object)
    entry_wanted = Signal(str)
    again = Signal(object)

    def __init__(self, shared: SharedLibrary, links: list[QWidget]) -> None:
        super().__init__()
        self._shared = shared
        self.found = FoundList(shared)
        self.new_person = pieces.button(said("New person"), self.add_person, hint="Ctrl+Alt+A")
        self.new_case = pieces.button(said("New case"), self.add_case, hint="Ctrl+Alt+D")
        self.person_view = PersonView(shared, self._acts())
        self.case_view = CaseView(shared, self._acts())
        self.person_form, self.case_form = PersonForm(), CaseForm(shared)
        self.page: PersonPage | CasePage | None = None
        self._told: dict[str, object] = {}  # what somebody else made of it, as was said
        self._nothing = pieces.label(said("Nobody is chosen."), "faint")
        self.person_draft = Unsaved(
            Form("person", Typed, self.person_form.show_person, self.person_form.write,
                 self.person_form.typed), shared.own, Contact)  # fmt: skip
        self.case_draft = Unsaved(
            Form("case", Typed, self.case_form.show_case, self.case_form.write,
                 self.case_form.typed), shared.own, Case)  # fmt: skip
        self._right = QStackedWidget()
        self._lay_out(links)
        self._connect()

    def _acts(self) -> list[QWidget]:
        return [
            pieces.button(said("Write"), self.write_letter, "primary", "Return, Ctrl+Alt+W"),
            pieces.button(said("Change"), self.edit, hint="Ctrl+E"),
            pieces.button(said("File away, or bring back"), self.file_away, "words", "Ctrl+Alt+X"),
        ]

    def _lay_out(self, links: list[QWidget]) -> None:
        left = pieces.column(
            "left",
            pieces.row(self.new_person, self.new_case, None),
            self.found,
            pieces.row(*links, None),
            margin=8,
        )
        left.setFixedWidth(_LIST)
        self._forms = {
            "person": self._form_page(self.person_form, said("The person")),
            "case": self._form_page(self.case_form, said("The case")),
        }
        nothing = QWidget()
        pieces.fill(QVBoxLayout(nothing), self._nothing, None, margin=20)
        for page in (nothing, self.person_view, self.case_view, *self._forms.values()):
            self._right.addWidget(page)
        pieces.fill(QHBoxLayout(self), left, self._right, spacing=0)

    def _form_page(self, form: QWidget, words: str) -> QWidget:
        page = QWidget()
        form.setMaximumWidth(620)
        keep = pieces.button(said("Keep"), self.keep, "primary", "Ctrl+S")
        leave = pieces.button(said("Leave (Esc)"), self.leave_form)
        drop = pieces.button(said("Throw away what is typed"), self.drop_draft, "words")
        pieces.fill(
            QVBoxLayout(page),
            pieces.label(words, "title"),
            pieces.rule(),
            pieces.scrolled(form),
            pieces.row(keep, leave, drop, None),
            margin=20,
            spacing=10,
        )
        return page

    def _connect(self) -> None:
        self.found.at_hand.connect(self._moved)
        self.found.taken.connect(self.write_letter)
        self.person_form.edited.connect(self.person_draft.edited)
        self.case_form.edited.connect(self.case_draft.edited)
        for view in (self.person_view, self.case_view):
            view.person.connect(self.show_person)
            view.case.connect(self.show_case)
            view.letters.opened.connect(self.entry_wanted)
            view.letters.again.connect(self.again)
        self._shared.changed.connect(self._follow)
        self._shared.register_changed.connect(self._show_again)
        for words, keys, act in (
            ("Find", "Ctrl+L", self.found.find_field.setFocus),
            ("Write", "Ctrl+Alt+W", self.write_letter),
            ("Change", "Ctrl+E", self.edit),
            ("New person", "Ctrl+Alt+A", self.add_person),
            ("New case", "Ctrl+Alt+D", self.add_case),
            ("File away, or bring back", "Ctrl+Alt+X", self.file_away),
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
        for draft in (self.person_draft, self.case_draft):
            draft.keep()

    @property
    def is_filling(self) -> bool:
        """Whether somebody fills in a form."""
        return self._right.currentWidget() in self._forms.values()

    def _follow(self, change: Change) -> None:
        catalogue, fields = self._shared.catalogue, self._shared.search.fields
        if change.touches("kind", "held_field", "contact", "case"):
            kinds = catalogue.kinds
            self.person_form.use_kind(next((k for k in kinds.values() if k.is_people), None))
            self.case_form.use_kinds(kinds, fields.kinds)
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
        self._ask_person(key)

    def show_case(self, key: str) -> None:
        """Show a case."""
        self.leave_form()
        self.found.show_kind(cases=True, key=key)
        self._ask_case(key)

    def _show_again(self) -> None:
        if isinstance(self.page, PersonPage):
            self._ask_person(self.page.contact.id)
        elif isinstance(self.page, CasePage):
            self._ask_case(self.page.matter.case.id)

    def _ask_person(self, key: str) -> None:
        library = self._shared.library
        self._shared.people.ask(
            lambda people: person_page(people, library.register_engine, key),
            self._show,
            asker="record",
        )

    def _ask_case(self, key: str) -> None:
        library = self._shared.library
        self._shared.people.ask(
            lambda people: case_page(people, library.register_engine, key),
            self._show,
            asker="record",
        )

    def _show(self, page: PersonPage | CasePage | None) -> None:
        self.page = page
        if isinstance(page, PersonPage):
            self.person_view.show_person(page)
        elif page:
            self.case_view.show_case(page)
        if not self.is_filling:
            self._show_view()

    def _show_view(self) -> None:
        if isinstance(self.page, PersonPage):
            self._right.setCurrentWidget(self.person_view)
        elif self.page:
            self._right.setCurrentWidget(self.case_view)
        else:
            self._right.setCurrentIndex(0)

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

    @property
    def _draft(self) -> "Unsaved[Typed]":
        person = self._right.currentWidget() is self._forms["person"]
        return self.person_draft if person else self.case_draft

    def add_person(self, given: Contact | None = None) -> None:
        """Fill in somebody new."""
        self._open("person", "", given)
        self.person_form.lines["first_name"].setFocus()

    def add_case(self) -> None:
        """Fill in a new case; of the person at hand, if there is one."""
        contact = self.page.contact if isinstance(self.page, PersonPage) else None
        begun = Case("", "", contact=contact.id) if contact else None
        self._open("case", "", begun)
        if contact:
            self.case_form.know({contact.id: contact})
        self.case_form.lines["number"].setFocus()

    def edit(self) -> None:
        """Change the person or case at hand."""
        page = self.page
        if page is None or self.is_filling:
            return
        record = page.contact if isinstance(page, PersonPage) else page.matter.case
        if record.source:
            self._shared.voice.say(
                said("This comes from the linked table “{name}”: change it there.",
                     name=record.source)
            )  # fmt: skip
            return
        if isinstance(page, PersonPage):
            self._open("person", record.id, record)
            self.person_form.lines["first_name"].setFocus()
        else:
            self._open("case", record.id, record)
            self.case_form.know({one.id: one for one in page.people})
            self.case_form.lines["number"].setFocus()

    def _open(self, which: str, key: str, record: object) -> None:
        self.gone()
        self._right.setCurrentWidget(self._forms[which])
        if not self._shared.is_open:
            return
        self._follow(Change({"kind": frozenset()}))
        if self._draft.open(key, record):
            self._shared.voice.say(said("Something unfinished could not be read; it is as it was."))

    def leave_form(self) -> None:
        """Go back to reading; what is typed waits as a draft."""
        if not self.is_filling:
            return
        self._draft.keep()
        if self._draft.is_there:
            self._shared.voice.add(said("What you typed waits here until you go on with it."))
        self._show_view()
        self.found.list.setFocus()
        self._moved()

    def drop_draft(self) -> None:
        """Throw away what is typed, and go back to reading."""
        draft = self._draft
        draft.forget(draft.key or "")
        self._show_view()
        self.found.list.setFocus()

    def keep(self) -> None:
        """Keep what is filled in."""
        if not self.is_filling:
            return
        shared, today = self._shared, self._shared.now().date()
        person = self._draft is self.person_draft
        try:
            record = self.person_form.person(today) if person else self.case_form.case(today)
        except NebbetError as error:
            shared.voice.say(error.sentence)
            return
        key = record.id
        seen = self._told.get(key, self._draft.seen) if key else None
        if not key:
            record = replace(record, id=f"{'p' if person else 'c'}-{shared.token()}")
        self._put(key, record, seen)

    def _put(self, key: str, record: Contact | Case, seen: object) -> None:
        shared, draft, typed = self._shared, self._draft, self._draft.typed()

        def done(_result: object) -> None:
            self._told.pop(key, None)
            draft.forget(key, typed)
            shared.voice.say(said("{name} is kept.", name=_called(record)))
            if self.is_filling and self._draft is draft and draft.key == key:
                self._show_view()
                self._go_to(record)
                self.found.list.setFocus()

        def failed(error: NebbetError) -> None:
            if isinstance(error, Overtaken):
                self._told[key] = error.now
            shared.voice.fail(error)

        shared.change(lambda: shared.library.put(record, seen=seen), done, failed, once="record")

    def _go_to(self, record: Contact | Case) -> None:
        if isinstance(record, Contact):
            self.show_person(record.id)
        else:
            self.show_case(record.id)

    # Filing away

    def file_away(self) -> None:
        """File the one at hand away, or bring it back; with a way to undo that."""
        page = self.page
        if page is None or self.is_filling:
            return
        record = page.contact if isinstance(page, PersonPage) else page.matter.case
        made = replace(record, filed=not record.filed)
        words = (
            said("{name} is filed away.", name=_called(record))
            if made.filed
            else said("{name} is back.", name=_called(record))
        )
        self.do([Changed(record, made)], words)

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


def _called(record: Contact | Case) -> str:
    if isinstance(record, Contact):
        return record.name or record.email
    return record.number
