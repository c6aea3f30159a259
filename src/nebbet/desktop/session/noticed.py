"""What one notices of messages, and the team is to know: who has which, which letters came back,
which template answered what."""

from collections.abc import Callable, Iterable

from PySide6.QtCore import QObject, Signal

from nebbet.core.errors import NebbetError
from nebbet.core.message.answering import arrived, asked_in
from nebbet.core.message.bounces import bounces_in
from nebbet.core.message.head import Head
from nebbet.core.message.received import open_message
from nebbet.core.sentences import counted, said
from nebbet.desktop.kit.notices import Voice
from nebbet.desktop.kit.operations import Operations, nothing
from nebbet.desktop.session.shared_library import SharedLibrary
from nebbet.library.changes import Change
from nebbet.library.remarks import digest_of, taken
from nebbet.library.suggesting import lesson_of

Read = Callable[[], bytes]  # a whole message, read in the background


class Noticed(QObject):
    """changed tells that somebody has other messages now, or other things were learned."""

    changed = Signal()

    def __init__(self, shared: SharedLibrary, network: Operations, voice: Voice) -> None:
        super().__init__()
        self._shared, self._network, self._voice = shared, network, voice
        self._taken: dict[str, str] = {}  # by whom messages are taken, by their digests
        self._reports: set[str] = set()  # those that were looked at for letters that came back
        shared.changed.connect(self._follow)

    def _follow(self, change: Change) -> None:
        if change.touches("remark"):
            self.refresh()
            self.changed.emit()

    def refresh(self) -> None:
        """Read who has which message."""
        if not self._shared.is_open:
            return
        library = self._shared.library

        def came(found: dict[str, str]) -> None:
            if found != self._taken:
                self._taken = found
                self.changed.emit()

        self._shared.reads.run(lambda: taken(library.register_engine), came, nothing)

    # Who has it

    def whose(self, head: Head) -> str:
        """The member who has a message, empty for nobody: the library knows who was first, the
        mailbox may know it, too."""
        return self._taken.get(digest_of(head.fields.message_id), "") or head.whose

    def take(self, head: Head, marked: Callable[[bool], None]) -> None:
        """Take a message, so that no colleague answers it too, or let go of it; marked is told
        which, once it is so."""
        me, whose, shared = self._shared.my_id, self.whose(head), self._shared
        if whose and whose != me:
            self._say_whose(whose)
            return
        message_id, now = head.fields.message_id, shared.now()

        def act() -> str:
            if whose:
                shared.library.leave(message_id, me)
                return ""
            return shared.library.take(message_id, me, now)

        def done(found: object) -> None:
            has = str(found)
            self._taken = {**self._taken, digest_of(message_id): has}
            self.changed.emit()
            if has in ("", me):
                marked(bool(has))
            else:
                self._say_whose(has)

        shared.operations.run(act, done, self._voice.fail)

    def _say_whose(self, member_id: str) -> None:
        member = self._shared.catalogue.members.get(member_id)
        name = member.name if member else member_id
        self._voice.say(said("{name} has this message.", name=name))

    # Letters that came back

    def look_at(self, reports: Iterable[tuple[str, Read]]) -> None:
        """Look at reports that were not looked at since the start, by their keys, and note in the
        register which letters they are about."""
        new = {key: read for key, read in reports if key not in self._reports}
        if not new or not self._shared.is_open:
            return
        self._reports.update(new)
        library, me, now = self._shared.library, self._shared.my_id, self._shared.now()

        def note() -> int:
            back = [bounce for read in new.values() for bounce in bounces_in(read())]
            return sum(
                library.note_back(one.letter, one.address, one.why, one.words, me, now)
                for one in back if one.letter and not one.is_late
            )  # fmt: skip

        def noted(count: int) -> None:
            if count:
                self._shared.refresh()

        def failed(_error: NebbetError) -> None:
            self._reports.difference_update(new)  # the next time, then

        self._network.run(note, noted, failed)

    # What was answered

    def learn(self, message_id: str, read: Read, template: str) -> None:
        """Learn that a template answered a message. Where that fails, nothing is lost but a
        hint."""
        shared = self._shared
        library, catalogue, me, now = shared.library, shared.catalogue, shared.my_id, shared.now()

        def act() -> None:
            data = read()
            lesson = lesson_of(catalogue, template, asked_in(arrived(data), open_message(data)))
            if lesson.words:
                library.learn(message_id, lesson, me, now)

        self._network.run(act, lambda _done: shared.refresh(), nothing)

    def forget(self, templates: Iterable[str]) -> None:
        """Forget what was learned of some templates."""
        library, wanted = self._shared.library, list(templates)

        def told(count: object) -> None:
            self._voice.say(
                counted("What was learned from 1 answer is forgotten.",
                        "What was learned from {count} answers is forgotten.",
                        count=int(str(count)))
            )  # fmt: skip

        self._shared.change(lambda: sum(map(library.forget, wanted)), told)
