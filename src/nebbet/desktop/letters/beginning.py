"""Where a letter begins: empty, with a template, to a person, about a case, like an earlier one."""

import html
from collections.abc import Callable
from typing import NamedTuple

from nebbet.core import addresses, body, inline
from nebbet.core.addresses import Address
from nebbet.core.body import Body, Frame
from nebbet.core.letter import Letter
from nebbet.core.message.links import Prepared
from nebbet.core.message.received import Received
from nebbet.core.records import Contact, Matter, Person, contact_for, unfiled_id
from nebbet.core.sentences import said
from nebbet.desktop.letters.model import LetterModel
from nebbet.desktop.letters.newer_editions import THIS_LETTER
from nebbet.desktop.session import choices
from nebbet.desktop.session.session import Session
from nebbet.library.entries import Registered

_LINES = 2000  # of a text that a link prepares


class Steps(NamedTuple):
    """What comes next: a letter is opened by its id, the cursor goes to what is not known yet, a
    template is pulled."""

    open: Callable[[str], object]
    go_on: Callable[[], object]
    pull: Callable[[], object]


class Beginning:
    """Puts letters on the pile and opens them."""

    def __init__(self, session: Session, model: LetterModel, steps: Steps) -> None:
        self._session, self._model, self._steps = session, model, steps

    def empty(self, contact: Contact | None = None) -> Letter:
        """Put an empty letter on the pile and open it."""
        session = self._session
        frame = next(iter(session.shared.catalogue.frames), "")
        letter = Letter(session.parts.token(), frame=frame, recipient=contact)
        session.letters.put_back(letter)
        self._steps.open(letter.id)
        return letter

    def take(self, template_id: str, contact: Contact | None = None) -> None:
        """Begin a letter with a template, as the library does."""
        self.empty(contact)
        self._model.start_over(self._session.shared.catalogue.templates[template_id])
        self._steps.go_on()

    def write_to(self, person: Person | None, matter: Matter | None = None) -> None:
        """Begin a letter to a person, about a case: the template is still to be chosen."""
        self.empty()
        self.address(person, matter)
        self._steps.pull()

    def to_whom_it_went(self, entry: Registered) -> None:
        """Begin a letter to the person that one went to."""
        choices.about_entry(
            self._session.shared, entry, lambda person, _matter: self.write_to(person)
        )

    def address(self, person: Person | None, matter: Matter | None) -> None:
        """Let the letter at hand go to somebody, about something that is theirs."""
        if person:
            self._model.set_recipient(person)
        if matter and (person is None or matter.case.is_about(person.contact)):
            self._model.set_case(matter)

    # As a link prepares it

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
        self._steps.open(letter.id)
        if people:
            self.to_address(people[0])
        self._steps.go_on()
        if found.left_out:
            names = ", ".join(found.left_out)
            self._session.voice.say(
                said("The link may not set {names}: that was left out.", names=names)
            )

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

    # Like one that went

    def like(self, entry: Registered) -> None:
        """Begin a letter like one that went: to the same person about the same case, with today's
        edition of its template, or else with its words of then."""

        def begin(person: Person, matter: Matter | None) -> None:
            template = self._session.shared.catalogue.templates.get(entry.template)
            self.empty()
            self.address(person, matter)
            if template is None or template.state != "in use" or not template.edition:
                self._take_words(entry)
                return
            self._model.start_over(template)
            self._steps.go_on()
            self._session.voice.say(
                said("This is today's text of “{title}”.", title=template.title),
                said("Take the words of then"), lambda: self._take_words(entry),
                about=THIS_LETTER,
            )  # fmt: skip

        choices.about_entry(self._session.shared, entry, begin)

    def _take_words(self, entry: Registered) -> None:
        """Let the letter at hand say what one said that went; that is in a mailbox, or here."""
        letter, session = self._model.letter, self._session

        def done(found: Received) -> None:
            now = self._model.letter
            if letter is None or now is None or now.id != letter.id:
                return
            frames = session.shared.catalogue.frames.values()
            self._model.take_words(found.subject, words_of(found.plain, [*frames]))
            self._steps.go_on()
            session.voice.say(
                said("These are the words of {day}; look at its dates and amounts.",
                     day=f"{entry.sent:%d %b %Y}"),
                said("Put back"), self._model.undo, about=THIS_LETTER,
            )  # fmt: skip

        session.sending.fetch(entry, done, session.voice.fail)


def words_of(plain: str, frames: list[Frame]) -> Body:
    """What a message says in plain text, without the foot of a frame at its end."""
    text = plain.replace("\r\n", "\n").rstrip()
    feet = sorted(("\n".join(frame.foot) for frame in frames if frame.foot), key=len, reverse=True)
    for foot in feet:
        if text.endswith(foot):
            text = text.removesuffix(foot).rstrip()
            break
    return body.from_text(text)
