"""Between the body model and Qt's text document, both ways."""

from collections.abc import Callable, Iterator
from typing import NamedTuple

from msgspec import Struct
from msgspec.structs import replace
from PySide6.QtCore import Qt
from PySide6.QtGui import (
    QColor,
    QFont,
    QTextBlock,
    QTextBlockFormat,
    QTextCharFormat,
    QTextCursor,
    QTextDocument,
    QTextFormat,
    QTextFragment,
    QTextImageFormat,
    QTextList,
    QTextListFormat,
)

from nebbet.core import inline
from nebbet.core.body import (
    Align,
    Block,
    Body,
    Break,
    Divider,
    Frame,
    Guidance,
    Heading,
    Inline,
    ListItem,
    Paragraph,
    Picture,
    Run,
    Start,
    parts,
    read,
    tidy,
    write,
)
from nebbet.core.inline import Line, Slot
from nebbet.desktop.kit import theme

_FIRST = QTextFormat.Property.UserProperty.value
SLOT, SLOT_ID, SLOT_BLANK, ALT, WIDTH, BRACES, WHEN, PART, QUOTE, KIND = (
    _FIRST + n for n in range(1, 11)
)
DIVIDER, GUIDANCE = "divider", "guidance"
BREAK = "\u2028"
_LINE_HEIGHT = 22
_OBJECT = "\ufffc"
PICTURE = "file:"
SLOT_OBJECT = QTextFormat.ObjectTypes.UserObject.value + 1
START_OBJECT = QTextFormat.ObjectTypes.UserObject.value + 2


# What hangs on a condition stands a little to the right, beside the rule that marks it.
_CONDITION_INDENT, _QUOTE_INDENT = 14, 18
_NOTE_GROUND = "#E9EEF5"
_SIDES: dict[Align, Qt.AlignmentFlag] = {
    "": Qt.AlignmentFlag.AlignLeft,
    "center": Qt.AlignmentFlag.AlignHCenter,
    "right": Qt.AlignmentFlag.AlignRight,
}


class Shown(NamedTuple):
    """How a slot stands in the document: its text, and whether that text is only the label of a
    blank."""

    text: str
    blank: bool


ShowSlot = Callable[[Slot], Shown]


class Style(Struct, frozen=True):
    """The type of the paper."""

    family: tuple[str, ...]
    size: int
    ink: str
    accent: str


def paper_style(frame: Frame) -> Style:
    """The type that a frame gives its text, with the window's own font as the last resort."""
    families = [name.strip(" '\"") for name in frame.font.split(",")]
    generic = ("sans-serif", "serif", "monospace")
    named = tuple(name for name in families if name not in generic)
    return Style((*named, "Atkinson Hyperlegible Next"), 15, frame.ink, frame.accent)


