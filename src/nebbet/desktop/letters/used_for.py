"""Which templates letters about a kind of case are written with."""

from collections.abc import Mapping
from datetime import timedelta

from PySide6.QtCore import QObject, Signal

from nebbet.desktop.letters.model import LetterModel
from nebbet.desktop.session.shared_library import SharedLibrary
from nebbet.library.register_finding import Uses, used_for

_BACK = timedelta(days=180)  # what was usual longer ago is no guide


class UsedFor(QObject):
    """Reads them in the background as soon as a letter has a case. known tells a kind for which
    they have come."""

    known = Signal(str)

    def __init__(self, shared: SharedLibrary, model: LetterModel) -> None:
        super().__init__(model)
        self._shared, self._model = shared, model
        self._found: dict[str, Mapping[str, Uses]] = {}
        shared.register_changed.connect(self._found.clear)
        for changed in (model.worked_out, model.replaced):
            changed.connect(self._follow)

    def for_kind(self, kind: str) -> Mapping[str, Uses]:
        """The templates that letters about a kind of case are written with, as far as that has
        been read."""
        return self._found.get(kind, {})

    def _follow(self) -> None:
        case = self._model.letter.case if self._model.letter else None
        kind = case.kind if case else ""
        if not kind or kind in self._found:
            return
        self._found[kind] = {}  # asked for
        shared = self._shared
        engine, member = shared.library.register_engine, shared.my_id
        since = shared.now() - _BACK

        def done(found: Mapping[str, Uses]) -> None:
            self._found[kind] = found
            self.known.emit(kind)

        # Without it the list is only in another order: nobody is told.
        shared.reads.run(lambda: used_for(engine, kind, member, since), done, lambda _error: None)
