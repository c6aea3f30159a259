"""The pages beside the shelves: what the team shares, who is in it, what is checked. Each is made
when it is first needed."""

from functools import cached_property
from typing import Any, TypeVar

from nebbet.core.letter.signature import SIGNATURE
from nebbet.desktop.editions.proposals import Proposals
from nebbet.desktop.kit.page_stack import PageStack
from nebbet.desktop.kit.place import Place
from nebbet.desktop.session.shared_library import SharedLibrary
from nebbet.desktop.shared.checks import Checks
from nebbet.desktop.shared.facts import SharedFacts
from nebbet.desktop.shared.files import Files
from nebbet.desktop.shared.frames import SharedFrames
from nebbet.desktop.shared.list_page import ListPage
from nebbet.desktop.shared.members import Members
from nebbet.desktop.shared.passages import SharedPassages

_Page = TypeVar("_Page", bound=Place)
_List = TypeVar("_List", bound=ListPage[Any])


class PagesBeside(Place):
    """A place with these pages on a stack of its own."""

    _pages: PageStack

    def __init__(self, shared: SharedLibrary) -> None:
        super().__init__()
        self._shared = shared
        self._mine: list[Place] = []  # the pages that were made

    def _show_here(self, key: str) -> None:
        """Show a template on its shelf."""
        raise NotImplementedError

    def _show_editions(self) -> None:
        """Show what the one at hand was before."""
        raise NotImplementedError

    @cached_property
    def facts(self) -> SharedFacts:
        """What the team shares beside texts."""
        made = SharedFacts(self._shared)
        made.open_template.connect(self._show_here)
        return self._add_list(made)

    @cached_property
    def passages(self) -> SharedPassages:
        """The pieces of text that templates include."""
        return self._add_list(SharedPassages(self._shared))

    @cached_property
    def frames(self) -> SharedFrames:
        """The looks that letters can have."""
        return self._add_list(SharedFrames(self._shared))

    @cached_property
    def files(self) -> Files:
        """What templates enclose and show."""
        made = self._add(Files(self._shared))
        made.open_template.connect(self._show_here)
        return made

    @cached_property
    def members(self) -> Members:
        """Who writes letters here."""
        made = self._add_list(Members(self._shared))
        made.signature.connect(self.show_signature)
        return made

    @cached_property
    def checks(self) -> Checks:
        """How grave each check is."""
        return self._add(Checks(self._shared))

    def _add(self, page: _Page) -> _Page:
        self._mine.append(page)
        self._show_for_leads(page)
        return self._pages.add(page)

    def _show_for_leads(self, page: Place) -> None:
        for control in page.for_leads:
            control.setVisible(self._shared.leads)

    def _add_list(self, page: _List) -> _List:
        page.earlier.connect(self._show_editions)
        return self._add(page)

    def show_facts(self) -> None:
        """Show what the team shares beside texts."""
        self._show_list(self.facts)

    def show_passages(self) -> None:
        """Show the pieces of text that templates include."""
        self._show_list(self.passages)

    def _open_passage(self, key: str) -> None:
        """Show the passage that somebody came upon in a template."""
        self.show_passages()
        self.passages.refresh(key)

    def show_frames(self) -> None:
        """Show the looks that letters can have."""
        self._show_list(self.frames)

    def show_files(self) -> None:
        """Show the files of the library."""
        self._show_list(self.files)

    def show_members(self) -> None:
        """Show who writes letters here."""
        self._show_list(self.members)

    def show_checks(self) -> None:
        """Show how grave each check is."""
        self._pages.go(self.checks)
        self.checks.refresh()
        self.checks.arrive()

    def show_signature(self) -> None:
        """Show the signature of the person at the keyboard."""
        self.show_passages()
        self.passages.refresh(SIGNATURE)
        self.passages.body.setFocus()

    def _show_list(self, page: ListPage[Any] | Proposals | Files) -> None:
        self._pages.go(page)
        page.refresh()
        page.arrive()
