"""What changed between two states of a template, word by word."""

import re
from collections.abc import Callable, Hashable, Iterable, Iterator, Mapping, Sequence
from functools import partial
from itertools import zip_longest
from typing import Literal, TypeVar

from msgspec import Struct
from msgspec.structs import asdict

from nebbet.core import body, inline
from nebbet.core.comparing.aligning import aligned, paired
from nebbet.core.comparing.same_thing import address_of, file_of, name_of
from nebbet.core.letter import ADDRESS_LINES, Content, Copy, Enclosure, TemplateDraft, Texts
from nebbet.core.placeholders import Placeholder

_Thing = TypeVar("_Thing")
PieceKind = Literal["same", "removed", "added"]
_TOKEN = re.compile(r"\{\{[^{}]*\}\}|\w+|\s+|[^\w\s]")
_ALIKE = 45  # of 100: blocks at least so alike are the same one, changed


class Piece(Struct, frozen=True):
    """A stretch of text that is in both states, or in one of them only."""

    text: str
    kind: PieceKind


class Row(Struct, frozen=True):
    """One block of each state beside each other; empty where there is none. look says that the
    words are the same and something else about the block is not."""

    before: tuple[Piece, ...]
    after: tuple[Piece, ...]
    look: bool = False

    @property
    def changed(self) -> bool:
        """Whether the two sides differ."""
        return self.look or any(p.kind != "same" for p in (*self.before, *self.after))


class Section(Struct, frozen=True):
    """One part of a template: its name, and its rows in order."""

    name: str
    rows: tuple[Row, ...]


def word_pieces(before: str, after: str) -> tuple[tuple[Piece, ...], tuple[Piece, ...]]:
    """Both texts in pieces, along a longest common row of words.

    >>> old, new = word_pieces("open until five", "open until six o'clock")
    >>> [p.text for p in old if p.kind == "removed"], [p.text for p in new if p.kind == "added"]
    (['five'], ["six o'clock"])
    """
    old, new = _TOKEN.findall(before), _TOKEN.findall(after)
    left: list[Piece] = []
    right: list[Piece] = []
    for same, a, b, c, d in aligned(old, new):
        if same:
            both = Piece("".join(old[a:b]), "same")
            left.append(both)
            right.append(both)
            continue
        if b > a:
            left.append(Piece("".join(old[a:b]), "removed"))
        if d > c:
            right.append(Piece("".join(new[c:d]), "added"))
    return _joined(left), _joined(right)


def _joined(pieces: Iterable[Piece]) -> tuple[Piece, ...]:
    done: list[Piece] = []
    for piece in pieces:
        if done and done[-1].kind == piece.kind:
            done[-1] = Piece(done[-1].text + piece.text, piece.kind)
        else:
            done.append(piece)
    return tuple(done)


def compare(
    before: TemplateDraft,
    after: TemplateDraft,
    *,
    file: Callable[[str], str] = str,
    language: Callable[[str], str] = str,
    shelf: Callable[[str], str] = str,
) -> tuple[Section, ...]:
    """The parts of a template that differ, each with all its rows, so that what is around a change
    can be read. file, language and shelf give names to show."""
    old, new = before.content, after.content
    made = [Section("Title", (_line(before.title, after.title),))]
    made.append(Section("Shelf", (_line(shelf(before.shelf), shelf(after.shelf)),)))
    for code in dict.fromkeys((*old.texts, *new.texts)):
        one, other = old.texts.get(code, Texts()), new.texts.get(code, Texts())
        made.append(Section(f"Subject, {language(code)}", (_line(one.subject, other.subject),)))
        made.append(Section(f"Text, {language(code)}", _body(one.blocks, other.blocks)))
    made += _lists(old, new, file)
    made.append(Section("Frame", (_line(old.frame, new.frame),)))
    made.append(Section("Public holidays", (_line(old.calendar, new.calendar),)))
    made.append(Section("Kinds of case", (_line(", ".join(old.kinds), ", ".join(new.kinds)),)))
    words = (", ".join(old.keywords), ", ".join(new.keywords))
    made.append(Section("Keywords", (_line(*words),)))
    return tuple(section for section in made if any(row.changed for row in section.rows))


def _line(before: str, after: str) -> Row:
    return Row(*word_pieces(before, after))


def _lists(old: Content, new: Content, file: Callable[[str], str]) -> Iterator[Section]:
    for part, name in ADDRESS_LINES.items():
        yield Section(name, (_line(getattr(old.copies, part), getattr(new.copies, part)),))
    copies = [content.copies.conditional for content in (old, new)]
    yield _keyed("Copies under a condition", paired(*copies, by=address_of), _copy)
    files = [content.enclosures for content in (old, new)]
    named = partial(_enclosure, file)
    yield _keyed("Enclosures", paired(*files, by=file_of), named)
    placeholders = [content.placeholders for content in (old, new)]
    yield _keyed("Placeholders", paired(*placeholders, by=name_of), _declared)


