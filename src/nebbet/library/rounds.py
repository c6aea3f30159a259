"""The letters of a round: each row of a table as one letter of a template, worked out and checked
as any other."""

import re
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from typing import Literal

from msgspec import Struct
from msgspec.structs import replace

from nebbet.core import addresses
from nebbet.core import letter as letters
from nebbet.core.checks import Finding, Severity, worst
from nebbet.core.inline import Line
from nebbet.core.letter import Attachment, Letter
from nebbet.core.placeholders import Placeholder
from nebbet.core.portions import portions
from nebbet.core.records import Case, Contact, Matter, contact_for, fold, unfiled_id
from nebbet.core.records.tables import ReadTable, TableRow
from nebbet.core.rounds import Matches, RowSaid, Twice, doubles, said_by, typed
from nebbet.core.sentences import said
from nebbet.library.catalogue import Catalogue
from nebbet.library.holdings import LibraryFile, RoundFile, Template
from nebbet.library.people import People
from nebbet.library.writing import Writer, begin_for, belonging, examine

State = Literal["ready", "doubtful", "stopped", "left out"]
_AT_ONCE = 200  # rows for which people and cases are asked for at once
_ROLES = frozenset(map(fold, (
    "case.number", "recipient.email", "recipient.name", "recipient.first_name",
    "recipient.last_name", "recipient.title", "recipient.language",
)))  # fmt: skip
_LANGUAGE = re.compile(r"[A-Za-z]{2}([-_][A-Za-z]{2})?")


class Source(Struct, frozen=True):
    """What a round is made of: a table, what its columns are for, the template and the files that
    rows can name, by their folded names. language is that of letters whose row and person say
    none. edited are letters that somebody reworded for their row alone, by the rows' numbers."""

    table: ReadTable
    matches: Matches
    template: Template
    files: Mapping[str, RoundFile] = {}
    language: str = ""
    edited: Mapping[int, Letter] = {}


class RowLetter(Struct, frozen=True):
    """The letter of a row as it would go, what the checks find in it, and what is wrong with the
    row itself, as findings too. on_file says that its person is known, left_out that another row
    goes in its place."""

    said: RowSaid
    letter: Letter
    findings: tuple[Finding, ...] = ()
    on_file: bool = False
    left_out: bool = False

    @property
    def state(self) -> State:
        """Whether it may go: a stop keeps it back, a doubt is to be looked at."""
        if self.left_out:
            return "left out"
        match worst(self.findings):
            case "stop":
                return "stopped"
            case "doubt":
                return "doubtful"
        return "ready"

    def is_kept(self, *, with_doubts: bool) -> bool:
        """Whether it stays back, where those in which something is to be looked at go or not."""
        return self.state in ("stopped", "left out") or (
            self.state == "doubtful" and not with_doubts
        )


def names_of(catalogue: Catalogue, template: Template) -> list[str]:
    """The placeholders that a template uses, as columns can be for them. What says whom a letter
    goes to and what about is no value: columns have roles for that."""
    letter = begin_for(catalogue, template, "")
    used = letters.names(letter)
    blanks = [one.name for one in letter.placeholders if one.source == "blank"]
    return [one for one in dict.fromkeys((*blanks, *used)) if fold(one) not in _ROLES]


def blanks_of(catalogue: Catalogue, template: Template) -> list[Placeholder]:
    """The blanks of a template, in their order."""
    letter = begin_for(catalogue, template, "")
    used = {fold(name) for name in letters.names(letter)}
    return [one for one in letter.placeholders if one.source == "blank" and fold(one.name) in used]


def look(
    catalogue: Catalogue,
    people: People,
    source: Source,
    rows: Sequence[TableRow],
    writer: Writer,
    ended: Callable[[], bool] = lambda: False,
) -> Iterator[RowLetter]:
    """The letters of rows, one after the other; ended is asked before each, and ends it. What one
    row says of its person and case is looked up for many at once."""
    known = replace(catalogue, files={**catalogue.files, **_by_digest(source.files)})
    begun = _Begun(known, source.template)
    for some in portions(rows, _AT_ONCE):
        read = [said_by(row, source.table, source.matches) for row in some]
        asked = _Asked(people, read)
        for one in read:
            if ended():
                return
            yield _row_letter(known, asked, source, one, writer, begun)


