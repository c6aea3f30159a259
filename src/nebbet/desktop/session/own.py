"""What one keeps for oneself beside letters: drafts and pins of templates, answers from last
time."""

from collections.abc import Callable, Mapping
from functools import partial
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal

from nebbet.desktop.kit.notices import Voice
from nebbet.desktop.kit.operations import Operations, nothing
from nebbet.library.holdings import Template

if TYPE_CHECKING:
    from nebbet.personal.stores import AtStart, Stores


class Own(QObject):
    """pinned tells that other templates are pinned now."""

    pins_changed = Signal()

    def __init__(
        self, stores: "Callable[[], Stores]", operations: Operations, voice: Voice
    ) -> None:
        super().__init__()
        self._stores, self._operations, self._voice = stores, operations, voice
        self.drafts: dict[str, bytes] = {}
        self.pinned: frozenset[str] = frozenset()
        self.answers: dict[str, dict[str, str]] = {}
        self.letter_files: frozenset[str] = frozenset()

    def take_up(self, found: "AtStart") -> None:
        """Take up what was kept."""
        self.drafts, self.pinned, self.answers = found.drafts, found.pinned, found.answers
        self.letter_files = found.letter_files

    def keep_draft(self, key: str, data: bytes | None) -> None:
        """Keep an unsaved state of a template, or of something that is shared; or forget it."""
        if data is None:
            self.drafts.pop(key, None)
        else:
            self.drafts[key] = data
        self._operations.run(
            lambda: self._stores().keep_draft(key, data), nothing, self._voice.fail
        )

    def is_pinned(self, template: Template) -> bool:
        """Whether a template is pinned, by a lead for all or by the person for themselves."""
        return template.pinned or template.id in self.pinned

    def pin(self, templates: list[str], pinned: bool) -> None:
        """Pin templates for the person at the keyboard, or take their pins away."""
        changed = frozenset(templates)
        self.pinned = self.pinned | changed if pinned else self.pinned - changed
        keep = partial(self._set_pinned, templates, pinned)
        self._operations.run(keep, nothing, self._voice.fail)
        self.pins_changed.emit()

    def _set_pinned(self, templates: list[str], pinned: bool) -> None:
        self._stores().set_pinned(templates, pinned)

    def note_letter_file(self, file: str, *, only_in_letters: bool) -> None:
        """A file came with a letter of one's own, or is to be the team's."""
        if only_in_letters == (file in self.letter_files):
            return
        changed = frozenset((file,))
        known = self.letter_files
        self.letter_files = known | changed if only_in_letters else known - changed
        self._operations.run(
            lambda: self._stores().note_letter_files(changed, only_in_letters),
            nothing,
            self._voice.fail,
        )

    def remember(self, template: str, answers: Mapping[str, str]) -> None:
        """The answers with which the next letter with a template begins."""
        if answers:
            self.answers[template] = {**self.answers.get(template, {}), **answers}
