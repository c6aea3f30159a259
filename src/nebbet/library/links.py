"""Tables kept elsewhere whose people or cases are read again by themselves and not edited here: how
they are set up, and what came of reading them last."""

from collections.abc import Mapping, Sequence
from datetime import datetime

import msgspec
from msgspec import Struct, field
from msgspec.structs import replace
from sqlalchemy import Connection, select, update

from nebbet.core.errors import UNREADABLE, NebbetError
from nebbet.core.sentences import said
from nebbet.library import schema
from nebbet.library.documents import WHATEVER, Seen, put_document, remove_document
from nebbet.library.engine import explained, reading
from nebbet.library.import_files import How
from nebbet.library.people_writing import Changed
from nebbet.library.store import Library

KEPT = said("Nothing was changed")
_ONLY = ("select", "with", "table", "values")


class Link(Struct, frozen=True, omit_defaults=True):
    """A table kept elsewhere. place is a file (absolute), or the address of a database, without a
    password; query is what is asked of a database. key is the column that names a row for good;
    how says where the others go. minutes is how often it is read again."""

    id: str
    name: str
    place: str
    key: str
    query: str = ""
    sheet: str = ""
    how: How = field(default_factory=How)
    minutes: int = 15

    @property
    def is_database(self) -> bool:
        """Whether it is asked of a database."""
        return "://" in self.place


class LinkResult(Struct, frozen=True):
    """What came of reading a table: when, how many rows there were and what became of them, and why
    it failed, if it did. read is the last time that it was read well."""

    moment: datetime
    rows: int = 0
    new: int = 0
    changed: int = 0
    gone: int = 0
    refused: tuple[str, ...] = ()
    failed: str = ""
    read: datetime | None = None


class Linked(Struct, frozen=True):
    """A link with what came of it last."""

    link: Link
    result: LinkResult | None = None


def read_links(connection: Connection) -> dict[str, Linked]:
    """The links of a library; one that cannot be read is passed over."""
    found: dict[str, Linked] = {}
    rows = connection.execute(select(schema.linked).order_by(schema.linked.c.id))
    for key, data, result in rows:
        try:
            link = msgspec.json.decode(data, type=Link)
            last = msgspec.json.decode(result, type=LinkResult) if result else None
        except UNREADABLE:
            continue
        if link.id == key:
            found[key] = Linked(link, last)
    return found


def links_of(library: Library) -> dict[str, Linked]:
    """The links of an open library."""
    with explained("The linked tables cannot be read"), reading(library.engine) as connection:
        return read_links(connection)


def check_link(link: Link) -> None:
    """Raise NebbetError where a link cannot work."""
    if not link.name.strip() or not link.place.strip():
        raise NebbetError(said("A linked table needs a name and a place"), kept=KEPT)
    if not link.key:
        raise NebbetError(
            said("A linked table needs a column that names each row for good"), kept=KEPT
        )
    if link.is_database and not link.query.strip().casefold().startswith(_ONLY):
        raise NebbetError(
            said("A query begins with SELECT: a linked table is only read"), kept=KEPT
        )


def put_link(library: Library, link: Link, seen: Seen = WHATEVER) -> None:
    """Keep a link, as it was seen; it is read as for the first time then, however few rows it
    has."""
    check_link(link)
    at = schema.linked.c.id == link.id
    with library.writing("The link cannot be kept") as connection:
        put_document(connection, schema.linked, "id", link.id, link, seen)
        connection.execute(update(schema.linked).where(at).values(result=""))


def remove_link(library: Library, link: str, seen: Seen = WHATEVER) -> None:
    """Take a link out, as it was seen; what came from it stays, and is the team's to change."""
    held = library.people.from_source(link)
    freed = [Changed(one, replace(one, source="", gone=False)) for one in held]
    with library.writing("The link cannot be removed") as connection:
        remove_document(connection, schema.linked, "id", link, Link, seen)
        library.make_changes(connection, freed)


def claim(library: Library, linked: Linked, now: datetime) -> bool:
    """Take it upon oneself to read a table: others who would, too, leave it then."""
    table, held = schema.linked, linked.result
    before = msgspec.json.encode(held).decode() if held else ""
    after = msgspec.json.encode(replace(held or LinkResult(now), moment=now)).decode()
    at = (table.c.id == linked.link.id) & (table.c.result == before)
    with library.writing("The linked table cannot be read", leads=False) as connection:
        return bool(connection.execute(update(table).where(at).values(result=after)).rowcount)


def keep_result(library: Library, link: str, result: LinkResult) -> None:
    """Keep what came of reading a table."""
    data = msgspec.json.encode(result).decode()
    at = schema.linked.c.id == link
    with library.writing("The result cannot be kept", leads=False) as connection:
        connection.execute(update(schema.linked).where(at).values(result=data))


def due(linked: Mapping[str, Linked], now: datetime) -> Sequence[Linked]:
    """The tables that are to be read again."""
    return [
        one
        for one in linked.values()
        if one.result is None or (now - one.result.moment).total_seconds() >= one.link.minutes * 60
    ]
