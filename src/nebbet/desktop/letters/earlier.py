"""The earlier letters to the recipient and about the case, beside the letter that is written."""

from datetime import datetime

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QVBoxLayout, QWidget
from sqlalchemy import Engine

from nebbet.core.records import Case, Contact
from nebbet.core.sentences import counted, said
from nebbet.desktop.kit import pieces
from nebbet.desktop.kit.picker import Choice, ChoiceList
from nebbet.desktop.letters.model import LetterModel
from nebbet.desktop.session import choices
from nebbet.desktop.session.shared_library import SharedLibrary
from nebbet.library.entries import Registered
from nebbet.library.people_pages import letters_to
from nebbet.library.register import letters_about

_MOST = 40
_TALL = 132  # pixels: three rows


class EarlierLetters(QWidget):
    """A line that says how many there are, and a list below it while it is open. read tells the
    message id of one that somebody wants to read, again the entry of one to be written once
    more."""

    read = Signal(str)
    again = Signal(object)

    def __init__(self, shared: SharedLibrary, model: LetterModel) -> None:
        super().__init__()
        self._shared, self._model = shared, model
        self._about: tuple[object, ...] = ()
        self._entries: list[Registered] = []
        self.button = pieces.button("", self.toggle, "words", "Ctrl+H")
        self.write_again = pieces.button(said("Write again like this"), self._again, "words")
        self.list = ChoiceList(said("Earlier letters"))
        self.list.setFixedHeight(_TALL)
        self.list.itemActivated.connect(lambda _item: self.read.emit(self.list.key))
        self._open = QWidget()
        pieces.fill(QVBoxLayout(self._open), self.list, pieces.row(None, self.write_again))
        self._open.hide()
        pieces.fill(QVBoxLayout(self), pieces.row(self.button, None), self._open, spacing=2)
        for changed in (model.replaced, model.worked_out, model.reverted):
            changed.connect(self._follow)
        shared.register_changed.connect(self._ask)

    def _follow(self) -> None:
        """Another recipient or case has other letters."""
        letter = self._model.letter
        recipient = letter.recipient if letter else None
        case = letter.case if letter else None
        about = (recipient, case.number if case else "")
        if about != self._about:
            self._about = about
            self._ask()

    def _ask(self) -> None:
        letter = self._model.letter
        contact = letter.recipient if letter else None
        case = letter.case if letter else None
        if not self._shared.is_open or (contact is None and case is None):
            self._show([])
            return
        engine = self._shared.library.register_engine
        self._shared.people.ask(
            lambda _people: _earlier(engine, contact, case), self._show, asker="earlier letters"
        )

    def _show(self, entries: list[Registered]) -> None:
        self._entries = entries
        words = counted("1 earlier letter", "{count} earlier letters", count=len(entries))
        self.button.setText(words)
        self.button.setAccessibleName(words)
        self.setVisible(bool(entries))
        now = self._shared.now()
        self.list.show_choices([self._row(entry, now) for entry in entries], self.list.key)
        if not entries:
            self._open.hide()

    def _row(self, entry: Registered, now: datetime) -> Choice:
        member = self._shared.catalogue.members.get(entry.sender)
        who = member.name if member else entry.sender
        ago = choices.ago(entry.sent, now)
        second = " · ".join(filter(None, (who, entry.case_number, entry.title)))
        return Choice(entry.message_id, entry.subject or entry.title, second, ago)

    def toggle(self) -> None:
        """Open the list and go to it, or close it."""
        if not self._entries:
            return
        self._open.setVisible(self._open.isHidden())
        if not self._open.isHidden():
            self.list.setFocus()
            self.list.choose_first()

    def _again(self) -> None:
        row = max(self.list.currentRow(), 0)
        if row < len(self._entries):
            self.again.emit(self._entries[row])


def _earlier(engine: Engine, contact: Contact | None, case: Case | None) -> list[Registered]:
    """The letters to somebody and about a case, each once, newest first."""
    found = {e.message_id: e for e in (letters_to(engine, contact) if contact else ())}
    if case:
        found |= {e.message_id: e for e in letters_about(engine, case.number)}
    return sorted(found.values(), key=lambda entry: entry.sent, reverse=True)[:_MOST]
