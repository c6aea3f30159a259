"""The formats by which Qt's text document says what the body model knows."""

from typing import NamedTuple

from msgspec import Struct
from PySide6.QtCore import Qt
from PySide6.QtGui import (
    QBrush,
    QColor,
    QFont,
    QTextBlock,
    QTextBlockFormat,
    QTextCharFormat,
    QTextCursor,
    QTextFormat,
    QTextFrameFormat,
    QTextImageFormat,
    QTextLength,
    QTextListFormat,
    QTextOption,
    QTextTableFormat,
)

from nebbet.core import inline
from nebbet.core.body import (
    Align,
    Block,
    Button,
    Divider,
    FactRow,
    Frame,
    Guidance,
    Heading,
    ListItem,
    Picture,
)
from nebbet.core.inline import Slot
from nebbet.desktop.kit import theme

_FIRST = QTextFormat.Property.UserProperty.value
(
    SLOT, SLOT_ID, SLOT_BLANK, ALT, WIDTH, BRACES, WHEN, PART, QUOTE, KIND, LINK, EACH, ITEM,
    PASSAGE, SOURCE, HEIGHT, LEADS,
) = (_FIRST + n for n in range(1, 18))  # fmt: skip
DIVIDER, GUIDANCE, FACT, BUTTON, EDGE = "divider", "guidance", "fact", "button", "edge"
BREAK = "\u2028"
GAP = "\t"
OBJECT = "\ufffc"
PICTURE = "file:"
SLOT_OBJECT, START_OBJECT, PASSAGE_OBJECT, MARKUP_OBJECT = (
    QTextFormat.ObjectTypes.UserObject.value + n for n in range(1, 5)
)
LABEL_WIDTH = 180  # pixels of a fact row's label, with the gap behind it

_LINE_HEIGHT = 22
# What hangs on a condition stands a little to the right, beside the rule that marks it.
_CONDITION_INDENT, _QUOTE_INDENT = 14, 18
_KIND_INDENT = {FACT: LABEL_WIDTH, BUTTON: 14, GUIDANCE: 10}
_NOTE_GROUND = "#E9EEF5"
_SIDES: dict[Align, Qt.AlignmentFlag] = {
    "": Qt.AlignmentFlag.AlignLeft,
    "center": Qt.AlignmentFlag.AlignHCenter,
    "right": Qt.AlignmentFlag.AlignRight,
}
_KINDS = {Divider: DIVIDER, Guidance: GUIDANCE, FactRow: FACT, Button: BUTTON}


class Shown(NamedTuple):
    """How a slot stands in the document: its text, and whether that text is only the label of a
    blank."""

    text: str
    blank: bool


class Style(Struct, frozen=True):
    """The type of the paper."""

    family: tuple[str, ...]
    size: int
    ink: str
    accent: str


def paper_style(frame: Frame) -> Style:
    """The type that a frame gives its text, with a font that comes along as the last resort."""
    families = [name.strip(" '\"") for name in frame.font.split(",")]
    generic = ("sans-serif", "serif", "monospace")
    named = tuple(name for name in families if name not in generic)
    last = theme.SERIF if "serif" in families else theme.FAMILY
    return Style((*named, last), 15, frame.ink, frame.accent)


def char_format(style: Style, block: Block | None = None) -> QTextCharFormat:
    """Plain text of the paper, or of a kind of block."""
    heading = block.level if isinstance(block, Heading) else 0
    button = isinstance(block, Button)
    made = QTextCharFormat()
    font = QFont()
    font.setFamilies(list(style.family))
    font.setPixelSize({1: 20, 2: 17}.get(heading, style.size))
    made.setFont(font)
    colour = style.accent if heading else "#FFFFFF" if button else style.ink
    made.setForeground(QColor(colour))
    if heading or button:
        made.setFontWeight(QFont.Weight.Bold)
    return made


def slot_format(base: QTextCharFormat, slot: Slot, slot_id: int, *, blank: bool) -> QTextCharFormat:
    """The format that makes text the place of a placeholder."""
    made = QTextCharFormat(base)
    made.setProperty(SLOT, slot.inner)
    made.setProperty(SLOT_ID, slot_id)
    made.setProperty(SLOT_BLANK, blank)
    made.setProperty(ITEM, slot.item)
    return made


def slot_of(text_format: QTextFormat) -> Slot:
    """The placeholder that a format stands for."""
    found = inline.slot(str(text_format.property(SLOT)))
    return Slot(found.name, None, found.modifiers, int(text_format.property(ITEM) or 0))


def is_slot(text_format: QTextCharFormat) -> bool:
    """Whether a format is that of a placeholder in a template's text."""
    return text_format.objectType() == SLOT_OBJECT


def plain_format(base: QTextCharFormat) -> QTextCharFormat:
    """The same format without being a placeholder's place, or an object."""
    made = QTextCharFormat(base)
    made.clearProperty(QTextFormat.Property.ObjectType.value)
    for name in (SLOT, SLOT_ID, SLOT_BLANK, BRACES, ITEM, PASSAGE, SOURCE):
        made.clearProperty(name)
    return made


def dress_link(made: QTextCharFormat, address: str, colour: str) -> None:
    """Make a format one of a link."""
    made.setAnchor(True)
    made.setAnchorHref(address)
    made.setForeground(QColor(colour))
    made.setFontUnderline(True)


