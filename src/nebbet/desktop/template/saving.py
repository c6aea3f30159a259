"""Making an edition or a proposal of what stands in the editor, also when others were quicker."""

from collections.abc import Callable

import msgspec
from msgspec import Struct
from msgspec.structs import replace
from PySide6.QtCore import QObject, Signal

from nebbet.core.comparing import Merged, merge
from nebbet.core.errors import UNREADABLE, NebbetError
from nebbet.core.letter import TemplateDraft
from nebbet.desktop.session.shared_library import SharedLibrary
from nebbet.desktop.template.languages import name_of
from nebbet.library.catalogue import private_to
from nebbet.library.holdings import MovedOn, Proposal, Template


class Wanted(Struct, frozen=True):
    """What is to be saved: a state of a template, the line on it, and the proposal it answers."""

    template: str
    draft: TemplateDraft
    note: str
    proposal: Proposal | None = None


class Saving(QObject):
    """Saves in the background. saved tells what was saved, the number of the edition (0 for a
    proposal) and what to say of it; merged what came of it and of an edition that somebody else
    made meanwhile, and that edition."""

    saved = Signal(object, int, str)
    merged = Signal(object, object)

    def __init__(self, shared: SharedLibrary) -> None:
        super().__init__()
        self._shared = shared

    def proposes(self, shelf: str) -> bool:
        """Whether the person can only propose: on a shared shelf, and no lead."""
        owners = {s.id: s.owner for s in self._shared.catalogue.shelves}
        return not self._shared.leads and not owners.get(shelf)

    def save(self, wanted: Wanted) -> None:
        """Put a state in use, or propose it."""
        if self.proposes(wanted.draft.shelf):
            if not self._shared.my_id:
                self._shared.voice.say(
                    "Say who you are first (click your name): a proposal has its author. Your "
                    "draft is kept."
                )
                return
            self._run(wanted, self._propose(wanted), "“{}” is proposed: a lead will look at it.")
        elif wanted.proposal:
            self._run(
                wanted, self._accept(wanted, wanted.proposal), "Edition {1} of “{0}” is in use."
            )
        else:
            self._run(wanted, self._make_edition(wanted), "Edition {1} of “{0}” is in use.")

    def _run(self, wanted: Wanted, write: Callable[[], int], words: str) -> None:
        def done(number: int) -> None:
            self._shared.own.keep_draft(wanted.template, None)
            self.saved.emit(wanted, number, words.format(wanted.draft.title, number))

        def failed(error: NebbetError) -> None:
            if isinstance(error, MovedOn):
                self._merge(wanted)
            else:
                self._shared.voice.fail(error)

        self._shared.change(write, done, failed)  # type: ignore[arg-type]

    def _propose(self, wanted: Wanted) -> Callable[[], int]:
        shared, draft = self._shared, wanted.draft
        made = proposal_of(shared, wanted.template, draft, wanted.note)

        def write() -> int:
            if made.template != wanted.template:  # what is on one's own shelf says it, too
                shared.library.save_edition(
                    wanted.template,
                    draft.title,
                    draft.content,
                    author=made.author,
                    note=made.reason,
                    made=made.made,
                )
            shared.library.propose(made)
            return 0

        return write

    def _accept(self, wanted: Wanted, proposal: Proposal) -> Callable[[], int]:
        shared, draft = self._shared, wanted.draft
        now, me = shared.now(), shared.my_id
        return lambda: shared.library.accept(
            proposal,
            draft.content,
            draft.title,
            wanted.note,
            me,
            now,
            based_on=draft.edition,
        )

    def _make_edition(self, wanted: Wanted) -> Callable[[], int]:
        shared, draft = self._shared, wanted.draft
        library, me, now = shared.library, shared.my_id, shared.now()

        def write() -> int:
            number = library.save_edition(
                wanted.template,
                draft.title,
                draft.content,
                author=me,
                note=wanted.note,
                made=now,
                based_on=draft.edition,
            )
            if draft.shelf:
                library.set_template(wanted.template, shelf=draft.shelf)
            return number

        return write

    def _merge(self, wanted: Wanted) -> None:
        """Bring what is to be saved together with the edition that is in use by now."""
        library = self._shared.library

        def read() -> tuple[Merged, Template]:
            editions = library.editions(wanted.template)
            return merged_with(wanted.draft, editions), editions[0]

        self._shared.operations.run(
            read, lambda found: self.merged.emit(*found), self._shared.voice.fail
        )
        self._shared.refresh()


def proposal_of(
    shared: SharedLibrary, template: str, draft: TemplateDraft, reason: str
) -> Proposal:
    """A state of a template as what a lead is asked for. What stands on a private shelf is offered
    as a change of its original, or else as a template that is new to the team."""
    catalogue, base = shared.catalogue, draft.edition
    known = catalogue.templates.get(template)
    if known and private_to(catalogue, known.shelf):
        original = catalogue.templates.get(known.origin)
        template = original.id if original else shared.token()
        base = known.origin_edition if original else 0
    return Proposal(
        id=shared.token(),
        template=template,
        base=base,
        shelf=draft.shelf,
        title=draft.title,
        content=draft.content,
        author=shared.my_id,
        made=shared.now(),
        reason=reason,
    )


def draft_in(data: bytes) -> TemplateDraft | None:
    """A kept draft, or nothing where it cannot be read."""
    try:
        return msgspec.json.decode(data, type=TemplateDraft)
    except UNREADABLE:
        return None


def merged_with(draft: TemplateDraft, editions: list[Template]) -> Merged:
    """A state, merged with the newest of a template's editions (newest first)."""
    newest = state_of(editions[0])
    began = next((e for e in editions if e.edition == draft.edition), None)
    base = state_of(began) if began else replace(newest, content=draft.content)
    found = merge(base, draft, newest)
    return replace(found, draft=replace(found.draft, edition=newest.edition))


def clashes_in(merged: Merged) -> str:
    """Where both changed the same, in words."""
    said = ", ".join(merged.clashes)
    for code in merged.draft.content.texts:
        said = said.replace(f" in {code}", f" in {name_of(code)}")
    return said


def state_of(template: Template) -> TemplateDraft:
    """An edition as a state that can be compared and merged."""
    return TemplateDraft(template.title, template.shelf, template.content, template.edition)
