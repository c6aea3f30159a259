"""Where a letter begins: empty, with a template, to a person, about a case."""

import html
from collections.abc import Callable

from nebbet.core import addresses, body, inline
from nebbet.core.addresses import Address
from nebbet.core.letter import Letter
from nebbet.core.message.links import Prepared
from nebbet.core.records import Contact, Matter, Person, contact_for, unfiled_id
from nebbet.desktop.letters.model import LetterModel
from nebbet.desktop.session.session import Session
from nebbet.library.holdings import Template

_LINES = 2000  # of a text that a link prepares


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

    def prepared(self, found: Prepared) -> None:
        """Begin a letter as a link prepares it: its first recipient is the person it is for."""
        people, _problems = addresses.read(found.to)
        frame = next(iter(self._session.shared.catalogue.frames), "")
        others = addresses.write(people[1:])
        text = "".join(f"<p>{html.escape(line)}</p>" for line in found.body.splitlines()[:_LINES])
        letter = Letter(
            self._session.parts.token(),
            frame=frame,
            subject=(found.subject,) if found.subject else (),
            to=(others,) if others else (),
            cc=(found.cc,) if found.cc else (),
            bcc=(found.bcc,) if found.bcc else (),
            body=body.completed(body.read(text), lambda slot: inline.source((slot,))),
        )
        self._session.letters.put_back(letter)
        self._open(letter.id)
        if people:
            self.to_address(people[0])

    def to_address(self, address: Address) -> None:
        """Let the letter at hand go to an address, and to whoever has it."""
        token = self._session.parts.token()
        free = contact_for(unfiled_id(token), address.name, address.spec)
        self._model.set_recipient(Person(free))
        letter = self._model.letter

        def done(found: Person | None) -> None:
            now = self._model.letter
            if found and letter and now and now.id == letter.id and now.recipient == free:
                self._model.set_recipient(found)

        self._session.shared.people.ask(lambda people: people.addressed(address.spec), done)

    def address(self, person: Person | None, matter: Matter | None) -> None:
        """Let the letter at hand go to somebody, about something that is theirs."""
        if person:
            self._model.set_recipient(person)
        if matter and (person is None or matter.case.is_about(person.contact)):
            self._model.set_case(matter)
