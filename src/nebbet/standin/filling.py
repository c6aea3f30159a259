"""Filling a library with the demo's world."""

import json
import re
from collections.abc import Iterable, Mapping, Sequence
from datetime import datetime, timedelta
from pathlib import Path

import msgspec
from msgspec.structs import replace

from nebbet.core import body
from nebbet.core.letter import Content, Texts
from nebbet.library.holdings import Proposal, Shelf, parents_first
from nebbet.library.import_files import How
from nebbet.library.link_reading import read_link
from nebbet.library.links import Link, Linked, put_link
from nebbet.library.store import Library, open_library
from nebbet.standin.history import WEEKS, fill_history
from nebbet.standin.inbox import fill_inbox
from nebbet.standin.papers import make_papers
from nebbet.standin.passengers import lay_passengers
from nebbet.standin.team import CLAIMS_USER, PASSENGERS, SEASON_TICKETS
from nebbet.standin.world import DemoTemplate, Earlier, World, read_world, season_tickets

LEAD = "ottilie.marsh"
_ASSET = re.compile(r"asset:([\w.-]+)")


def make_library(path: Path, mail: Path, now: datetime, *, past: bool) -> None:
    """Make the demo's library at a path; with a past the letters of the last weeks, the editions
    that came before today's, and what colleagues propose."""
    library = open_library(path)
    began = now - timedelta(weeks=WEEKS + 1)
    world = read_world(now.date())
    if not past:
        world = replace(world, editions=(), proposals=())
    fill_library(library, world, began)
    add_proposals(library, world, now)
    lay_passengers(path.parent / PASSENGERS, world)
    if past:
        link_season_tickets(library, path.parent, now)
        fill_history(library, mail, now)
        people = {one.id: one for one in world.contacts}
        users = [member.email for member in world.members]
        fill_inbox(mail, users, people, now, claims=CLAIMS_USER)
    library.close()


def fill_library(library: Library, world: World, began: datetime) -> None:
    """Put the demo's world into an empty library, as it grew since some day."""
    library.put_calendar(world.calendar, world.closures, world.zone)
    library.put(*world.members, *world.facts, *world.kinds)
    library.put(*world.contacts, *world.cases, *world.passages)
    for frame_id, frame in world.frames.items():
        library.put_frame(frame_id, frame)
    for word in world.words:
        library.add_word(word)
    known = {
        name: (library.put_file(data, name, media_type), media_type, len(data))
        for name, (data, media_type) in make_papers().items()
    }
    shelves = [Shelf(_shelf_id(n), n, _shelf_id(world.inside.get(n, ""))) for n in world.shelves]
    for shelf in parents_first(shelves):
        library.add_shelf(shelf, shelves.index(shelf))
    for template in world.templates:
        earlier = [edition for edition in world.editions if edition.template == template.id]
        _add(library, template, earlier, known, began)


def link_season_tickets(library: Library, folder: Path, now: datetime) -> None:
    """Lay the table of season tickets into a folder, and let the library read it from there."""
    place = folder / SEASON_TICKETS
    place.write_text(season_tickets(now.date()), "utf-8")
    matches = {
        "Ticket no.": "number",
        "Holder": "contact",
        "Ticket": "ticket",
        "From": "from",
        "To": "to",
        "Ends": "ends",
        "Paid": "fare",
    }
    how = How(people=False, matches=matches, kind="season ticket")
    link = Link("season", "Season tickets", str(place), "Ticket no.", how=how)
    put_link(library, link)
    read_link(library, library.catalogue(now), Linked(link), now)


def add_proposals(library: Library, world: World, now: datetime) -> None:
    """Let the colleagues propose what they would change."""
    for found in world.proposals:
        edition = next(e for e in library.editions(found.template) if e.edition == found.after)
        made = Proposal(
            id=found.id,
            template=found.template,
            base=found.after,
            shelf=edition.shelf,
            title=edition.title,
            content=_swapped(edition.content, found.swap),
            author=found.author,
            made=now - timedelta(days=found.days_ago),
            reason=found.reason,
        )
        library.propose(made)
        if found.state == "declined":
            decided = made.made + timedelta(days=1)
            library.decline(found.id, found.answer, LEAD, decided)


def _swapped(content: Content, swap: Iterable[tuple[str, str]]) -> Content:
    """A content with other words in the place of some; words that are not there are a mistake."""
    text = msgspec.json.encode(content).decode()
    for now, before in swap:
        old, new = (json.dumps(words, ensure_ascii=False)[1:-1] for words in (now, before))
        if old not in text:
            raise ValueError(f"the demo's texts do not say “{now}”")
        text = text.replace(old, new)
    return msgspec.json.decode(text, type=Content)


def _shelf_id(name: str) -> str:
    return name.lower().replace(" ", "-")


def _add(
    library: Library,
    template: DemoTemplate,
    earlier: Sequence[Earlier],
    known: Mapping[str, tuple[str, str, int]],
    began: datetime,
) -> None:
    """Start a template and make its editions, the one of today last."""
    library.add_template(template.id, _shelf_id(template.shelf), template.title)
    content = _with_files(template.content, known)
    notes = [edition.note for edition in earlier] + [
        "Said more plainly" if earlier else "First edition"
    ]
    contents = [_swapped(content, edition.swap) for edition in earlier] + [content]
    end = began + timedelta(weeks=WEEKS + 1)
    days = [end - timedelta(days=edition.days_ago) for edition in earlier[1:]]
    last = end - timedelta(days=earlier[-1].days_ago // 2) if earlier else began
    moments = [began, *days, last] if earlier else [began]
    for note, made, moment in zip(notes, contents, moments, strict=True):
        library.save_edition(template.id, template.title, made, author=LEAD, note=note, made=moment)
    if template.pinned:
        library.set_template(template.id, pinned=True)


def _with_files(content: Content, known: Mapping[str, tuple[str, str, int]]) -> Content:
    """Name files by their SHA-256, and bring the bodies into their written form."""

    def text(texts: Texts) -> Texts:
        source = _ASSET.sub(lambda match: f"file:{known[match[1]][0]}", texts.body)
        if not texts.finished:
            source = body.write(body.read(source))
        return replace(texts, body=source)

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
