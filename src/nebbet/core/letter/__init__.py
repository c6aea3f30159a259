"""The letter: a template being completed for one person."""

from nebbet.core.letter.content import Content, Copies, Enclosure, Texts, text_for
from nebbet.core.letter.letter import (
    Attachment,
    Letter,
    answer,
    attachment_for,
    complete,
    from_json,
    in_language,
    merge_declared,
    names,
    rename,
    start,
    to_json,
    work_out,
    written,
)

__all__ = [
    "Attachment",
    "Content",
    "Copies",
    "Enclosure",
    "Letter",
    "Texts",
    "answer",
    "attachment_for",
    "complete",
    "from_json",
    "in_language",
    "merge_declared",
    "names",
    "rename",
    "start",
    "text_for",
    "to_json",
    "work_out",
    "written",
]
