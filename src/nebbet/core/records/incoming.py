"""Rows of a table as people and cases, each with the reason where it is none."""

import re
from collections.abc import Callable, Iterator, Mapping
from datetime import date, datetime, time
from decimal import Decimal, InvalidOperation

from dateutil import parser as dates
from msgspec import Struct

from nebbet.core.characters import whole
from nebbet.core.errors import NebbetError
from nebbet.core.records.kinds import Kind, RecordField
from nebbet.core.records.matching import LEFT_OUT, NEW
from nebbet.core.records.names import field_name, label_of
from nebbet.core.records.rows import Case, Contact, is_own, parted
from nebbet.core.records.tables import Cell, ReadTable, TableRow
from nebbet.core.sentences import said
from nebbet.core.values import Money, Value, to_json

_MANY = re.compile(r"\s*[;,\n]\s*")  # common practice: several in one cell
_EXCEL_BEGAN = date(1899, 12, 30).toordinal()  # day 0 of workbooks, with their 29 February 1900
_EXCEL_DAYS = range(20_000, 80_000)  # 1954 to 2119: a number in a column of days is one of them
_YES = frozenset({"yes", "y", "true", "1", "x", "ja", "oui", "si", "sí"})
_NO = frozenset({"no", "n", "false", "0", "", "nein", "non", "nei"})
_ADDRESS = re.compile(r"[^@\s<>,;]+@[^@\s<>,;]+\.[^@\s<>,;]+")
_CURRENCIES = {"£": "GBP", "€": "EUR", "$": "USD", "kr": "NOK"}


class Incoming(Struct, frozen=True):
    """A row that is to come in: its number in its file and its record without an id, or why there
    is none. whose is what a case says of its contact, people of others in it: addresses or
    names."""

    number: int
    record: Contact | Case | None
    refused: str = ""
    whose: str = ""
    people: tuple[str, ...] = ()


class Reading(Struct, frozen=True):
    """How the cells of a table are read: the target of each heading, the kind that the records are
    of, the kind of case where no column says it, whether 3/4 is in April, and the currency of bare
    amounts."""

    matches: Mapping[str, str]
    kind: Kind | None = None
    default_kind: str = ""
    day_first: bool = True
    currency: str = "GBP"


class _NotRead(Exception):
    """A cell that is not what its column holds."""


def people_in(table: ReadTable, reading: Reading) -> Iterator[Incoming]:
    """The rows of a table as people."""
    for row in table.rows:
        yield _guarded(row, lambda row: _person(table, row, reading))


def cases_in(table: ReadTable, reading: Reading) -> Iterator[Incoming]:
    """The rows of a table as cases."""
    for row in table.rows:
        yield _guarded(row, lambda row: _case(table, row, reading))


def _guarded(row: TableRow, made: Callable[[TableRow], Incoming]) -> Incoming:
    try:
        return made(row)
    except _NotRead as error:
        return Incoming(row.number, None, str(error))


def _sorted_out(
    table: ReadTable, row: TableRow, reading: Reading, of: str
) -> tuple[dict[str, list[str]], dict[str, object]]:
    """The cells of a row by the fields that every record has, and by the others in their JSON
    form."""
    own: dict[str, list[str]] = {}
    more: dict[str, object] = {}
    for heading, cell in zip(table.headings, row.cells, strict=True):
        target = reading.matches.get(heading, LEFT_OUT)
        if target == LEFT_OUT or cell == "":
            continue
        if target == NEW:
            target = field_name(heading)
            target += "_field" if is_own(of, target) else ""
        if is_own(of, target):
            own.setdefault(target, []).append(whole(_text(cell)))
        elif target:
            field = reading.kind.field(target) if reading.kind else None
            value = _typed(cell, field, reading) if field else _as_it_is(cell)
            more[field.name if field else target] = to_json(value)
    return own, more