class Writer:
    """Writes inlines and bodies at a cursor; gives every slot an id of its own."""

    def __init__(
        self,
        style: Style,
        show: ShowSlot | None,
        first_id: int = 1,
        widest: int = 0,
        *,
        conditions: bool = True,
    ) -> None:
        # A letter has no room for the words of a condition: it looks as it is sent.
        self._conditions = conditions
        self.style, self._show, self.next_id, self._widest = style, show, first_id, widest
        self._lists: dict[int, QTextList] = {}

    def char_format(self, *, heading: int = 0) -> QTextCharFormat:
        """Plain text of the paper, or of a heading."""
        made = QTextCharFormat()
        font = QFont()
        font.setFamilies(list(self.style.family))
        font.setPixelSize({1: 20, 2: 17}.get(heading, self.style.size))
        made.setFont(font)
        made.setForeground(QColor(self.style.accent if heading else self.style.ink))
        if heading:
            made.setFontWeight(QFont.Weight.Bold)
        return made

    def body(self, cursor: QTextCursor, body: Body) -> None:
        """Write blocks from the cursor on; the first goes into the block at hand."""
        begun = False
        for when, blocks in parts(body):
            left_out = when and all(block.out for block in blocks)
            for index, block in enumerate(blocks[:1] if left_out else blocks):
                if begun:
                    cursor.insertBlock()
                begun = True
                if left_out:
                    self._left_out(cursor, when, blocks)
                    continue
                self.dress_block(cursor, block, first=index == 0 and self._conditions)
                self.inlines(cursor, block)

    def _left_out(self, cursor: QTextCursor, when: str, blocks: Body) -> None:
        """One faint line in the place of a part that is left out; it keeps the part."""
        made = QTextBlockFormat()
        made.setTopMargin(8)
        made.setLeftMargin(_CONDITION_INDENT)
        made.setProperty(PART, write(tuple(replace(b, out=False) for b in blocks)))
        cursor.setBlockFormat(made)
        faint = self.char_format()
        faint.setForeground(QColor(theme.LIGHT.faint))
        faint.setProperty(QTextFormat.Property.FontPixelSize.value, 11)
        cursor.insertText(f"left out: only if {when}", faint)
        self._lists = {}

    def dress_block(self, cursor: QTextCursor, block: Block, *, first: bool = False) -> None:
        """Make the block at the cursor a paragraph, a heading or a list item; first says that a
        part under a condition begins with it."""
        cursor.setBlockFormat(block_format(block, first=first))
        level = block.level if isinstance(block, Heading) else 0
        cursor.setBlockCharFormat(self.char_format(heading=level))
        held = cursor.block().textList()
        if held is not None:
            held.remove(cursor.block())
            cursor.setBlockFormat(block_format(block, first=first))
        if not isinstance(block, ListItem):
            self._lists = {}
            return
        self._lists = {lvl: lst for lvl, lst in self._lists.items() if lvl <= block.level}
        found = self._lists.get(block.level)
        if found is not None and _is_ordered(found) == block.ordered:
            found.add(cursor.block())
        else:
            self._lists[block.level] = cursor.createList(list_format(block.ordered, block.level))

    def line(self, cursor: QTextCursor, line: Line) -> None:
        """Write a line of plain text and slots."""
        base = self.char_format()
        for part in line:
            self._content(cursor, part, base)

    def inlines(self, cursor: QTextCursor, block: Block) -> None:
        """Write the inlines of one block."""
        base = self.char_format(heading=block.level if isinstance(block, Heading) else 0)
        for part in block.inlines:
            match part:
                case Break():
                    cursor.insertText(BREAK, base)
                case Start():
                    insert_start(cursor, base)
                case Picture():
                    cursor.insertImage(_image_format(part, self._widest))
                case Run():
                    self._content(cursor, part.content, self._styled(base, part))

    def _styled(self, base: QTextCharFormat, run: Run) -> QTextCharFormat:
        made = QTextCharFormat(base)
        if run.bold:
            made.setFontWeight(QFont.Weight.Bold)
        if run.italic:
            made.setFontItalic(True)
        made.setFontUnderline(run.underline)
        made.setFontStrikeOut(run.strike)
        if run.link:
            dress_link(made, inline.source(run.link), self.style.accent)
        return made

    def _content(
        self, cursor: QTextCursor, content: str | Slot, char_format: QTextCharFormat
    ) -> None:
        if isinstance(content, str):
            self._plain(cursor, content, char_format)
        elif self._show is None:
            insert_slot(cursor, content, char_format)
        else:
            shown = self._show(content)
            slot = slot_format(char_format, content.inner, self.next_id, blank=shown.blank)
            self.next_id += 1
            cursor.insertText(shown.text.replace("\n", BREAK), slot)

    def _plain(self, cursor: QTextCursor, text: str, char_format: QTextCharFormat) -> None:
        """Write plain text; in a letter, braces that were meant as braces show as such."""
        if self._show is None or inline.ESCAPED not in text:
            cursor.insertText(text, char_format)
            return
        braces = QTextCharFormat(char_format)
        braces.setProperty(BRACES, True)
        for index, piece in enumerate(text.split(inline.ESCAPED)):
            if index:
                cursor.insertText("{{", braces)
            cursor.insertText(piece, char_format)


