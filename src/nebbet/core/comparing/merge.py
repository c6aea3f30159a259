"""Bringing together what two people made of the same edition."""

from collections.abc import Callable, Hashable, Iterable, Iterator, Sequence
from typing import Any, TypeVar

from msgspec import Struct
from msgspec.structs import replace

from nebbet.core import body
from nebbet.core.comparing.aligning import aligned, paired
from nebbet.core.comparing.same_thing import address_of, file_of, name_of
from nebbet.core.letter import (
    ADDRESS_LINES,
    Content,
    Copies,
    TemplateDraft,
    Texts,
    older,
)
from nebbet.core.placeholders import language_name

_Value = TypeVar("_Value")
_Contents = tuple[Content, Content, Content]


class Merged(Struct, frozen=True):
    """What came of it. clashes says where both changed the same; it is as mine has it there."""

    draft: TemplateDraft
    clashes: tuple[str, ...] = ()


def merge(base: TemplateDraft, mine: TemplateDraft, theirs: TemplateDraft) -> Merged:
    """Take over what each side changed from the base, block by block of the text.

    Where only one side changed something, it is as that side has it; where both made the same
    change, it is made once. The rule is that of three-way merging (Khanna, Kunal & Pierce 2007,
    “A formal investigation of diff3”), with the blocks of a body as its lines.
    """
    clashes: list[str] = []

    def one(name: str, sides: tuple[_Value, _Value, _Value]) -> _Value:
        was, my, their = sides
        if their in (my, was):
            return my
        if my == was:
            return their
        clashes.append(name)
        return my

    contents = (base.content, mine.content, theirs.content)
    texts = _texts(contents, one, clashes)
    made = replace(
        mine.content,
        texts=texts,
        placeholders=_keyed("the placeholder {}", _each(contents, "placeholders"), name_of, one),
        copies=_copies(contents, one),
        enclosures=_keyed("an enclosure", _each(contents, "enclosures"), file_of, one),
        frame=one("the frame", _each(contents, "frame")),
        calendar=one("the public holidays", _each(contents, "calendar")),
        kinds=_listed([content.kinds for content in contents]),
        keywords=_listed([content.keywords for content in contents]),
    )
    title = one("the title", (base.title, mine.title, theirs.title))
    shelf = one("the shelf", (base.shelf, mine.shelf, theirs.shelf))
    return Merged(TemplateDraft(title, shelf, made, mine.edition), tuple(clashes))


def _each(values: Iterable[object], name: str) -> tuple[Any, Any, Any]:
    was, my, their = (getattr(value, name) for value in values)
    return was, my, their


def _listed(sides: Sequence[tuple[str, ...]]) -> tuple[str, ...]:
    """Words of which each side may have added and taken away some: these never clash."""
    was, my, their = sides
    kept = [word for word in my if word in their or word not in was]
    return (*kept, *(word for word in their if word not in was and word not in my))


_Choose = Callable[[str, tuple[Any, Any, Any]], Any]


def _keyed(
    name: str,
    sides: tuple[Sequence[_Value], Sequence[_Value], Sequence[_Value]],
    by: Callable[[_Value], str],
    one: "_Choose",
) -> tuple[Any, ...]:
    """Things, in my order, with what the other side added behind."""
    was, mine, theirs = paired(*sides, by=by)
    chosen = []
    for key in dict.fromkeys((*mine, *theirs)):
        found = was.get(key), mine.get(key), theirs.get(key)
        called = next(by(thing) for thing in found if thing is not None)
        chosen.append(one(name.format(called), found))
    return tuple(kept for kept in chosen if kept is not None)


def _copies(contents: _Contents, one: "_Choose") -> Copies:
    lines = {
        part: one(name, _each((content.copies for content in contents), part))
        for part, name in ADDRESS_LINES.items()
    }
    sides = _each((content.copies for content in contents), "conditional")
    return Copies(**lines, conditional=_keyed("a copy under a condition", sides, address_of, one))