def _person(table: ReadTable, row: TableRow, reading: Reading) -> Incoming:
    own, more = _sorted_out(table, row, reading, "contact")

    def one(name: str) -> str:
        return " ".join(own.get(name, ()))[:500].strip()

    first, last = one("first_name"), one("last_name")
    if not first and not last:
        first, last = parted(one("name"))
    found = [part for name in ("email", "addresses") for text in own.get(name, ()) for part in
             _MANY.split(text) if part]  # fmt: skip
    wrong = next((part for part in found if not _ADDRESS.fullmatch(_bare(part))), None)
    if wrong is not None:
        raise _NotRead(said("“{text}” is not a mail address", text=wrong[:80]))
    emails = list(dict.fromkeys(map(_bare, found)))
    record = Contact(
        "",
        email=emails[0] if emails else "",
        title=one("title"),
        first_name=first,
        last_name=last,
        organisation=one("organisation"),
        phone=one("phone"),
        language=one("language").replace("-", "_"),
        more=more,
        addresses=tuple(emails[1:]),
        postal=("\n".join(own["postal"]),) if own.get("postal") else (),
        greeting=one("greeting"),
        household=one("household"),
        notes="\n".join(own.get("notes", ())),
    )
    if not record.name and not record.email:
        raise _NotRead(said("it has neither a name nor an address"))
    return Incoming(row.number, record)


def _bare(text: str) -> str:
    """An address out of "Name <address>"."""
    return text.rpartition("<")[2].rstrip("> ").strip() if "<" in text else text.strip()


def _case(table: ReadTable, row: TableRow, reading: Reading) -> Incoming:
    own, fields = _sorted_out(table, row, reading, "case")

    def one(name: str) -> str:
        return " ".join(own.get(name, ()))[:500].strip()

    if not one("number"):
        raise _NotRead(said("it has no number"))
    record = Case(
        "",
        number=one("number")[:200],
        kind=one("kind") or reading.default_kind,
        title=one("title"),
        fields=fields,
        state=one("state"),
        notes="\n".join(own.get("notes", ())),
    )
    others = tuple(part for text in own.get("people", ()) for part in _MANY.split(text) if part)
    return Incoming(row.number, record, whose=one("contact"), people=others)


# Cells


def _text(cell: Cell) -> str:
    """A cell as text."""
    match cell:
        case str():
            return cell
        case bool():
            return "yes" if cell else "no"
        case Decimal():
            return format(cell, "f")
        case datetime():
            return cell.isoformat(" ", "minutes")
        case time():
            return cell.isoformat("minutes")
    return cell.isoformat()


def _as_it_is(cell: Cell) -> Value:
    return whole(cell) if isinstance(cell, str) else cell


def _typed(cell: Cell, field: RecordField, reading: Reading) -> Value:
    """A cell as the kind that its field has. Raises _NotRead where it is none."""
    try:
        return _READERS[field.kind](cell, field, reading)
    except (ValueError, OverflowError, InvalidOperation, NebbetError):
        raise _NotRead(
            said("{field}: “{text}” is no {kind}", field=field.title, text=_text(cell)[:80],
                 kind=field.kind)
        ) from None  # fmt: skip


def _read_text(cell: Cell, _field: RecordField, _reading: Reading) -> Value:
    return whole(_text(cell))


def _read_number(cell: Cell, _field: RecordField, _reading: Reading) -> Value:
    return cell if isinstance(cell, Decimal) else amount(_text(cell))


def _read_money(cell: Cell, _field: RecordField, reading: Reading) -> Value:
    text = _text(cell)
    currency = next((code for sign, code in _CURRENCIES.items() if sign in text.casefold()), "")
    stated = re.search(r"\b[A-Z]{3}\b", text)
    bare = re.sub(r"[^\d.,\-+']", "", text)
    return Money(amount(bare), stated[0] if stated else currency or reading.currency)


def _read_date(cell: Cell, _field: RecordField, reading: Reading) -> Value:
    if isinstance(cell, date):
        return cell
    if isinstance(cell, Decimal) and int(cell) in _EXCEL_DAYS:
        return date.fromordinal(_EXCEL_BEGAN + int(cell))
    return day_of(_text(cell), day_first=reading.day_first)


def _read_time(cell: Cell, _field: RecordField, _reading: Reading) -> Value:
    if isinstance(cell, time):
        return cell
    if isinstance(cell, datetime):
        return cell.time()
    return dates.parse(_text(cell), default=datetime(2000, 1, 1)).time()


