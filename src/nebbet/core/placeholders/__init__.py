"""Placeholders: declarations, formats, and working out every value with its explanation."""

from nebbet.core.placeholders import modifiers
from nebbet.core.placeholders.declared import KINDS, Kind, Placeholder, Source, implied, tried
from nebbet.core.placeholders.fill import Filled, fill, fill_line
from nebbet.core.placeholders.formats import language_name, language_of, show
from nebbet.core.placeholders.in_braces import declared_in
from nebbet.core.placeholders.kinds import FACT_KINDS, kind_of
from nebbet.core.placeholders.languages import yes_and_no
from nebbet.core.placeholders.names import GREETING, did_you_mean, known_names, nearest
from nebbet.core.placeholders.resolve import (
    Resolution,
    in_zone,
    member_of,
    members,
    resolve,
    text_in,
)
from nebbet.core.placeholders.typed import limit_of
from nebbet.core.placeholders.typed import read as read_typed
from nebbet.core.placeholders.world import Decision, Particular, World

__all__ = [
    "FACT_KINDS",
    "GREETING",
    "KINDS",
    "Decision",
    "Filled",
    "Kind",
    "Particular",
    "Placeholder",
    "Resolution",
    "Source",
    "World",
    "declared_in",
    "did_you_mean",
    "fill",
    "fill_line",
    "implied",
    "in_zone",
    "kind_of",
    "known_names",
    "language_name",
    "language_of",
    "limit_of",
    "member_of",
    "members",
    "modifiers",
    "nearest",
    "read_typed",
    "resolve",
    "show",
    "text_in",
    "tried",
    "yes_and_no",
]
