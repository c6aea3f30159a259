"""The page on the house names every room there is, what it names is there, and its drawing is that
of the code."""

import importlib.util
import re
from collections.abc import Iterator
from pathlib import Path

import pytest

ROOT = Path(__file__).parent.parent
SOURCE = ROOT / "src" / "nebbet"
PAGE = (ROOT / "docs" / "house.md").read_text("utf-8")
_NAMED = re.compile(r"(?<![\w./])((?:\w+/)+\w+\.(?:py|png|svg|json))\b")
NOW, _, LATER = PAGE.partition("## What moves in next")


def rooms(inside: Path) -> Iterator[str]:
    for folder in inside.iterdir():
        if (folder / "__init__.py").is_file():
            yield folder.name


@pytest.mark.parametrize("storey", ["", "core", "desktop"])
def test_every_room_is_named(storey: str) -> None:
    named = set(re.findall(r"`(\w+)`", NOW))
    assert set(rooms(SOURCE / storey)) - named == set()


def test_what_is_named_is_there() -> None:
    for dotted in re.findall(r"`([a-z]+\.[a-z]\w*)`", NOW):
        room, _, module = dotted.partition(".")
        places = [SOURCE / room, SOURCE / "desktop" / room, SOURCE / "core" / room]
        found = [p for p in places if (p / f"{module}.py").is_file() or _says(p, module)]
        assert found, dotted


def _says(folder: Path, name: str) -> bool:
    return any(re.search(rf"def {name}\b", f.read_text("utf-8")) for f in folder.glob("*.py"))


def test_the_page_says_where_the_next_rooms_go() -> None:
    for subject in ("Upkeep", "second language"):
        assert re.search(rf"^- .*{subject}.*`[\w/]+`", LATER, re.MULTILINE), subject


def test_the_drawing_is_current() -> None:
    spec = importlib.util.spec_from_file_location("drawing", ROOT / "scripts" / "draw_house.py")
    assert spec and spec.loader
    script = importlib.util.module_from_spec(spec)
    spec.loader.exec_module(script)
    drawn = (ROOT / "docs" / "house.svg").read_text("utf-8")
    assert drawn == script.drawing(), "draw it again: scripts/draw_house.py"


def test_every_file_that_a_page_names_is_there() -> None:
    pages = [*ROOT.glob("*.md"), *ROOT.glob("docs/**/*.md"), ROOT / "bench" / "README.md"]
    places = (ROOT, SOURCE, SOURCE / "core", SOURCE / "desktop")
    missing = [
        (page.name, named)
        for page in pages
        for named in re.findall(
            r"(?<![\w./])((?:\w+/)+\w+\.(?:py|png|svg|json))\b", page.read_text("utf-8")
        )
        if not any((place / named).is_file() for place in places)
    ]
    assert missing == []
