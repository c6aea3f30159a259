"""When a letter goes, if not now: in the team's zone, hours and working days."""

from datetime import UTC, date, datetime, time
from zoneinfo import ZoneInfo

import pytest

from nebbet.core.dates import WorkingCalendar
from nebbet.core.dates.later import moment_of, next_morning
from nebbet.core.errors import NebbetError

BERLIN = ZoneInfo("Europe/Berlin")
TEAM = WorkingCalendar(
    closed={date(2026, 11, 30): "Closed"}, zone="Europe/Berlin", hours=(time(8), time(16))
)
FRIDAY = datetime(2026, 11, 27, 22, 30, tzinfo=UTC)  # 23:30 in Berlin


def test_the_next_working_morning_is_the_team_s() -> None:
    assert next_morning(FRIDAY, TEAM) == datetime(2026, 12, 1, 8, tzinfo=BERLIN)
    # Shortly before midnight in UTC it is another day in Berlin already.
    late = datetime(2026, 12, 1, 23, 30, tzinfo=UTC)
    assert next_morning(late, TEAM) == datetime(2026, 12, 3, 8, tzinfo=BERLIN)
    # The hour of the clock holds through the end of summer time.
    assert next_morning(datetime(2026, 10, 23, 12, tzinfo=UTC), TEAM).utcoffset() == (
        datetime(2026, 10, 26, 8, tzinfo=BERLIN).utcoffset()
    )


@pytest.mark.parametrize(
    ("text", "found"),
    [
        ("today + 2 working days", datetime(2026, 12, 2, 8, tzinfo=BERLIN)),
        ("today + 1 day at 14:30", datetime(2026, 11, 28, 14, 30, tzinfo=BERLIN)),
        ("tomorrow at 8:30", datetime(2026, 11, 28, 8, 30, tzinfo=BERLIN)),
        ("next Friday at 17:00", datetime(2026, 12, 4, 17, tzinfo=BERLIN)),
        ("2026-12-24", datetime(2026, 12, 24, 8, tzinfo=BERLIN)),
    ],
)
def test_moments_are_read_as_date_rules_are(text: str, found: datetime) -> None:
    assert moment_of(text, FRIDAY, TEAM) == found


@pytest.mark.parametrize("text", ["yesterday", "today - 1 day", "today + 3 years", "soon", ""])
def test_what_is_no_moment_to_come_is_refused(text: str) -> None:
    with pytest.raises(NebbetError):
        moment_of(text, FRIDAY, TEAM)
