"""Prompts in a text that came from elsewhere are blanks that somebody wrote by hand."""

from nebbet.core import checks
from nebbet.desktop.kit.notices import Voice
from nebbet.desktop.template.ledger import Ledger
from nebbet.desktop.template.manuscript import Manuscript


class Prompts:
    """Offers to make blanks of them."""

    def __init__(self, voice: Voice, ledger: Ledger, manuscript: Manuscript) -> None:
        self._voice, self._ledger, self._manuscript = voice, ledger, manuscript

    def offer_all(self, said: str) -> None:
        """Say something of a text that came from elsewhere, and offer its prompts as blanks."""
        text = "\n".join(editor.toPlainText() for editor in self._manuscript.editors)
        if found := checks.prompts_in(text):
            self.offer(found, said)
        else:
            self._voice.say(said)

    def offer(self, found: list[str], said: str = "") -> None:
        """Offer some prompts as blanks."""
        named = checks.blank_names(found, [p.name for p in self._ledger.placeholders])
        listed = ", ".join(found[:6]) + (f" and {len(found) - 6} more" if len(found) > 6 else "")
        self._voice.say(
            f"{said} The text has prompts: {listed}.".strip(),
            "Make them blanks",
            lambda: self._make_blanks(named),
        )

    def _make_blanks(self, named: dict[str, str]) -> None:
        for name in named.values():
            self._ledger.declare(name)
        for editor in self._manuscript.editors:
            editor.make_slots(named)
        self._manuscript.body.setFocus()