def _read_yes_no(cell: Cell, _field: RecordField, _reading: Reading) -> Value:
    if isinstance(cell, bool):
        return cell
    text = _text(cell).casefold().strip()
    if text not in _YES | _NO:
        raise ValueError(text)
    return text in _YES


def _read_choice(cell: Cell, field: RecordField, _reading: Reading) -> Value:
    wanted = _text(cell).casefold().strip()
    return next(choice for choice in (*field.choices, None) if choice is None
                or choice.casefold() == wanted) or _refuse(wanted)  # fmt: skip


def _refuse(text: str) -> str:
    raise ValueError(text)


def _read_list(cell: Cell, _field: RecordField, _reading: Reading) -> Value:
    return tuple(filter(None, _MANY.split(_text(cell))))


_READERS: Mapping[str, Callable[[Cell, RecordField, Reading], Value]] = {
    "text": _read_text,
    "number": _read_number,
    "money": _read_money,
    "date": _read_date,
    "time": _read_time,
    "yes/no": _read_yes_no,
    "choice": _read_choice,
    "list": _read_list,
    "file": _read_text,
}


def amount(text: str) -> Decimal:
    """A number as people write it in tables: the last of its dots and commas is the decimal sign,
    unless three digits follow it and it stands there more than once, or beside no other. A
    percentage is a part of one.

    Raises InvalidOperation where it is none.

    >>> [str(amount(text)) for text in ("1,234.50", "1.234,50", "1 234", "12,5", "1,234,567", "5%")]
    ['1234.50', '1234.50', '1234', '12.5', '1234567', '0.05']
    """
    bare = re.sub(r"[\s'\u2019\u00a0\u202f]", "", text)
    if bare.endswith("%"):
        return amount(bare[:-1]) / 100
    last = max(bare.rfind("."), bare.rfind(","))
    if last < 0:
        return Decimal(bare)
    sign, other = bare[last], "," if bare[last] == "." else "."
    grouped = bare.count(sign) > 1 and other not in bare
    if grouped:
        return Decimal(bare.replace(sign, ""))
    return Decimal(bare[:last].replace(other, "").replace(sign, "") + "." + bare[last + 1 :])


def day_of(text: str, *, day_first: bool = True) -> date | datetime:
    """A day, or a moment where a time is written beside it. Raises ValueError where it is none.

    >>> day_of("03/04/2026"), day_of("03/04/2026", day_first=False), day_of("2026-04-03")
    (datetime.date(2026, 4, 3), datetime.date(2026, 3, 4), datetime.date(2026, 4, 3))
    """
    if not any(char.isdigit() for char in text):
        raise ValueError(text)
    iso = bool(re.match(r"\d{4}-\d\d", text))
    anchors = datetime(2000, 1, 1), datetime(2004, 2, 2)
    one, other = (dates.parse(text, dayfirst=day_first and not iso, default=at) for at in anchors)
    if (one.year, one.month, one.day) != (other.year, other.month, other.day):
        raise ValueError(text)  # a part of a day
    found = one.replace(tzinfo=None, second=0, microsecond=0)
    return found if ":" in text and found.time() != time() else found.date()


def says_day_first(table: ReadTable, index: int) -> bool | None:
    """Whether the days of a column are written with the day first; None where nothing tells."""
    for cell in table.column(index):
        parts = re.match(r"(\d{1,2})[/.\-](\d{1,2})[/.\-]\d{2,4}", cell) if isinstance(
            cell, str) else None  # fmt: skip
        if parts and int(parts[1]) > 12:
            return True
        if parts and int(parts[2]) > 12:
            return False
    return None


def days_first(table: ReadTable) -> dict[str, bool]:
    """The headings of the columns whose days tell how they are written: whether with the day
    first."""
    return {
        heading: first
        for index, heading in enumerate(table.headings)
        if (first := says_day_first(table, index)) is not None
    }


def shown_target(key: str, heading: str) -> str:
    """What a column becomes, in words."""
    return label_of(field_name(heading)) if key == NEW else label_of(key)
