"""Where the table of a round comes from: a file, the clipboard, or what is on file: people, cases
of a kind, what a linked table brought."""

from collections.abc import Iterable, Iterator, Sequence
from itertools import islice
from pathlib import Path
from typing import Literal

import msgspec
from msgspec import Struct

from nebbet.core.errors import NebbetError
from nebbet.core.ranking.words import wanted_words
from nebbet.core.records import Case, Contact, Matter, label_of
from nebbet.core.records.tables import LARGEST, Cell, ReadTable, TableRow, read_table
from nebbet.core.sentences import said
from nebbet.core.values import from_json
from nebbet.library.disk import read_file
from nebbet.library.people import People

MOST = 10_000  # people or cases that are picked at once
_PAGE = 1000
_NUMBER, _ADDRESS = said("Number"), said("Email")
_CASE = (_NUMBER, said("Name"), _ADDRESS, said("Kind of case"), said("Title"), said("State"))
_PERSON = (said("Name"), _ADDRESS, said("Organisation"), said("Household"), said("Language"))


class Origin(Struct, frozen=True, omit_defaults=True):
    """Where a table comes from. at is the path of a file, the kind of cases (empty for any) or the
    id of a linked table; words narrow what is on file; the others are a file's."""

    kind: Literal["file", "clipboard", "people", "cases", "linked"]
    at: str = ""
    words: str = ""
    sheet: str = ""
    encoding: str = ""
    delimiter: str = ""

    @property
    def is_on_file(self) -> bool:
        """Whether its rows are people or cases of the library."""
        return self.kind in ("people", "cases", "linked")


class Taken(Struct, frozen=True):
    """A table as it was taken: the bytes that it is known by, and what they say."""

    data: bytes
    table: ReadTable


def take(origin: Origin, people: People, pasted: bytes = b"") -> Taken:
    """Take a table as it is now. Raises NebbetError where there is none."""
    if origin.is_on_file:
        table = _on_file(origin, people)
        cells = [[str(cell) for cell in row.cells] for row in table.rows]
        return Taken(msgspec.json.encode([table.headings, cells]), table)
    data = pasted
    if origin.kind == "file":
        data = read_file(Path(origin.at), f"The table {Path(origin.at).name}", largest=LARGEST)
    return Taken(data, read(origin, data))


def read(origin: Origin, data: bytes) -> ReadTable:
    """The table of some bytes, as it was said to be read."""
    return read_table(
        data, sheet=origin.sheet, encoding=origin.encoding, delimiter=origin.delimiter
    )


def roles_of(table: ReadTable) -> dict[str, str]:
    """What the columns of people or cases that are on file are for: what is known of them is found
    by the number or the address, and needs no column."""
    by_case = _NUMBER in table.headings
    return {
        heading: "case" if heading == _NUMBER else
        "to" if heading == _ADDRESS and not by_case else ""
        for heading in table.headings
    }  # fmt: skip


def _on_file(origin: Origin, people: People) -> ReadTable:
    words = wanted_words(origin.words)
    match origin.kind:
        case "people":
            return _of_people([*islice((p for p in _everybody(people) if _fits(p, words)), MOST)])
        case "cases":
            found = (one for one in _every_case(people, origin.at) if _fits(one, words))
            return _of_cases([*islice(found, MOST)])
    records = people.from_source(origin.at)
    cases = [one for one in records if isinstance(one, Case) and not one.gone]
    held = people.contacts({one.contact for one in cases} - {""})
    matters = [Matter(one, held.get(one.contact)) for one in cases]
    if matters:
        return _of_cases([one for one in matters if _fits(one, words)])
    persons = (one for one in records if isinstance(one, Contact) and not one.gone)
    return _of_people([one for one in persons if _fits(one, words)])


def _everybody(people: People) -> Iterator[Contact]:
    last: Contact | None = None
    while rows := people.people_page(last, size=_PAGE).rows:
        yield from rows
        last = rows[-1]


def _every_case(people: People, kind: str) -> Iterator[Matter]:
    last: Case | None = None
    while rows := people.case_page(last, kind=kind, size=_PAGE).rows:
        yield from rows
        last = rows[-1].case


def _fits(record: Contact | Matter, words: Sequence[str]) -> bool:
    """Whether somebody, or a case, has all of some words, each as it begins."""
    if not words:
        return True
    cells = _person(record) if isinstance(record, Contact) else _matter(record)
    more = record.more if isinstance(record, Contact) else record.case.fields
    texts = (str(_cell(value)) for value in (*cells, *more.values()))
    there = wanted_words(" ".join(texts))
    return all(any(one.startswith(word) for one in there) for word in words)


def _person(one: Contact) -> tuple[Cell, ...]:
    return one.name, one.email, one.organisation, one.household, one.language


def _matter(one: Matter) -> tuple[Cell, ...]:
    case, contact = one.case, one.contact or Contact("")
    return case.number, contact.name, contact.email, case.kind, case.title, case.state


def _of_people(found: Sequence[Contact]) -> ReadTable:
    more = _names(one.more for one in found)
    rows = [(*_person(one), *(_cell(one.more.get(name)) for name in more)) for one in found]
    return _table([*_PERSON, *map(label_of, more)], rows)


def _of_cases(found: Sequence[Matter]) -> ReadTable:
    more = _names(one.case.fields for one in found)
    rows = [(*_matter(one), *(_cell(one.case.fields.get(name)) for name in more)) for one in found]
    return _table([*_CASE, *map(label_of, more)], rows)


def _names(fields: Iterable[dict[str, object]]) -> list[str]:
    return list(dict.fromkeys(name for one in fields for name in one))


def _cell(raw: object) -> Cell:
    if raw is None or isinstance(raw, str):
        return raw or ""
    value = from_json(raw)
    if isinstance(value, list | tuple):
        return "; ".join(str(one) for one in value)
    return value if isinstance(value, Cell) else str(value)


def _table(headings: Sequence[str], rows: Sequence[tuple[Cell, ...]]) -> ReadTable:
    """A table of these rows, each heading once."""
    if not rows:
        raise NebbetError(said("Nobody is found"), advice=said("Choose others, or other words"))
    names: list[str] = []
    for heading in headings:
        again = sum(one.casefold() == heading.casefold() for one in names)
        names.append(f"{heading} ({again + 1})" if again else heading)
    return ReadTable(tuple(names), tuple(TableRow(at, row) for at, row in enumerate(rows, 1)))


class Difference(Struct, frozen=True):
    """How many rows of a table are new, other ones and gone."""

    new: int = 0
    other: int = 0
    gone: int = 0

    def __bool__(self) -> bool:
        """Whether anything is another one."""
        return bool(self.new or self.other or self.gone)


def difference(before: ReadTable, after: ReadTable) -> Difference:
    """What differs between two states of a table: rows of one place are compared."""
    held = {row.number: row.cells for row in before.rows}
    now = {row.number: row.cells for row in after.rows}
    same_columns = before.headings == after.headings
    other = [one for one in held.keys() & now.keys() if not same_columns or held[one] != now[one]]
    return Difference(len(now.keys() - held.keys()), len(other), len(held.keys() - now.keys()))
