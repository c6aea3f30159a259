"""A library in a file: what is no library is refused whole, and a bad disk loses nothing."""

import sqlite3
from collections.abc import Iterator
from pathlib import Path

import pytest
from sqlalchemy import Engine, event, text

from nebbet.core.errors import NebbetError
from nebbet.core.letter import Content, Texts
from nebbet.library import migrate
from nebbet.library.holdings import Shelf
from nebbet.library.store import Library, open_library
from tests.conftest import NOW
from tests.library.making import CONTENT, save


@pytest.fixture
def library(path: Path) -> Iterator[Library]:
    opened = open_library(path)
    yield opened
    opened.close()


def pragma(engine: Engine, words: str) -> None:
    """Set something on every connection from now on."""
    engine.dispose()
    event.listen(engine, "connect", lambda connection, _entry: connection.execute(words))


def test_opening_again_changes_nothing(path: Path, library: Library) -> None:
    library.add_shelf(Shelf("s1", "Sailings"))
    library.close()
    assert migrate.look(path) == "current"
    again = open_library(path)
    migrate.upgrade(again.engine)
    assert [s.name for s in again.catalogue(NOW).shelves] == ["Sailings"]
    again.close()


def test_a_newer_library_is_left_alone(path: Path, library: Library) -> None:
    with library.engine.begin() as connection:
        connection.execute(text("UPDATE alembic_version SET version_num = '9999'"))
    library.close()
    before = path.read_bytes()
    with pytest.raises(NebbetError) as caught:
        open_library(path)
    assert caught.value.sentence == (
        "The library library.sqlite was made by a newer Nebbet. It was not touched. "
        "Update Nebbet on this computer."
    )
    assert path.read_bytes() == before


@pytest.mark.parametrize("content", [b"not a library", b"\x00" * 5000, b"SQLite format 3\x00junk"])
def test_a_file_that_is_no_library_is_left_alone(tmp_path: Path, content: bytes) -> None:
    path = tmp_path / "holiday.jpg"
    path.write_bytes(content)
    with pytest.raises(NebbetError, match=r"holiday\.jpg is not a Nebbet library"):
        open_library(path)
    assert path.read_bytes() == content


def test_another_program_s_database_is_left_alone(tmp_path: Path) -> None:
    path = tmp_path / "other.sqlite"
    connection = sqlite3.connect(path)
    connection.execute("CREATE TABLE songs (title)")
    connection.commit()
    connection.close()
    with pytest.raises(NebbetError, match="is not a Nebbet library"):
        open_library(path)


def test_a_library_where_no_folder_can_be(tmp_path: Path) -> None:
    (tmp_path / "file").write_text("x")
    with pytest.raises(NebbetError, match="cannot be opened"):
        open_library(tmp_path / "file" / "library.sqlite")
    with pytest.raises(NebbetError, match="cannot be opened"):
        open_library(Path("/proc/nebbet/library.sqlite"))


def test_a_read_only_library_says_so_and_is_read_all_the_same(shelved: Library) -> None:
    save(shelved)
    pragma(shelved.engine, "PRAGMA query_only = ON")
    assert shelved.catalogue(NOW).templates["t1"].content == CONTENT
    with pytest.raises(NebbetError) as caught:
        save(shelved)
    assert caught.value.sentence == (
        "The edition cannot be saved: it is read-only here. Your text is still on the page. "
        "Ask for the right to write to it."
    )


def test_a_full_disk_loses_nothing(shelved: Library) -> None:
    save(shelved)
    pages = shelved.engine.connect().execute(text("PRAGMA page_count")).scalar()
    pragma(shelved.engine, f"PRAGMA max_page_count = {pages}")
    big = Content(texts={"en_GB": Texts("x", "y" * 500_000)})
    with pytest.raises(NebbetError, match="The edition cannot be saved: the disk is full"):
        save(shelved, big)
    found = shelved.catalogue(NOW).templates["t1"]
    assert (found.content, found.edition) == (CONTENT, 1)
