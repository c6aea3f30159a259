"""Bringing in people and cases from a file: what it is, how it is read, what it would do."""

from collections.abc import Mapping
from pathlib import Path

from msgspec import Struct, field
from msgspec.structs import replace

from nebbet.core.records import fold
from nebbet.core.records.cards import Card, read_cards
from nebbet.core.records.incoming import (
    Incoming,
    Reading,
    cases_in,
    people_in,
    says_day_first,
)
from nebbet.core.records.kinds import PEOPLE, Kind
from nebbet.core.records.matching import Target, propose, targets
from nebbet.core.records.tables import LARGEST, ReadTable, decoded, read_table
from nebbet.library.catalogue import Catalogue
from nebbet.library.disk import read_file
from nebbet.library.fields import fields_in
from nebbet.library.importing import Plan, Token, plan_cases, plan_people
from nebbet.library.people import People

_CASE_WORDS = ("number", "case", "reference", "booking", "claim", "vorgang", "dossier", "ticket")


class ImportFile(Struct, frozen=True):
    """A file that was read: a table, or cards."""

    name: str
    table: ReadTable | None = None
    cards: tuple[Card, ...] = ()


class How(Struct, frozen=True):
    """How a table is taken: as people or as cases, which column goes where, of which kind cases are
    where no column says it, and whether 3/4 is in April."""

    people: bool = True
    matches: Mapping[str, str] = field(default_factory=dict)
    kind: str = ""
    day_first: bool = True


def read_import(
    path: Path, *, sheet: str = "", encoding: str = "", delimiter: str = ""
) -> ImportFile:
    """Read a file of people or cases. Raises NebbetError with one sentence where it is none."""
    data = read_file(path, f"The file {path.name}", largest=LARGEST)
    if data[:400].lstrip(b"\xef\xbb\xbf \r\n").upper().startswith(b"BEGIN:VCARD") or (
        path.suffix.casefold() in (".vcf", ".vcard")
    ):
        return ImportFile(path.name, cards=tuple(read_cards(decoded(data, encoding)[0])))
    table = read_table(data, sheet=sheet, encoding=encoding, delimiter=delimiter)
    return ImportFile(path.name, table)


def looks_like_cases(table: ReadTable) -> bool:
    """Whether a table rather holds cases: one of its columns is named as their numbers are."""
    names = {fold(heading) for heading in table.headings}
    person = any(word in names for word in ("firstname", "lastname", "vorname", "nachname"))
    return not person and any(name.startswith(_CASE_WORDS) for name in names)


def kind_for(catalogue: Catalogue, how: How) -> Kind | None:
    """The kind whose fields columns can go into."""
    if how.people:
        return catalogue.kinds.get(PEOPLE)
    return catalogue.kind_called(how.kind)


def offered(catalogue: Catalogue, how: How) -> list[Target]:
    """The fields that columns can go into."""
    fields = fields_in(catalogue)
    known = fields.contacts if how.people else fields.cases
    return targets(kind_for(catalogue, how), known, people=how.people)


def proposed(
    catalogue: Catalogue, table: ReadTable, how: How, remembered: Mapping[str, str] | None = None
) -> How:
    """How a table is best taken: its columns matched, and its days read as they are written."""
    matches = propose(table, offered(catalogue, how), remembered)
    told = [says_day_first(table, index) for index in range(len(table.headings))]
    day_first = next((one for one in told if one is not None), True)
    return replace(how, matches=matches, day_first=day_first)


def planned(people: People, catalogue: Catalogue, file: ImportFile, how: How, token: Token) -> Plan:
    """What a file would do to the people and cases there are."""
    if file.table is None:
        rows = (Incoming(card.number, card.contact, card.refused) for card in file.cards)
        return plan_people(people, rows, token)
    reading = Reading(how.matches, kind_for(catalogue, how), how.kind, how.day_first)
    if how.people:
        return plan_people(people, people_in(file.table, reading), token)
    return plan_cases(people, cases_in(file.table, reading), token)
