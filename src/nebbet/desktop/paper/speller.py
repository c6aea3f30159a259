"""The system's dictionaries, and the team's own words beside them."""

from collections.abc import Callable, Collection

from PySide6.QtCore import QObject, Signal

from nebbet.core.spelling import dictionary_for
from nebbet.desktop.kit.operations import Operations

# What to install where the language of a text has no dictionary; Debian's names.
_PACKAGES = {
    "en_GB": "hunspell-en-gb", "en_US": "hunspell-en-us", "de": "hunspell-de-de",
    "fr": "hunspell-fr", "nb": "hunspell-no", "nn": "hunspell-no", "no": "hunspell-no",
    "es": "hunspell-es", "it": "hunspell-it", "nl": "hunspell-nl", "pt": "hunspell-pt-pt",
    "pt_BR": "hunspell-pt-br", "pl": "hunspell-pl", "sv": "hunspell-sv", "da": "hunspell-da",
}  # fmt: skip
_MOST_KEPT = 50_000
_MOST_SUGGESTED = 6


class Speller(QObject):
    """Says which words are known in a language; ready says that a dictionary has been loaded.

    Dictionaries are read in the background; until then every word passes.
    """

    ready = Signal(str)

    def __init__(self, own: Callable[[], Collection[str]], operations: Operations) -> None:
        super().__init__()
        self._own, self._operations = own, operations
        self._dictionaries: dict[str, object] = {}
        self._known: dict[tuple[str, str], bool] = {}
        self._loading: set[str] = set()
        self._suggesting: dict[str, object] = {}  # for the background alone

    def load(self, language: str) -> None:
        """Have the dictionary of a language read, if there is one."""
        if language in self._dictionaries or language in self._loading:
            return
        self._loading.add(language)
        self._operations.run(
            lambda: _dictionary(language),
            lambda found: self._loaded(language, found),
            lambda _error: self._loaded(language, None),
        )

    def _loaded(self, language: str, found: object) -> None:
        self._loading.discard(language)
        self._dictionaries[language] = found
        self.ready.emit(language)

    def missing(self, language: str) -> str:
        """The package that would bring a dictionary for a language that has none; else nothing."""
        if language in self._dictionaries and self._dictionaries[language] is None:
            return _package_for(language)
        return ""

    def knows(self, word: str, language: str) -> bool:
        """Whether a word is right, as far as anybody can tell."""
        key = (language, word)
        found = self._known.get(key)
        if found is None:
            found = self._look_up(word, language)
            if len(self._known) < _MOST_KEPT and self._dictionaries.get(language) is not None:
                self._known[key] = found
        return found

    def _look_up(self, word: str, language: str) -> bool:
        dictionary = self._dictionaries.get(language)
        if dictionary is None or word in self._own():
            return True
        return bool(dictionary.check(word))  # type: ignore[attr-defined]

    def suggest(self, word: str, language: str, done: Callable[[list[str]], None]) -> None:
        """Tell what may have been meant, best first, once that is found: it takes a while."""

        def find() -> list[str]:
            # A dictionary of its own: the other one answers meanwhile, at every word that is drawn.
            if language not in self._suggesting:
                self._suggesting[language] = _dictionary(language)
            dictionary = self._suggesting[language]
            found = dictionary.suggest(word) if dictionary else []  # type: ignore[attr-defined]
            return list(found)[:_MOST_SUGGESTED]

        self._operations.run(find, done, lambda _error: done([]))

    def take(self, word: str, language: str) -> None:
        """Take a word as right from now on."""
        self._known[(language, word)] = True


def _dictionary(language: str) -> object:
    """The dictionary of a language, or nothing."""
    try:
        import enchant
    except ImportError:
        return None
    broker = enchant.Broker()
    name = dictionary_for(language, broker.list_languages())
    if not name:
        return None
    try:
        found = broker.request_dict(name)
    except enchant.errors.DictNotFoundError:
        return None
    return found


def _package_for(language: str) -> str:
    """The Debian package that brings a dictionary for a language."""
    stem = language.partition("_")[0]
    return _PACKAGES.get(language) or _PACKAGES.get(stem) or f"hunspell-{stem}"
