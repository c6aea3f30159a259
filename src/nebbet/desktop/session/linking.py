"""Reading linked tables again by themselves, in the background."""

from collections.abc import Callable

from PySide6.QtCore import QObject, QTimer, Signal

from nebbet.core.errors import NebbetError
from nebbet.core.sentences import said
from nebbet.desktop.kit.operations import Operations
from nebbet.desktop.session.shared_library import SharedLibrary
from nebbet.library.links import LinkResult
from nebbet.personal.secrets import Secrets

_EVERY, _FIRST = 60_000, 5_000  # milliseconds between looks, and until the first one


class Linking(QObject):
    """Looks every minute whether a table is to be read. read tells what came of those that were, by
    the ids of their links."""

    read = Signal(object)

    def __init__(self, shared: SharedLibrary, secrets: Secrets) -> None:
        super().__init__(shared)
        self._shared, self._secrets = shared, secrets
        self._work = Operations(self)
        self._told: dict[str, str] = {}  # why a table could not be read, as it was said
        self._timer = QTimer(self)
        self._timer.setInterval(_EVERY)
        self._timer.timeout.connect(self.look)

    def _password(self, place: str) -> str:
        """The password of a database, by its address; a file has none."""
        return (self._secrets.get(place) or "") if "://" in place else ""

    def start(self) -> None:
        """Begin to look."""
        self._timer.start()
        QTimer.singleShot(_FIRST, self, self.look)

    def stop(self) -> None:
        """Look no longer."""
        self._timer.stop()
        self._work.finish()

    def look(self) -> None:
        """Read what is to be read by now."""
        shared = self._shared
        if not shared.is_open or shared.is_away or shared.library.role == "reader":
            return
        library, catalogue, now = shared.library, shared.catalogue, shared.now()

        def act() -> dict[str, LinkResult]:
            from nebbet.library.link_reading import read_due

            return read_due(library, catalogue, now, self._password)

        self._work.run(act, self._done, lambda _error: None)

    def read_now(self, key: str, done: Callable[[LinkResult], object]) -> None:
        """Read one table at once."""
        shared, password = self._shared, self._password
        library, catalogue, now = shared.library, shared.catalogue, shared.now()

        def act() -> LinkResult:
            from nebbet.library.link_reading import read_link
            from nebbet.library.links import links_of

            one = links_of(library).get(key)
            if one is None:
                raise NebbetError(said("The linked table is not in the library any more"))
            return read_link(library, catalogue, one, now, password(one.link.place))

        def told(result: LinkResult) -> None:
            done(result)
            self._done({key: result})

        self._work.run(act, told, shared.voice.fail)

    def _done(self, results: dict[str, LinkResult]) -> None:
        """A table that cannot be read is told once, to a lead; what changed is read."""
        if not results:
            return
        for key, result in results.items():
            if result.failed and self._shared.leads and self._told.get(key) != result.failed:
                self._shared.voice.say(
                    said("The linked table “{name}”: {why}", name=key, why=result.failed)
                )
            self._told[key] = result.failed
        self._shared.refresh()
        self.read.emit(results)
