"""Who signs a letter: whoever sends it, once."""

from collections.abc import Iterator

from nebbet.core import body
from nebbet.core.body import standing
from nebbet.core.characters import folded
from nebbet.core.checks.findings import Remedy
from nebbet.core.checks.rules import Found, Rule
from nebbet.core.checks.subjects import LetterToCheck
from nebbet.core.sentences import said

_BESIDE = 40  # signs beside a name in a line that signs, such as what somebody does

_LAST = 6  # lines at the end of a letter, in which somebody signs


def _signing(at: LetterToCheck) -> list[str]:
    """The lines that begin with the sender's name and say little else, outside quoted words."""
    name = folded(at.about.name)
    lines = [line for block in at.own_blocks for line in block.splitlines()]
    return [
        line.strip()
        for line in lines
        if name and folded(line.strip()).startswith(name)
        and len(line.strip()) <= len(name) + _BESIDE and not line.rstrip().endswith((".", "?", "!"))
    ]  # fmt: skip


def _twice(at: LetterToCheck) -> Iterator[Found]:
    lines = _signing(at)
    if len(lines) > 1:
        yield Found("body", said("{name} signs the letter twice", name=at.about.name), lines[0])


def _unsigned(at: LetterToCheck) -> Iterator[Found]:
    """A text without a template that ends without a name of the sender."""
    if at.letter.template or not at.about.name or not at.about.signature:
        return
    own = tuple(block for block in standing(at.letter.body) if not block.quote)
    lines = [line for line in body.render_plain(own).splitlines() if line.strip()]
    end = folded(" ".join(lines[-_LAST:]))
    if lines and not any(name in end for name in folded(at.about.name).split()):
        remedy = Remedy(said("Put your signature under it"), "sign", at.about.signature)
        yield Found("body", said("Nobody signs the letter"), "", remedy)


SIGNING_RULES: tuple[Rule[LetterToCheck], ...] = (
    Rule("signed twice", "doubt", _twice),
    Rule("unsigned", "note", _unsigned),
)
