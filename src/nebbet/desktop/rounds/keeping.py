"""Rounds kept under a name, from the page: kept as it stands there, and taken up again."""

from pathlib import Path

from msgspec.structs import replace
from PySide6.QtWidgets import QWidget

from nebbet.core.errors import NebbetError
from nebbet.core.rounds import Matches
from nebbet.core.sentences import said
from nebbet.desktop.kit.asking import ask_line
from nebbet.desktop.rounds.going import Going
from nebbet.desktop.rounds.made_of import MadeOf
from nebbet.desktop.rounds.round_list import RoundList
from nebbet.desktop.session.shared_library import SharedLibrary
from nebbet.library.round_kept import KeptRound


class Keeping:
    """current is what the round at hand was taken up from, if it was."""

    def __init__(
        self, shared: SharedLibrary, over: QWidget, made_of: MadeOf, going: Going, listed: RoundList
    ) -> None:
        self._shared, self._over = shared, over
        self._made_of, self._going, self._listed = made_of, going, listed
        self.current: KeptRound | None = None

    def run(self, kept: KeptRound) -> None:
        """Begin with what was kept under a name, and the table as it is now."""
        made, voice = self._made_of, self._shared.voice
        if kept.template not in self._shared.catalogue.templates:
            voice.say(said("The template of this round is not there any more."))
            return
        made.leave()
        self.current = kept
        made.take_template(kept.template)
        made.show_choosing(kept.choosing)
        self._going.show_going(
            kept.pace, kept.how, with_doubts=kept.with_doubts, twice=kept.choosing.twice
        )
        if kept.folder:
            made.take_folder(Path(kept.folder))
        if kept.origin.kind == "clipboard":
            voice.say(said("Its table came from the clipboard: copy one, then Ctrl+Shift+V."))
        else:
            made.take_origin(kept.origin)

    def ask(self, matches: Matches) -> None:
        """Ask for a name, and keep what the round is made of under it."""
        made = self._made_of
        if made.table is None or made.template is None or made.started:
            return
        name = Path(made.name).stem if made.origin.kind == "file" else made.name
        before = self.current.title if self.current else name
        title = ask_line(
            self._over, said("Keep this round"), said("Its name"), said("Keep it"), before
        )
        if title:
            self._keep(title, matches)

    def _keep(self, title: str, matches: Matches) -> None:
        shared, made, going = self._shared, self._made_of, self._going
        assert made.template is not None
        mine = (k for k in self._listed.kept.values() if k.member == shared.my_id)
        known = next((one for one in mine if one.title == title), None)
        try:
            pace = going.pace
        except NebbetError as error:
            shared.voice.fail(error)
            return
        kept = KeptRound(
            known.id if known else shared.token(), title, shared.my_id, made.template.id,
            made.origin, str(made.folder) if made.files else "", matches,
            replace(made.choosing, twice=going.wanted_twice), pace, going.wanted_how,
            going.with_doubts,
        )  # fmt: skip
        library = shared.library

        def done(_result: object) -> None:
            self.current = kept
            self._listed.refresh()
            shared.voice.say(said("“{title}” is kept: it is in the list of rounds.", title=title))

        shared.change(lambda: library.keep_round_as(kept), done)
