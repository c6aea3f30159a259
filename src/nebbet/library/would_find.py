"""What the checks would have found in letters that went."""

from collections.abc import Iterable, Mapping
from datetime import datetime

from msgspec import Struct
from msgspec.structs import replace

from nebbet.core import checks
from nebbet.core import letter as letters
from nebbet.core.checks import CLERK_RULES, DATE_RULES, LETTER_RULES
from nebbet.core.letter import Letter
from nebbet.library.catalogue import Catalogue
from nebbet.library.writing import Writer, about_letter, world_for


class SentLetter(Struct, frozen=True):
    """A letter that went, and when."""

    letter: Letter
    sent: datetime


class WouldFind(Struct, frozen=True):
    """How many letters were looked at, and what each rule found, a sentence for each letter."""

    letters: int = 0
    sentences: Mapping[str, tuple[str, ...]] = {}


def would_find(catalogue: Catalogue, sent: Iterable[SentLetter], writer: Writer) -> WouldFind:
    """What every check finds in letters as they went, on the days they went, whatever its grade."""
    found: dict[str, list[str]] = {}
    count = 0
    every = {rule.id: rule.severity for rule in (*LETTER_RULES, *CLERK_RULES, *DATE_RULES)}
    for one in sent:
        count += 1
        # Of the letters that went before it nothing is known here any more.
        then = replace(writer, moment=one.sent, entries=())
        world = world_for(catalogue, one.letter, then)
        told = checks.check(
            one.letter,
            letters.work_out(one.letter, world)[1],
            lambda _file: True,
            about=about_letter(catalogue, one.letter, then, world.today),
            grades=every,
        )
        for rule in dict.fromkeys(finding.rule for finding in told):
            sentence = next(finding.sentence for finding in told if finding.rule == rule)
            found.setdefault(rule, []).append(sentence)
    return WouldFind(count, {rule: tuple(told) for rule, told in found.items()})
