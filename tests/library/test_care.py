"""Care of data: looking through a library, moving it, bringing an older one up to date."""

import sqlite3
from pathlib import Path

import msgspec
import pytest
from alembic import command
from alembic.config import Config
from sqlalchemy import select, text

from nebbet.core.body import Frame
from nebbet.core.errors import NebbetError
from nebbet.core.letter import Content, Enclosure, Texts
from nebbet.core.records import Member
from nebbet.library import migrate, schema
from nebbet.library.checking import mend, problems
from nebbet.library.engine import sqlite_engine
from nebbet.library.holdings import Proposal, Shelf
from nebbet.library.moving import copy_library
from nebbet.library.store import Library, open_library
from nebbet.standin.filling import fill_library
from nebbet.standin.world import read_world
from tests.conftest import NOW, TODAY


@pytest.fixture
def filled(library: Library) -> Library:
    return fill(library)


def fill(library: Library) -> Library:
    """The demo's library, with shelves in shelves and a proposal."""
    fill_library(library, read_world(TODAY), NOW)
    library.add_shelf(Shelf("a", "Inner", parent="sailings"))
    library.add_shelf(Shelf("Z", "Innermost", parent="a"))
    made = Content({"en_GB": Texts("x", "<p>y</p>\n")})
    library.propose(Proposal("p1", "t9", 0, "Z", "New", made, "ivo.lindqvist", NOW, "why not"))
    return library


def everything(library: Library) -> dict[str, list[tuple[object, ...]]]:
    with library.engine.connect() as connection:
        return {
            table.name: sorted((tuple(row) for row in connection.execute(select(table))), key=repr)
            for table in schema.metadata.sorted_tables
        }


def test_a_whole_library_passes_its_check(filled: Library) -> None:
    assert problems(filled) == []


@pytest.mark.parametrize(
    ("act", "said"),
    [
        ("UPDATE file SET data = CAST('x' AS bytes) WHERE name = 'claim-form.pdf'",
         "The file claim-form.pdf is not what it was when it came in"),
        ("UPDATE fact SET data = '{\"name\": 1}' WHERE name = 'website'",
         "The fact website cannot be read: Expected `str`, got `int` - at `$.name`"),
        ("UPDATE setting SET value = '[' WHERE name = 'words'", "The setting words cannot be read"),
        ("DELETE FROM passage WHERE id = 'vehicle-size'",
         "Edition 1 of measure-vehicle includes a passage that is not there (vehicle-size)"),
        ("UPDATE template SET edition = 9 WHERE id = 'refund-agreed'",
         "The template refund-agreed says edition 9, but the newest is 3"),
    ],
)  # fmt: skip
def test_what_is_wrong_is_said(filled: Library, act: str, said: str) -> None:
    loosen(filled)
    blob = "bytea" if filled.engine.dialect.name == "postgresql" else "blob"
    act = act.replace("AS bytes", f"AS {blob}")
    with filled.engine.begin() as connection:
        connection.execute(text(act))
    found = problems(filled)
    assert any(sentence.startswith(said) for sentence in found), found


def test_a_damaged_value_hides_nothing_else_and_can_be_taken_out(filled: Library) -> None:
    whole = filled.catalogue(NOW)
    loosen(filled)
    with filled.engine.begin() as connection:
        for act in (
            "UPDATE fact SET data = '{' WHERE name = 'website'",
            "UPDATE setting SET value = '[' WHERE name = 'words'",
            "UPDATE setting SET value = '{\"code\": \"utils\"}' WHERE name = 'calendar'",
            "UPDATE contact SET data = '7' WHERE id = (SELECT min(id) FROM contact)",
            'UPDATE case_ SET data = \'{"id": "another", "number": "1"}\' '
            "WHERE id = (SELECT min(id) FROM case_)",
            "UPDATE member SET data = 'null' WHERE id = (SELECT max(id) FROM member)",
        ):
            connection.execute(text(act))
    read = filled.catalogue(NOW)
    assert {(row.table, row.key) for row in read.unread} >= {
        ("fact", "website"), ("setting", "words"), ("setting", "calendar"),
    }  # fmt: skip
    assert len(read.unread) == 4
    assert read.templates == whole.templates
    assert len(read.facts) == len(whole.facts) - 1
    page = filled.people.people_page()
    assert len(page.rows) == page.of - 1, "one of them cannot be read"
    said = mend(filled, NOW)
    assert len(said) == 6
    assert filled.catalogue(NOW).unread == ()
    assert mend(filled, NOW) == []


