"""Others in a letter: who else on file is named in it, and in the files that it carries."""

from collections.abc import Iterable, Iterator, Mapping

from nebbet.core import body, inline
from nebbet.core.characters import folded
from nebbet.core.checks.mentions import names_in
from nebbet.core.letter import Attachment, Letter
from nebbet.core.records import Contact, fold
from nebbet.library.catalogue import Catalogue
from nebbet.library.people import People
from nebbet.library.search import plain


def own_files(catalogue: Catalogue, letter: Letter) -> tuple[Attachment, ...]:
    """The files of a letter that do not come with its template: those may be about anybody."""
    template = catalogue.templates.get(letter.template)
    enclosed = {one.file for one in template.content.enclosures} if template else set()
    return tuple(one for one in letter.attached if one.file not in enclosed)


def addresses_of(people: People, letter: Letter) -> tuple[str, ...]:
    """The addresses on file for the recipient of a letter; none for somebody who is not."""
    recipient = letter.recipient
    found = people.contact(recipient.id) if recipient and recipient.is_on_file else None
    return found.every_address if found else ()


def names_to_look_up(
    catalogue: Catalogue, letter: Letter, contents: Mapping[str, str]
) -> frozenset[str]:
    """What could be names of people in a letter and in the files of its own, by their content;
    without what its template says itself."""
    texts = [inline.shown(letter.subject), body.render_plain(letter.body)]
    for one in own_files(catalogue, letter):
        texts += [inline.shown(one.name), contents.get(one.file, "")]
    found = frozenset(name for text in texts for name in names_in(text))
    template = catalogue.templates.get(letter.template)
    if template is None or not found:
        return found
    said = " ".join(plain(text.body) for text in template.content.texts.values())
    return frozenset(name for name in found if name not in said)


def strangers(people: People, letter: Letter, names: Iterable[str]) -> tuple[str, ...]:
    """Those of some names that are people on file who have nothing to do with a letter: neither it
    nor its case is theirs, they are of another household and organisation, and no field of the
    case or of the recipient names them."""
    known = people.by_spelt_names(names)
    told = folded(" ".join(_expected(letter)))
    return tuple(
        sorted(
            name
            for name, found in known.items()
            if folded(name) not in told and not any(_belongs(one, letter) for one in found)
        )
    )


def _expected(letter: Letter) -> Iterator[str]:
    """The texts in which whoever may be named is named."""
    yield from (inline.shown(line) for line in (letter.to, letter.cc, letter.bcc))
    if letter.recipient:
        yield letter.recipient.name
        yield from map(str, letter.recipient.more.values())
    if letter.case:
        yield letter.case.title
        yield from map(str, letter.case.fields.values())


def _belongs(contact: Contact, letter: Letter) -> bool:
    recipient, case = letter.recipient, letter.case
    if case and contact.id in (case.contact, *case.people):
        return True
    if recipient is None:
        return False
    ours = {fold(text) for text in (recipient.household, recipient.organisation) if text}
    theirs = {fold(text) for text in (contact.household, contact.organisation) if text}
    return contact.id == recipient.id or bool(ours & theirs)
