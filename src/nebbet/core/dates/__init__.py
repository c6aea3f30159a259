"""Date rules: a small language for days, working-day calendars, and their explanation."""

from nebbet.core.dates.calendars import (
    WEEKDAYS,
    WorkingCalendar,
    calendar_for,
    closures,
    is_code,
    working_days_between,
    zone_of,
)
from nebbet.core.dates.parsing import read
from nebbet.core.dates.rules import (
    FORMS,
    PERIODS,
    UNITS,
    WHICH,
    At,
    Base,
    Count,
    Duration,
    Edge,
    OnOr,
    Roll,
    Rule,
    Step,
    Weekday,
    wording,
)
from nebbet.core.dates.saying import describe, explain
from nebbet.core.dates.working import Worked, day_of, work_out
from nebbet.core.dates.year import YearDay, year_view

__all__ = [
    "FORMS",
    "PERIODS",
    "UNITS",
    "WEEKDAYS",
    "WHICH",
    "At",
    "Base",
    "Count",
    "Duration",
    "Edge",
    "OnOr",
    "Roll",
    "Rule",
    "Step",
    "Weekday",
    "Worked",
    "WorkingCalendar",
    "YearDay",
    "calendar_for",
    "closures",
    "day_of",
    "describe",
    "explain",
    "is_code",
    "read",
    "wording",
    "work_out",
    "working_days_between",
    "year_view",
    "zone_of",
]
