"""Where a letter begins: empty, with a template, to a person, about a case."""

from collections.abc import Callable

from nebbet.core.letter import Letter
from nebbet.core.records import Contact, Matter, Person
from nebbet.desktop.letters.model import LetterModel
from nebbet.desktop.session.session import Session
from nebbet.library.holdings import Template


class Beginning:
    """Puts letters on the pile; open_letter shows the one of an id on the paper."""

    def __init__(
        self, session: Session, model: LetterModel, open_letter: Callable[[str], object]
    ) -> None:
        self._session, self._model, self._open = session, model, open_letter

    def empty(self, contact: Contact | None = None) -> Letter:
        """Put an empty letter on the pile and open it."""
        session = self._session
        frame = next(iter(session.shared.catalogue.frames), "")
        letter = Letter(session.parts.token(), frame=frame, recipient=contact)
        session.letters.put_back(letter)
        self._open(letter.id)
        return letter

    def with_template(self, template: Template, contact: Contact | None = None) -> None:
        """Begin a letter with a template."""
        self.empty(contact)
        self._model.start_over(template)

    def address(self, person: Person | None, matter: Matter | None) -> None:
        """Let the letter at hand go to somebody, about something that is theirs."""
        if person:
            self._model.set_recipient(person)
        if matter and (person is None or matter.case.is_about(person.contact)):
            self._model.set_case(matter)
