"""Reading Qt's text document as the body model."""

from collections.abc import Iterator

from msgspec.structs import replace
from PySide6.QtGui import (
    QFont,
    QTextBlock,
    QTextCharFormat,
    QTextCursor,
    QTextDocument,
    QTextFragment,
    QTextImageFormat,
)

from nebbet.core import inline
from nebbet.core.body import (
    Block,
    Body,
    Break,
    Button,
    Divider,
    FactRow,
    Gap,
    Guidance,
    Heading,
    Included,
    Inline,
    ListItem,
    Markup,
    Paragraph,
    Picture,
    Placed,
    Run,
    Start,
    markup_line,
    read,
    tidy,
)
from nebbet.core.inline import Line, Slot
from nebbet.desktop.paper.docformat import (
    ALT,
    BRACES,
    BREAK,
    EACH,
    EDGE,
    GAP,
    HEIGHT,
    ITEM,
    KIND,
    LEADS,
    LINK,
    MARKUP_OBJECT,
    OBJECT,
    PART,
    PASSAGE,
    PASSAGE_OBJECT,
    PICTURE,
    QUOTE,
    SLOT,
    SLOT_BLANK,
    SLOT_ID,
    SOURCE,
    START_OBJECT,
    WHEN,
    WIDTH,
    is_slot,
    side_of,
    slot_of,
)
from nebbet.desktop.paper.docwrite import is_ordered


def fragments(block: QTextBlock) -> Iterator[QTextFragment]:
    """The fragments of a block in order."""
    iterator = block.begin()
    while not iterator.atEnd():
        yield iterator.fragment()
        iterator += 1


def blocks(document: QTextDocument) -> Iterator[QTextBlock]:
    """The blocks of a document in order."""
    block = document.begin()
    while block.isValid():
        yield block
        block = block.next()


def read_body(document: QTextDocument) -> Body:
    """Read a document as a body."""
    return tidy(found for _, found in read_blocks(document))


def read_blocks(document: QTextDocument) -> list[tuple[QTextBlock, Block]]:
    """What stands in a document, block by block, as it is."""
    found: list[tuple[QTextBlock, Block]] = []
    has_columns = bool(document.rootFrame().childFrames())
    for block in blocks(document):
        column = column_of(block) if has_columns else 0
        if kept := block.blockFormat().property(PART):
            parts = read(str(kept))
            found += [(block, replace(part, out=True, column=column)) for part in parts]
        elif not _is_edge(block):
            found += [(block, made) for made in _blocks(block, column)]
    return found


def _is_edge(block: QTextBlock) -> bool:
    return block.length() == 1 and block.blockFormat().property(KIND) == EDGE


def column_of(block: QTextBlock) -> int:
    """The column that a block stands in, counted from 1; 0 is outside columns."""
    table = QTextCursor(block).currentTable()
    return table.cellAt(block.position()).column() + 1 if table is not None else 0


def left_out(block: QTextBlock) -> str | None:
    """The condition of the part that a block stands for, if it stands for one."""
    kept = block.blockFormat().property(PART) if block.isValid() else None
    if not kept:
        return None
    return next((part.when for part in read(str(kept))), "")


def read_line(document: QTextDocument) -> Line:
    """Read a document of one line."""
    return read_block(document.begin())


def read_block(block: QTextBlock) -> Line:
    """Read the text of one block; what is no text counts as a space."""
    parts: list[str | Slot] = []
    for part in _inlines(block):
        content = part.content if isinstance(part, Run) else " "
        if isinstance(content, str) and parts and isinstance(parts[-1], str):
            parts[-1] += content
        else:
            parts.append(content)
    return tuple(parts)


def _blocks(block: QTextBlock, column: int) -> Iterator[Block]:
    """A block of the document as blocks of the body: what is an object of its own stands alone,
    with the words before it above it and those behind it below."""
    placed = _placed(block, column)
    held: list[Inline] = []
    found = False
    for part in _parts(block):
        if not isinstance(part, Included | Markup):
            held.append(part)
            continue
        if held:
            yield dressed(_kind_of(block, tuple(held)), placed)
        held, found = [], True
        yield dressed(part, placed)
    if held or not found:
        yield dressed(_kind_of(block, tuple(held)), placed)


