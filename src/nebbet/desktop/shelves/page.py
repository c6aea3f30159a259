"""The place Library."""

from collections.abc import Callable
from functools import cached_property

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QVBoxLayout

from nebbet.desktop.editions.history import History
from nebbet.desktop.editions.proposals import Proposals
from nebbet.desktop.editions.states import States
from nebbet.desktop.kit import pieces
from nebbet.desktop.kit.page_stack import PageStack
from nebbet.desktop.kit.place import Place
from nebbet.desktop.session.shared_library import SharedLibrary
from nebbet.desktop.shared.facts import SharedFacts
from nebbet.desktop.shared.files import Files
from nebbet.desktop.shared.frames import SharedFrames
from nebbet.desktop.shared.list_page import ListPage
from nebbet.desktop.shared.passages import SharedPassages
from nebbet.desktop.shelves.files_in_and_out import FilesInAndOut
from nebbet.desktop.shelves.pages_beside import PagesBeside
from nebbet.desktop.shelves.view import ShelvesView
from nebbet.desktop.template.editor import TemplateEditor
from nebbet.desktop.template.presence import Presence
from nebbet.library.changes import Change
from nebbet.library.holdings import Proposal, Shelf, Template


class LibraryPage(PagesBeside):
    """Shelves, the templates of a shelf, and a reading pane; or the template editor.

    take tells that a letter is to be written with a template.
    """

    title = "Library"
    help = (
        "Choose a shelf, or type anywhere in the list to find a template by words from its title, "
        "subject or text; typing mistakes are forgiven. Return begins a letter with the one at "
        "hand, Ctrl+E opens it in the editor, Ctrl+Shift+N starts a new one on this shelf. Select "
        "several to pin, move, copy or retire them at once. On the shelves, F2 renames, Alt and an "
        "arrow arranges, Delete takes an empty one down. Your own shelf is seen by nobody else."
    )
    take = Signal(str)

    def __init__(self, shared: SharedLibrary) -> None:
        super().__init__(shared)
        self.in_and_out = FilesInAndOut(shared, self)
        self.proposed = pieces.button("Proposals", self.show_proposals, "words")
        links = [
            self.proposed,
            pieces.button("Passages", self.show_passages, "words"),
            pieces.button("Frames", self.show_frames, "words"),
            pieces.button("Facts and working days", self.show_facts, "words"),
            pieces.button("Files", self.show_files, "words"),
            pieces.button("Members", self.show_members, "words"),
            pieces.button("Checks", self.show_checks, "words"),
        ]
        self.packs_button = pieces.button("Packs…", self.offer_packs, "words", "Ctrl+Alt+K")
        links.append(self.packs_button)
        self.new = pieces.button("New template", self.new_template, hint="Ctrl+Shift+N")
        self.take_files = pieces.button("Import…", self.ask_for_files, hint="Ctrl+Alt+O")
        self.view = ShelvesView(shared, links, [self.new, self.take_files])
        self.shelves, self.table, self.pane = self.view.tree, self.view.table, self.view.pane
        self.find_field, self.acts = self.view.find_field, self.view.acts
        self._led = shared.leads
        self._presence = Presence(shared)
        self._pages = PageStack(self.view)
        self._pages.currentChanged.connect(lambda _index: self._be_present())
        pieces.fill(QVBoxLayout(self), self._pages)
        self._connect()
        self.refresh()

    # Pages that are made when they are first needed

    @cached_property
    def editor(self) -> TemplateEditor:
        """The template editor."""
        made = self._add(TemplateEditor(self._shared))
        made.passage_wanted.connect(self._open_passage)
        made.editions_wanted.connect(self.show_editions)
        return made

    @cached_property
    def history(self) -> History:
        """The editions of a template."""
        return self._add(History(self._shared))

    @cached_property
    def states(self) -> States:
        """What a fact, a passage or a frame was before."""
        return self._add(States(self._shared))

    @cached_property
    def proposals(self) -> Proposals:
        """What colleagues propose."""
        made = self._add(Proposals(self._shared))
        made.amend.connect(self._amend)
        return made

    def _follow_role(self) -> None:
        """Somebody was made a lead, or is none any more."""
        if self._shared.leads == self._led:
            return
        self._led = self._shared.leads
        for page in self._mine:
            self._show_for_leads(page)
            if isinstance(page, ListPage):
                page.let_type()
                page.shown()

    def _connect(self) -> None:
        self.view.taken.connect(self._take)
        self.pane.edit.connect(self.edit)
        self.pane.own.edit.connect(self.edit)
        self.pane.own.changed.connect(self.show_editions)
        self.pane.export.connect(lambda _key: self.export())
        self.in_and_out.taken.connect(self._open_taken)
        self.pane.editions.connect(self.show_editions)
        self._shared.changed.connect(self._follow)
        self._shared.search.ready.connect(self._found_anew)
        self.add_key("Import files as templates", "Ctrl+Alt+O", self.ask_for_files)
        self.add_key("Export the template", "Ctrl+Alt+E", self.export)
        self.add_key("Packs: write one, take one in", "Ctrl+Alt+K", self.offer_packs)
        self.add_key("Facts and working days", "Ctrl+Shift+A", self.show_facts)
        self.add_key("Editions", "Ctrl+Alt+H", self._show_editions)
        # The same keys mean something else, or nothing, on the other pages.
        self.view.add_key("Edit the template", "Ctrl+E", self._edit_current)
        self.view.add_key("New template", "Ctrl+Shift+N", self.new_template)
        self.view.add_key("Proposals", "Ctrl+Alt+P", self.show_proposals)
        self.add_key("Passages", "Ctrl+Alt+B", self.show_passages)
        self.add_key("Frames", "Ctrl+Alt+F", self.show_frames)
        self.add_key("Files", "Ctrl+Alt+L", self.show_files)
        self.add_key("Members", "Ctrl+Alt+U", self.show_members)
        self.add_key("Checks", "Ctrl+Alt+J", self.show_checks)

    # Going to pages

    def show_proposals(self) -> None:
        """Show what colleagues propose."""
        self._show_list(self.proposals)

    def _show_here(self, key: str) -> None:
        self._pages.go(self.view)
        self.view.show_template(key)
        self.table.setFocus()

    def show_editions(self, key: str) -> None:
        """Show the editions of a template."""
        template = self._shared.catalogue.templates.get(key)
        if template is None or not template.edition:
            self._shared.voice.say("This template has no edition yet.")
            return
        self._pages.go(self.history)
        self.history.open(template)

    def _show_editions(self) -> None:
        """Show the editions, or the earlier states, of what is at hand."""
        shown = self._pages.page
        if isinstance(shown, SharedFacts | SharedPassages | SharedFrames):
            if shown.list.key:
                self._pages.go(self.states)
                self.states.open(*shown.shared)
            return
        self.show_editions(self.editor.template if self.is_editing else self.table.key)

    def _amend(self, template: Template, proposal: Proposal | None, draft: bytes) -> None:
        """Open a draft of a template, with the proposal that what is put in use will answer."""
        self._pages.go(self.view)  # what follows is about the template, not the proposal
        self._shared.own.keep_draft(template.id, draft)
        self._open_editor(template, proposal)

    def _open_editor(self, template: Template, proposal: Proposal | None = None) -> None:
        self._pages.go(self.editor)
        self.editor.open(template, proposal)
        self.view.show_next(template.id)
        self._be_present()

    def arrive(self) -> None:
        self._pages.page.arrive()

    @property
    def is_editing(self) -> bool:
        """Whether the editor is open."""
        return isinstance(self._pages.page, TemplateEditor)

    def _be_present(self) -> None:
        """Let others know which template is open here."""
        self._presence.show(self.editor.template if self.is_editing else "")

    def gone(self) -> None:
        self._pages.page.gone()

    def leave(self) -> None:
        """The window closes: keep what is not kept yet, and let others know."""
        self.gone()
        self._presence.show("")

    def at_hand(self) -> Place:
        shown = self._pages.page
        return shown if shown is not self.view else self

    # Following the library

    def _follow(self, change: Change) -> None:
        self._follow_role()
        if change.touches("proposal"):
            self._show_proposed()
        if change.touches("shelf"):
            self.view.refresh()
        shown = self._pages.page
        if isinstance(shown, ListPage | Proposals | Files):
            shown.follow(change)

    def _found_anew(self) -> None:
        """What is used where is known anew."""
        shown = self._pages.page
        if isinstance(shown, ListPage):
            shown.refresh()

    def refresh(self) -> None:
        """Show the shelves as they are now."""
        self._show_proposed()
        self.view.refresh()

    def _show_proposed(self) -> None:
        waiting = sum(p.state == "waiting" for p in self._shared.catalogue.proposals.values())
        self.take_files.setVisible(self._shared.leads)
        self.packs_button.setVisible(self._shared.leads)
        self.proposed.setText(f"Proposals ({waiting})" if waiting else "Proposals")
        self.proposed.setAccessibleName(self.proposed.text())

    def show(self, key: str = "") -> None:
        """Show the shelves, with a template at hand when one is given."""
        super().show()
        if key:
            self._pages.go(self.view)
            self.view.show_template(key)

    # Acts

    def _take(self, key: str) -> None:
        template = self._shared.catalogue.templates.get(key)
        if template and template.state == "in use" and template.edition:
            self.take.emit(key)
        else:
            self._shared.voice.say("This template is not in use: it has no edition, or is retired.")

    def _edit_current(self) -> None:
        if self.table.key:
            self.edit(self.table.key)

    def edit(self, key: str) -> None:
        """Open a template in the editor."""
        self._open_editor(self._shared.catalogue.templates[key])

    def new_template(self) -> None:
        """Start a template on the shelf at hand and open it in the editor."""
        if shelf := self.view.shelf:
            self._begin_on(shelf)
        else:
            self.view.ask_for_shelf(self.new, self._begin_on)

    def _begin_on(self, shelf: Shelf) -> None:
        shared = self._shared
        key, library = shared.token(), shared.library

        def start() -> None:
            library.make_sure_of(shelf)
            library.add_template(key, shelf.id, "")

        shared.operations.run(
            start, lambda _result: self._when_known(key, lambda: self.edit(key)), shared.voice.fail
        )

    def ask_for_files(self) -> None:
        """Choose files that are to become templates, on the shelf at hand or one that is asked
        for."""
        if shelf := self.view.shelf:
            self.in_and_out.ask_for_files(shelf)
        else:
            self.view.ask_for_shelf(self.take_files, self.in_and_out.ask_for_files)

    def offer_packs(self) -> None:
        """Offer to write a pack, or to take one in."""
        if not self.is_editing and self._shared.leads:
            self.in_and_out.packs.offer(self.packs_button, self.table.keys)

    def export(self) -> None:
        """Write the template at hand into a file."""
        template = self._shared.catalogue.templates.get(self.table.key)
        if template and not self.is_editing:
            self.in_and_out.ask_where(template, self.pane.language)

    def _open_taken(self, key: str, said: str) -> None:
        def opened() -> None:
            self.edit(key)
            self.editor.prompts.offer_all(said)

        self._when_known(key, opened)

    def _when_known(self, key: str, act: Callable[[], None]) -> None:
        """Do something as soon as the library at hand knows a template."""
        if key in self._shared.catalogue.templates:
            act()
            return

        def known() -> None:
            if key in self._shared.catalogue.templates:
                self._shared.changed.disconnect(known)
                act()

        self._shared.changed.connect(known)
        self._shared.refresh()
