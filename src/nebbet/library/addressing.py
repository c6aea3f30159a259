"""A letter that is being written gets another recipient, or another case."""

from msgspec.structs import replace

from nebbet.core import letter as letters
from nebbet.core.letter import Letter
from nebbet.core.records import Case, Contact, Matter, Person
from nebbet.library.catalogue import Catalogue
from nebbet.library.writing import belonging


def for_recipient(catalogue: Catalogue, letter: Letter, person: Person | None) -> Letter:
    """The letter to somebody; a case of somebody else goes, an only case comes along."""
    if person is None:
        return replace(letter, recipient=None)
    case = belonging(person.contact, letter.case, person.case)
    return _spoken(catalogue, replace(letter, recipient=person.contact, case=case))


def about_case(catalogue: Catalogue, letter: Letter, matter: Matter | None) -> Letter:
    """The letter about something; it goes to the contact of that case, if there is one on file,
    unless it goes to somebody else who is in it."""
    if matter is None:
        return replace(letter, case=None)
    now, case = letter.recipient, matter.case
    stays = now is not None and now.id in case.people
    recipient = now if stays else matter.contact or now
    return _spoken(catalogue, replace(letter, recipient=recipient, case=case))


def in_other_language(catalogue: Catalogue, letter: Letter, language: str) -> Letter:
    """The letter in another language: with the template's text in it, as long as the text is the
    template's own; else the text stays, and dates, amounts and words of values follow."""
    template = catalogue.templates.get(letter.template)
    if template is not None and template.edition == letter.edition:
        content = catalogue.included(template.content)
        if made := letters.in_language(letter, content, language):
            return made
    return replace(letter, language=language)


def _spoken(catalogue: Catalogue, letter: Letter) -> Letter:
    """In the recipient's language, as long as the text is the template's own."""
    template = catalogue.templates.get(letter.template)
    language = letter.recipient.language if letter.recipient else ""
    if template is None or template.edition != letter.edition or not language:
        return letter
    content = catalogue.included(template.content)
    return letters.in_language(letter, content, language) or letter


def with_newer(
    letter: Letter, contact: Contact | None, case: Case | None, before: Contact | None = None
) -> Letter:
    """The letter with its recipient and case as they are on file now. The address stays the one
    that was chosen, unless it was the person's own as they were before."""
    recipient = letter.recipient
    if recipient and contact and contact.id == recipient.id:
        own = before is not None and recipient.email == before.email
        recipient = contact if own else replace(contact, email=recipient.email)
    if letter.case is None or case is None or case.id != letter.case.id:
        case = letter.case
    return replace(letter, recipient=recipient, case=case)
