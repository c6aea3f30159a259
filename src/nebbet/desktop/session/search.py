"""Finding in the library and the register: indexes made in the background, asked at each key."""

from collections.abc import Mapping
from datetime import datetime
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal

from nebbet.desktop.kit.notices import Voice
from nebbet.desktop.kit.operations import Operations
from nebbet.library.catalogue import Catalogue
from nebbet.library.entries import Registered, find_entries
from nebbet.library.holdings import Template

if TYPE_CHECKING:
    from nebbet.core.ranking.index import Found, Index
    from nebbet.library.fields import Fields
    from nebbet.library.listing import Listing
    from nebbet.library.search import Finder
    from nebbet.library.users import Users


class Search(QObject):
    """What words find. ready tells that the indexes are those of the library as it is now; until
    then, the ones before answer."""

    ready = Signal()

    def __init__(self, voice: Voice) -> None:
        super().__init__()
        self._voice = voice
        self._work = Operations(self)
        self._catalogue, self._entries = Catalogue(), list[Registered]()
        self._finder: Finder | None = None  # what answers
        self._latest: Finder | None = None  # the same or a later one, in the background alone
        self._register: Index | None = None
        self._indexed: list[Registered] | None = None

    def finish(self) -> None:
        """Wait for what is under way."""
        self._work.finish()

    def renew(
        self,
        catalogue: Catalogue,
        entries: list[Registered],
        pinned: frozenset[str],
        now: datetime,
    ) -> None:
        """Make the indexes anew of what is another one now."""
        self._catalogue, self._entries = catalogue, entries

        def index() -> "tuple[Finder, Index | None]":
            from nebbet.core.ranking.index import Index
            from nebbet.library.search import make_finder

            # What fails leaves none behind: the next one is made of everything.
            known, self._latest = self._latest, None
            self._latest = made = make_finder(catalogue, now, pinned, known)
            changed = self._register is None or entries is not self._indexed
            return made, Index(find_entries(entries)) if changed else None

        def done(made: "tuple[Finder, Index | None]") -> None:
            self._finder = made[0]
            if made[1] is not None:
                self._register, self._indexed = made[1], entries
            self.ready.emit()

        self._work.run(index, done, self._voice.fail)

    @property
    def users(self) -> "Users":
        """Who uses what."""
        from nebbet.library.users import Users

        return self._finder.users if self._finder else Users()

    @property
    def fields(self) -> "Fields":
        """What fields people and cases have."""
        from nebbet.library.fields import Fields

        return self._finder.fields if self._finder else Fields()

    @property
    def listing(self) -> "Listing":
        """The templates in the order of the Library's list."""
        from nebbet.library.listing import Listing

        return self._finder.listing if self._finder else Listing()

    def templates(self, words: str) -> "Found":
        """The ids of templates, best first; where few have all the words, also the best of those
        that have the telling ones."""
        from nebbet.core.ranking.index import Found

        index, known = (self._finder.templates if self._finder else None), self._catalogue.templates
        if index is None or not words.strip():
            return Found(_found(index, words, known))
        found = index.search(words)
        return Found([key for key in found.keys if key in known], found.partly)

    def sent(self, words: str) -> list[str]:
        """The message ids of the newest letters of the register that words find, best first;
        without words, newest first."""
        known = {entry.message_id: entry for entry in self._entries}
        if not words.strip():
            return list(known)
        return _found(self._register, words, known)

    def where(self, template: Template, words: str) -> tuple[str, str, list[tuple[int, int]]]:
        """Where a template that was found meets the words, as `where_matched`."""
        from nebbet.library.search import where_matched

        return where_matched(self._catalogue, template, words)


def _found(index: "Index | None", words: str, known: Mapping[str, object]) -> list[str]:
    """What an index finds of what is known now. What came since it was made is only found without
    words: last."""
    found = [key for key in index.find(words) if key in known] if index else []
    if words.strip():
        return found
    there = set(found)
    return [*found, *(key for key in known if key not in there)]
