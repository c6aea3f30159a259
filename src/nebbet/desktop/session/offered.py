"""Letters that are offered since a case changed: those about one's own cases."""

from collections.abc import Callable

from PySide6.QtCore import QObject, Signal

from nebbet.core.sentences import said
from nebbet.desktop.kit.operations import nothing
from nebbet.desktop.session.shared_library import SharedLibrary
from nebbet.library.changes import Change
from nebbet.library.prompts import Answer, Offer, offers


class Offered(QObject):
    """changed tells that other letters are offered now."""

    changed = Signal()

    def __init__(self, shared: SharedLibrary) -> None:
        super().__init__()
        self._shared = shared
        self.held: dict[str, Offer] = {}
        shared.changed.connect(self._follow)

    def _follow(self, change: Change) -> None:
        if change.touches("prompted"):
            self.refresh()

    def refresh(self) -> None:
        """Read what is offered."""
        shared = self._shared
        if not shared.is_open or shared.me is None:
            return
        library, me, members = shared.library, shared.me, [*shared.catalogue.members.values()]

        def came(found: list[Offer]) -> None:
            templates = shared.catalogue.templates
            held = {one.id: one for one in found if one.template in templates}
            if held != self.held:
                self.held = held
                self.changed.emit()

        shared.reads.run(
            lambda: offers(library.register_engine, library.people, me, members), came, nothing
        )

    def answer(self, offer: Offer, answer: Answer, done: Callable[[], object]) -> None:
        """Say what becomes of an offer; done where nobody else was quicker."""
        shared, library = self._shared, self._shared.library
        me = shared.my_id

        def told(first: object) -> None:
            self.held.pop(offer.id, None)
            self.changed.emit()
            if first:
                done()
            else:
                shared.voice.say(said("A colleague was quicker with this letter."))

        shared.change(lambda: library.answer_offer(offer.id, answer, me), told)