def _texts(contents: _Contents, one: "_Choose", clashes: list[str]) -> dict[str, Texts]:
    """The texts by language. A translation that was up to date for one side is so for the merged
    original only where that side's original is the merged one."""
    stale = {code for content in contents[1:] for code in older(content)}
    made: dict[str, Texts] = {}
    codes = dict.fromkeys(code for content in contents[1:] for code in content.texts)
    for code in codes:
        was, mine, theirs = (content.texts.get(code) for content in contents)
        if was and mine and theirs:
            kept = _text(code, (was, mine, theirs), one, clashes)
        else:
            kept = one(f"the text in {language_name(code)}", (was, mine, theirs))
        if isinstance(kept, Texts):
            made[code] = kept
    first = next(iter(made.values())).fingerprint
    same = {next(iter(content.texts.values())).fingerprint for content in contents[1:]} == {first}
    return {
        code: replace(text, original=first)
        if same and text.original and code not in stale
        else text
        for code, text in made.items()
    }


def _text(
    code: str, sides: tuple[Texts, Texts, Texts], one: "_Choose", clashes: list[str]
) -> Texts:
    was, mine, theirs = sides
    subject = one(f"the subject in {language_name(code)}", _each(sides, "subject"))
    if any(text.finished for text in sides):
        # What keeps its own markup is one piece: its text and that it is so go together.
        bare, my, their = (replace(text, subject="", original="") for text in sides)
        kept: Texts = one(f"the text in {language_name(code)}", (bare, my, their))
        original = mine.original if kept == my else theirs.original
        return replace(kept, subject=str(subject), original=original)
    blocks, clashed = merge_rows(was.blocks, mine.blocks, theirs.blocks)
    if clashed:
        clashes.append(f"the text in {language_name(code)}")
    source = body.write(body.tidy(blocks))
    original = mine.original if mine.body != was.body else theirs.original
    return replace(mine, subject=str(subject), body=source, original=original)


def merge_rows(
    base: Sequence[Hashable], mine: Sequence[Hashable], theirs: Sequence[Hashable]
) -> tuple[list[Any], bool]:
    """Merge three rows of things, and say whether both sides changed the same stretch differently
    (it is as mine has it then)."""
    made: list[Any] = []
    clashed = False
    for was, my, their in _apart(_stretches(base, mine, theirs)):
        if their in (my, was):
            made += my
        elif my == was:
            made += their
        else:
            clashed = True
            made += my
    return made, clashed


_Stretches = Iterator[tuple[Sequence[Hashable], Sequence[Hashable], Sequence[Hashable]]]


def _apart(stretches: _Stretches) -> _Stretches:
    """Stretches in which each side has as many things as the base, thing by thing: two people who
    changed neighbouring paragraphs did not change the same."""
    for was, my, their in stretches:
        if len(was) == len(my) == len(their):
            yield from (([a], [b], [c]) for a, b, c in zip(was, my, their, strict=True))
        else:
            yield was, my, their


def _stretches(
    base: Sequence[Hashable], mine: Sequence[Hashable], theirs: Sequence[Hashable]
) -> _Stretches:
    """The three rows cut where all of them agree, and between."""
    in_mine, in_theirs = _matches(base, mine), _matches(base, theirs)
    at = [0, 0, 0]
    for index in range(len(base)):
        if index not in in_mine or index not in in_theirs:
            continue
        ends = [index, in_mine[index], in_theirs[index]]
        if ends != at:
            yield base[at[0] : ends[0]], mine[at[1] : ends[1]], theirs[at[2] : ends[2]]
        one = base[index : index + 1]
        yield one, one, one
        at = [end + 1 for end in ends]
    yield base[at[0] :], mine[at[1] :], theirs[at[2] :]


def _matches(base: Sequence[Hashable], other: Sequence[Hashable]) -> dict[int, int]:
    """Which thing of the base is which of the other, along a longest common row."""
    found: dict[int, int] = {}
    for same, a, b, c, _ in aligned(base, other):
        if same:
            found |= dict(zip(range(a, b), range(c, c + b - a), strict=True))
    return found
