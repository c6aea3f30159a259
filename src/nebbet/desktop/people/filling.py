"""Filling in a person or a case; what is typed and not kept yet waits as a draft."""

from msgspec.structs import replace
from PySide6.QtCore import Signal
from PySide6.QtWidgets import QStackedWidget, QVBoxLayout, QWidget

from nebbet.core.errors import NebbetError
from nebbet.core.records import Case, Contact
from nebbet.core.sentences import said
from nebbet.desktop.kit import pieces
from nebbet.desktop.people.case_form import CaseForm
from nebbet.desktop.people.person_form import PersonForm
from nebbet.desktop.session.shared_library import SharedLibrary
from nebbet.desktop.shared.unsaved import Form, Unsaved
from nebbet.library.holdings import Overtaken
from nebbet.library.people_pages import CasePage, PersonPage
from nebbet.library.people_writing import Record

_WIDE = 620  # pixels that a form needs
Typed = dict[str, str]


class Filling(QStackedWidget):
    """The two forms. kept tells a record that was kept, left that the person goes back to
    reading."""

    kept = Signal(object)
    left = Signal()

    def __init__(self, shared: SharedLibrary) -> None:
        super().__init__()
        self._shared = shared
        self._told: dict[str, object] = {}  # what somebody else made of it, as was said
        self.person, self.case = PersonForm(), CaseForm(shared)
        self._drafts: tuple[Unsaved[Typed], Unsaved[Typed]] = (
            Unsaved(
                Form("person", Typed, self.person.show_person, self.person.write,
                     self.person.typed), shared.own, Contact),
            Unsaved(
                Form("case", Typed, self.case.show_case, self.case.write, self.case.typed),
                shared.own, Case),
        )  # fmt: skip
        for form, draft, words in (
            (self.person, self._drafts[0], said("The person")),
            (self.case, self._drafts[1], said("The case")),
        ):
            form.edited.connect(draft.edited)
            self.addWidget(self._page(form, words))

    def _page(self, form: QWidget, words: str) -> QWidget:
        page = QWidget()
        form.setMaximumWidth(_WIDE)
        pieces.fill(
            QVBoxLayout(page),
            pieces.label(words, "title"),
            pieces.rule(),
            pieces.scrolled(form),
            pieces.row(
                pieces.button(said("Keep"), self.keep, "primary", "Ctrl+S"),
                pieces.button(said("Leave (Esc)"), self.leave),
                pieces.button(said("Throw away what is typed"), self.drop, "words"),
                None,
            ),
            margin=20,
            spacing=10,
        )
        return page

    @property
    def _draft(self) -> Unsaved[Typed]:
        return self._drafts[self.currentIndex()]

    def add_files(self) -> None:
        """Choose files for the case that is filled in."""
        if self.currentIndex():
            self.case.files.ask_for_files()

    def follow(self) -> None:
        """The kinds may be other ones now: the next form that is opened has their fields."""
        kinds = self._shared.catalogue.known_kinds
        self.person.use_kind(next((kind for kind in kinds.values() if kind.is_people), None))
        self.case.use_kinds(kinds)

    def add_person(self) -> None:
        """Fill in somebody new."""
        self._open(0, "", None)
        self.person.lines["first_name"].setFocus()

    def add_case(self, contact: Contact | None) -> None:
        """Fill in a new case, of somebody or of nobody."""
        self._open(1, "", Case("", "", contact=contact.id) if contact else None)
        if contact:
            self.case.know({contact.id: contact})
        self.case.lines["number"].setFocus()

    def change(self, page: PersonPage | CasePage) -> None:
        """Change a person or a case."""
        if isinstance(page, PersonPage):
            self._open(0, page.contact.id, page.contact)
            self.person.lines["first_name"].setFocus()
        else:
            self._open(1, page.matter.case.id, page.matter.case)
            self.case.know({one.id: one for one in page.people})
            self.case.lines["number"].setFocus()

    def _open(self, index: int, key: str, record: object) -> None:
        self.keep_drafts()
        self.setCurrentIndex(index)
        self.follow()
        if self._draft.open(key, record):
            self._shared.voice.say(said("Something unfinished could not be read; it is as it was."))

    def keep_drafts(self) -> None:
        """Let what is typed wait."""
        for draft in self._drafts:
            draft.keep()

    def leave(self) -> None:
        """Go back to reading; what is typed waits as a draft."""
        self._draft.keep()
        if self._draft.is_there:
            self._shared.voice.add(said("What you typed waits here until you go on with it."))
        self.left.emit()

    def drop(self) -> None:
        """Throw away what is typed, and go back to reading."""
        self._draft.forget(self._draft.key or "")
        self.left.emit()

    def keep(self) -> None:
        """Keep what is filled in."""
        today = self._shared.now().date()
        try:
            record: Record = self.case.case(today)if self.currentIndex() else self.person.person(
                today)  # fmt: skip
        except NebbetError as error:
            self._shared.voice.say(error.sentence)
            return
        key = record.id
        seen = self._told.get(key, self._draft.seen) if key else None
        if not key:
            made = f"{'c' if self.currentIndex() else 'p'}-{self._shared.token()}"
            record = replace(record, id=made)
        self._put(key, record, seen)

    def _put(self, key: str, record: Record, seen: object) -> None:
        shared, draft, typed = self._shared, self._draft, self._draft.typed()

        def done(_result: object) -> None:
            self._told.pop(key, None)
            draft.forget(key, typed)
            shared.voice.say(said("{name} is kept.", name=called(record)))
            if self._draft is draft and draft.key == key:
                self.kept.emit(record)

        def failed(error: NebbetError) -> None:
            if isinstance(error, Overtaken):
                self._told[key] = error.now
            shared.voice.fail(error)

        shared.change(lambda: shared.library.put(record, seen=seen), done, failed, once="record")


def called(record: Record) -> str:
    """What a person or a case is called in a sentence."""
    if isinstance(record, Contact):
        return record.name or record.email
    return record.number
