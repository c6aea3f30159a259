"""What rounds hold on one person: the rows of their tables that name them, shown, or taken out."""

from collections.abc import Collection, Iterator
from datetime import datetime

from msgspec import Struct
from msgspec.structs import replace
from sqlalchemy import Connection, delete, or_, select, update

from nebbet.core.records.tables import TableRow
from nebbet.library.round_ledger import Round, read_round, written_round
from nebbet.library.schema import prompted
from nebbet.library.schema import round_ as table


class RowOf(Struct, frozen=True):
    """A row of a round that names somebody: what the round is called, when it was started, and what
    the row says, by its headings."""

    title: str
    made: datetime
    cells: dict[str, str]


def rows_of(
    connection: Connection, addresses: Collection[str], numbers: Collection[str]
) -> list[RowOf]:
    """The rows of all rounds that have one of some addresses in them, or the number of a case."""
    found = []
    for made in _rounds(connection, addresses, numbers):
        for row in made.table.rows:
            if _names(row, addresses, numbers):
                cells = dict(zip(made.table.headings, map(str, row.cells), strict=True))
                found.append(RowOf(made.title, made.made, cells))
    return found


def take_rows_out(
    connection: Connection, addresses: Collection[str], numbers: Collection[str]
) -> None:
    """Leave of such rows only that they were there: their cells are empty, and no letter of them is
    kept."""
    for made in _rounds(connection, addresses, numbers):
        gone = {row.number for row in made.table.rows if _names(row, addresses, numbers)}
        empty = ("",) * len(made.table.headings)
        rows = tuple(
            TableRow(row.number, empty) if row.number in gone else row for row in made.table.rows
        )
        edited = {key: one for key, one in made.snapshot.edited.items() if key not in gone}
        bare = replace(
            made, table=replace(made.table, rows=rows),
            snapshot=replace(made.snapshot, edited=edited),
        )  # fmt: skip
        change = update(table).where(table.c.id == made.id)
        connection.execute(change.values(data=written_round(bare)))


def take_offers_out(connection: Connection, cases: Collection[str]) -> None:
    """Take out the letters that are offered for some cases, by their ids."""
    connection.execute(delete(prompted).where(prompted.c.case_.in_(cases)))


def _rounds(
    connection: Connection, addresses: Collection[str], numbers: Collection[str]
) -> Iterator[Round]:
    """The rounds that may name somebody: the database looks for the words first."""
    wanted = [table.c.data.icontains(word, autoescape=True) for word in (*addresses, *numbers)]
    rows = connection.execute(select(table).where(or_(*wanted))).all() if wanted else []
    return (made for row in rows if (made := read_round(row)) is not None)


def _names(row: TableRow, addresses: Collection[str], numbers: Collection[str]) -> bool:
    cells = [str(cell).strip().casefold() for cell in row.cells]
    there = any(one.casefold() in cell for one in addresses for cell in cells)
    return there or any(one.casefold() == cell for one in numbers for cell in cells)
