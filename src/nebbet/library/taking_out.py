"""All that is held on one person: handed over as one file, or taken out.

What went out has to be kept in its bones (that a letter went, when, by whom, with which text of the
team's); whose it was is not.
"""

import csv
import io
import zipfile
from collections.abc import Mapping
from datetime import datetime
from pathlib import Path

import msgspec
from msgspec import Struct
from msgspec.structs import asdict, replace
from sqlalchemy import Connection, bindparam, text, update

from nebbet.core.records import Case, Contact
from nebbet.core.records.cards import write_cards
from nebbet.core.records.cells import harmless
from nebbet.core.sentences import said
from nebbet.library import schema
from nebbet.library.disk import disk_explained, write_file
from nebbet.library.engine import explained, reading
from nebbet.library.entries import Registered, found_by
from nebbet.library.guards import SCHEMA
from nebbet.library.people import People
from nebbet.library.people_pages import letters_to
from nebbet.library.people_writing import Changed
from nebbet.library.roles import has_function
from nebbet.library.round_people import RowOf, rows_of, take_offers_out, take_rows_out
from nebbet.library.store import Library


class Held(Struct, frozen=True):
    """All that the library has on one person: their record, the records that became it, the cases
    that they alone are in, the others, the letters to them, and the rows of rounds that name
    them."""

    contact: Contact
    once: tuple[Contact, ...] = ()
    own: tuple[Case, ...] = ()
    shared: tuple[Case, ...] = ()
    letters: tuple[Registered, ...] = ()
    rows: tuple[RowOf, ...] = ()

    @property
    def numbers(self) -> list[str]:
        """The numbers of their cases."""
        return [case.number for case in self.own if case.number]

    @property
    def files(self) -> list[str]:
        """The files of their cases, by SHA-256."""
        return list(dict.fromkeys(file for case in self.own for file in case.files))


def held_on(library: Library, key: str) -> Held | None:
    """All that the library has on the person of an id."""
    people: People = library.people
    contact = people.contact(key)
    if contact is None:
        return None
    once = people.contacts(contact.once)
    cases = people.cases_of(contact.id, most=10_000)
    own = [case for case in cases if {case.contact, *case.people} - {contact.id, ""} == set()]
    held = Held(
        contact,
        tuple(once.values()),
        tuple(own),
        tuple(case for case in cases if case not in own),
        tuple(letters_to(library.register_engine, contact)),
    )
    with explained("The rounds cannot be read"), reading(library.register_engine) as connection:
        rows = rows_of(connection, contact.every_address, held.numbers)
    return replace(held, rows=tuple(rows))


def take_out(library: Library, held: Held) -> None:
    """Take somebody out, with everything personal, for good: their records, the cases that they
    alone are in, their place in the others, their name and address from the register, which keeps
    that a letter went, and what rows of rounds say of them. Only a lead may."""
    records: tuple[Contact | Case, ...] = (held.contact, *held.once, *held.own)
    gone = [Changed(one, None) for one in records]
    others = [Changed(case, _without(case, held.contact.id)) for case in held.shared]
    with library.writing("That cannot be taken out") as connection:
        library.make_changes(connection, [*gone, *others])
        _bare(connection, held.letters)
        take_rows_out(connection, held.contact.every_address, held.numbers)
        take_offers_out(connection, [case.id for case in held.own])


def _without(case: Case, person: str) -> Case:
    contact = "" if case.contact == person else case.contact
    return replace(case, contact=contact, people=tuple(p for p in case.people if p != person))


def _bare(connection: Connection, letters: tuple[Registered, ...]) -> None:
    """Leave of letters only that they went."""
    bare = [replace(one, contact="", name="", address="", subject="") for one in letters]
    rows = [{"at": one.message_id, "said": found_by(one)} for one in bare]
    if not rows:
        return
    if connection.dialect.name == "postgresql" and has_function(connection, "nebbet_bare"):
        connection.execute(text(f"SELECT {SCHEMA}.nebbet_bare(:at, :said)"), rows)
        return
    table = schema.register
    change = update(table).where(table.c.message_id == bindparam("at"))
    values = dict.fromkeys(("contact", "name", "address", "subject"), "")
    connection.execute(change.values(**values, words=bindparam("said")), rows)
    for row in rows if connection.dialect.name == "sqlite" else ():
        connection.execute(
            text("UPDATE register_words SET words = :said WHERE message_id = :at"), row
        )


def write_held(
    library: Library, held: Held, path: Path, now: datetime, names: Mapping[str, str]
) -> None:
    """Write all that is held on somebody into one zip of open formats, wholly or not at all. names
    are those of the members, by their ids."""
    parts: dict[str, bytes] = {
        "README.txt": _about(held, now).encode(),
        "person.vcf": write_cards((held.contact, *held.once)).encode(),
        "person.json": msgspec.json.format(msgspec.json.encode((held.contact, *held.once))),
        "cases.json": msgspec.json.format(msgspec.json.encode((*held.own, *held.shared))),
        "letters.csv": _letters(held.letters, names).encode("utf-8-sig"),
        "rounds.json": msgspec.json.format(msgspec.json.encode(held.rows)),
    }
    for file in held.files:
        name = library.files().get(file)
        parts[f"files/{file[:8]}-{Path(name.name).name if name else file}"] = library.file_bytes(
            file
        )
    made = io.BytesIO()
    with zipfile.ZipFile(made, "w", zipfile.ZIP_DEFLATED) as packed:
        for name_, data in parts.items():
            packed.writestr(name_, data)
    with disk_explained(said("The file cannot be written"), said("Nothing was written")):
        write_file(path, made.getvalue(), overwrite=True)


def _about(held: Held, now: datetime) -> str:
    return said(
        "All that Nebbet holds on {name}, written on {day}.\n\n"
        "person.vcf and person.json: the record, as a card and with every field.\n"
        "cases.json: the cases that {name} is in.\n"
        "letters.csv: the letters that went to {name}, as the register has them. The messages "
        "themselves lie in the mailboxes of whoever sent them.\n"
        "rounds.json: the rows of rounds that name {name}.\n"
        "files: the files of the cases.\n",
        name=held.contact.name or held.contact.email,
        day=f"{now:%d %B %Y}",
    )


def _letters(letters: tuple[Registered, ...], names: Mapping[str, str]) -> str:
    written = io.StringIO(newline="")
    rows = csv.writer(written)
    rows.writerow(["sent", "sender", "address", "case", "template", "subject", "message id"])
    for one in letters:
        held = asdict(one)
        rows.writerow(
            [
                one.sent.isoformat(timespec="minutes"),
                names.get(one.sender, one.sender),
                *(harmless(str(held[name])) for name in
                  ("address", "case_number", "title", "subject", "message_id")),
            ]
        )  # fmt: skip
    return written.getvalue()
