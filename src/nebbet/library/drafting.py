"""A state of a template on its way to an edition: kept, merged, put in use or proposed."""

from collections.abc import Callable, Sequence
from datetime import datetime

import msgspec
from msgspec import Struct
from msgspec.structs import replace

from nebbet.core.comparing import Merged, merge
from nebbet.core.errors import UNREADABLE
from nebbet.core.letter import Content, TemplateDraft
from nebbet.library.catalogue import Catalogue, private_to
from nebbet.library.holdings import Proposal, Role, Template
from nebbet.library.store import Library


class Wanted(Struct, frozen=True):
    """What is to be saved: a state of a template, the line on it, and the proposal it answers."""

    template: str
    draft: TemplateDraft
    note: str
    proposal: Proposal | None = None


class Work(Struct, frozen=True):
    """A template that is being written: the state that it was begun from, and the proposal that is
    answered with it."""

    template: str = ""
    base: TemplateDraft = TemplateDraft("", "", Content())
    proposal: Proposal | None = None

    def kept(self, draft: TemplateDraft) -> bytes | None:
        """What is to be kept of a state: nothing where it is the one that it was begun from."""
        return None if draft == self.base else msgspec.json.encode(draft)

    def is_unchanged(self, draft: TemplateDraft) -> bool:
        """Whether a state is the one that it was begun from, and answers nothing."""
        return self.proposal is None and draft == self.base

    def saved(self, draft: TemplateDraft, number: int) -> "Work":
        """The work after a state was put in use as an edition, or proposed (0)."""
        base = replace(draft, edition=number or draft.edition)
        return Work(self.template, base)

    def overtaken(self, theirs: Template) -> "Work":
        """The work after somebody else's edition came first."""
        return replace(self, base=state_of(theirs))


class Opened(Struct, frozen=True):
    """A template taken up: the work, the state to be shown, and whether that is what was not saved
    last time. lost says that what was kept cannot be read."""

    work: Work
    draft: TemplateDraft
    again: bool = False
    lost: bool = False


def take_up(
    catalogue: Catalogue,
    template: Template,
    kept: bytes | None,
    proposal: Proposal | None = None,
) -> Opened:
    """Begin to write a template, or go on with what was not saved last time."""
    frame = template.content.frame or next(iter(catalogue.frames), "")
    content = replace(template.content, frame=frame)
    base = TemplateDraft(template.title, template.shelf, content, template.edition)
    work = Work(template.id, base, proposal)
    if kept is None:
        return Opened(work, base)
    draft = draft_in(kept)
    if draft is None:
        return Opened(work, base, lost=True)
    if not draft.content.frame:
        draft = replace(draft, content=replace(draft.content, frame=frame))
    work = replace(work, base=replace(base, edition=draft.edition or template.edition))
    return Opened(work, draft, again=True)


def draft_in(data: bytes) -> TemplateDraft | None:
    """A kept draft, or nothing where it cannot be read."""
    try:
        return msgspec.json.decode(data, type=TemplateDraft)
    except UNREADABLE:
        return None


def as_begun(template: Template, kept: bytes | None) -> Template:
    """A template as its writer has it, where nothing of it is in use yet: with the title and the
    text of the draft that is kept."""
    draft = draft_in(kept) if kept and not template.edition else None
    if draft is None:
        return template
    return replace(template, title=draft.title or template.title, content=draft.content)


def state_of(template: Template) -> TemplateDraft:
    """An edition as a state that can be compared and merged."""
    return TemplateDraft(template.title, template.shelf, template.content, template.edition)


def merged_with(draft: TemplateDraft, editions: Sequence[Template]) -> Merged:
    """A state, merged with the newest of a template's editions (newest first)."""
    newest = state_of(editions[0])
    began = next((e for e in editions if e.edition == draft.edition), None)
    base = state_of(began) if began else replace(newest, content=draft.content)
    found = merge(base, draft, newest)
    return replace(found, draft=replace(found.draft, edition=newest.edition))


def with_original(mine: Template, began: Template, original: Template) -> Merged:
    """Somebody's own version with what is new in the original since it was taken from it."""
    own, base, theirs = (
        replace(state_of(found), title="", shelf="") for found in (mine, began, original)
    )
    merged = merge(base, own, theirs)
    draft = replace(merged.draft, title=mine.title, shelf=mine.shelf, edition=mine.edition)
    return Merged(draft, merged.clashes)


def proposes(catalogue: Catalogue, role: Role, shelf: str) -> bool:
    """Whether somebody can only propose: on a shared shelf, and no lead."""
    owners = {s.id: s.owner for s in catalogue.shelves}
    return role != "lead" and not owners.get(shelf)


def proposal_of(
    catalogue: Catalogue,
    wanted: Wanted,
    author: str,
    made: datetime,
    token: Callable[[], str],
) -> Proposal:
    """A state of a template as what a lead is asked for. What stands on a private shelf is offered
    as a change of its original, or else as a template that is new to the team."""
    template, draft = wanted.template, wanted.draft
    base = draft.edition
    known = catalogue.templates.get(template)
    if known and private_to(catalogue, known.shelf):
        original = catalogue.templates.get(known.origin)
        template = original.id if original else token()
        base = known.origin_edition if original else 0
    return Proposal(
        id=token(),
        template=template,
        base=base,
        shelf=draft.shelf,
        title=draft.title,
        content=draft.content,
        author=author,
        made=made,
        reason=wanted.note,
    )


def propose(library: Library, wanted: Wanted, made: Proposal) -> None:
    """Hand a proposal in. What is on one's own shelf says it, too."""
    if made.template != wanted.template:
        library.save_edition(
            wanted.template,
            wanted.draft.title,
            wanted.draft.content,
            author=made.author,
            note=made.reason,
            made=made.made,
        )
    library.propose(made)


def put_in_use(library: Library, wanted: Wanted, author: str, made: datetime) -> int:
    """Make the next edition of a state, as the answer to a proposal where it is one; returns its
    number. Raises MovedOn where somebody was quicker."""
    draft = wanted.draft
    if wanted.proposal:
        return library.accept(
            wanted.proposal, draft.content, draft.title, wanted.note, author, made,
            based_on=draft.edition,
        )  # fmt: skip
    number = library.save_edition(
        wanted.template,
        draft.title,
        draft.content,
        author=author,
        note=wanted.note,
        made=made,
        based_on=draft.edition,
    )
    if draft.shelf:
        library.set_template(wanted.template, shelf=draft.shelf)
    return number
