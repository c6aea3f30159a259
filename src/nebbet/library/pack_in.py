"""Taking a pack into a library."""

from collections import Counter
from datetime import datetime
from typing import Literal

import msgspec
from sqlalchemy import Connection, insert, select, update

from nebbet.core.errors import NebbetError
from nebbet.core.letter import Content
from nebbet.core.records import fold
from nebbet.library import schema
from nebbet.library.catalogue import Catalogue
from nebbet.library.documents import put_document
from nebbet.library.editions import add_edition
from nebbet.library.holdings import Shelf, parents_first
from nebbet.library.packs import Pack, PackedTemplate
from nebbet.library.rows import KeptCalendar, kept_calendar
from nebbet.library.store import Library, keep_file
from nebbet.library.writes import put_setting

Days = Literal["ours", "pack"]


def days_differ(catalogue: Catalogue, pack: Pack) -> bool:
    """Whether a pack's date rules count with other working days than a library's: the same template
    would promise other days there than here."""
    ours = kept_calendar(catalogue.calendar)
    return pack.manifest.days is not None and pack.manifest.days != ours


def take_pack(
    library: Library, pack: Pack, *, author: str, made: datetime, days: Days | None = None
) -> list[str]:
    """Bring a pack into a library, all of it or nothing, and say what that did. What has the same
    id is the same thing: a template that differs gets a new edition, other things are replaced;
    nothing is taken out.

    days says whose working days hold from now on. An empty library takes those of the pack; where
    they differ and nobody said, NebbetError is raised and nothing is taken.
    """
    manifest = pack.manifest
    catalogue = library.catalogue(made)
    differ = days_differ(catalogue, pack)
    if differ and days is None:
        if catalogue.templates or kept_calendar(catalogue.calendar) != KeptCalendar():
            raise NebbetError(
                "The pack counts with other working days than this library",
                kept="Nothing was taken",
                advice="Say whose working days hold: ours, or those of the pack",
            )
        days = "pack"
    done: Counter[str] = Counter()
    with library.writing("The pack cannot be taken", "Nothing was taken") as connection:
        if differ and days == "pack" and manifest.days is not None:
            wanted = msgspec.json.encode(manifest.days).decode()
            put_setting(connection, "calendar", lambda _held: wanted)
            done["calendar replaced"] += 1
        for key, content in pack.files.items():
            held = manifest.files[key]
            keep_file(connection, content, held.name, held.media_type)
            until = update(schema.file).where(schema.file.c.sha256 == key)
            connection.execute(until.values(valid_until=held.valid_until))
        done += _take_shelves(connection, manifest.shelves)
        for what, table, name, things in (
            ("fact", schema.fact, "name", {f.name: f for f in manifest.facts}),
            ("passage", schema.passage, "id", {p.id: p for p in manifest.passages}),
            ("frame", schema.frame, "id", manifest.frames),
        ):
            for key, thing in things.items():
                state = put_document(connection, table, name, key, thing)
                done[f"{what} {state}"] += 1
        for template in manifest.templates:
            done[f"template {_take_template(connection, template, author, made)}"] += 1
    return [f"{count} {_plural(what, count)}" for what, count in sorted(done.items()) if count]


def _plural(what: str, count: int) -> str:
    noun, _, state = what.partition(" ")
    ending = "" if count == 1 else "ves" if noun == "shelf" else "s"
    return f"{noun[:-1] if ending == 'ves' else noun}{ending} {state}"


def _take_shelves(connection: Connection, shelves: tuple[Shelf, ...]) -> Counter[str]:
    known = set(connection.scalars(select(schema.shelf.c.id)))
    done: Counter[str] = Counter()
    for shelf in parents_first(shelves):
        done["shelf unchanged" if shelf.id in known else "shelf added"] += 1
        if shelf.id not in known:
            row = {"id": shelf.id, "name": shelf.name, "parent": shelf.parent or None}
            connection.execute(insert(schema.shelf).values(**row, position=shelves.index(shelf)))
    return done


def _take_template(
    connection: Connection, packed: PackedTemplate, author: str, made: datetime
) -> str:
    table, edition = schema.template, schema.edition
    row = {"shelf": packed.shelf, "title": packed.title, "state": packed.state}
    held = connection.execute(select(table).where(table.c.id == packed.id)).mappings().first()
    if held is None:
        start = insert(table).values(id=packed.id, pinned=packed.pinned, edition=0, **row)
        connection.execute(start)
    else:
        text = connection.scalar(
            select(edition.c.content).where(
                edition.c.template == packed.id, edition.c.number == held["edition"]
            )
        )
        same = text is not None and msgspec.json.decode(text, type=Content) == packed.content
        if same and fold(held["title"]) == fold(packed.title):
            return "unchanged"
    add_edition(
        connection,
        packed.id,
        packed.title,
        packed.content,
        author=author,
        note="From a pack",
        made=made,
        based_on=None,
    )
    connection.execute(update(table).where(table.c.id == packed.id).values(**row))
    return "added" if held is None else "with a new edition"
