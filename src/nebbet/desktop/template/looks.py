"""What the editor shows in the place of the text: a year of a date rule, a trial."""

from collections.abc import Callable

from PySide6.QtWidgets import QStackedWidget, QWidget

from nebbet.core import dates
from nebbet.core.errors import NebbetError
from nebbet.core.placeholders import Placeholder, World
from nebbet.desktop.session.shared_library import SharedLibrary
from nebbet.desktop.template.try_it import TryIt
from nebbet.desktop.template.year_view import YearView


class Looks(QStackedWidget):
    """Holds the text and, over it, the year and the trial; back goes to the text."""

    def __init__(self, shared: SharedLibrary, writing: QWidget, back: Callable[[], None]) -> None:
        super().__init__()
        self._voice, self._writing, self._focus_text = shared.voice, writing, back
        self.year, self.trial = YearView(), TryIt(shared)
        for page in (writing, self.year, self.trial):
            self.addWidget(page)
        self.year.left.connect(self.back)
        self.trial.left.connect(self.back)

    @property
    def is_text(self) -> bool:
        """Whether the text is shown."""
        return self.currentWidget() is self._writing

    def back(self) -> None:
        """Show the text, and go on in it."""
        self.setCurrentWidget(self._writing)
        self._focus_text()

    def see_year(self, found: Placeholder | None, world: World) -> None:
        """Show what a date rule does over a year."""
        if found is None or found.source != "date":
            self._voice.say("Choose a date rule in the ledger first: it has a year to see.")
            return
        try:
            rule = dates.read(found.of)
        except NebbetError as error:
            self._voice.say(error.sentence)
            return
        self.year.show_rule(found.title, rule, world.today, world.calendar)
        self.setCurrentWidget(self.year)
        self.year.chart.setFocus()

    def try_it(self, show: Callable[[TryIt], None], *, received: bool = False) -> None:
        """Show the letter that the template would be, as its recipient sees it or on paper; or go
        back to the text."""
        if self.currentWidget() is not self.trial:
            show(self.trial)
            self.setCurrentWidget(self.trial)
            self.trial.case.setFocus()
        elif not received:
            self.back()
            return
        if received:
            self.trial.show_received()
