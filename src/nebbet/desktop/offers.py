"""What pickers offer: contacts, cases and templates, found by the core."""

from nebbet.core import addresses, inline, ranking
from nebbet.core.records import Contact, contact_for
from nebbet.desktop.kit.picker import Choice
from nebbet.library.catalogue import (
    Catalogue,
    Template,
    case_entries,
    contact_entries,
    template_entries,
)


def contacts(catalogue: Catalogue, words: str) -> list[Choice]:
    """Contacts by name, address, organisation or case number."""
    found = ranking.find(words, contact_entries(catalogue))
    return [contact_choice(catalogue.contacts[key]) for key in found]


def contact_choice(contact: Contact) -> Choice:
    """A contact in a list."""
    return Choice(
        contact.id,
        contact.name or contact.email,
        contact.email or "no address on file",
        contact.organisation,
    )


def cases(catalogue: Catalogue, words: str, contact: str = "") -> list[Choice]:
    """Cases by number, matter or name; those of the contact come first."""
    found = ranking.find(words, case_entries(catalogue))
    if contact:
        found.sort(key=lambda key: catalogue.cases[key].contact != contact)
    choices = []
    for key in found:
        case = catalogue.cases[key]
        owner = catalogue.contacts.get(case.contact)
        second = ", ".join(filter(None, (case.title, owner.name if owner else "")))
        choices.append(Choice(case.id, case.number, second, case.kind))
    return choices


def templates(catalogue: Catalogue, words: str, *, retired: bool = False) -> list[Choice]:
    """Templates by title, subject, shelf and text; only those in use, unless told otherwise."""
    usable = {
        t.id for t in catalogue.templates.values() if retired or (t.state == "in use" and t.edition)
    }
    entries = [entry for entry in template_entries(catalogue) if entry.key in usable]
    shelves = {shelf.id: shelf.name for shelf in catalogue.shelves}
    choices = []
    for key in ranking.find(words, entries):
        template = catalogue.templates[key]
        aside = "pinned" if template.pinned and not words else shelves.get(template.shelf, "")
        choices.append(Choice(key, template.title, _subject(template), aside))
    return choices


def free_contact(text: str, contact_id: str) -> Contact | None:
    """A contact for an address that was typed in full, or None when it is no address."""
    found = addresses.one(text)
    if not isinstance(found, addresses.Address):
        return None
    return contact_for(contact_id, found.name, found.spec)


def _subject(template: Template) -> str:
    """The subject with its placeholders left open."""
    return inline.shown(inline.parse(template.first_text.subject), lambda _name: "…")