def _kind_of(block: QTextBlock, inlines: tuple[Inline, ...]) -> Block:
    how = block.blockFormat()
    match how.property(KIND):
        case "guidance":
            return Guidance(inlines)
        case "fact":
            return FactRow(inlines)
        case "button":
            return Button(inlines, inline.parse(str(how.property(LINK) or "")))
        case "divider" if not inlines:
            return Divider()
    if how.headingLevel():
        return Heading(inlines, min(how.headingLevel(), 2))
    held = block.textList()
    if held is not None:
        return ListItem(inlines, is_ordered(held), max(held.format().indent() - 1, 0))
    return Paragraph(inlines)


def _placed(block: QTextBlock, column: int) -> Placed:
    how = block.blockFormat()
    return Placed(
        when=str(how.property(WHEN) or ""),
        align=side_of(how),
        quote=bool(how.property(QUOTE)),
        column=column,
        each=str(how.property(EACH) or ""),
        item=int(how.property(ITEM) or 0),
    )


def dressed(block: Block, placed: Placed) -> Block:
    """A block with what another one hangs on, and its look."""
    return replace(block, **{name: getattr(placed, name) for name in Placed.__struct_fields__})


def shape_of(block: QTextBlock) -> Block:
    """What a block is and how it looks, without its words."""
    return dressed(_kind_of(block, ()), _placed(block, 0))


def _inlines(block: QTextBlock) -> Iterator[Inline]:
    return (part for part in _parts(block) if not isinstance(part, Included | Markup))


def _parts(block: QTextBlock) -> Iterator[Inline | Included | Markup]:
    """What stands in a block of the document, in order."""
    last_id = 0
    for fragment in fragments(block):
        char_format = fragment.charFormat()
        if char_format.isImageFormat():
            yield from _pictures(char_format.toImageFormat(), fragment.length())
            continue
        if is_slot(char_format):
            yield from [Run(slot_of(char_format), *_style(char_format))] * fragment.length()
            continue
        if char_format.objectType() == START_OBJECT:
            yield Start()
            continue
        if char_format.objectType() == PASSAGE_OBJECT:
            yield from [Included(str(char_format.property(PASSAGE)))] * fragment.length()
            continue
        if char_format.objectType() == MARKUP_OBJECT:
            line = markup_line(str(char_format.property(SOURCE)))
            yield from [Markup(line)] * fragment.length()
            continue
        slot_id = char_format.property(SLOT_ID)
        if slot_id and slot_id == last_id:
            continue  # one slot in two styles: the first style counts
        last_id = slot_id or 0
        yield from _runs(fragment.text(), char_format)


def _pictures(found: QTextImageFormat, count: int) -> Iterator[Inline]:
    if found.name().startswith(PICTURE):
        alt, link = (inline.parse(str(found.property(name) or "")) for name in (ALT, LEADS))
        width, height = (int(found.property(name) or 0) for name in (WIDTH, HEIGHT))
        picture = Picture(found.name().removeprefix(PICTURE), alt, width, height, link)
        yield from [picture] * count


def _style(char_format: QTextCharFormat) -> tuple[bool, bool, Line, bool, bool]:
    """Whether text is bold and italic, where it links to, whether it is underlined (links are
    without being so) and struck out."""
    bold = char_format.fontWeight() >= QFont.Weight.DemiBold
    link = inline.parse(char_format.anchorHref()) if char_format.isAnchor() else ()
    underline = char_format.fontUnderline() and not link
    return bold, char_format.fontItalic(), link, underline, char_format.fontStrikeOut()


def _runs(text: str, char_format: QTextCharFormat) -> Iterator[Inline]:
    style = _style(char_format)
    # Text typed behind a template's placeholder keeps that property, but is no place itself.
    if char_format.property(SLOT) and char_format.property(SLOT_ID):
        shown = None if char_format.property(SLOT_BLANK) else text.replace(BREAK, "\n")
        yield Run(replace(slot_of(char_format), text=shown), *style)
        return
    if char_format.property(BRACES):
        text = text.replace("{{", inline.ESCAPED)
    for index, piece in enumerate(text.replace(OBJECT, "").split(BREAK)):
        if index:
            yield Break()
        for number, side in enumerate(piece.split(GAP)):
            if number:
                yield Gap()
            for content in inline.parse(side):
                yield Run(content, *style)
