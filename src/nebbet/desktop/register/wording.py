"""Offering the wording of a letter that went out: it comes as a draft of its template."""

from collections.abc import Callable

import msgspec

from nebbet.core.errors import NebbetError
from nebbet.core.letter import TemplateDraft
from nebbet.desktop.session.sending import Sending
from nebbet.desktop.session.shared_library import SharedLibrary
from nebbet.library.entries import Registered
from nebbet.library.rewording import offered_wording


def offer_wording(
    shared: SharedLibrary, sending: Sending, entry: Registered, done: Callable[[str], None]
) -> None:
    """Make what was changed by hand in a letter that one has sent a draft of its template, and tell
    which that is; or say why there is nothing to offer."""
    if entry.template in shared.own.drafts:
        shared.voice.say(
            "A draft of yours waits in the editor of this template already: finish it first."
        )
        return
    catalogue, writer = shared.catalogue, shared.writer()

    def read() -> TemplateDraft:
        letter = sending.sent_letter(entry.message_id)
        if letter is None or entry.sender != shared.my_id:
            raise NebbetError(
                "The wording of this letter is not on this computer",
                advice="Only letters that you sent from here in the last days can be offered",
            )
        editions = shared.library.editions(entry.template)
        return offered_wording(catalogue, letter, editions, writer)

    def came(draft: TemplateDraft) -> None:
        shared.own.keep_draft(entry.template, msgspec.json.encode(draft))
        done(entry.template)
        shared.voice.say(
            "The wording of your letter stands here as a draft. Take out what concerned only that "
            "person, then propose it, or put it in use."
        )

    shared.operations.run(read, came, shared.voice.fail)
