"""The names that a template may use, and the one that a mistyped name stands for."""

from collections.abc import Iterable

from nebbet.core import records
from nebbet.core.placeholders.declared import Placeholder
from nebbet.core.placeholders.world import World
from nebbet.core.records import fold

GREETING = "greeting"


def nearest(name: str, candidates: Iterable[str], cutoff: int = 60) -> str | None:
    """The known name that a mistyped one most likely stands for, or None.

    >>> nearest("bokking", ["booking", "sailing"])
    'booking'
    """
    from rapidfuzz import process

    # A name of one or two letters would be near to nearly everything.
    known = [c for c in candidates if len(c) > 2 or len(name) <= 3]
    found = process.extractOne(name[:100], known, processor=fold, score_cutoff=cutoff)
    return found[0] if found else None


def did_you_mean(close: str | None) -> str:
    """How a sentence about an unknown name ends: with the nearest known one, if there is one."""
    return f"; did you mean “{close}”?" if close else ""


def known_names(declared: Iterable[Placeholder], world: World) -> list[str]:
    """Every name that a template may use here: declared ones, fields and facts."""
    contact = records.contact_fields(world.recipient) if world.recipient else {}
    case = records.case_fields(world.case) if world.case else {}
    sender = records.member_fields(world.sender) if world.sender else {}
    return [
        *(p.name for p in declared),
        *(f"recipient.{f}" for f in dict.fromkeys([*records.CONTACT_FIELDS, GREETING, *contact])),
        *(f"sender.{f}" for f in dict.fromkeys([*records.MEMBER_FIELDS, *sender])),
        *(f"case.{f}" for f in dict.fromkeys([*records.CASE_FIELDS, *case])),
        *(f"fact.{f}" for f in world.facts),
    ]
