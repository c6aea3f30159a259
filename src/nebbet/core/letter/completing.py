"""Completing a letter: what belongs to it, every value, every place filled."""

from collections.abc import Iterable

from msgspec.structs import replace

from nebbet.core import body, dates, inline
from nebbet.core.errors import NebbetError
from nebbet.core.inline import Slot
from nebbet.core.letter.letter import LINES, Letter, conditions, names, slots
from nebbet.core.placeholders import (
    Particular,
    Resolution,
    World,
    member_of,
    members,
    modifiers,
    text_in,
)
from nebbet.core.records import fold


def by_place(letter: Letter, particulars: Iterable[Particular]) -> dict[str, Particular]:
    """The particulars by what their places are kept by: the folded name and, in a part that is
    repeated, the number of the member. What a person typed in such a place stands there alone."""
    known = {fold(p.name): p for p in particulars}
    for slot in slots(letter):
        whole = known.get(fold(slot.name)) if slot.item else None
        if whole is not None and fold(slot.key) not in known:
            typed = letter.answers.get(fold(slot.key))
            found = member_of(whole, slot.item, letter.language)
            if typed is not None:
                found = replace(found, text=typed or None, value=typed or None, answer=typed)
            known[fold(slot.key)] = found
    return known


def complete(letter: Letter, particulars: Iterable[Particular]) -> Letter:
    """Fill every occurrence of every placeholder: subject, body, copies, attachment names.

    A place whose modifier does not fit its value stays blank; the checks say why.
    """
    known = by_place(letter, particulars)

    def text(slot: Slot) -> str | None:
        found = known.get(fold(slot.key))
        if found is None:
            return None
        try:
            return text_in(found, slot.modifiers, letter.language)
        except NebbetError:
            return None

    return replace(
        letter,
        body=body.completed(letter.body, text),
        attachments=tuple(
            replace(a, name=inline.completed(a.name, text)) for a in letter.attachments
        ),
        **{part: inline.completed(getattr(letter, part), text) for part in LINES},
    )


def work_out(letter: Letter, world: World) -> tuple[Letter, tuple[Particular, ...]]:
    """Decide what belongs to a letter, resolve every value that this asks for, and fill them in:
    the letter and its values."""
    resolution = Resolution(letter.placeholders, world, letter.answers, _excused(letter))
    decisions = {when: resolution.holds(when) for when in conditions(letter)}
    out = {when for when, decision in decisions.items() if decision.holds is False}
    decided = replace(
        letter,
        body=body.decided(letter.body, lambda when: when not in out),
        attachments=tuple(
            replace(a, out=a.when in out) if a.when else a for a in letter.attachments
        ),
        undecided={when: d.note for when, d in decisions.items() if d.holds is None},
    )
    repeated = _repeated(decided, resolution)
    particulars = resolution.particulars([*names(repeated), *repeated.members])
    return complete(repeated, particulars), particulars


def _repeated(letter: Letter, resolution: Resolution) -> Letter:
    """Let what is repeated stand once for each member of its list."""
    lists = body.lists_of(letter.body)
    if not lists:
        return letter
    counts = {each: members(resolution.particular(each)) for each in lists}
    made = body.repeated(letter.body, counts.__getitem__, letter.members)
    return replace(letter, body=made, members=counts)


def _excused(letter: Letter) -> set[str]:
    """The folded names whose every place has its own words for a missing value."""
    needed: set[str] = set()
    excused: set[str] = set()
    whole = replace(letter, body=body.decided(letter.body, lambda _: True))
    for slot in slots(whole):
        (excused if _has_else(slot.modifiers) else needed).add(fold(slot.name))
    return excused - needed


def _has_else(written: str) -> bool:
    try:
        return modifiers.read(written).instead is not None
    except NebbetError:
        return False


def counts_from_sending(letter: Letter) -> bool:
    """Whether a date in a letter counts from the day on which it is sent."""
    rules = (p.of for p in letter.placeholders if p.source == "date")
    return any(_is_from_sending(rule) for rule in rules)


def _is_from_sending(rule: str) -> bool:
    try:
        return dates.read(rule).base.kind == "sending"
    except NebbetError:
        return False
