"""Date rules: a small language for days, working-day calendars, and their explanation."""

from nebbet.core.dates.calendars import WorkingCalendar, calendar_for
from nebbet.core.dates.rules import FORMS, Rule, RuleError, Worked, explain, read, wording, work_out

__all__ = [
    "FORMS",
    "Rule",
    "RuleError",
    "Worked",
    "WorkingCalendar",
    "calendar_for",
    "explain",
    "read",
    "wording",
    "work_out",
]
