"""The place People."""

from typing import TypeVar

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QVBoxLayout, QWidget

from nebbet.desktop.kit import pieces
from nebbet.desktop.kit.page_stack import PageStack
from nebbet.desktop.kit.place import Place
from nebbet.desktop.people.view import PeopleView
from nebbet.desktop.session.shared_library import SharedLibrary

_Page = TypeVar("_Page", bound=Place)


class PeoplePlace(Place):
    """People and cases, and the pages beside them. write, entry_wanted and again are the view's."""

    title = "People"
    help = PeopleView.help
    write = Signal(object, object)
    entry_wanted = Signal(str)
    again = Signal(object)

    def __init__(self, shared: SharedLibrary) -> None:
        super().__init__()
        self._shared = shared
        self._mine: list[Place] = []
        links: list[QWidget] = []
        self.view = PeopleView(shared, links)
        self._pages = PageStack(self.view)
        pieces.fill(QVBoxLayout(self), self._pages)
        self.view.write.connect(self.write)
        self.view.entry_wanted.connect(self.entry_wanted)
        self.view.again.connect(self.again)

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
