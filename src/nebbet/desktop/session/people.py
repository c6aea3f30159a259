"""Asking for people and cases: in the background, and of what one asker asks the last alone."""

from collections.abc import Callable
from typing import Any, TypeVar

from PySide6.QtCore import QObject, Signal

from nebbet.core.errors import NebbetError
from nebbet.core.records import Matter, Person
from nebbet.desktop.kit.notices import Voice
from nebbet.desktop.kit.operations import Operations
from nebbet.library.people import People
from nebbet.library.store import Library

_MOST_KNOWN = 2000
_OVERTAKEN = object()
T = TypeVar("T")


class PeopleAsked(QObject):
    """Asks the library for people and cases. met and matters are those that lists showed lately, by
    their ids: whoever is chosen from a list is known at once. idle tells that everything asked for
    has come."""

    idle = Signal()

    def __init__(self, library: Callable[[], Library], voice: Voice) -> None:
        super().__init__()
        self._library, self._voice = library, voice
        self._work = Operations(self)
        self._last: dict[str, int] = {}
        self._asked = self._answered = 0
        self.met: dict[str, Person] = {}
        self.matters: dict[str, Matter] = {}

    def finish(self) -> None:
        """Wait for what is under way."""
        self._work.finish()

    @property
    def is_busy(self) -> bool:
        """Whether something asked for is on its way."""
        return self._answered < self._asked

    def ask(
        self,
        read: Callable[[People], T],
        done: Callable[[T], object],
        *,
        asker: str = "",
        failed: Callable[[NebbetError], object] | None = None,
    ) -> None:
        """Read something in the background, then hand it to done; failed is told, after the person,
        that it could not be. asker names who asks where only the last thing they asked for
        counts."""
        self._asked += 1
        number = self._asked
        if asker:
            self._last[asker] = number

        def is_last() -> bool:
            return not asker or self._last[asker] == number

        def call() -> Any:
            return self._library().ask_people(read) if is_last() else _OVERTAKEN

        def answer(found: Any) -> None:
            self._answered += 1
            if found is not _OVERTAKEN and is_last():
                done(found)
            self._tell_idle()

        def fail(error: NebbetError) -> None:
            self._answered += 1
            if is_last():
                self._voice.fail(error)
                if failed:
                    failed(error)
            self._tell_idle()

        self._work.run(call, answer, fail)

    def _tell_idle(self) -> None:
        if not self.is_busy:
            self.idle.emit()

    def forget(self, asker: str) -> None:
        """What an asker asked for last is not wanted any more."""
        self._last[asker] = -1

    def meet(self, people: list[Person]) -> list[Person]:
        """Remember people who are shown."""
        if len(self.met) > _MOST_KNOWN:
            self.met.clear()
        self.met |= {one.contact.id: one for one in people}
        return people

    def take_up(self, matters: list[Matter]) -> list[Matter]:
        """Remember cases that are shown."""
        if len(self.matters) > _MOST_KNOWN:
            self.matters.clear()
        self.matters |= {one.case.id: one for one in matters}
        return matters