def insert_start(cursor: QTextCursor, base: QTextCharFormat) -> None:
    """Put the start mark into the text."""
    plain = plain_format(base)
    made = QTextCharFormat(plain)
    made.setObjectType(START_OBJECT)
    cursor.insertText(_OBJECT, made)
    cursor.setCharFormat(plain)


def insert_slot(cursor: QTextCursor, slot: Slot, base: QTextCharFormat) -> None:
    """Put a placeholder into a template's text, as one thing."""
    plain = plain_format(base)
    made = QTextCharFormat(plain)
    made.setObjectType(SLOT_OBJECT)
    made.setProperty(SLOT, slot.inner)
    made.setVerticalAlignment(QTextCharFormat.VerticalAlignment.AlignBaseline)
    cursor.insertText(_OBJECT, made)
    cursor.setCharFormat(plain)


def is_slot(char_format: QTextCharFormat) -> bool:
    """Whether a format is that of a placeholder in a template's text."""
    return char_format.objectType() == SLOT_OBJECT


def slot_format(base: QTextCharFormat, inner: str, slot_id: int, *, blank: bool) -> QTextCharFormat:
    """The format that makes text the place of a placeholder; inner is its name and modifiers."""
    made = QTextCharFormat(base)
    made.setProperty(SLOT, inner)
    made.setProperty(SLOT_ID, slot_id)
    made.setProperty(SLOT_BLANK, blank)
    return made


def plain_format(base: QTextCharFormat) -> QTextCharFormat:
    """The same format without being a placeholder's place, or an object."""
    made = QTextCharFormat(base)
    made.clearProperty(QTextFormat.Property.ObjectType.value)
    for name in (SLOT, SLOT_ID, SLOT_BLANK, BRACES):
        made.clearProperty(name)
    return made


def dress_link(char_format: QTextCharFormat, address: str, colour: str) -> None:
    """Make a format one of a link."""
    char_format.setAnchor(True)
    char_format.setAnchorHref(address)
    char_format.setForeground(QColor(colour))
    char_format.setFontUnderline(True)


def list_format(ordered: bool, level: int) -> QTextListFormat:
    """The format of a list."""
    made = QTextListFormat()
    style = QTextListFormat.Style.ListDecimal if ordered else QTextListFormat.Style.ListDisc
    made.setStyle(style)
    made.setIndent(level + 1)
    return made


def _is_ordered(found: QTextList) -> bool:
    return found.format().style() == QTextListFormat.Style.ListDecimal


def block_format(block: Block, *, first: bool = False) -> QTextBlockFormat:
    """How a block is set; first says that a part under a condition begins with it."""
    made = QTextBlockFormat()
    # Lines are as high as in the message, pictures may be higher.
    made.setLineHeight(_LINE_HEIGHT, QTextBlockFormat.LineHeightTypes.MinimumHeight.value)
    made.setTopMargin({Heading: 16, ListItem: 4}.get(type(block), 12))
    if isinstance(block, Heading):
        made.setHeadingLevel(block.level)
    made.setAlignment(_SIDES[block.align])
    if block.quote:
        made.setProperty(QUOTE, True)
        made.setLeftMargin(_QUOTE_INDENT)
    if isinstance(block, Divider):
        made.setProperty(KIND, DIVIDER)
    if isinstance(block, Guidance):
        made.setProperty(KIND, GUIDANCE)
        made.setBackground(QColor(_NOTE_GROUND))
    if block.when:
        made.setProperty(WHEN, block.when)
        made.setLeftMargin(made.leftMargin() + _CONDITION_INDENT)
        if first:
            made.setTopMargin(20)
    return made


