"""Rounds: one template to each row of a table, one message each."""

from nebbet.core.rounds.choosing import Choosing, Twice, chosen, doubles, read_ranges
from nebbet.core.rounds.matching import ROLES, Matches, propose, role_title
from nebbet.core.rounds.rows import RowSaid, has_days, key_of, said_by, typed
from nebbet.core.rounds.rules import RoundRules

__all__ = [
    "ROLES",
    "Choosing",
    "Matches",
    "RoundRules",
    "RowSaid",
    "Twice",
    "chosen",
    "doubles",
    "has_days",
    "key_of",
    "propose",
    "read_ranges",
    "role_title",
    "said_by",
    "typed",
]