def _keyed(
    name: str,
    states: Sequence[Mapping[Hashable, _Thing]],
    words: Callable[[_Thing], str],
) -> Section:
    """Things beside each other, those that went and those that came beside nothing."""
    sides = (
        [words(side[key]) if key in side else "" for side in states]
        for key in dict.fromkeys(key for side in states for key in side)
    )
    return Section(name, tuple(_line(*side) for side in sides))


def _copy(copy: Copy) -> str:
    return f"{ADDRESS_LINES[copy.part]}: {copy.address}, only if {copy.when}"


def _enclosure(file: Callable[[str], str], enclosure: Enclosure) -> str:
    when = f", only if {enclosure.when}" if enclosure.when else ""
    return f"{enclosure.name} ({file(enclosure.file)}){when}"


def _declared(placeholder: Placeholder) -> str:
    """A placeholder in one line: its name, and all that is said of it."""
    defaults = asdict(Placeholder(placeholder.name))
    said = {k: v for k, v in asdict(placeholder).items() if k != "name" and v != defaults[k]}
    words = [f"{k} {', '.join(v) if isinstance(v, tuple) else v}" for k, v in said.items()]
    return "; ".join([placeholder.name, *words])


def _body(before: body.Body, after: body.Body) -> tuple[Row, ...]:
    """Blocks beside each other: equal ones, then in each gap those that are alike."""
    rows: list[Row] = []
    for same, a, b, c, d in aligned(before, after):
        if same:
            rows += [_same(block) for block in before[a:b]]
        else:
            rows += _gap(before[a:b], after[c:d])
    return tuple(rows)


def _same(block: body.Block) -> Row:
    pieces = (Piece(said(block), "same"),)
    return Row(pieces, pieces)


def _gap(before: Sequence[body.Block], after: Sequence[body.Block]) -> Iterator[Row]:
    from rapidfuzz import fuzz

    left = list(before)
    for block in after:
        words = said(block)
        found = next((b for b in left if fuzz.ratio(said(b), words) >= _ALIKE), None)
        if found is None:
            yield Row((), (Piece(words, "added"),))
            continue
        while left[0] is not found:
            yield Row((Piece(said(left.pop(0)), "removed"),), ())
        left.pop(0)
        if _leads(found) != _leads(block):  # where it leads is said where that is what changed
            yield _line(said(found, leads=True), said(block, leads=True))
            continue
        row = _line(said(found), words)
        yield row if row.changed else Row(row.before, row.after, look=True)
    yield from (Row((Piece(said(block), "removed"),), ()) for block in left)


def _leads(block: body.Block) -> list[str]:
    """Where the words and pictures of a block lead, and which pictures it shows."""
    parts = (part for part in block.inlines if isinstance(part, body.Run | body.Picture))
    return [
        f"{inline.source(part.link)} {part.file if isinstance(part, body.Picture) else ''}"
        for part in parts
        if part.link or isinstance(part, body.Picture)
    ]


def said(block: body.Block, *, leads: bool = False) -> str:
    """A block as one reads it in a comparison, with a mark for what it is; leads says behind the
    words of each link where it leads."""
    if isinstance(block, body.Markup):
        words = inline.source(block.source)
    else:
        words = _words(block.inlines, leads=leads)
    when = f"[only if {block.when}] " if block.when else ""
    match block:
        case body.ListItem():
            mark = "  " * block.level + ("1. " if block.ordered else "• ")
        case body.FactRow():
            label, value = (_words(side, leads=leads) for side in body.sides(block.inlines))
            words = f"{label}: {value}"
            mark = ""
        case body.Button():
            mark, words = "", f"[{words}] → {inline.source(block.link)}"
        case body.Divider():
            mark, words = "", "———"
        case body.Included():
            mark, words = "", f"[passage {block.passage}]"
        case body.Guidance():
            mark = "(guidance) "
        case body.Heading():
            mark = "# " if block.level == 1 else "## "
        case _:
            mark = "> " if block.quote else ""
    return f"{when}{mark}{words}"


def _words(inlines: tuple[body.Inline, ...], *, leads: bool = False) -> str:
    """Text with its line ends and its pictures, which a comparison shows."""
    said: list[str] = []
    for part, following in zip_longest(inlines, inlines[1:]):
        match part:
            case body.Run():
                said.append(inline.source((part.content,)))
            case body.Break():
                said.append("\n")
            case body.Picture():
                said.append(f"[picture {inline.source(part.alt) or part.file[:8]}]")
        link = getattr(part, "link", ())
        if leads and link and getattr(following, "link", ()) != link:
            said.append(f" → {inline.source(link)}")
    return "".join(said)
