"""The shelves, the templates of the shelf at hand, and the reading pane."""

from collections.abc import Callable
from functools import partial

from msgspec.structs import replace
from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import (
    QComboBox,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QSplitter,
    QVBoxLayout,
    QWidget,
)

from nebbet.core import ranking
from nebbet.core.sentences import said
from nebbet.desktop.kit import asking, pieces, theme
from nebbet.desktop.kit.pause import after_pause
from nebbet.desktop.kit.picker import Choice
from nebbet.desktop.kit.place import Place
from nebbet.desktop.kit.still import StillCombo
from nebbet.desktop.session.shared_library import SharedLibrary
from nebbet.desktop.shelves.acts import Acts
from nebbet.desktop.shelves.reading_pane import ReadingPane
from nebbet.desktop.shelves.shelf_tree import ALL, LATELY, MOST, RETIRED, ShelfTree
from nebbet.desktop.shelves.table import Match, Row, TemplatesTable
from nebbet.library.drafting import as_begun
from nebbet.library.holdings import Shelf, Template, own_shelf
from nebbet.library.listing import Wanted

_AFTER_TYPING = 120  # milliseconds
_BEST = 300  # templates that are shown of those that words find


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


class _Narrow(StillCombo):
    """Narrows the list to one kind of case, or one keyword; hidden where there is nothing to
    choose."""

    def __init__(self, name: str, anything: str) -> None:
        super().__init__()
        theme.named(self, name)
        self._anything = anything
        self.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToContents)
        self.show_words(())

    def show_words(self, words: tuple[str, ...]) -> None:
        """Offer other words; what was chosen stays so if it is among them."""
        if words == tuple(self.itemText(n) for n in range(1, self.count())) and self.count():
            return
        kept = self.chosen
        self.blockSignals(True)
        self.clear()
        self.addItem(self._anything)
        self.addItems(words)
        self.setCurrentIndex(max(self.findText(kept), 0) if kept else 0)
        self.blockSignals(False)
        self.setVisible(bool(words))

    @property
    def chosen(self) -> str:
        """The word that is chosen, or nothing."""
        return self.currentText() if self.currentIndex() > 0 else ""