class _Begun:
    """Letters as they begin, worked out once for each language: thousands begin with the same
    words."""

    def __init__(self, catalogue: Catalogue, template: Template) -> None:
        self._catalogue, self._template = catalogue, template
        self._held: dict[str, Letter] = {}

    def letter(
        self, letter_id: str, recipient: Contact | None, case: Case | None, language: str
    ) -> Letter:
        """As `begin_for`."""
        if language not in self._held:
            self._held[language] = begin_for(self._catalogue, self._template, "", language=language)
        return replace(
            self._held[language], id=letter_id, recipient=recipient,
            case=belonging(recipient, case),
        )  # fmt: skip

    def placeholder(self, name: str) -> Placeholder | None:
        """What the template declares of a name."""
        declared = self.letter("", None, None, "").placeholders
        return next((one for one in declared if fold(one.name) == fold(name)), None)


def _by_digest(files: Mapping[str, RoundFile]) -> dict[str, LibraryFile]:
    return {one.sha256: one.file for one in files.values()}


class _Asked:
    """The people and cases that some rows name."""

    def __init__(self, people: People, rows: Sequence[RowSaid]) -> None:
        self._cases = people.by_numbers(
            number for row in rows if (number := row.about.get("case", ""))
        )
        self._people = people.by_addresses(row.to[0].spec for row in rows if row.to)
        without = {
            self._cases[key].contact for row in rows
            if not row.to and (key := fold(row.about.get("case", ""))) in self._cases
        }  # fmt: skip
        self._contacts = people.contacts(without - {""})

    def matter(self, row: RowSaid) -> Matter | None:
        """The case that a row names, with its contact where the row gives no address."""
        case = self._cases.get(fold(row.about.get("case", "")))
        return Matter(case, self._contacts.get(case.contact)) if case else None

    def person(self, row: RowSaid) -> Contact | None:
        """Whoever is on file with a row's address."""
        return self._people.get(row.to[0].spec.casefold()) if row.to else None


def _row_letter(
    catalogue: Catalogue,
    asked: _Asked,
    source: Source,
    row: RowSaid,
    writer: Writer,
    begun: _Begun,
) -> RowLetter:
    matter, person = asked.matter(row), asked.person(row)
    if person is None and not row.to and matter:
        person = matter.contact
    contact = _contact(row, person)
    case = matter.case if matter else None
    letter = source.edited.get(row.number)
    if letter is None:
        letter = _as_said(source, row, contact, case, begun)
    examined = examine(catalogue, letter, writer)
    own = (*_wrong(source, row, matter, case, examined.letter), *examined.findings)
    return RowLetter(row, examined.letter, own, person is not None)


def _as_said(
    source: Source, row: RowSaid, contact: Contact | None, case: Case | None, begun: _Begun
) -> Letter:
    """The letter of a row as the row alone says it."""
    language = _language(row, contact) or source.language
    letter = begun.letter(row.key, contact, case, language)
    letter = replace(letter, **_lines(letter, row))
    letter = replace(letter, attachments=(*letter.attachments, *_attached(source, row)))
    for name, text in source.matches.every.items():
        letter = letters.answer(letter, name, text)
    for name, cell in row.answers.items():
        text = typed(cell, begun.placeholder(name), letter.language)
        letter = letters.answer(letter, name, text)
    return letter


def _contact(row: RowSaid, person: Contact | None) -> Contact | None:
    """Whom a row's letter is written to: whoever is on file with the address, or as the row says
    them."""
    if person and row.to:
        return replace(person, email=row.to[0].spec)
    if person or not row.to:
        return person
    free = contact_for(unfiled_id(row.key), row.about.get("name", "") or row.to[0].name,
                       row.to[0].spec)  # fmt: skip
    names = {
        one: row.about[one] for one in ("title", "first_name", "last_name") if one in row.about
    }
    return replace(free, **names)


