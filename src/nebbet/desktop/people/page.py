"""The place People."""

from functools import cached_property
from typing import TypeVar

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QVBoxLayout, QWidget

from nebbet.core.records.likeness import Twins
from nebbet.core.sentences import said
from nebbet.desktop.kit import pieces
from nebbet.desktop.kit.page_stack import PageStack
from nebbet.desktop.kit.place import Place
from nebbet.desktop.people.doubles import Doubles
from nebbet.desktop.people.holdings import Holdings
from nebbet.desktop.people.importing import Importing
from nebbet.desktop.people.kinds import Kinds
from nebbet.desktop.people.links import Links
from nebbet.desktop.people.view import PeopleView
from nebbet.desktop.session.session import Session

_Page = TypeVar("_Page", bound=Place)


class PeoplePlace(Place):
    """People and cases, and the pages beside them. write, entry_wanted and again are the view's."""

    title = "People"
    help = PeopleView.help
    write = Signal(object, object)
    entry_wanted = Signal(str)
    again = Signal(object)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session, self._shared = session, session.shared
        shared = session.shared
        self._mine: list[Place] = []
        links: list[QWidget] = [
            pieces.button(said("Import…"), self.show_import, "words", "Ctrl+Alt+O"),
            pieces.button(said("Kinds of case"), self.show_kinds, "words", "Ctrl+Alt+K"),
            pieces.button(said("Linked tables"), self.show_links, "words", "Ctrl+Alt+L"),
        ]
        self.view = PeopleView(shared, session.arrived, links)
        self._pages = PageStack(self.view)
        pieces.fill(QVBoxLayout(self), self._pages)
        self.view.write.connect(self.write)
        self.view.entry_wanted.connect(self.entry_wanted)
        self.view.again.connect(self.again)
        self.view.twins_wanted.connect(self._show_twins)
        self.view.held_wanted.connect(self._show_held)
        self.view.add_key("Kinds of case", "Ctrl+Alt+K", self.show_kinds)
        self.view.add_key("Import", "Ctrl+Alt+O", self.show_import)
        self.view.add_key("Linked tables", "Ctrl+Alt+L", self.show_links)

    # Pages that are made when they are first needed

    @cached_property
    def kinds(self) -> Kinds:
        """The kinds of case."""
        return self._add(Kinds(self._shared))

    @cached_property
    def doubles(self) -> Doubles:
        """Who may be one person."""
        return self._add(Doubles(self._shared, self.view.do))

    @cached_property
    def holdings(self) -> Holdings:
        """All that is held on one person."""
        return self._add(Holdings(self._shared))

    @cached_property
    def importing(self) -> Importing:
        """What brings people and cases in from a file."""
        made = self._add(Importing(self._shared))
        made.done.connect(lambda people: self.view.found.show_kind(cases=not people))
        return made

    def show_import(self) -> None:
        """Show the page that brings in a file."""
        self._pages.go(self.importing)
        self.importing.arrive()

    @cached_property
    def links(self) -> Links:
        """Tables that are kept elsewhere."""
        return self._add(Links(self._session))

    def show_links(self) -> None:
        """Show the tables that are kept elsewhere."""
        self._pages.go(self.links)
        self.links.refresh()
        self.links.arrive()

    def show_kinds(self) -> None:
        """Show the kinds of case."""
        self._pages.go(self.kinds)
        self.kinds.refresh()
        self.kinds.arrive()

    def _show_twins(self, twins: tuple[Twins, ...]) -> None:
        self._pages.go(self.doubles)
        self.doubles.open_with(twins)
        self.doubles.arrive()

    def _show_held(self, key: str) -> None:
        self._pages.go(self.holdings)
        self.holdings.open_for(key)
        self.holdings.arrive()

    def _add(self, page: _Page) -> _Page:
        self._mine.append(page)
        for control in page.for_leads:
            control.setVisible(self._shared.leads)
        return self._pages.add(page)

    def at_hand(self) -> Place:
        return self._pages.page

    def arrive(self) -> None:
        self._pages.page.arrive()

    def gone(self) -> None:
        self._pages.page.gone()

    def show_person(self, key: str) -> None:
        """Show somebody."""
        self._pages.go(self.view)
        self.view.show_person(key)

    def show_case(self, key: str) -> None:
        """Show a case."""
        self._pages.go(self.view)
        self.view.show_case(key)
