"""Offering the wording of a letter that went out: it comes as a draft of its template."""

from collections.abc import Callable

import msgspec
from msgspec.structs import replace

from nebbet.core import letter as letters
from nebbet.core.comparing.rewording import is_reworded, wording
from nebbet.core.errors import NebbetError
from nebbet.core.letter import Letter, TemplateDraft
from nebbet.desktop.session.session import Session
from nebbet.library.catalogue import Template, begin
from nebbet.library.entries import Registered


def offer_wording(session: Session, entry: Registered, done: Callable[[str], None]) -> None:
    """Make what was changed by hand in a letter that one has sent a draft of its template, and tell
    which that is; or say why there is nothing to offer."""
    if entry.template in session.drafts:
        session.voice.say(
            "A draft of yours waits in the editor of this template already: finish it first."
        )
        return

    def read() -> TemplateDraft:
        letter = session.stores.sent_letter(entry.message_id)
        if letter is None or entry.sender != session.my_id:
            raise NebbetError(
                "The wording of this letter is not on this computer",
                advice="Only letters that you sent from here in the last days can be offered",
            )
        editions = {e.edition: e for e in session.library.editions(entry.template)}
        if letter.edition not in editions:
            raise NebbetError("The template of this letter is not in the library any more")
        return _draft(session, letter, editions[letter.edition])

    def came(draft: TemplateDraft) -> None:
        session.keep_draft(entry.template, msgspec.json.encode(draft))
        done(entry.template)
        session.voice.say(
            "The wording of your letter stands here as a draft. Take out what concerned only that "
            "person, then propose it, or put it in use."
        )

    session.operations.run(read, came, session.voice.fail)


def _draft(session: Session, letter: Letter, edition: Template) -> TemplateDraft:
    """Raises NebbetError where nothing was changed by hand."""
    catalogue = session.catalogue
    began = begin(
        catalogue,
        edition,
        letter.id,
        recipient=letter.recipient,
        case=letter.case,
        language=letter.language,
    )
    began = replace(began, answers=letter.answers, members=letter.members)
    began = letters.work_out(began, session.world_for(letter))[0]
    if not is_reworded(letter, began):
        raise NebbetError(
            "This letter says what its template says",
            advice="Only what was changed by hand can be offered",
        )
    content = wording(letter, began, edition.content, catalogue.passages)
    return TemplateDraft(edition.title, edition.shelf, content, edition.edition)