def test_an_edition_that_cannot_be_read_gives_way_to_the_one_before(filled: Library) -> None:
    before = filled.editions("refund-agreed")
    loosen(filled)
    with filled.engine.begin() as connection:
        if connection.dialect.name == "postgresql":
            connection.execute(text("ALTER TABLE edition DISABLE TRIGGER USER"))
        else:
            connection.execute(text("DROP TRIGGER edition_no_update"))
        change = "UPDATE edition SET content = '{' WHERE template = 'refund-agreed' AND number = 3"
        connection.execute(text(change))
    assert "refund-agreed" not in filled.catalogue(NOW).templates
    (said,) = mend(filled, NOW)
    assert "refund-agreed" in said
    found = filled.catalogue(NOW).templates["refund-agreed"]
    assert (found.edition, found.content) == (4, before[1].content)


def loosen(library: Library) -> None:
    """Let a server take what it would refuse: somebody restored an old copy, or a disk is bad."""
    if library.engine.dialect.name != "postgresql":
        return
    with library.engine.begin() as connection:
        found = connection.execute(
            text(
                "SELECT conrelid::regclass::text, conname FROM pg_constraint "
                "WHERE contype = 'c' AND connamespace = 'nebbet'::regnamespace".replace(
                    "::", "\\:\\:"
                )
            )
        ).all()
        for table, name in found:
            connection.execute(text(f"ALTER TABLE {table} DROP CONSTRAINT {name}"))


def test_a_missing_file_and_a_broken_file_are_said(path: Path) -> None:
    library = open_library(path)
    library.add_shelf(Shelf("s", "S"))
    library.add_template("t", "s", "T")
    content = Content(enclosures=(Enclosure("e" * 64, "gone.pdf"),))
    library.save_edition("t", "T", content, author="", note="", made=NOW)
    assert problems(library) == ["Edition 1 of t needs a file that is not there (eeeeeeeeeeee…)"]
    with library.engine.begin() as connection:
        connection.execute(text("PRAGMA foreign_keys = OFF"))
    library.engine.dispose()
    raw = sqlite3.connect(path)
    raw.execute("INSERT INTO template VALUES ('x', 'nowhere', 'X', 'draft', 0, 0, '', 0)")
    raw.commit()
    raw.close()
    assert "A row of template (2) refers to a shelf that is not there" in problems(library)
    library.close()


def test_a_library_moves_to_a_server_and_back_unchanged(
    path: Path, database: str, tmp_path: Path
) -> None:
    filled = fill(open_library(path))
    before = everything(filled)
    there = open_library(database)
    count = copy_library(filled, there)
    assert count == sum(map(len, before.values())) and everything(there) == before
    back = open_library(tmp_path / "back.sqlite")
    copy_library(there, back)
    assert everything(back) == before and problems(back) == []
    with pytest.raises(NebbetError, match="The other library is not empty"):
        copy_library(filled, there)
    assert everything(there) == before
    for library in (filled, there, back):
        library.close()


def test_an_older_library_is_copied_before_it_is_brought_up_to_date(path: Path) -> None:
    path.parent.mkdir(parents=True)
    engine = sqlite_engine(path)
    config = Config()
    config.set_main_option("script_location", "nebbet.library:migrations")
    with engine.begin() as connection:
        config.attributes["connection"] = connection
        command.upgrade(config, "0002")
        member = Member("m", "A", "B", "a@b.example")
        row = {"data": msgspec.json.encode(member).decode()}
        connection.execute(text("INSERT INTO member VALUES ('m', :data)"), row)
    engine.dispose()
    assert migrate.look(path) == "older"
    library = open_library(path)
    assert library.catalogue(NOW).members["m"].name == "A B"
    library.put_frame("f", Frame())
    library.close()
    copy = path.with_name(f"{path.name}.before-{migrate.NEWEST}")
    assert migrate.look(copy) == "older"
    raw = sqlite3.connect(copy)
    assert raw.execute("SELECT id FROM member").fetchall() == [("m",)]
    raw.close()
    open_library(path).close()
    assert migrate.look(path) == "current"
