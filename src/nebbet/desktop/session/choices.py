"""What pickers and lists show: contacts, cases and templates, found by the core."""

from datetime import datetime
from typing import TYPE_CHECKING

from nebbet.core import addresses, inline, ranking
from nebbet.core.records import Contact, contact_for
from nebbet.core.sentences import said
from nebbet.desktop.kit.picker import Choice
from nebbet.desktop.session.shared_library import SharedLibrary
from nebbet.library.entries import Registered
from nebbet.library.holdings import Template

if TYPE_CHECKING:
    from nebbet.core.ranking.index import Found

MOST = 100  # of a kind: nobody reads further


def contacts(shared: SharedLibrary, words: str) -> list[Choice]:
    """Contacts by name, address, organisation or case number."""
    known, found = shared.catalogue.contacts, shared.search.contacts(words)
    return [contact_choice(known[key]) for key in found[:MOST]]


def contact_choice(contact: Contact) -> Choice:
    """A contact in a list."""
    return Choice(
        contact.id,
        contact.name or contact.email,
        contact.email or "no address on file",
        contact.organisation,
    )


def cases(shared: SharedLibrary, words: str, contact: str = "") -> list[Choice]:
    """Cases by number, matter or name; those of the contact come first."""
    catalogue, found = shared.catalogue, shared.search.cases(words)
    if contact:
        found.sort(key=lambda key: catalogue.cases[key].contact != contact)
    choices = []
    for key in found[:MOST]:
        case = catalogue.cases[key]
        owner = catalogue.contacts.get(case.contact)
        second = ", ".join(filter(None, (case.title, owner.name if owner else "")))
        choices.append(Choice(case.id, case.number, second, case.kind))
    return choices


def templates(shared: SharedLibrary, words: str, *, retired: bool = False) -> list[Choice]:
    """Templates by title, subject, shelf and text, each with what met the words; only those in
    use, unless told otherwise."""
    return found_templates(shared, words, shared.search.templates(words), retired=retired)


def found_templates(
    shared: SharedLibrary, words: str, found: "Found", *, retired: bool = False
) -> list[Choice]:
    """As `templates`, of what the words have found already."""
    catalogue = shared.catalogue
    shelves = {shelf.id: shelf.name for shelf in catalogue.shelves}
    choices: list[Choice] = []
    for key in found.keys:
        template = catalogue.templates[key]
        if len(choices) == MOST:
            break
        if retired or (template.state == "in use" and template.edition):
            pinned = not words and shared.own.is_pinned(template)
            aside = "pinned" if pinned else shelves.get(template.shelf, "")
            aside = said("not all words") if key in found.partly else aside
            choices.append(Choice(key, template.title, _second(shared, template, words), aside))
    return choices


def _second(shared: SharedLibrary, template: Template, words: str) -> str:
    """What of a template meets the words beside its title, or its subject."""
    if words and not ranking.matched(words, template.title):
        _what, shown, _spans = shared.search.where(template, words)
        if shown:
            return shown
    return subject_of(template)


def free_contact(text: str, contact_id: str) -> Contact | None:
    """A contact for an address that was typed in full, or None when it is no address."""
    found = addresses.one(text)
    if not isinstance(found, addresses.Address):
        return None
    return contact_for(contact_id, found.name, found.spec)


def subject_of(template: Template) -> str:
    """The subject with its placeholders left open."""
    return inline.shown(inline.parse(template.first_text.subject), lambda _name: "…")


def contact_of(shared: SharedLibrary, entry: Registered) -> Contact:
    """The person a register entry went to, on file or by what the entry says."""
    known = shared.catalogue.contacts.get(entry.contact)
    return known or contact_for(f"new-{shared.token()}", entry.name, entry.address)


def ago(last: datetime | None, now: datetime) -> str:
    """How long ago something was."""
    if last is None:
        return said("never")
    days = (now.date() - last.astimezone(now.tzinfo).date()).days
    if days < 2:
        return said("yesterday") if days else said("today")
    return said("{days} days ago", days=days)
