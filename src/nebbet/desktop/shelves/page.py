"""The place Library."""

from collections.abc import Callable
from functools import cached_property
from typing import TypeVar

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import (
    QHBoxLayout,
    QInputDialog,
    QLineEdit,
    QSplitter,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from nebbet.core import ranking
from nebbet.desktop.kit import pieces, theme
from nebbet.desktop.kit.picker import Choice, ChoiceList
from nebbet.desktop.kit.place import Place
from nebbet.desktop.session import Session
from nebbet.desktop.shelves.editor import TemplateEditor
from nebbet.desktop.shelves.facts import SharedFacts
from nebbet.desktop.shelves.files_in_and_out import FilesInAndOut
from nebbet.desktop.shelves.history import History
from nebbet.desktop.shelves.proposals import Proposals
from nebbet.desktop.shelves.reading import ReadingPane
from nebbet.desktop.shelves.shared_frames import SharedFrames
from nebbet.desktop.shelves.shared_passages import SharedPassages
from nebbet.desktop.shelves.table import TemplatesTable
from nebbet.library.catalogue import Proposal, Shelf, Template, template_entries

_ALL, _RETIRED = "all", "retired"
_Page = TypeVar(
    "_Page", TemplateEditor, SharedFacts, SharedPassages, SharedFrames, History, Proposals
)


class _FindField(QLineEdit):
    """The field that narrows the list; down goes into the list, Esc clears."""

    def __init__(self, table: TemplatesTable) -> None:
        super().__init__()
        self._table = table
        theme.named(self, "Find a template")
        self.setPlaceholderText("Find: words from title, subject or text")
        self.setClearButtonEnabled(True)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Down:
            self._table.setFocus()
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self._table.key:
            self._table.taken.emit(self._table.key)
        elif event.key() == Qt.Key.Key_Escape and self.text():
            self.clear()
        else:
            super().keyPressEvent(event)


class LibraryPage(Place):
    """Shelves, the templates of a shelf, and a reading pane; or the template editor.

    take tells that a letter is to be written with a template.
    """

    title = "Library"
    help = (
        "Choose a shelf, or type anywhere in the list to find a template by words from its title, "
        "subject or text. Return begins a letter with the template at hand. Ctrl+E opens it in the "
        "editor, Ctrl+Shift+N starts a new one on this shelf. Ctrl+Shift+A shows the facts and the "
        "working days of the team, Ctrl+Alt+B the passages, Ctrl+Alt+F the frames, Ctrl+Alt+H the "
        "editions of the template at hand, Ctrl+Alt+P what colleagues propose."
    )
    take = Signal(str)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._shelf = _ALL
        self._from_editor = False
        self.shelves = ChoiceList("Shelves")
        self.table = TemplatesTable()
        self.find_field = _FindField(self.table)
        self.pane = ReadingPane(session)
        self.files = FilesInAndOut(session, self)
        self._stack = QStackedWidget()
        self._lay_out()
        self._connect()
        self.refresh()

    # Pages that are made when they are first needed

    @cached_property
    def editor(self) -> TemplateEditor:
        """The template editor."""
        made = self._add_page(TemplateEditor(self._session))
        made.passage_wanted.connect(self._open_passage)
        made.editions_wanted.connect(self.show_editions)
        return made

    @cached_property
    def facts(self) -> SharedFacts:
        """What the team shares beside texts."""
        return self._add_page(SharedFacts(self._session))

    @cached_property
    def passages(self) -> SharedPassages:
        """The pieces of text that templates include."""
        return self._add_page(SharedPassages(self._session))

    @cached_property
    def frames(self) -> SharedFrames:
        """The looks that letters can have."""
        return self._add_page(SharedFrames(self._session))

    @cached_property
    def history(self) -> History:
        """The editions of a template."""
        return self._add_page(History(self._session))

    @cached_property
    def proposals(self) -> Proposals:
        """What colleagues propose."""
        made = self._add_page(Proposals(self._session))
        made.amend.connect(self._amend)
        return made

    def _add_page(self, page: _Page) -> _Page:
        page.left.connect(self._back)
        if self._session.library.role != "lead":
            for control in page.for_leads:
                control.hide()
        self._stack.addWidget(page)
        return page

    # Layout

    def _lay_out(self) -> None:
        self.add = pieces.button("New shelf…", self.add_shelf, "words")
        facts = pieces.button("Facts and working days", self.show_facts, "words")
        passages = pieces.button("Passages", self.show_passages, "words")
        frames = pieces.button("Frames", self.show_frames, "words")
        self.proposed = pieces.button("Proposals", self.show_proposals, "words")
        links = (self.proposed, passages, frames, facts)
        shared = (pieces.row(button, None) for button in links)
        left = pieces.column("left", self.shelves, pieces.row(self.add, None), *shared, margin=8)
        left.setFixedWidth(200)
        self.new = pieces.button("New template", self.new_template, hint="Ctrl+Shift+N")
        self.take_files = pieces.button("Import…", self.ask_for_files, hint="Ctrl+Alt+O")
        middle = QWidget()
        pieces.fill(
            QVBoxLayout(middle),
            pieces.row(pieces.grow(self.find_field), self.new, self.take_files),
            self.table,
            margin=8,
        )
        right = pieces.column("right", self.pane)
        split = QSplitter()
        split.setHandleWidth(1)
        split.setChildrenCollapsible(False)
        split.addWidget(middle)
        split.addWidget(right)
        split.setSizes([600, 460])
        shelves = QWidget()
        pieces.fill(QHBoxLayout(shelves), left, split, spacing=0)
        self._stack.addWidget(shelves)
        pieces.fill(QVBoxLayout(self), self._stack)

    def _connect(self) -> None:
        self.shelves.currentItemChanged.connect(lambda *_: self._choose_shelf())
        self.find_field.textChanged.connect(lambda _text: self._fill_table(best_first=True))
        self.table.chosen.connect(self._show_template)
        self.table.taken.connect(self._take)
        self.table.words.connect(self._type)
        self.pane.take.connect(self._take)
        self.pane.edit.connect(self.edit)
        self.pane.pin.connect(self._pin)
        self.pane.retire.connect(self._retire)
        self.pane.export.connect(lambda _key: self.export())
        self.files.taken.connect(self._open_taken)
        self.pane.editions.connect(self.show_editions)
        self._session.catalogue_changed.connect(self.refresh)
        self.add_key("Edit the template", "Ctrl+E", self._edit_current)
        self.add_key("New template", "Ctrl+Shift+N", self.new_template)
        self.add_key("Import files as templates", "Ctrl+Alt+O", self.ask_for_files)
        self.add_key("Export the template", "Ctrl+Alt+E", self.export)
        self.add_key("Facts and working days", "Ctrl+Shift+A", self.show_facts)
        self.add_key("Editions", "Ctrl+Alt+H", self._show_editions)
        self.add_key("Proposals", "Ctrl+Alt+P", self.show_proposals)
        self.add_key("Passages", "Ctrl+Alt+B", self.show_passages)
        self.add_key("Frames", "Ctrl+Alt+F", self.show_frames)
        self.add_key("Pin or unpin", "Ctrl+P", lambda: self._pin(self.table.key))

    def show_facts(self) -> None:
        """Show what the team shares beside texts."""
        self.facts.refresh()
        self._stack.setCurrentWidget(self.facts)
        self.facts.list.setFocus()

    def show_passages(self) -> None:
        """Show the pieces of text that templates include."""
        self._from_editor = self.is_editing
        self._stack.setCurrentWidget(self.passages)
        self.passages.refresh()
        self.passages.list.setFocus()

    def _open_passage(self, key: str) -> None:
        """Show the passage that somebody came upon in a template."""
        self.editor.keep_draft()
        self.show_passages()
        self.passages.refresh(key)

    def show_frames(self) -> None:
        """Show the looks that letters can have."""
        self._stack.setCurrentWidget(self.frames)
        self.frames.refresh()
        self.frames.list.setFocus()

    def show_editions(self, key: str) -> None:
        """Show the editions of a template."""
        template = self._session.catalogue.templates.get(key)
        if template is None or not template.edition:
            self._session.voice.say("This template has no edition yet.")
            return
        if self.is_editing:
            self.editor.keep_draft()
            self._from_editor = True
        self._stack.setCurrentWidget(self.history)
        self.history.open(template)

    def _show_editions(self) -> None:
        self.show_editions(self.editor.template if self.is_editing else self.table.key)

    def show_proposals(self) -> None:
        """Show what colleagues propose."""
        self._stack.setCurrentWidget(self.proposals)
        self.proposals.refresh()
        self.proposals.list.setFocus()

    def _amend(self, template: Template, proposal: Proposal) -> None:
        """Open a template with a proposal that what is put in use will answer."""
        self._stack.setCurrentWidget(self.editor)
        self.editor.open(template, proposal)

    def arrive(self) -> None:
        shown = self._stack.currentWidget()
        if isinstance(shown, SharedFacts | SharedPassages | SharedFrames | History | Proposals):
            shown.list.setFocus()
        elif self.is_editing:
            self.editor.body.setFocus()
        else:
            self.table.setFocus()

    @property
    def is_editing(self) -> bool:
        """Whether the editor is open."""
        return isinstance(self._stack.currentWidget(), TemplateEditor)

    def keep_draft(self) -> None:
        """Keep what stands in the editor, if it was ever opened."""
        if "editor" in self.__dict__:
            self.editor.keep_draft()

    def at_hand(self) -> Place:
        shown = self._stack.currentWidget()
        return shown if isinstance(shown, Place) else self

    # Lists

    def refresh(self) -> None:
        """Show the library as it is now."""
        shown = self._stack.currentWidget()
        if isinstance(shown, SharedFacts | SharedPassages | SharedFrames | Proposals):
            shown.refresh()
        waiting = sum(p.state == "waiting" for p in self._session.catalogue.proposals.values())
        if self._session.is_open:
            leads = self._session.library.role == "lead"
            for control in (self.add, self.new, self.take_files):
                control.setVisible(leads)
        self.proposed.setText(f"Proposals ({waiting})" if waiting else "Proposals")
        self.proposed.setAccessibleName(self.proposed.text())
        templates = self._session.catalogue.templates.values()
        living = [t for t in templates if t.state != "retired"]
        retired = len(templates) - len(living)
        choices = [Choice(_ALL, "All templates", aside=str(len(living)))]
        for shelf in self._session.catalogue.shelves:
            count = sum(t.shelf == shelf.id for t in living)
            choices.append(Choice(shelf.id, shelf.name, aside=str(count)))
        if retired:
            choices.append(Choice(_RETIRED, "Retired", aside=str(retired)))
        self.shelves.show_choices(choices, keep=self._shelf)
        if not self.shelves.key:
            self._shelf = _ALL
            self.shelves.setCurrentRow(0)
        self._fill_table()

    def _choose_shelf(self) -> None:
        self._shelf = self.shelves.key or _ALL
        self._fill_table()

    def _fill_table(self, *, best_first: bool = False) -> None:
        catalogue = self._session.catalogue
        rows = []
        for key in ranking.find(self.find_field.text(), template_entries(catalogue)):
            template = catalogue.templates[key]
            if self._on_shelf(template):
                rows.append((template, catalogue.usage_of(key)))
        self.table.show_rows(rows, self._session.parts.now(), best_first=best_first)

    def _on_shelf(self, template: Template) -> bool:
        if self._shelf == _RETIRED:
            return template.state == "retired"
        if template.state == "retired":
            return False
        return self._shelf in (_ALL, template.shelf)

    def _show_template(self, key: str) -> None:
        self.pane.show_template(self._session.catalogue.templates.get(key))

    def _type(self, letters: str) -> None:
        """Typing in the list goes on in the find field."""
        self.find_field.setText(letters)
        self.find_field.setFocus()
        self.find_field.setCursorPosition(len(letters))

    def show(self, key: str = "") -> None:
        """Show the shelves, with a template at hand when one is given."""
        super().show()
        if key:
            self._stack.setCurrentIndex(0)
            self.find_field.clear()
            self.shelves.setCurrentRow(0)
            self.table.choose(key)

    # Acts

    def _take(self, key: str) -> None:
        template = self._session.catalogue.templates.get(key)
        if template and template.state == "in use" and template.edition:
            self.take.emit(key)
        else:
            self._session.voice.say(
                "This template is not in use: it has no edition, or is retired."
            )

    def _edit_current(self) -> None:
        if isinstance(self._stack.currentWidget(), Proposals):
            self.proposals.amend_it()
        elif self.table.key and not self.is_editing:
            self.edit(self.table.key)

    def edit(self, key: str) -> None:
        """Open a template in the editor."""
        self._stack.setCurrentWidget(self.editor)
        self.editor.open(self._session.catalogue.templates[key])

    def _back(self) -> None:
        """Back to the shelves, or to the template from which somebody looked at a passage."""
        if self._from_editor:
            self._from_editor = False
            self._stack.setCurrentWidget(self.editor)
            self.editor.refresh()
            return
        edited = self.editor.template if self.is_editing else ""
        self._stack.setCurrentIndex(0)
        self.table.choose(edited or self.table.key)
        self._show_template(self.table.key)
        self.table.setFocus()

    def new_template(self) -> None:
        """Start a template on the shelf at hand and open it in the editor."""
        if self.is_editing:
            return
        chosen = self._shelf_at_hand()
        if not chosen:
            self.add_shelf()
            return
        key, library, session = self._session.parts.token(), self._session.library, self._session
        session.operations.run(
            lambda: library.add_template(key, chosen, ""),
            lambda _result: self._when_known(key, lambda: self.edit(key)),
            session.voice.fail,
        )

    def ask_for_files(self) -> None:
        """Choose files that are to become templates on the shelf at hand."""
        if self.is_editing:
            return
        if shelf := self._shelf_at_hand():
            self.files.ask_for_files(shelf)
        else:
            self.add_shelf()

    def export(self) -> None:
        """Write the template at hand into a file."""
        template = self._session.catalogue.templates.get(self.table.key)
        if template and not self.is_editing:
            self.files.ask_where(template, self.pane.language)

    def _open_taken(self, key: str, said: str) -> None:
        def opened() -> None:
            self.edit(key)
            self.editor.offer_prompts(said)

        self._when_known(key, opened)

    def _when_known(self, key: str, act: Callable[[], None]) -> None:
        """Do something as soon as the library at hand knows a template."""

        def known() -> None:
            if key in self._session.catalogue.templates:
                self._session.catalogue_changed.disconnect(known)
                act()

        self._session.catalogue_changed.connect(known)
        self._session.refresh_catalogue()

    def _shelf_at_hand(self) -> str:
        shelves = [shelf.id for shelf in self._session.catalogue.shelves]
        return self._shelf if self._shelf in shelves else next(iter(shelves), "")

    def add_shelf(self) -> None:
        """Ask for a name and put up a shelf."""
        name, given = QInputDialog.getText(self.window(), "New shelf", "Name of the shelf:")
        if given and name.strip():
            shelf = Shelf(self._session.parts.token(), name.strip())
            position = len(self._session.catalogue.shelves)
            library = self._session.library
            self._session.change_library(lambda: library.add_shelf(shelf, position))

    def _pin(self, key: str) -> None:
        template = self._session.catalogue.templates.get(key)
        if template:
            library, pinned = self._session.library, not template.pinned
            self._session.change_library(lambda: library.set_template(key, pinned=pinned))

    def _retire(self, key: str) -> None:
        template = self._session.catalogue.templates[key]
        library = self._session.library
        back = "in use" if template.edition else "draft"
        state = back if template.state == "retired" else "retired"

        def done(_result: object) -> None:
            if state == "retired":
                self._session.voice.say(
                    f"“{template.title}” is retired: it is kept, but not offered any more.",
                    "Bring back",
                    lambda: self._session.change_library(
                        lambda: library.set_template(key, state=template.state)
                    ),
                )

        self._session.change_library(lambda: library.set_template(key, state=state), done)  # type: ignore[arg-type]
