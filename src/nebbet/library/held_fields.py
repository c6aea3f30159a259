"""Which fields the people and cases of a library have: noted when a record is kept, so that nobody
has to read them all to know."""

from collections.abc import Iterable, Iterator, Mapping

from msgspec import Struct
from sqlalchemy import Connection, select
from sqlalchemy.dialects import postgresql, sqlite

from nebbet.core.portions import portions
from nebbet.core.records import Case, Contact, field_name
from nebbet.core.records.kinds import FIELD_KINDS, PEOPLE, FieldKind, Kind, RecordField
from nebbet.library.schema import held_field as table

_LONGEST = 200  # signs of a name that is noted


class HeldField(Struct, frozen=True):
    """A field that some record has: whose (people, or a kind of case), its name, and what it
    holds. Without a name it says that there are cases of that kind."""

    whose: str
    name: str = ""
    kind: str = ""

    @property
    def id(self) -> str:
        """The key of its row."""
        return f"{self.whose}/{self.name}/{self.kind}"[:255]


def fields_of(record: Contact | Case) -> Iterator[HeldField]:
    """The fields that a record has."""
    if isinstance(record, Contact):
        whose, fields = PEOPLE, record.more
    else:
        whose, fields = record.kind[:_LONGEST], record.fields
        yield HeldField(whose)
    for name, value in fields.items():
        yield HeldField(whose, name[:_LONGEST], kind_of(value))


def kind_of(raw: object) -> str:
    """What a value in its JSON form is."""
    match raw:
        case bool():
            return "yes/no"
        case int() | float():
            return "number"
        case list() | tuple():
            return "list"
        case Mapping():
            return next((kind for kind in ("date", "time", "number", "money") if kind in raw), "")
        case _:
            return "text"


def note_fields(connection: Connection, found: Iterable[HeldField]) -> None:
    """Note fields, inside a transaction; one that is noted already is not written again."""
    wanted = {one.id: one for one in found}
    keys = sorted(wanted)
    for some in portions(keys, 500):
        known = set(connection.scalars(select(table.c.id).where(table.c.id.in_(some))))
        rows = [
            {"id": key, "whose": one.whose, "name": one.name, "kind": one.kind}
            for key in some
            if key not in known and (one := wanted[key])
        ]
        if rows:
            made = postgresql.insert if connection.dialect.name == "postgresql" else sqlite.insert
            connection.execute(made(table).on_conflict_do_nothing(), rows)


def read_fields(connection: Connection) -> tuple[HeldField, ...]:
    """Every field that is noted, in order."""
    rows = connection.execute(
        select(table.c.whose, table.c.name, table.c.kind).order_by(
            table.c.whose, table.c.name, table.c.kind
        )
    )
    return tuple(HeldField(*row) for row in rows)


def kinds_held(held: Iterable[HeldField]) -> list[Kind]:
    """The kinds that records have, with the fields that they have and what these hold."""
    fields: dict[str, dict[str, RecordField]] = {}
    for one in held:
        kinds = fields.setdefault(one.whose, {})
        if one.name:
            known = kinds.get(one.name)
            kind: FieldKind = one.kind if one.kind in FIELD_KINDS else "text"
            # Where records differ, it is text, which anything can be.
            kinds[one.name] = RecordField(
                one.name, kind if known is None or known.kind == kind else "text"
            )
    return [
        Kind(whose if whose == PEOPLE else field_name(whose)[:64], whose, tuple(found.values()))
        for whose, found in fields.items()
        if whose
    ]
