"""A letter whose recipient or case is changed elsewhere: values that nobody typed follow, and the
person is told which."""

from collections.abc import Mapping, Sequence

from PySide6.QtCore import QObject

from nebbet.core.placeholders import Particular
from nebbet.core.records import Case, Contact, fold
from nebbet.core.sentences import said
from nebbet.desktop.letters.model import LetterModel
from nebbet.desktop.letters.newer_editions import THIS_LETTER
from nebbet.desktop.session.session import Session
from nebbet.library.addressing import with_newer
from nebbet.library.changes import Change
from nebbet.library.people import People

_TOLD = 4  # values that are told at most
Found = tuple[Contact | None, Case | None]


class NewerRecords(QObject):
    """Keeps the letter at hand as its recipient and its case are on file."""

    def __init__(self, session: Session, model: LetterModel) -> None:
        super().__init__(model)
        self._session, self._model = session, model
        self._about = ("", "")  # the letter and the recipient that were asked for
        self._known: dict[str, Contact] = {}  # the recipient as last read
        session.shared.changed.connect(self._follow)
        model.replaced.connect(self._look)
        model.worked_out.connect(self._look)

    def _ids(self) -> tuple[str, str]:
        letter = self._model.letter
        recipient = letter.recipient.id if letter and letter.recipient else ""
        return recipient, letter.case.id if letter and letter.case else ""

    def _look(self) -> None:
        """Another letter is at hand, which may be of another day, or it goes to somebody else, who
        is to be known as they are before they change."""
        about = (self._model.letter.id if self._model.letter else "", self._ids()[0])
        if about != self._about:
            self._about = about
            self._ask()

    def _follow(self, change: Change) -> None:
        recipient, case = self._ids()
        if change.everything or recipient in change.of("contact") or case in change.of("case"):
            self._ask()

    def _ask(self) -> None:
        ids = self._ids()
        if not any(ids):
            return

        def read(people: People) -> Found:
            return people.contact(ids[0]), people.case(ids[1])

        def came(found: Found) -> None:
            if self._ids() == ids:
                self._take(*found)

        self._session.shared.people.ask(read, came, asker="newer records")

    def _take(self, contact: Contact | None, case: Case | None) -> None:
        letter = self._model.letter
        assert letter is not None
        known = self._known.get(contact.id) if contact else None
        self._known = {contact.id: contact} if contact else {}
        newer = with_newer(letter, contact, case, known)
        if newer == letter:
            return
        before = {fold(one.name): one.text for one in self._model.particulars}
        address = letter.recipient.email if letter.recipient else ""
        self._model.follow(newer)
        told = _differences(before, self._model.particulars)
        if newer.recipient and newer.recipient.email != address:
            told.insert(0, said("goes to {address}", address=newer.recipient.email or "–"))
        if told:
            self._tell(newer.case.number if newer.case else "", told)

    def _tell(self, number: str, told: Sequence[str]) -> None:
        what = said("case {number}", number=number) if number else said("the recipient")
        values = "; ".join(told[:_TOLD]) + (" …" if len(told) > _TOLD else "")
        self._session.voice.say(
            said(
                "What is on file for {what} was changed, and this letter with it: {values}. What "
                "you typed stays.",
                what=what,
                values=values,
            ),
            said("Take the old values back"),
            self._model.undo,
            about=THIS_LETTER,
        )


def _differences(before: Mapping[str, str | None], particulars: Sequence[Particular]) -> list[str]:
    """The values that are other ones now."""
    return [
        said("{name}: {value}", name=one.placeholder.title,
             value=one.text or "–")
        for one in particulars
        if fold(one.name) in before and before[fold(one.name)] != one.text
    ]  # fmt: skip
