"""What the pages of shared things have in common: a list, the one at hand, and keeping it."""

from collections.abc import Callable
from typing import Generic, TypeVar

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QWidget

from nebbet.core.errors import NebbetError
from nebbet.core.sentences import said
from nebbet.desktop.kit import pieces
from nebbet.desktop.kit.picker import Choice, ChoiceList
from nebbet.desktop.kit.place import Place
from nebbet.desktop.session.shared_library import SharedLibrary
from nebbet.desktop.shared.unsaved import Form, Unsaved
from nebbet.library.changes import Change
from nebbet.library.holdings import Overtaken

T = TypeVar("T")


class ListPage(Place, Generic[T]):
    """Shows a list and a form for the one at hand.

    What is typed stays, whatever is chosen meanwhile and whoever changes the library; who keeps it
    after somebody was quicker is told once. earlier tells that the person
    wants to see what the one at hand said before.
    """

    earlier = Signal()
    kinds: tuple[str, ...] = ()  # of changes after which the list is another one
    typed_into: tuple[QWidget, ...] = ()  # the forms of the one at hand

    def __init__(self, shared: SharedLibrary, name: str, form: Form[T], seen_kind: type) -> None:
        super().__init__()
        self._shared = shared
        self._wanted = ""
        self._told: dict[str, object] = {}  # what somebody else made of it, as was said
        self._putting: dict[str, object] = {}  # what is on its way into the library
        self.list = ChoiceList(name)
        self.unsaved = Unsaved(form, shared.own, seen_kind)
        self.back = pieces.button("Back to the shelves (Esc)", self.leave)
        self.list.currentItemChanged.connect(lambda *_: self._moved())

    # What heirs say

    def may_type(self) -> bool:
        """Whether the person at the keyboard may change the one at hand."""
        return self._shared.leads

    def choices(self) -> list[Choice]:
        """The rows of the list."""
        raise NotImplementedError

    def record(self, key: str) -> object:
        """What the library has under a key, or None."""
        raise NotImplementedError

    def shown(self) -> None:
        """Another one is at hand, or it is another one now: for what stands beside the form."""

    # Following

    def follow(self, change: Change) -> None:
        """The library has changed."""
        if change.touches(*self.kinds):
            self.refresh()

    def refresh(self, wanted: str = "") -> None:
        """Show the list as it is now; the one at hand stays, with what is being typed."""
        keep = wanted or self._wanted or self.list.key
        self._wanted = ""
        self.list.show_choices(self.choices(), keep)
        begun = self.unsaved.key == "" and not keep
        if self.list.currentRow() < 0 and not begun:
            self.list.choose_first()
        if begun:
            return
        self._moved()
        if self.record(self.list.key) != self.unsaved.seen and not self.unsaved.is_there:
            self._open(self.list.key)
        self.shown()

    def _moved(self) -> None:
        """Another one was chosen."""
        if self.list.key and self.list.key != self.unsaved.key:
            self.unsaved.keep()
            self._open(self.list.key)

    def _open(self, key: str) -> None:
        if self.unsaved.open(key, self.record(key)):
            self._shared.voice.say(said("Something unfinished could not be read; it is as it was."))
        self.let_type()
        self.shown()

    def let_type(self) -> None:
        """Let somebody type where they may keep what they type."""
        for form in self.typed_into:
            pieces.let_type(form, self.may_type())

    def begin(self) -> None:
        """Start a new one, or go on with the one that was started."""
        self.unsaved.keep()
        self.list.setCurrentRow(-1)
        self._open("")

    # Keeping

    def put(self, key: str, record: object, write: Callable[[object], object], words: str) -> None:
        """Keep the one at hand in the library as that record: write is called in the background
        with what it was when it was shown, or when somebody was told that another was quicker."""
        began, typed = self.unsaved.key or "", self.unsaved.typed()
        under_way = self._putting.get(key)
        if under_way == record:
            return  # pressed twice
        # What is on its way is in the library before this is; and once told what somebody else made
        # of it, who keeps it again means it.
        seen = self._told.get(key, under_way or self.unsaved.seen)
        self._putting[key] = record

        def done(_result: object) -> None:
            self._settled(key, record)
            if self.unsaved.key == began:
                self.unsaved.seen = record
            self.unsaved.forget(began, typed)
            self._shared.voice.say(words)

        def failed(error: NebbetError) -> None:
            self._settled(key, record)
            self._wanted = ""
            if isinstance(error, Overtaken):
                self._told[key] = error.now
            self._shared.voice.fail(error)
            self._shared.refresh()

        self._told.pop(key, None)
        self._wanted = key
        self._shared.change(lambda: write(seen), done, failed)

    def _settled(self, key: str, record: object) -> None:
        if self._putting.get(key) == record:
            del self._putting[key]

    def take_out(self, call: Callable[[], object], words: str = "") -> None:
        """Take the one at hand out of the library, with what is typed over it, and say so."""
        key = self.unsaved.key or ""

        def done(_result: object) -> None:
            self.unsaved.forget(key)
            if self.unsaved.key == key:
                self.unsaved.key = None
            if words:
                self._shared.voice.say(words)

        self._shared.change(call, done)

    def is_begun(self) -> bool:
        """Whether a new one is at hand."""
        return self.unsaved.key == ""

    def drop_begun(self) -> None:
        """Let go of a new one, with what is typed."""
        self._forget()
        self.list.choose_first()

    def _forget(self) -> None:
        self.unsaved.forget(self.unsaved.key or "")
        self.unsaved.key = None

    def keep_draft(self) -> None:
        """Keep what is typed."""
        self.unsaved.keep()

    def gone(self) -> None:
        self.keep_draft()

    def arrive(self) -> None:
        self.list.setFocus()

    def leave(self) -> None:
        """Go back; what is typed is kept."""
        self.left.emit()
