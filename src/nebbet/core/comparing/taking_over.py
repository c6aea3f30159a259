"""A letter that is being written takes over a newer edition of its template."""

from msgspec.structs import replace

from nebbet.core import body
from nebbet.core.comparing.merge import merge_rows
from nebbet.core.letter import LINES, Letter
from nebbet.core.letter.passages import merge_declared


def taken_over(letter: Letter, old: Letter, new: Letter) -> tuple[Letter, bool]:
    """A letter with what changed from one edition to the next, and whether the writer had changed
    the same somewhere (it is as the writer has it there).

    old and new are the two editions, started for the same person and case and worked out with the
    same answers as the letter.
    """
    blocks, clashed = merge_rows(old.body, letter.body, new.body)
    lines = {}
    for part in LINES:
        mine, was, now = (getattr(found, part) for found in (letter, old, new))
        lines[part] = now if mine == was else mine
        clashed = clashed or (mine != was != now != mine)
    files, _ = merge_rows(old.attachments, letter.attachments, new.attachments)
    taken = replace(
        letter,
        **lines,
        body=body.tidy(blocks),
        attachments=tuple(files),
        placeholders=merge_declared(new.placeholders, letter.placeholders),
        edition=new.edition,
        title=new.title,
        frame=new.frame,
        calendar=new.calendar,
    )
    return taken, clashed