def _language(row: RowSaid, contact: Contact | None) -> str:
    text = row.about.get("language", "")
    if _LANGUAGE.fullmatch(text):
        language, _, country = text.replace("-", "_").partition("_")
        return f"{language.lower()}_{country.upper()}" if country else language.lower()
    return contact.language if contact else ""


def _lines(letter: Letter, row: RowSaid) -> dict[str, Line]:
    """The lines of addresses with what a row adds to them."""
    made: dict[str, Line] = {}
    further = (*row.to[1:], *row.lines.get("also", ()))
    for part, added in (("to", further), ("cc", row.lines.get("cc", ())),
                        ("bcc", row.lines.get("bcc", ()))):  # fmt: skip
        if added:
            before = getattr(letter, part)
            made[part] = (
                (*before, ", ", addresses.write(added)) if before else (addresses.write(added),)
            )
    if sender := row.lines.get("from"):
        made["mailbox"] = (addresses.write(sender[:1]),)
    return made


def _attached(source: Source, row: RowSaid) -> Iterator[Attachment]:
    for name in row.files:
        if found := source.files.get(fold(name)):
            file = found.file
            yield Attachment(found.sha256, (file.name,), file.media_type, file.size)


def _wrong(
    source: Source, row: RowSaid, matter: Matter | None, case: Case | None, letter: Letter
) -> Iterator[Finding]:
    """What is wrong with a row itself."""
    for problem in row.problems:
        yield Finding("row", "stop", "to", problem)
    for name in row.files:
        if fold(name) not in source.files:
            sentence = said("The file “{name}” is not in the folder", name=name)
            yield Finding("row file", "stop", "attachments", sentence, name)
    number = row.about.get("case", "")
    if number and matter is None:
        yield Finding("row case", "doubt", "particulars",
                      said("There is no case {number}", number=number), number)  # fmt: skip
    elif case and letter.case is None:
        yield Finding(
            "row case", "stop", "particulars",
            said("The case {number} is about somebody else", number=case.number), case.number,
        )  # fmt: skip


class Together(Struct, frozen=True):
    """What only all rows together tell, by the numbers of rows; and which of them are left out,
    since another one goes to the same address."""

    findings: Mapping[int, tuple[Finding, ...]] = {}
    left_out: frozenset[int] = frozenset()


def over_all(source: Source, rows: Sequence[RowLetter], twice: Twice = "ask") -> Together:
    """What only all rows together tell: an address that another row has, of which one may go; a
    file that another person gets, too."""
    found: dict[int, list[Finding]] = {}
    again = doubles((one.said for one in rows), last=twice == "last")
    for number, other in again.items():
        sentence = said("Row {other} goes to the same address", other=other)
        grave: Severity = "doubt" if twice == "ask" else "note"
        found.setdefault(number, []).append(Finding("row twice", grave, "to", sentence))
    left_out = frozenset(again if twice != "ask" else ())
    going = [one for one in rows if one.said.number not in left_out]
    whose: dict[str, set[str]] = {}
    for one in going:
        for name in one.said.files:
            whose.setdefault(fold(name), set()).add(_address(one))
    for one in going:
        for name in one.said.files:
            if len(whose[fold(name)]) > 1 and fold(name) in source.files:
                sentence = said("“{name}” goes to others, too", name=name)
                found.setdefault(one.said.number, []).append(
                    Finding("row file twice", "doubt", "attachments", sentence, name)
                )
    return Together({number: tuple(held) for number, held in found.items()}, left_out)


def _address(row: RowLetter) -> str:
    """Whom a row's letter goes to; the row itself where that is nobody."""
    recipient = row.letter.recipient
    return recipient.email.casefold() if recipient and recipient.email else row.said.key


def unused(source: Source, rows: Iterable[RowLetter]) -> list[str]:
    """The files of the folder that no row names."""
    named = {fold(name) for one in rows for name in one.said.files}
    return sorted(one.file.name for key, one in source.files.items() if key not in named)


def with_findings(row: RowLetter, together: Together) -> RowLetter:
    """A row with what all together tell of it."""
    number = row.said.number
    more, left_out = together.findings.get(number, ()), number in together.left_out
    if not more and not left_out:
        return row
    return replace(row, findings=(*row.findings, *more), left_out=left_out)
