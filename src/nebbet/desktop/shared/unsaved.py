"""What stands in a form and is not in use yet: kept when the person goes elsewhere, and shown again
when they are back."""

from collections.abc import Callable
from typing import Generic, TypeVar

import msgspec
from msgspec import Raw, Struct
from PySide6.QtCore import QObject

from nebbet.core.errors import UNREADABLE
from nebbet.desktop.kit.pause import AUTOSAVE, after_pause
from nebbet.desktop.session.own import Own

T = TypeVar("T")


class Form(Struct, Generic[T], frozen=True):
    """A form as it is filled and read: show puts a record of the library (or none) into it, write
    puts over that what was typed, read gives what stands there. kind is the type of that, name is
    under which drafts are kept."""

    name: str
    kind: type[T]
    show: Callable[[object], None]
    write: Callable[[T], None]
    read: Callable[[], T]


class _Draft(Struct, frozen=True):
    typed: Raw
    seen: Raw


class Unsaved(QObject, Generic[T]):
    """Follows one form. key is what is at hand: empty for a new one, None for nothing. seen is the
    record as it was when it was shown, or when typing began."""

    def __init__(self, form: Form[T], own: Own, seen_kind: type) -> None:
        super().__init__()
        self._form, self._own, self._seen_kind = form, own, seen_kind
        self.key: str | None = None
        self.seen: object = None
        self._clean: T | None = None
        self._filling = False
        self._timer = after_pause(self, AUTOSAVE, self.keep)

    def has_draft(self, key: str) -> bool:
        """Whether something typed waits under a key."""
        return self._name(key) in self._own.drafts

    def _name(self, key: str) -> str:
        return f"{self._form.name}:{key}"

    @property
    def is_there(self) -> bool:
        """Whether something is typed that is not kept in the library yet."""
        return self.key is not None and self._form.read() != self._clean

    @property
    def is_filling(self) -> bool:
        """Whether the form is being filled by the program: no edit of a person's."""
        return self._filling

    def open(self, key: str, record: object) -> bool:
        """Take up a record, with what was typed over it before. Says whether something typed could
        not be read any more."""
        self._filling = True
        self.key, self.seen = key, record
        self._form.show(record)
        self._clean = self._form.read()
        failed = False
        if data := self._own.drafts.get(self._name(key)):
            failed = not self._restore(data)
        self._filling = False
        return failed

    def _restore(self, data: bytes) -> bool:
        try:
            draft = msgspec.json.decode(data, type=_Draft)
            typed = msgspec.json.decode(draft.typed, type=self._form.kind)
            seen = msgspec.json.decode(draft.seen, type=self._seen_kind | None)
        except UNREADABLE:
            return False
        self._form.write(typed)
        self.seen = seen
        return True

    def edited(self, *_args: object) -> None:
        """A person changed something."""
        if not self._filling:
            self._timer.start()

    def keep(self) -> None:
        """Keep what is typed, through a crash too; nothing changed is nothing kept."""
        self._timer.stop()
        if self.key is None:
            return
        if self.is_there:
            typed, seen = (Raw(msgspec.json.encode(v)) for v in (self._form.read(), self.seen))
            self._own.keep_draft(self._name(self.key), msgspec.json.encode(_Draft(typed, seen)))
        elif self.has_draft(self.key):
            self._own.keep_draft(self._name(self.key), None)

    def forget(self, key: str, typed: T | None = None) -> None:
        """What was typed under a key is in the library now, or is not wanted any more; what was
        typed since is."""
        if self.has_draft(key):
            self._own.keep_draft(self._name(key), None)
        if key == self.key:
            self._clean = self._form.read() if typed is None else typed
            self.keep()

    def typed(self) -> T:
        """What stands in the form."""
        return self._form.read()
