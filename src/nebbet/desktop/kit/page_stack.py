"""Pages one over the other, with a way back."""

from typing import TypeVar

from PySide6.QtWidgets import QStackedWidget

from nebbet.desktop.kit.place import Place

P = TypeVar("P", bound=Place)


class PageStack(QStackedWidget):
    """Shows one page at a time. A page that is left gives way to the one from which somebody came;
    the first page is where every way back ends."""

    def __init__(self, first: Place) -> None:
        super().__init__()
        self._first = first
        self._way: list[Place] = []
        self.addWidget(first)

    def add(self, page: P) -> P:
        """Add a page that can be gone to."""
        page.left.connect(self.back)
        self.addWidget(page)
        return page

    @property
    def page(self) -> Place:
        """The page that is shown."""
        shown = self.currentWidget()
        assert isinstance(shown, Place)
        return shown

    def go(self, page: Place) -> None:
        """Show a page; from one that lies on the way already, the way back is as it was from
        there."""
        if page is self._first:
            self._way.clear()
        elif page in self._way:
            del self._way[self._way.index(page) :]
        elif page is not self.page:
            self._way.append(self.page)
        self._show(page)

    def back(self) -> None:
        """Show the page from which somebody came, and put the focus where work goes on."""
        self._show(self._way.pop() if self._way else self._first)
        self.page.arrive()

    def _show(self, page: Place) -> None:
        if page is not self.page:
            self.page.gone()
            self.setCurrentWidget(page)
