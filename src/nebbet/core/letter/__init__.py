"""The letter: a template being completed for one person."""

from nebbet.core.letter.completing import by_place, complete, counts_from_sending, work_out
from nebbet.core.letter.content import (
    ADDRESS_LINES,
    Content,
    Copies,
    Copy,
    Enclosure,
    TemplateDraft,
    Texts,
    older,
    text_for,
    unsound,
)
from nebbet.core.letter.editing import answer, keep_part, rename, reworded
from nebbet.core.letter.inserting import middle_of
from nebbet.core.letter.letter import (
    LINES,
    Attachment,
    Letter,
    from_json,
    names,
    slots,
    to_json,
    written,
)
from nebbet.core.letter.passages import Passage, included, merge_declared, passages_in
from nebbet.core.letter.record import record_rows, record_sheet
from nebbet.core.letter.renaming import renamed
from nebbet.core.letter.several import also_to
from nebbet.core.letter.starting import attachment_for, in_language, start
from nebbet.core.letter.uses import names_in, needed, uses

__all__ = [
    "ADDRESS_LINES",
    "LINES",
    "Attachment",
    "Content",
    "Copies",
    "Copy",
    "Enclosure",
    "Letter",
    "Passage",
    "TemplateDraft",
    "Texts",
    "also_to",
    "answer",
    "attachment_for",
    "by_place",
    "complete",
    "counts_from_sending",
    "from_json",
    "in_language",
    "included",
    "keep_part",
    "merge_declared",
    "middle_of",
    "names",
    "names_in",
    "needed",
    "older",
    "passages_in",
    "record_rows",
    "record_sheet",
    "rename",
    "renamed",
    "reworded",
    "slots",
    "start",
    "text_for",
    "to_json",
    "unsound",
    "uses",
    "work_out",
    "written",
]
