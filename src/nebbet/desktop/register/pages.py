"""The register, asked page by page in the background."""

from PySide6.QtCore import QObject, Signal

from nebbet.core.errors import NebbetError
from nebbet.desktop.kit.operations import Operations
from nebbet.desktop.session.shared_library import SharedLibrary
from nebbet.library.entries import Registered
from nebbet.library.register import EVERY, Page, page
from nebbet.library.register_finding import Wanted


class Pages(QObject):
    """Asks for one page at a time; of what is asked meanwhile, only the last counts. came hands
    over a page, and the letter that it comes after (None: it is the first one). found and of are
    what the first page said."""

    came = Signal(object, object)

    def __init__(self, shared: SharedLibrary) -> None:
        super().__init__(shared)
        self._shared = shared
        self.wanted = EVERY
        self.found = self.of = 0
        self._work: Operations = shared.reads
        self._asked = self._pending = False
        self._next: tuple[Wanted, Registered | None] = (EVERY, None)
        self._after: Registered | None = None  # of what is asked now

    @property
    def is_asked(self) -> bool:
        """Whether other rows are on their way."""
        return (self._asked and self._after is None) or self._pending

    def ask(self, wanted: Wanted, after: Registered | None = None) -> None:
        """Ask for the letters that are wanted, from the newest on, or after one."""
        if after is not None and self._pending and self._next[1] is None:
            return  # a first page is on its way, and makes this one needless
        self._next = (wanted, after)
        self._pending = True
        if not self._asked:
            self._ask_next()

    def _ask_next(self) -> None:
        if not self._shared.is_open:
            self._pending = False
            return
        wanted, after = self._next
        self._asked, self._pending, self._after = True, False, after
        library = self._shared.library

        def read() -> Page:
            return page(library.register_engine, wanted, after)

        def done(found: Page) -> None:
            self._asked = False
            if self._pending and self._next[1] is None:
                self._ask_next()  # other words by now
                return
            if after is None:
                found = found if found.rows else self._nearly(wanted, found.of)
                self.wanted, self.found, self.of = wanted, found.found, found.of
            self.came.emit(found, after)
            if self._pending:
                self._ask_next()

        def failed(error: NebbetError) -> None:
            self._asked = False
            self._shared.voice.fail(error)

        self._work.run(read, done, failed)

    def _nearly(self, wanted: Wanted, of: int) -> Page:
        """Where no letter has the words: those of the newest that nearly have them."""
        words = wanted.words
        if wanted != Wanted(words) or not words.strip():
            return Page([], 0, of)
        by_key = {entry.message_id: entry for entry in self._shared.entries}
        rows = [by_key[key] for key in self._shared.search.sent(words)]
        rows.sort(key=lambda entry: entry.sent, reverse=True)
        return Page(rows, len(rows), of)