class ShelvesView(Place):
    """What one sees when one comes to the Library. taken tells that a letter is to be written
    with a template."""

    taken = Signal(str)

    def __init__(self, shared: SharedLibrary, links: list[QPushButton], tools: list[QPushButton]):
        """links lead to what else the team shares, tools make templates."""
        super().__init__()
        self._shared = shared
        self.tree = ShelfTree()
        self.table = TemplatesTable()
        self.find_field = _FindField(self.table)
        self.kind = _Narrow("Kind of case", "any kind of case")
        self.keyword = _Narrow("Keyword", "any keyword")
        self.nothing = pieces.label("", "faint")
        self.acts = Acts(shared, lambda: self.table.keys)
        self.pane = ReadingPane(shared)
        self.add = pieces.button("New shelf…", self.add_shelf, "words")
        self._following = False  # the library, not asked for by the person
        self._typing = False
        self._partly = frozenset[str]()
        self._next = ""
        self._later = after_pause(self, _AFTER_TYPING, self._show_now)
        self._lay_out(links, tools)
        self._connect()

    def _lay_out(self, links: list[QPushButton], tools: list[QPushButton]) -> None:
        shared = (pieces.row(button, None) for button in links)
        left = pieces.column("left", self.tree, pieces.row(self.add, None), *shared, margin=8)
        left.setFixedWidth(200)
        middle = QWidget()
        pieces.fill(
            QVBoxLayout(middle),
            pieces.row(pieces.grow(self.find_field), *tools),
            pieces.row(self.kind, self.keyword, None),
            self.nothing,
            self.table,
            self.acts,
            margin=8,
        )
        split = QSplitter()
        split.setHandleWidth(1)
        split.setChildrenCollapsible(False)
        split.addWidget(middle)
        split.addWidget(pieces.column("right", self.pane))
        split.setSizes([600, 460])
        pieces.fill(QHBoxLayout(self), left, split, spacing=0)

    def _connect(self) -> None:
        self.tree.chosen.connect(self.fill)
        self.tree.ordered.connect(self._order)
        self.tree.renamed.connect(self._rename)
        self.tree.dropped.connect(self._drop)
        self.tree.unwanted.connect(self._take_down)
        self.find_field.textChanged.connect(lambda _text: self.fill(best_first=True))
        for narrow in (self.kind, self.keyword):
            narrow.currentIndexChanged.connect(lambda _index: self.fill())
        self.table.chosen.connect(self._show_template)
        self.table.selectionModel().selectionChanged.connect(lambda *_: self.acts.refresh())
        self.table.taken.connect(self.taken)
        self.table.words.connect(self._type)
        self.pane.take.connect(self.taken)
        self._shared.search.ready.connect(self.refresh)
        # Keys of this view alone: they mean other things in a text.
        acts, own = self.acts, self.pane.own
        self.add_key("Pin or unpin for me", "Ctrl+P", acts.pin_for_me)
        self.add_key("Pin or unpin for all", "Ctrl+Shift+P", acts.pin_for_all)
        self.add_key("Move to another shelf", "Ctrl+M", acts.ask_where_to_move)
        self.add_key("Copy to a shelf", "Ctrl+Shift+D", acts.ask_where_to_copy)
        self.add_key("Retire or bring back", "Ctrl+Delete", acts.retire)
        self.add_key("My own version", "Ctrl+Alt+M", own.make)
        self.add_key("Offer to the team", "Ctrl+Alt+G", own.ask_why)

    # What is shown

    def refresh(self) -> None:
        """Show the library as it is known now."""
        shared, listing = self._shared, self._shared.search.listing
        self._following = True
        before = [
            Choice(ALL, "All templates", aside=str(len(listing.living))),
            Choice(LATELY, "Used lately by me"),
            Choice(MOST, "Used most"),
        ]
        if shared.my_id:
            mine = own_shelf(shared.my_id)
            before.append(Choice(mine.id, mine.name, aside=str(listing.counts.get(mine.id, 0))))
        retired = len(listing.retired)
        after = [Choice(RETIRED, "Retired", aside=str(retired))] if retired else []
        shelves, leads = shared.catalogue.shared_shelves, shared.leads
        self.tree.show_shelves(before, shelves, listing.counts, after, may_arrange=leads)
        self.add.setVisible(leads)
        self.kind.show_words(listing.kinds)
        self.keyword.show_words(listing.keywords)
        self._following = False
        self.fill(asked=False)

    def fill(self, *, best_first: bool = False, asked: bool = True) -> None:
        """Show the templates of what is chosen on the left, that the words find."""
        if self._following:
            return
        shared, words = self._shared, self.find_field.text().strip()
        self._partly = frozenset[str]()
        keys = self._keys(words)
        matching = partial(self._match, words) if words else None
        self._typing = best_first
        self.table.show_rows(
            keys, self._row, shared.now(), matching, best_first=best_first, asked=asked
        )
        self._typing = False
        self.nothing.setText(self._of_the_list(words, keys))
        self.nothing.setVisible(bool(self.nothing.text()))
        self.acts.refresh()

    def _of_the_list(self, words: str, keys: list[str]) -> str:
        """What there is to say of the list as a whole."""
        if not self._shared.catalogue.templates and self._shared.is_open:
            return said(
                "The library has no template yet. New template begins one; Import takes messages, "
                "pages and notes in, Packs another library."
            )
        if not words:
            return "" if keys else said("No template stands here yet.")
        if not keys:
            return said("No template here has any of these words.")
        if self._partly.issuperset(keys):
            return said("No template here has all of these words; these have the telling ones.")
        if len(keys) < _BEST:
            return ""
        return said("The best {most} are shown: another word finds fewer.", most=_BEST)

    def _keys(self, words: str) -> list[str]:
        """The templates to show, in their order: by words, by use, or by title."""
        shared, listing, at = self._shared, self._shared.search.listing, self.tree.key or ALL
        shelf = "" if at in (ALL, LATELY, MOST, RETIRED) else at
        wanted = Wanted(shelf, at == RETIRED, self.kind.chosen, self.keyword.chosen)
        if words:
            found = shared.search.templates(words)
            self._partly = found.partly
            return listing.chosen(wanted, found.keys)[:_BEST]
        if at == LATELY:
            mine = (e.template for e in shared.entries if e.sender == shared.my_id)
            return listing.chosen(wanted, listing.lately(mine))
        return listing.chosen(wanted, listing.most if at == MOST else None)

    def _row(self, key: str) -> Row:
        catalogue = self._shared.search.listing.catalogue
        template = as_begun(catalogue.templates[key], self._shared.own.drafts.get(key))
        if not template.title:
            template = replace(template, title=said("Without a title yet"))
        return Row(template, catalogue.usage_of(key), self._said_of(template))

    def _said_of(self, template: Template) -> str:
        marked = "pinned for all" if template.pinned else ""
        if template.id in self._shared.own.pinned:
            marked = "pinned"
        editing = "being edited" if self._shared.others_editing(template.id) else ""
        partly = "not all words" if template.id in self._partly else ""
        return ", ".join(filter(None, (marked, editing, partly)))

    def _match(self, words: str, template: Template) -> Match:
        spans = ranking.matched(words, template.title)
        if spans:
            return Match(spans)
        what, excerpt, found = self._shared.search.where(template, words)
        before = f"{what}: " if what else ""
        return Match([], before + excerpt, [(a + len(before), b + len(before)) for a, b in found])

    def _show_template(self, key: str) -> None:
        """Show the template at hand; while somebody types, once there is a pause."""
        if key and self._typing:
            self._later.start()
        else:
            self._show_now()

    def _show_now(self) -> None:
        self._later.stop()
        self.pane.show_template(self._shared.catalogue.templates.get(self.table.key))

    def _type(self, letters: str) -> None:
        """Typing in the list goes on in the find field."""
        self.find_field.setText(letters)
        self.find_field.setFocus()
        self.find_field.setCursorPosition(len(letters))

    def arrive(self) -> None:
        self.table.choose(self._next or self.table.key)
        self._next = ""
        self._show_now()
        self.table.setFocus()

    def show_next(self, key: str) -> None:
        """Have a template at hand when the person comes back."""
        self._next = key

    def show_template(self, key: str) -> None:
        """Put a template at hand, wherever it stands."""
        self.find_field.clear()
        self.kind.setCurrentIndex(0)
        self.keyword.setCurrentIndex(0)
        retired = self._shared.catalogue.templates[key].state == "retired"
        self.tree.choose(RETIRED if retired else ALL)
        self.table.choose(key)

    @property
    def shelf(self) -> Shelf | None:
        """The shelf that something new is put on: the one at hand, where the person may; nothing
        where none is."""
        shared = self._shared
        mine = own_shelf(shared.my_id) if shared.my_id else None
        if mine and (self.tree.key == mine.id or not shared.leads):
            return mine
        shelves = shared.catalogue.shared_shelves
        return next((s for s in shelves if s.id == self.tree.key), None)

    # Arranging shelves

    def ask_for_shelf(self, where: QWidget, act: Callable[[Shelf], object]) -> None:
        """Ask onto which shelf something is to go; the first shelf of all is put up first."""
        shared = self._shared
        if shared.leads and not shared.catalogue.shared_shelves:
            self.add_shelf(act)
        elif shared.leads or shared.my_id:
            self.acts.offer_shelves(where, act, all_shelves=shared.leads)
        else:
            shared.voice.say("Say who you are first (click your name), for a shelf of yours.")

    def add_shelf(self, then: Callable[[Shelf], object] | None = None) -> None:
        """Ask for a name and put up a shelf; then goes on with it."""
        words = said("What the shelf is called.")
        name = asking.ask_line(self, said("New shelf"), words, said("Put it up"))
        if name:
            shelf = Shelf(self._shared.token(), name[:200])
            position = len(self._shared.catalogue.shelves)
            library = self._shared.library

            def done(_result: object) -> None:
                if then:
                    then(shelf)

            self._shared.change(lambda: library.add_shelf(shelf, position), done)

    def _order(self, shelves: list[Shelf]) -> None:
        library, seen = self._shared.library, self._shared.catalogue.shared_shelves
        self._shared.change(lambda: library.order_shelves(shelves, seen))

    def _rename(self, shelf: str, name: str) -> None:
        library, shelves = self._shared.library, self._shared.catalogue.shelves
        seen = next((found.name for found in shelves if found.id == shelf), None)
        self._shared.change(lambda: library.rename_shelf(shelf, name[:200], seen))

    def _drop(self, shelf: str, templates: list[str]) -> None:
        found = next((s for s in self._shared.catalogue.shelves if s.id == shelf), None)
        if found:
            self.acts.move_to(found, templates)

    def _take_down(self, shelf: str) -> None:
        shared, library = self._shared, self._shared.library
        name = next((s.name for s in shared.catalogue.shelves if s.id == shelf), "")
        shared.change(
            lambda: library.remove_shelf(shelf),
            lambda _done: shared.voice.say(f"The shelf “{name}” is taken down."),
        )
