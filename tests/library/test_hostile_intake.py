"""Files and messages of others bring in what they hold, and nothing else from this computer."""

import os
from pathlib import Path

import pytest
from PIL import Image

from nebbet.core.errors import NebbetError
from nebbet.library.disk import read_file, write_file
from nebbet.library.holdings import Shelf
from nebbet.library.intake import fetch_pictures, read_pasted, take_in
from nebbet.library.store import Library, open_library


@pytest.fixture
def team(tmp_path: Path) -> Library:
    library = open_library(tmp_path / "team" / "library.sqlite")
    library.add_shelf(Shelf("s1", "Sailings"))
    return library


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    """A folder with a page's picture in it, and one that is not the page's beside it."""
    made = tmp_path / "page"
    (made / "files").mkdir(parents=True)
    for path in (tmp_path / "red.png", made / "own.png", made / "files" / "sub.png"):
        Image.new("RGB", (4, 4), (len(str(path)) % 256, 0, 0)).save(path)
    (made / "link.png").symlink_to(tmp_path / "red.png")
    (made / "endless.png").symlink_to("/dev/zero")
    os.mkfifo(made / "pipe.png")
    return made


def test_a_message_brings_no_picture_of_this_computer(team: Library, folder: Path) -> None:
    local = folder / "own.png"
    message = folder / "m.eml"
    markup = f'<img src="{local.as_uri()}"><img src="own.png"><img src="{local}">'
    head = b"From: a@b.example\r\nSubject: s\r\nContent-Type: text/html\r\n\r\n"
    message.write_bytes(head + markup.encode())
    for finished in (False, True):
        take_in(team, message, "s1", f"t{finished}", finished=finished)
    read_pasted(team, markup)
    assert team.files() == {}


@pytest.mark.parametrize(
    "address",
    [
        "../red.png",
        "%2e%2e/red.png",
        "%2E%2E%2Fred.png",
        "files%2f..%2f..%2fred.png",
        "link.png",
        "endless.png",
        "pipe.png",
        "/dev/zero",
        "%2Fdev%2Fzero",
        "file:///dev/zero",
        "own.png%00.png",
        "",
        ".",
        "\udc80.png",
    ],
)
def test_a_page_brings_only_what_lies_beside_it(team: Library, folder: Path, address: str) -> None:
    assert fetch_pictures(team, f'<img src="{address}">', {}, folder) == {}


def test_a_page_brings_what_lies_beside_it(team: Library, folder: Path) -> None:
    markup = '<img src="own.png"><img src="files/sub.png">'
    assert len(fetch_pictures(team, markup, {}, folder)) == 2
    assert len(team.files()) == 2


def test_what_is_no_ordinary_file_is_refused_at_once(tmp_path: Path) -> None:
    os.mkfifo(tmp_path / "pipe.eml")
    (tmp_path / "endless.eml").symlink_to("/dev/zero")
    (tmp_path / "folder.eml").mkdir()
    large = tmp_path / "large.eml"
    with large.open("wb") as file:
        file.truncate(30 * 2**20)
    for name in ("pipe.eml", "endless.eml", "folder.eml", "large.eml", "missing.eml", "a\0b"):
        with pytest.raises(NebbetError):
            read_file(tmp_path / name, name)


def test_nothing_is_written_over_unasked(tmp_path: Path) -> None:
    path = tmp_path / "a.eml"
    write_file(path, b"one")
    with pytest.raises(NebbetError, match="already"):
        write_file(path, b"two")
    assert path.read_bytes() == b"one"
    write_file(path, b"two", overwrite=True)
    assert path.read_bytes() == b"two"
    assert [found.name for found in tmp_path.iterdir()] == ["a.eml"]
