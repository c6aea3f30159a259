"""Making an edition or a proposal of what stands in the editor, also when others were quicker."""

from collections.abc import Callable

from PySide6.QtCore import QObject, Signal

from nebbet.core.comparing import Merged
from nebbet.core.errors import NebbetError
from nebbet.core.sentences import said
from nebbet.desktop.session.shared_library import SharedLibrary
from nebbet.library import drafting
from nebbet.library.drafting import Wanted
from nebbet.library.holdings import MovedOn, Template


class Saving(QObject):
    """Saves in the background. saved tells what was saved, the number of the edition (0 for a
    proposal) and what to say of it; merged what came of it and of an edition that somebody else
    made meanwhile, and that edition."""

    saved = Signal(object, int, str)
    merged = Signal(object, object)

    def __init__(self, shared: SharedLibrary) -> None:
        super().__init__()
        self._shared = shared
        self._under_way: Wanted | None = None

    def proposes(self, shelf: str) -> bool:
        """Whether the person can only propose."""
        shared = self._shared
        return drafting.proposes(shared.catalogue, "lead" if shared.leads else "colleague", shelf)

    def save(self, wanted: Wanted) -> None:
        """Put a state in use, or propose it; one after the other, or the second would be told that
        the first was quicker."""
        if self._under_way is not None:
            if wanted.draft != self._under_way.draft:
                self._shared.voice.say(
                    said("What you saved before is still on its way: save again in a moment.")
                )
            return
        shared, draft = self._shared, wanted.draft
        library, me, now = shared.library, shared.my_id, shared.now()
        if not self.proposes(draft.shelf):
            self._run(
                wanted,
                lambda: drafting.put_in_use(library, wanted, me, now),
                lambda number: said(
                    "Edition {number} of “{title}” is in use.", number=number, title=draft.title
                ),
            )
        elif not me:
            shared.voice.say(
                said(
                    "Say who you are first (click your name): a proposal has its author. Your "
                    "draft is kept."
                )
            )
        else:
            made = drafting.proposal_of(shared.catalogue, wanted, me, now, shared.token)
            self._run(
                wanted,
                lambda: drafting.propose(library, wanted, made),
                lambda _number: self._proposed(draft.title),
            )

    def _proposed(self, title: str) -> str:
        if self._shared.is_away:
            return said(
                "“{title}” waits on this computer: it is proposed when the server is there again.",
                title=title,
            )
        return said("“{title}” is proposed: a lead will look at it.", title=title)

    def _run(
        self, wanted: Wanted, write: Callable[[], object], words: Callable[[int], str]
    ) -> None:
        self._under_way = wanted

        def done(result: object) -> None:
            self._under_way = None
            number = result if isinstance(result, int) else 0
            self._shared.own.keep_draft(wanted.template, None)
            self.saved.emit(wanted, number, words(number))

        def failed(error: NebbetError) -> None:
            self._under_way = None
            if isinstance(error, MovedOn):
                self._merge(wanted)
            else:
                self._shared.voice.fail(error)

        self._shared.change(write, done, failed)

    def _merge(self, wanted: Wanted) -> None:
        """Bring what is to be saved together with the edition that is in use by now."""
        library = self._shared.library

        def read() -> tuple[Merged, Template]:
            editions = library.editions(wanted.template)
            return drafting.merged_with(wanted.draft, editions), editions[0]

        self._shared.operations.run(
            read, lambda found: self.merged.emit(*found), self._shared.voice.fail
        )
        self._shared.refresh()


def overtaken_by(author: str, edition: int, merged: Merged) -> str:
    """What is said to whoever was not the first."""
    who = author or said("Somebody")
    if merged.clashes:
        return said(
            "{who} put edition {number} in use meanwhile, and changed the same as you: {both}. "
            "Your wording stands here.",
            who=who,
            number=edition,
            both=", ".join(merged.clashes),
        )
    return said(
        "{who} put edition {number} in use meanwhile. Its changes are in your text now: look, and "
        "put it in use.",
        who=who,
        number=edition,
    )
