"""Letters and the editions of their templates: started over, a newer one taken over, and what was
reworded by hand offered back to the team."""

from collections.abc import Iterable

from msgspec.structs import replace

from nebbet.core import letter as letters
from nebbet.core.comparing import taken_over
from nebbet.core.comparing.rewording import is_reworded, wording
from nebbet.core.errors import NebbetError
from nebbet.core.letter import Letter, TemplateDraft
from nebbet.library.catalogue import Catalogue
from nebbet.library.holdings import Template
from nebbet.library.writing import Writer, begin_for, world_for


def started_over(catalogue: Catalogue, letter: Letter, template: Template) -> Letter:
    """A template taken for the same person and case, with what was already typed; a letter that
    answers a message goes on answering it, and keeps the subject by which it is known."""
    made = begin_for(catalogue, template, letter.id, recipient=letter.recipient, case=letter.case)
    made = replace(made, answers=letter.answers)
    if not letter.thread:
        return made
    return replace(
        made, answers_to=letter.answers_to, thread=letter.thread, quoted=letter.quoted,
        subject=letter.subject or made.subject, to=letter.to or made.to, cc=letter.cc or made.cc,
    )  # fmt: skip


def newer_edition(catalogue: Catalogue, letter: Letter) -> Template | None:
    """The letter's template, if there is a newer edition of it than the letter was begun with."""
    template = catalogue.templates.get(letter.template)
    if template is None or template.state != "in use":
        return None
    return template if template.edition > letter.edition > 0 else None


def take_over(
    catalogue: Catalogue, letter: Letter, old: Template, new: Template, writer: Writer
) -> tuple[Letter, bool]:
    """The letter with what changed from one edition to another and all that was typed, and whether
    the writer had changed the same somewhere."""
    world = world_for(catalogue, letter, writer)
    began, fresh = (
        letters.work_out(
            replace(started_over(catalogue, letter, edition), members=letter.members), world
        )[0]
        for edition in (old, new)
    )
    return taken_over(letter, began, fresh)


def offered_wording(
    catalogue: Catalogue, letter: Letter, editions: Iterable[Template], writer: Writer
) -> TemplateDraft:
    """What was changed by hand in a letter that went out, as a draft of its template.

    Raises NebbetError where there is nothing to offer.
    """
    edition = next((e for e in editions if e.edition == letter.edition), None)
    if edition is None:
        raise NebbetError("The template of this letter is not in the library any more")
    began = begin_for(
        catalogue,
        edition,
        letter.id,
        recipient=letter.recipient,
        case=letter.case,
        language=letter.language,
    )
    began = replace(began, answers=letter.answers, members=letter.members)
    began = letters.work_out(began, world_for(catalogue, letter, writer))[0]
    if not is_reworded(letter, began):
        raise NebbetError(
            "This letter says what its template says",
            advice="Only what was changed by hand can be offered",
        )
    content = wording(letter, began, edition.content, catalogue.passages)
    return TemplateDraft(edition.title, edition.shelf, content, edition.edition)
