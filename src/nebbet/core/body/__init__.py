"""The body model: reading and cleaning HTML, writing it back, and rendering it for the mail."""

from nebbet.core.body.email_html import render_email
from nebbet.core.body.frame import Frame
from nebbet.core.body.model import (
    EMPTY,
    Block,
    Body,
    Break,
    Heading,
    Inline,
    ListItem,
    Paragraph,
    Picture,
    Run,
    completed,
    files_of,
    lines_of,
    names,
    tidy,
)
from nebbet.core.body.plain import render_plain
from nebbet.core.body.read import read
from nebbet.core.body.write import write

__all__ = [
    "EMPTY",
    "Block",
    "Body",
    "Break",
    "Frame",
    "Heading",
    "Inline",
    "ListItem",
    "Paragraph",
    "Picture",
    "Run",
    "completed",
    "files_of",
    "lines_of",
    "names",
    "read",
    "render_email",
    "render_plain",
    "tidy",
    "write",
]
