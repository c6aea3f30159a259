"""Reading plain text into the body model."""

import re
from collections.abc import Iterator, Sequence

from nebbet.core import inline
from nebbet.core.body.foreign import BULLETS, ROW_GAP
from nebbet.core.body.model import (
    Block,
    Body,
    Break,
    FactRow,
    Gap,
    Inline,
    ListItem,
    Paragraph,
    Run,
)
from nebbet.core.body.tidy import tidy

_BULLET = re.compile(rf"\s*(?:[{BULLETS}]|[-*–](?=\s))\s*(?=\S)")
_NUMBER = re.compile(r"\s*(\d{1,2})[.)]\s+(?=\S)")
_CELLS = re.compile(r"\t+| {3,}")
NARROWEST = 40  # signs: text in lines shorter than this was not broken by a margin
# Letters differ in width, so that a full line of print may be shorter than the longest.
_NEARLY_FULL = 0.85


def verbatim(text: str) -> Body:
    """Plain text as a body: empty lines part paragraphs, other line ends stay line ends."""
    return tidy(_paragraph(piece.split("\n")) for piece in _pieces(text))


def from_text(text: str) -> Body:
    """Plain text as a body, with what it means to be: marked lines are list items, lines in
    columns are fact rows, and lines that a margin broke are joined again. Common practice, without
    a source.

    >>> [type(block).__name__ for block in from_text("We need\\n- the form\\n- a picture")]
    ['Paragraph', 'ListItem', 'ListItem']
    """
    widest = max((len(line.rstrip()) for line in text.splitlines()), default=0)
    blocks: list[Block] = []
    for piece in _pieces(text):
        blocks += _blocks(piece.split("\n"), widest)
    return tidy(blocks)


def _pieces(text: str) -> Iterator[str]:
    text = text.replace("\r\n", "\n").replace("\r", "\n").replace("\f", "\n\n")
    return (piece.strip("\n") for piece in re.split(r"\n[ \t]*\n", text) if piece.strip())


def _blocks(lines: Sequence[str], widest: int) -> Iterator[Block]:
    """The blocks of a stretch of text without empty lines."""
    if rows := _rows(lines):
        yield from rows
        return
    held: list[str] = []
    kind: bool | None = None  # numbered, bulleted, or no item
    count = 0
    for line in lines:
        found = _mark(line, count)
        if found is None:
            held.append(line)
            continue
        if held:
            yield _block(held, kind, widest)
        kind, rest = found
        count = count + 1 if kind else 0
        held = [rest]
    if held:
        yield _block(held, kind, widest)


def _rows(lines: Sequence[str]) -> list[Block]:
    """Fact rows, where every line has as many columns as the next."""
    if any(_mark(line, 0) for line in lines):
        return []
    cells = [[cell for cell in _CELLS.split(line.strip()) if cell] for line in lines]
    widths = {len(row) for row in cells}
    if len(cells) < 2 or len(widths) != 1 or widths == {1}:
        return []
    return [
        FactRow((*_inlines([label]), Gap(), *_inlines([ROW_GAP.join(rest)])))
        for label, *rest in cells
    ]


def _mark(line: str, count: int) -> tuple[bool, str] | None:
    """Whether a line begins a numbered item or one with a bullet, and what follows the mark.
    A number begins an item where it is the next one."""
    if found := _BULLET.match(line):
        return False, line[found.end() :]
    found = _NUMBER.match(line)
    if found and int(found[1]) == count + 1:
        return True, line[found.end() :]
    return None


def _block(lines: Sequence[str], ordered: bool | None, widest: int) -> Block:
    joined = _unbroken(lines, widest)
    if ordered is None:
        return _paragraph(joined)
    return ListItem(_inlines([" ".join(" ".join(joined).split())]), ordered)


def _unbroken(lines: Sequence[str], widest: int) -> list[str]:
    """Join each line with the next where the next one's first word did not fit any more."""
    done = [lines[0].strip()]
    last = done[0]
    for line in map(str.strip, lines[1:]):
        word = line.partition(" ")[0]
        full = len(last) + 1 + len(word) > widest * _NEARLY_FULL
        if widest >= NARROWEST and full:
            done[-1] = f"{done[-1]} {line}"
        else:
            done.append(line)
        last = line
    return done


def _paragraph(lines: Sequence[str]) -> Paragraph:
    return Paragraph(_inlines(lines))


def _inlines(lines: Sequence[str]) -> tuple[Inline, ...]:
    parts: list[Inline] = []
    for index, line in enumerate(lines):
        if index:
            parts.append(Break())
        parts += [Run(content) for content in inline.parse(line)]
    return tuple(parts)
