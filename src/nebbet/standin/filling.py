"""Filling a library with the demo's world."""

import re
from collections.abc import Mapping
from datetime import datetime, timedelta
from pathlib import Path

from msgspec.structs import replace

from nebbet.core import body
from nebbet.core.letter import Content, Texts
from nebbet.library.catalogue import Shelf
from nebbet.library.store import Library, open_library
from nebbet.standin.history import WEEKS, fill_history
from nebbet.standin.papers import make_papers
from nebbet.standin.world import DemoTemplate, World, read_world

LEAD = "ottilie.marsh"
_ASSET = re.compile(r"asset:([\w.-]+)")


def make_library(path: Path, mail: Path, now: datetime, *, past: bool) -> None:
    """Make the demo's library at a path, and with a past the letters of the last weeks."""
    library = open_library(path)
    began = now - timedelta(weeks=WEEKS + 1)
    fill_library(library, read_world(now.date()), began)
    if past:
        fill_history(library, mail, now)
    library.close()


def fill_library(library: Library, world: World, now: datetime) -> None:
    """Put the demo's world into an empty library."""
    library.put_calendar(world.calendar, world.closures, world.zone)
    library.put(*world.members, *world.facts, *world.contacts, *world.cases, *world.passages)
    for frame_id, frame in world.frames.items():
        library.put_frame(frame_id, frame)
    for word in world.words:
        library.add_word(word)
    known = {
        name: (library.put_file(data, name, media_type), media_type, len(data))
        for name, (data, media_type) in make_papers().items()
    }
    for position, name in enumerate(world.shelves):
        library.add_shelf(Shelf(_shelf_id(name), name), position)
    for template in world.templates:
        _add(library, template, known, now)


def _shelf_id(name: str) -> str:
    return name.lower().replace(" ", "-")


def _add(
    library: Library,
    template: DemoTemplate,
    known: Mapping[str, tuple[str, str, int]],
    now: datetime,
) -> None:
    library.add_template(template.id, _shelf_id(template.shelf), template.title)
    library.save_edition(
        template.id,
        template.title,
        _with_files(template.content, known),
        author=LEAD,
        note="First edition",
        made=now,
    )
    if template.pinned:
        library.set_template(template.id, pinned=True)


def _with_files(content: Content, known: Mapping[str, tuple[str, str, int]]) -> Content:
    """Name files by their SHA-256, and bring the bodies into their written form."""

    def text(texts: Texts) -> Texts:
        source = _ASSET.sub(lambda match: f"file:{known[match[1]][0]}", texts.body)
        return replace(texts, body=body.write(body.read(source)))

    enclosures = []
    for enclosure in content.enclosures:
        sha256, media_type, size = known[enclosure.file]
        enclosures.append(replace(enclosure, file=sha256, media_type=media_type, size=size))
    texts = {language: text(texts) for language, texts in content.texts.items()}
    first, *others = texts
    mark = texts[first].fingerprint  # the others say what the first one says
    texts |= {code: replace(texts[code], original=mark) for code in others}
    return replace(
        content,
        texts=texts,
        enclosures=tuple(enclosures),
    )
