"""Reading the demo's world from its text files; dates are relative to the day it is read."""

import csv
import io
import tomllib
from collections.abc import Iterator, Mapping
from datetime import date, datetime, time, timedelta
from decimal import Decimal
from importlib.resources import files
from importlib.resources.abc import Traversable
from typing import Any, Literal

import msgspec
from msgspec import Struct

from nebbet.core.body import Frame
from nebbet.core.letter import Content, Copies, Enclosure, Passage, Texts
from nebbet.core.placeholders import Placeholder
from nebbet.core.records import Case, Contact, Fact, Member, field_name
from nebbet.core.records.kinds import Kind, Prompt, RecordField
from nebbet.core.values import Money, Value, to_json
from nebbet.standin.team import read_members, read_team

_KNOWN_COLUMNS = ("number", "kind", "title", "contact")


class DemoTemplate(Struct, frozen=True):
    """A template of the demo; its enclosures and pictures still named by file name."""

    id: str
    title: str
    shelf: str
    pinned: bool
    content: Content


class Earlier(Struct, frozen=True):
    """An edition that came before today's, or a proposal: a template's text with other words."""

    template: str
    days_ago: int
    swap: tuple[tuple[str, str], ...]
    note: str = ""
    id: str = ""
    author: str = ""
    after: int = 0
    reason: str = ""
    state: Literal["waiting", "declined"] = "waiting"
    answer: str = ""


class World(Struct, frozen=True):
    """All that the demo begins with."""

    calendar: str
    zone: str
    closures: Mapping[date, str]
    shelves: tuple[str, ...]
    inside: Mapping[str, str]
    members: tuple[Member, ...]
    facts: tuple[Fact, ...]
    frames: Mapping[str, Frame]
    passages: tuple[Passage, ...]
    words: tuple[str, ...]
    contacts: tuple[Contact, ...]
    cases: tuple[Case, ...]
    kinds: tuple[Kind, ...]
    templates: tuple[DemoTemplate, ...]
    editions: tuple[Earlier, ...] = ()
    proposals: tuple[Earlier, ...] = ()


FRAME_ID, PORTS_FRAME = "lisle", "ports"


def read_world(today: date) -> World:
    """Read the whole world as it is on one day."""
    folder = files("nebbet.standin") / "world"
    team = read_team()
    earlier = tomllib.loads((folder / "earlier.toml").read_text("utf-8"))
    found_by = tomllib.loads((folder / "found_by.toml").read_text("utf-8"))
    domain = team["domain"]
    return World(
        calendar=team["calendar"],
        zone=team["zone"],
        closures=_closures(team["closures"], today),
        shelves=tuple(team["shelves"]),
        inside=team["inside"],
        members=read_members(),
        facts=msgspec.convert(team["facts"], tuple[Fact, ...]),
        frames={
            FRAME_ID: msgspec.convert(team["frame"], Frame),
            PORTS_FRAME: msgspec.convert(team["plain_frame"], Frame),
        },
        passages=msgspec.convert(team["passages"], tuple[Passage, ...]),
        words=tuple(team["words"]),
        contacts=msgspec.convert(list(_rows(folder / "contacts.csv")), tuple[Contact, ...]),
        cases=tuple(_case(row, today, domain) for row in _rows(folder / "cases.csv")),
        kinds=tuple(_kinds(tomllib.loads((folder / "kinds.toml").read_text("utf-8")))),
        templates=tuple(
            _template(path.name, tomllib.loads(path.read_text("utf-8")), found_by)
            for path in sorted((folder / "templates").iterdir(), key=lambda path: path.name)
        ),
        editions=msgspec.convert(earlier["editions"], tuple[Earlier, ...]),
        proposals=msgspec.convert(earlier["proposals"], tuple[Earlier, ...]),
    )


def _rows(path: Traversable) -> Iterator[dict[str, str]]:
    yield from csv.DictReader(path.read_text("utf-8").splitlines(), restval="")


def _kinds(raw: Mapping[str, Any]) -> Iterator[Kind]:
    fields = {
        name: msgspec.convert({**field, "name": name}, RecordField)
        for name, field in raw["fields"].items()
    }
    for name, names in raw["kinds"].items():
        naming = raw["naming"].get(name, "")
        prompts = msgspec.convert(tuple(raw["prompts"].get(name, ())), tuple[Prompt, ...])
        yield Kind(field_name(name), name, tuple(fields[one] for one in names), naming, prompts)


def season_tickets(today: date) -> str:
    """The table of season tickets that another program of the company keeps, as CSV."""
    rows = list(_rows(files("nebbet.standin") / "world" / "season-tickets.csv"))
    text = io.StringIO()
    table = csv.writer(text, lineterminator="\n")
    table.writerow("Ends" if name == "Days left" else name for name in rows[0])
    for row in rows:
        ends = today + timedelta(days=int(row["Days left"]))
        table.writerow(str(ends) if n == "Days left" else v for n, v in row.items())
    return text.getvalue()


def _closures(days: Mapping[str, str], today: date) -> dict[date, str]:
    return {
        date.fromisoformat(f"{year}-{day}"): name
        for year in (today.year, today.year + 1)
        for day, name in days.items()
    }


def _case(row: dict[str, str], today: date, domain: str) -> Case:
    day = today + timedelta(days=int(row["days"]))
    fields: dict[str, Value] = {name: row[name] for name in ("from", "to", "ship") if row[name]}
    if row["kind"] == "season ticket":
        fields["ends"] = day
    else:
        fields["sailing"] = datetime.combine(day, time.fromisoformat(row["time"]))
    if row["fare"]:
        fields["fare"] = Money(Decimal(row["fare"]), "GBP")
    for pair in filter(None, row["more"].split(";")):
        name, _, text = pair.partition("=")
        fields[name] = _more(name, text)
    if port := fields.get("port"):
        fields["port_desk"] = f"{str(port).lower().replace(' ', '.')}.port@{domain}"
    return Case(
        id=row["number"].lower(),
        number=row["number"],
        kind=row["kind"],
        title=row["title"],
        contact=row["contact"],
        fields={name: to_json(value) for name, value in fields.items()},
    )


def _more(name: str, text: str) -> Value:
    if name == "new_time":
        return time.fromisoformat(text)
    if "|" in text:
        return tuple(text.split("|"))
    return Decimal(text) if name == "passengers" else text


def _template(file_name: str, raw: dict[str, Any], found_by: Mapping[str, Any]) -> DemoTemplate:
    stem = file_name.removesuffix(".toml").partition("-")[2]
    kinds, keywords = found_by.get(stem, ((), ()))
    content = Content(
        texts=msgspec.convert(raw["texts"], dict[str, Texts]),
        placeholders=msgspec.convert(raw.get("placeholders", []), tuple[Placeholder, ...]),
        copies=msgspec.convert(raw.get("copies", {}), Copies),
        enclosures=msgspec.convert(raw.get("enclosures", []), tuple[Enclosure, ...]),
        frame=raw.get("frame", FRAME_ID),
        kinds=tuple(kinds),
        keywords=tuple(keywords),
    )
    return DemoTemplate(stem, raw["title"], raw["shelf"], raw.get("pinned", False), content)
