"""The example that a template is shown with while it is written."""

from collections.abc import Callable

from msgspec.structs import replace

from nebbet.core.letter import Content
from nebbet.core.placeholders import World
from nebbet.desktop.session.shared_library import SharedLibrary
from nebbet.library.examples import example_cases, example_world
from nebbet.library.holdings import Template


class Example:
    """Finds the cases that fit a template, and gives what its values come from with one of them."""

    def __init__(self, shared: SharedLibrary, about: Callable[[], str]) -> None:
        self._shared, self._about = shared, about
        self._content = Content()
        self._cases: list[str] | None = None

    def forget(self, content: Content) -> None:
        """Another template is at hand: its cases are found when they are first asked for."""
        self._content, self._cases = content, None

    @property
    def cases(self) -> list[str]:
        """The cases that fit, the one at hand first."""
        if self._cases is None:
            self._cases = example_cases(self._shared.catalogue, self._content, self._about())
        return self._cases

    def next(self) -> None:
        """Let another case that fits be the example."""
        self._cases = [*self.cases[1:], *self.cases[:1]]

    def world(self, language: str, calendar: str) -> World:
        """What the values come from, with the example at hand."""
        catalogue = self._shared.catalogue
        content = replace(self._content, calendar=calendar)
        template = Template("", "", "", "draft", False, 0, content)
        case = catalogue.samples.get(next(iter(self.cases), ""))
        return example_world(
            catalogue, template, self._shared.writer(), language=language or "en_GB", case=case
        )
