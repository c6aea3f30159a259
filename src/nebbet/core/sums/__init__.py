"""Sums and conditions: one small language over named values, exact and bounded."""

from nebbet.core.sums.arithmetic import Rounding, SumError, kind_of, kind_word, minor_units
from nebbet.core.sums.kinds import kind_of_part, mistakes
from nebbet.core.sums.parsing import read
from nebbet.core.sums.parts import Fixed, Name, Part, Percent, Table, names, tables
from nebbet.core.sums.wording import renamed, with_table, wording
from nebbet.core.sums.working import NoValue, Result, Scope, Unanswered, holds, work_out

__all__ = [
    "Fixed",
    "Name",
    "NoValue",
    "Part",
    "Percent",
    "Result",
    "Rounding",
    "Scope",
    "SumError",
    "Table",
    "Unanswered",
    "holds",
    "kind_of",
    "kind_of_part",
    "kind_word",
    "minor_units",
    "mistakes",
    "names",
    "read",
    "renamed",
    "tables",
    "with_table",
    "wording",
    "work_out",
]