def _image_format(picture: Picture, widest: int) -> QTextImageFormat:
    """A picture is shown no wider than the paper, as mail programs do; its own width is kept."""
    made = QTextImageFormat()
    made.setName(PICTURE + picture.file)
    made.setProperty(ALT, inline.source(picture.alt))
    made.setProperty(WIDTH, picture.width)
    if picture.width:
        made.setWidth(min(picture.width, widest) if widest else picture.width)
    return made


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
    found: list[Block] = []
    for block in blocks(document):
        if kept := block.blockFormat().property(PART):
            found += [replace(part, out=True) for part in read(str(kept))]
        else:
            found.append(_block(block))
    return tidy(found)


def condition_of(block: QTextBlock) -> str:
    """The condition under which a block belongs to the letter, or nothing."""
    return str(block.blockFormat().property(WHEN) or "") if block.isValid() else ""


def set_condition(cursor: QTextCursor, when: str, *, first: bool) -> None:
    """Let the block at the cursor belong only under a condition; "" is always."""
    made = cursor.blockFormat()
    made.clearProperty(WHEN)
    quoted = _QUOTE_INDENT if made.property(QUOTE) else 0
    made.setLeftMargin(quoted + (_CONDITION_INDENT if when else 0))
    if when:
        made.setProperty(WHEN, when)
    if first and not cursor.block().textList():
        made.setTopMargin(20 if when else 12)
    cursor.setBlockFormat(made)


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


def _block(block: QTextBlock) -> Block:
    inlines, how = tuple(_inlines(block)), block.blockFormat()
    when, kind = str(how.property(WHEN) or ""), how.property(KIND)
    look = (when, False, _side(how), bool(how.property(QUOTE)))
    if kind == GUIDANCE:
        return Guidance(inlines, when)
    if kind == DIVIDER and not inlines:
        return Divider((), *look)
    level = how.headingLevel()
    if level:
        return Heading(inlines, min(level, 2), *look)
    held = block.textList()
    if held is not None:
        return ListItem(inlines, _is_ordered(held), max(held.format().indent() - 1, 0), *look)
    return Paragraph(inlines, *look)


def shape_of(block: QTextBlock) -> Block:
    """What a block is and how it looks, without its words."""
    return replace(_block(block), inlines=())


def with_look(block: Block, other: Block) -> Block:
    """A block with the condition and the look of another one."""
    return replace(block, when=other.when, align=other.align, quote=other.quote)


def _side(how: QTextBlockFormat) -> Align:
    for align, flag in _SIDES.items():
        if align and how.alignment() & flag:
            return align
    return ""


def _inlines(block: QTextBlock) -> Iterator[Inline]:
    last_id = 0
    for fragment in fragments(block):
        char_format = fragment.charFormat()
        if char_format.isImageFormat():
            yield from _pictures(char_format.toImageFormat(), fragment.length())
            continue
        if is_slot(char_format):
            run = Run(inline.slot(str(char_format.property(SLOT))), *_style(char_format))
            yield from [run] * fragment.length()
            continue
        if char_format.objectType() == START_OBJECT:
            yield Start()
            continue
        slot_id = char_format.property(SLOT_ID)
        if slot_id and slot_id == last_id:
            continue  # one slot in two styles: the first style counts
        last_id = slot_id or 0
        yield from _runs(fragment.text(), char_format)


def _pictures(found: QTextImageFormat, count: int) -> Iterator[Inline]:
    if found.name().startswith(PICTURE):
        alt = inline.parse(str(found.property(ALT) or ""))
        picture = Picture(found.name().removeprefix(PICTURE), alt, int(found.property(WIDTH) or 0))
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
    inner = char_format.property(SLOT) if char_format.property(SLOT_ID) else None
    if inner:
        shown = None if char_format.property(SLOT_BLANK) else text.replace(BREAK, "\n")
        yield Run(replace(inline.slot(inner), text=shown), *style)
        return
    if char_format.property(BRACES):
        text = text.replace("{{", inline.ESCAPED)
    for index, piece in enumerate(text.replace(_OBJECT, "").split(BREAK)):
        if index:
            yield Break()
        for content in inline.parse(piece):
            yield Run(content, *style)
