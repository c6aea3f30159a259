"""The letter: a template being completed for one person."""

from nebbet.core.letter.content import Content, Copies, Copy, Enclosure, Texts, text_for
from nebbet.core.letter.letter import (
    Attachment,
    Letter,
    answer,
    attachment_for,
    complete,
    counts_from_sending,
    from_json,
    in_language,
    keep_part,
    merge_declared,
    names,
    rename,
    reworded,
    slots,
    start,
    to_json,
    work_out,
    written,
)
from nebbet.core.letter.renaming import renamed
from nebbet.core.letter.uses import uses

__all__ = [
    "Attachment",
    "Content",
    "Copies",
    "Copy",
    "Enclosure",
    "Letter",
    "Texts",
    "answer",
    "attachment_for",
    "complete",
    "counts_from_sending",
    "from_json",
    "in_language",
    "keep_part",
    "merge_declared",
    "names",
    "rename",
    "renamed",
    "reworded",
    "slots",
    "start",
    "text_for",
    "to_json",
    "uses",
    "work_out",
    "written",
]
