"""Setting up the demo in a home of its own: library, mailboxes, settings."""

import re
import shutil
from collections.abc import Callable, Mapping
from datetime import datetime
from pathlib import Path
from typing import Protocol

from msgspec.structs import replace

from nebbet.core import body
from nebbet.core.letter import Content, Texts
from nebbet.library.catalogue import Shelf
from nebbet.library.store import Library, open_library
from nebbet.post.home import Home, make_home
from nebbet.post.settings import Account, Settings, read_settings, write_settings
from nebbet.standin.ports import CATCH_ALL
from nebbet.standin.process import ServiceProcess
from nebbet.standin.world import FRAME_ID, DemoTemplate, World, read_world

PASSWORD = "demo"
ME = "benedek.roy"
LEAD = "ottilie.marsh"
_MARK = "made by nebbet demo.txt"
_ASSET = re.compile(r"asset:([\w.-]+)")


class Service(Protocol):
    """A mail service: in this process or in one of its own."""

    def start(self) -> None:
        """Start it."""

    def stop(self) -> None:
        """End it."""

    def account(self, user: str) -> Account:
        """How a user reaches it."""


def passwords(world: World) -> dict[str, str]:
    """The mailboxes of the stand-in and their passwords."""
    return {**{member.email: PASSWORD for member in world.members}, CATCH_ALL: PASSWORD}


def prepare_demo(
    home: Home,
    now: datetime,
    *,
    keep: bool = False,
    service_of: Callable[[Path, Mapping[str, str]], Service] = ServiceProcess,
) -> Service:
    """Make the demo, fresh or kept from last time, and start its mail service.

    Only a home that an earlier demo made is ever cleared.
    """
    if not keep:
        clear_demo(home)
    make_home(home)
    (home.data / _MARK).write_text("This folder is cleared when the demo starts anew.\n", "utf-8")
    world = read_world(now.date())
    if not home.library_file.exists():
        library = open_library(home.library_file)
        fill_library(library, world, now)
        library.close()
    service = service_of(home.mail_folder, passwords(world))
    service.start()
    _settle(home, service, world)
    return service


def clear_demo(home: Home) -> None:
    """Remove what an earlier demo made; anything else stays."""
    if not (home.data / _MARK).exists():
        return
    shutil.rmtree(home.mail_folder, ignore_errors=True)
    for pattern in ("library.sqlite*", "personal.sqlite*", home.settings_file.name):
        for path in home.data.glob(pattern):
            path.unlink()


def _settle(home: Home, service: Service, world: World) -> None:
    """Point the settings at the service: its ports are new at every start."""
    settings = read_settings(home.settings_file)
    me = settings.member or ME
    address = next(member.email for member in world.members if member.id == me)
    settings = replace(settings, member=me, account=service.account(address))
    write_settings(home.settings_file, settings)


def demo_settings(home: Home) -> Settings:
    """The settings of a prepared demo."""
    return read_settings(home.settings_file)


def fill_library(library: Library, world: World, now: datetime) -> None:
    """Put the demo's world into an empty library."""
    from nebbet.standin.papers import make_papers  # brings a PDF library along, only for this

    library.put_calendar(world.calendar, world.closures)
    library.put(*world.members, *world.facts, *world.contacts, *world.cases)
    library.put_frame(FRAME_ID, world.frame)
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
    return replace(
        content,
        texts={language: text(texts) for language, texts in content.texts.items()},
        enclosures=tuple(enclosures),
    )
