"""What a person changes in a letter: answers, parts that stay or go, names and words."""

from collections.abc import Callable

from msgspec.structs import replace

from nebbet.core import body, inline
from nebbet.core.characters import whole
from nebbet.core.inline import Line
from nebbet.core.letter.letter import LINES, Letter
from nebbet.core.records import fold


def answer(letter: Letter, name: str, text: str | None) -> Letter:
    """Put a person's own text in the place of a value; "" takes the value out, None puts the
    worked-out one back."""
    answers = dict(letter.answers)
    answers.pop(fold(name), None)
    if text is not None:
        answers[fold(name)] = whole(text)
    return replace(letter, answers=answers)


def keep_part(letter: Letter, when: str, *, keep: bool) -> Letter:
    """Do away with a condition: keep what hangs on it for good, or drop it."""
    return replace(
        letter,
        body=body.unconditional(letter.body, when, keep=keep),
        attachments=tuple(
            replace(a, when="", out=False) if a.when == when else a
            for a in letter.attachments
            if keep or a.when != when
        ),
    )


def rename(letter: Letter, wrong: str, right: str) -> Letter:
    """Let every occurrence of one placeholder name another one."""
    key = fold(wrong)
    return _every_line(
        letter, lambda line: inline.renamed(line, lambda name: fold(name) == key, right)
    )


def reworded(letter: Letter, wrong: str, right: str) -> Letter:
    """Put other words in the place of some wherever they stand in a letter's plain text."""

    def swap(line: Line) -> Line:
        return tuple(
            piece
            for part in line
            for piece in (
                inline.parse(part.replace(wrong, right)) if isinstance(part, str) else (part,)
            )
        )

    return _every_line(letter, swap)


def _every_line(letter: Letter, swap: Callable[[Line], Line]) -> Letter:
    """A letter with every line of text as swap makes it."""

    return replace(
        letter,
        body=body.each_line(letter.body, swap),
        attachments=tuple(replace(a, name=swap(a.name)) for a in letter.attachments),
        **{part: swap(getattr(letter, part)) for part in LINES},
    )
