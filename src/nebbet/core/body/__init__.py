"""The body model: reading and cleaning HTML, writing it back, and rendering it for the mail."""

from nebbet.core.body.email_html import render_email
from nebbet.core.body.figures import Figures, figures
from nebbet.core.body.frame import Frame
from nebbet.core.body.model import (
    EMPTY,
    Align,
    Block,
    Body,
    Break,
    Divider,
    Guidance,
    Heading,
    Inline,
    ListItem,
    Paragraph,
    Picture,
    Run,
    Start,
    completed,
    conditions,
    decided,
    files_of,
    lines_of,
    parts,
    slots,
    standing,
    tidy,
    unconditional,
)
from nebbet.core.body.plain import render_plain
from nebbet.core.body.read import read
from nebbet.core.body.write import write

__all__ = [
    "EMPTY",
    "Align",
    "Block",
    "Body",
    "Break",
    "Divider",
    "Figures",
    "Frame",
    "Guidance",
    "Heading",
    "Inline",
    "ListItem",
    "Paragraph",
    "Picture",
    "Run",
    "Start",
    "completed",
    "conditions",
    "decided",
    "figures",
    "files_of",
    "lines_of",
    "parts",
    "read",
    "render_email",
    "render_plain",
    "slots",
    "standing",
    "tidy",
    "unconditional",
    "write",
]
