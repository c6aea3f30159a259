"""The record of a case in a letter about it: rows in its text, or a sheet of its own."""

from collections.abc import Iterator

from nebbet.core.body import Body, FactRow, Gap, Heading, Paragraph, Run, completed, slots
from nebbet.core.inline import Slot
from nebbet.core.placeholders import World, resolve, show
from nebbet.core.records import Case, case_fields, fold, label_of
from nebbet.core.records.kinds import Kind, in_order

_OWN = ("number", "kind", "title", "state")  # what every case has, beside the fields of its kind


def record_rows(case: Case, kind: Kind | None) -> Body:
    """The record of a case as fact rows, its number first, then its fields as its kind orders them.
    The values are placeholders: they follow the case. What is empty, a file, or how far the case
    has come within the team is no part of it."""
    return tuple(
        FactRow((Run(label), Gap(), Run(Slot(f"case.{name}"))))
        for name, label in _fields(case, kind)
    )


def _fields(case: Case, kind: Kind | None) -> Iterator[tuple[str, str]]:
    """The names and labels of what the record of a case says."""
    yield "number", _capital(case.kind) or label_of("number")
    held = case_fields(case)
    if "title" in held:
        yield "title", label_of("title")
    own = {fold(name) for name in _OWN}
    for name in in_order((name for name in held if fold(name) not in own), kind):
        declared = kind.field(name) if kind else None
        if fold(name) in {fold(one) for one in held} and not (declared and declared.kind == "file"):
            yield name, declared.title if declared else label_of(name)


def _capital(word: str) -> str:
    return word[:1].upper() + word[1:]


def record_sheet(case: Case, kind: Kind | None, world: World) -> Body:
    """The record of a case as a text of its own, with its values as they are on the world's day."""
    rows = record_rows(case, kind)[1:]  # the heading says its number
    found = {fold(p.name): p for p in resolve((s.name for s in slots(rows)), (), world, {})}

    def text(slot: Slot) -> str | None:
        return found[fold(slot.name)].text

    heading = Heading((Run(" ".join(filter(None, (_capital(case.kind), case.number)))),))
    day = Paragraph((Run(show(world.today, world.language)),))
    return (heading, *completed(rows, text), day)