def list_format(ordered: bool, level: int) -> QTextListFormat:
    """The format of a list."""
    made = QTextListFormat()
    style = QTextListFormat.Style.ListDecimal if ordered else QTextListFormat.Style.ListDisc
    made.setStyle(style)
    made.setIndent(level + 1)
    return made


def columns_format(number: int, *, seen: bool) -> QTextTableFormat:
    """The format of columns; seen gives them a hairline, for those who lay them out."""
    made = QTextTableFormat()
    made.setWidth(QTextLength(QTextLength.Type.PercentageLength, 100))
    share = QTextLength(QTextLength.Type.PercentageLength, 100 / number)
    made.setColumnWidthConstraints([share] * number)
    made.setCellPadding(4)
    made.setCellSpacing(0)
    made.setBorder(1 if seen else 0)
    made.setBorderStyle(QTextFrameFormat.BorderStyle.BorderStyle_Dotted)
    made.setBorderBrush(QBrush(QColor("#C9C3BA")))
    made.setTopMargin(8)
    return made


def edge_format() -> QTextBlockFormat:
    """The format of a line that stands only because a document needs one beside columns."""
    made = QTextBlockFormat()
    made.setProperty(KIND, EDGE)
    return made


def block_format(block: Block, *, first: bool = False) -> QTextBlockFormat:
    """How a block is set; first says that a part begins with it which hangs on something."""
    made = QTextBlockFormat()
    # Lines are as high as in the message, pictures may be higher.
    made.setLineHeight(_LINE_HEIGHT, QTextBlockFormat.LineHeightTypes.MinimumHeight.value)
    made.setTopMargin({Heading: 16, ListItem: 4, FactRow: 6}.get(type(block), 12))
    if isinstance(block, Heading):
        made.setHeadingLevel(block.level)
    made.setAlignment(_SIDES[block.align])
    if block.quote:
        made.setProperty(QUOTE, True)
    if kind := _KINDS.get(type(block)):
        made.setProperty(KIND, kind)
    if isinstance(block, Guidance):
        made.setBackground(QColor(_NOTE_GROUND))
    if isinstance(block, Button):
        made.setProperty(LINK, inline.source(block.link))
        made.setTopMargin(20)
        made.setBottomMargin(8)
        made.setTextIndent(0)
    if isinstance(block, FactRow):
        made.setBottomMargin(4)
        _set_tab(made)
    for name, value in ((WHEN, block.when), (EACH, block.each), (ITEM, block.item)):
        if value:
            made.setProperty(name, value)
    _indent(made)
    if first and (block.when or block.each):
        made.setTopMargin(20)
    return made


def _set_tab(made: QTextBlockFormat) -> None:
    """A fact's value begins at the tab, in every one of its lines."""
    tab = QTextOption.Tab(LABEL_WIDTH, QTextOption.TabType.LeftTab)
    made.setTabPositions([tab])
    made.setTextIndent(-LABEL_WIDTH)


def _indent(made: QTextBlockFormat) -> None:
    """The margin on the left: room for the rules of quotes and conditions, for labels, buttons."""
    left = _QUOTE_INDENT if made.property(QUOTE) else 0
    left += _CONDITION_INDENT if made.property(WHEN) or made.property(EACH) else 0
    left += _KIND_INDENT.get(str(made.property(KIND) or ""), 0)
    made.setLeftMargin(left)


def image_format(picture: Picture, widest: int) -> QTextImageFormat:
    """A picture is shown no wider than the paper, as mail programs do; its own size is kept."""
    made = QTextImageFormat()
    made.setName(PICTURE + picture.file)
    made.setProperty(ALT, inline.source(picture.alt))
    made.setProperty(WIDTH, picture.width)
    made.setProperty(HEIGHT, picture.height)
    made.setProperty(LEADS, inline.source(picture.link))
    if picture.width:
        made.setWidth(min(picture.width, widest) if widest else picture.width)
    if picture.height and not (widest and picture.width > widest):
        made.setHeight(picture.height)
    return made


def side_of(how: QTextBlockFormat) -> Align:
    """The side that a block is put to."""
    for align, flag in _SIDES.items():
        if align and how.alignment() & flag:
            return align
    return ""


def condition_of(block: QTextBlock) -> str:
    """The condition under which a block belongs to the letter, or nothing."""
    return str(block.blockFormat().property(WHEN) or "") if block.isValid() else ""


def list_of(block: QTextBlock) -> str:
    """The list over which a block is repeated, or nothing."""
    return str(block.blockFormat().property(EACH) or "") if block.isValid() else ""


def hang(cursor: QTextCursor, which: int, value: str, *, first: bool) -> None:
    """Let the block at the cursor hang on a condition (WHEN) or a list (EACH); "" lets go."""
    made = cursor.blockFormat()
    made.clearProperty(which)
    if value:
        made.setProperty(which, value)
    _indent(made)
    if first and not cursor.block().textList():
        made.setTopMargin(20 if made.property(WHEN) or made.property(EACH) else 12)
    cursor.setBlockFormat(made)


def faint_format(style: Style) -> QTextCharFormat:
    """Small faint text that is none of the letter's."""
    made = char_format(style)
    made.setForeground(QColor(theme.LIGHT.faint))
    made.setProperty(QTextFormat.Property.FontPixelSize.value, 11)
    return made


def left_out_format(source: str) -> QTextBlockFormat:
    """The format of the line in the place of a part that is left out; it keeps the part."""
    made = QTextBlockFormat()
    made.setTopMargin(8)
    made.setLeftMargin(_CONDITION_INDENT)
    made.setProperty(PART, source)
    return made
