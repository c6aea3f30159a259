"""Letters that answer an arrived message, or hand it on."""

from msgspec.structs import replace

from nebbet.core import addresses
from nebbet.core.addresses import Address
from nebbet.core.letter import Enclosure, Letter
from nebbet.core.message.answering import (
    answer_to,
    forward_subject,
    own_words,
    references_for,
    reply_subject,
)
from nebbet.core.message.quoting import handed_on, quote
from nebbet.core.records import Contact, contact_for, unfiled_id
from nebbet.core.sentences import said
from nebbet.core.spoken import stem, written_in
from nebbet.desktop.kit.member_form import LANGUAGES
from nebbet.desktop.letters.beginning import Steps
from nebbet.desktop.letters.model import LetterModel
from nebbet.desktop.session.arrived import Opened
from nebbet.desktop.session.session import Session


class Answering:
    """Puts answers on the pile and opens them."""

    def __init__(self, session: Session, model: LetterModel, steps: Steps) -> None:
        self._session, self._model, self._steps = session, model, steps

    def answer(self, opened: Opened, template_id: str = "", all_of_them: bool = False) -> None:
        """Begin an answer to a message, with a template or one that is still to be chosen."""
        session, fields = self._session, opened.fields
        me = session.shared.me
        own = {*session.shared.addresses, me.email if me else ""} - {""}
        found = answer_to(fields, own, all_of_them=all_of_them)
        if not found.to:
            session.voice.say(said("The message does not say whom an answer could go to."))
            return
        contact = self._writer(opened, found.to[0])
        cases = opened.about.cases
        case = cases[0] if len(cases) == 1 and cases[0].is_about(contact) else None
        letter = Letter(
            session.parts.token(),
            language=contact.language or "en_GB",
            frame=next(iter(session.shared.catalogue.frames), ""),
            recipient=contact,
            case=case,
            subject=(reply_subject(fields.subject),) if fields.subject else (),
            to=(addresses.write(found.to[1:]),) if found.to[1:] else (),
            cc=(addresses.write(found.cc),) if found.cc else (),
            mailbox=self._mailbox(opened),
            answers_to=fields.message_id,
            thread=references_for(fields),
            quoted=quote(fields, opened.received, contact.language or "en_GB"),
        )
        session.letters.put_back(letter)
        self._steps.open(letter.id)
        if len(cases) > 1:
            session.voice.say(said("The message names several cases: choose one with Ctrl+G."))
        template = session.shared.catalogue.templates.get(template_id)
        if template is None:
            self._steps.pull()
            return
        self._model.start_over(template)
        self._steps.go_on()

    def _mailbox(self, opened: Opened) -> tuple[str, ...]:
        """Whom an answer comes from: the address that the message came to, where it is one of
        several of one's own; empty for the first of them."""
        accounts = self._session.settings.accounts
        there = opened.place.account if opened.place else accounts[0].user
        came_to = next((one for one in accounts if one.user == there), accounts[0])
        named = {one.spec.casefold() for one in (*opened.fields.to, *opened.fields.cc)}
        own = came_to.addresses
        found = next((one for one in own if one.spec.casefold() in named), next(iter(own), None))
        if found is None or found == next(iter(accounts[0].addresses), None):
            return ()
        return (addresses.write((found,)),)

    def _writer(self, opened: Opened, to: Address) -> Contact:
        """Whom an answer goes to: whoever is on file with the address, or the address alone, in the
        language that they write in."""
        person = opened.about.person
        if person:
            return replace(person.contact, email=to.spec)
        free = contact_for(unfiled_id(self._session.parts.token()), to.name, to.spec)
        written = written_in(own_words(opened.received))
        language = next((code for code in LANGUAGES if stem(code) == written), "")
        return replace(free, language=language)

    def hand_on(self, opened: Opened) -> None:
        """Begin a letter that hands a message on, with its files."""
        session, fields = self._session, opened.fields
        letter = Letter(
            session.parts.token(),
            frame=next(iter(session.shared.catalogue.frames), ""),
            subject=(forward_subject(fields.subject),) if fields.subject else (),
            thread=references_for(fields),
            quoted=handed_on(fields, opened.received),
        )
        session.letters.put_back(letter)
        self._steps.open(letter.id)

        def attach(enclosure: Enclosure) -> None:
            if self._model.letter and self._model.letter.id == letter.id:
                self._model.attach(enclosure)

        for name, data in opened.received.attachments:
            session.shared.intake.add_made(data, name, attach)
        self._steps.go_on()

    def keep_writer(self, opened: Opened) -> None:
        """Keep whoever wrote a message as somebody on file."""
        shared = self._session.shared
        sender = opened.fields.sender
        made = replace(self._writer(opened, sender), id=f"p-{shared.token()}")
        name = sender.name or sender.spec
        shared.change(
            lambda: shared.library.put(made, seen=None),
            lambda _done: shared.voice.say(said("{name} is on file now.", name=name)),
            once="keep writer",
        )
