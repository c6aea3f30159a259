"""Date rules against outside references, named beside each check."""

import random
from datetime import date, timedelta

import holidays
import numpy
import pytest
from babel.dates import format_date
from dateutil.relativedelta import relativedelta
from hypothesis import given
from hypothesis import strategies as st

from nebbet.core import dates
from nebbet.core.errors import NebbetError
from tests.conftest import TODAY

CALENDARS = {
    "GB-SCT": ("GB", "SCT"),
    "GB-ENG": ("GB", "ENG"),
    "DE-BY": ("DE", "BY"),
    "FR": ("FR", None),
    "NO": ("NO", None),
    "PL": ("PL", None),
    "US": ("US", None),
}
DAYS = st.dates(date(1990, 1, 1), date(2060, 12, 31))


def work(rule: str, day: date = TODAY, calendar: str = "GB-SCT") -> date:
    return dates.work_out(dates.read(rule), day, dates.calendar_for(calendar)).day


@pytest.mark.parametrize("code", CALENDARS)
def test_working_days_agree_with_numpy(code: str) -> None:
    """Reference: numpy.busday_offset, with the holidays of the package `holidays`.

    numpy rolls a day that is not a working day before it counts; our rule says that day one is
    the next working day, which is numpy's roll in the other direction.
    """
    country, subdivision = CALENDARS[code]
    days = sorted(holidays.country_holidays(country, subdiv=subdivision, years=range(2018, 2035)))
    closed = numpy.array(days, dtype="datetime64[D]")
    calendar = dates.calendar_for(code)
    chance = random.Random(code)
    for _ in range(300):
        day = date(2020, 1, 1) + timedelta(days=chance.randrange(4000))
        count = chance.choice([*range(-60, 0), *range(1, 60)])
        roll = "backward" if count > 0 else "forward"
        expected = numpy.busday_offset(day, count, roll=roll, holidays=closed).astype(date)
        rule = dates.Rule(count, "working day")
        assert dates.work_out(rule, day, calendar).day == expected, (day, count)


@given(DAYS, st.integers(-600, 600))
def test_months_agree_with_dateutil(day: date, months: int) -> None:
    """Reference: dateutil.relativedelta; the months clamp, RFC 5545 would skip them instead."""
    worked = dates.work_out(dates.Rule(months, "month"), day, dates.calendar_for(""))
    assert worked.day == day + relativedelta(months=months)


def test_month_ends_clamp() -> None:
    """31 January + 1 month; RFC 5545 is not followed here: a rule always gives a day."""
    assert work("today + 1 month", date(2026, 1, 31)) == date(2026, 2, 28)
    assert work("today + 1 month", date(2028, 1, 31)) == date(2028, 2, 29)
    assert work("today - 1 month", date(2026, 3, 31)) == date(2026, 2, 28)


@given(DAYS, st.integers(-5000, 5000))
def test_days_and_weeks_are_plain_counting(day: date, count: int) -> None:
    calendar = dates.calendar_for("")
    worked = dates.work_out(dates.Rule(count, "day"), day, calendar)
    assert worked.day - day == timedelta(days=count)
    week = dates.work_out(dates.Rule(count, "week"), day, calendar)
    assert week.day - day == timedelta(weeks=count)


def test_a_promise_over_st_andrews_day() -> None:
    """Scotland keeps 30 November (package `holidays`); England does not."""
    assert work("today + 7 working days") == date(2026, 12, 7)
    assert work("today + 7 working days", calendar="GB-ENG") == date(2026, 12, 4)


def test_counting_from_a_weekend_and_over_new_year() -> None:
    """Common practice, no source: day one is the next working day."""
    saturday = date(2026, 11, 28)
    assert work("today + 1 working day", saturday) == date(2026, 12, 1)
    assert work("today - 1 working day", saturday) == date(2026, 11, 27)
    assert work("today + 0 working days", saturday) == date(2026, 12, 1)
    assert work("today + 0 working days") == TODAY
    assert work("today + 2 working days", date(2026, 12, 31)) == date(2027, 1, 6)


def test_closure_days_count_like_holidays_and_are_named() -> None:
    calendar = dates.calendar_for("GB-SCT", {date(2026, 11, 26): "Stocktaking"})
    worked = dates.work_out(dates.read("today + 1 working day"), TODAY, calendar)
    assert worked.day == date(2026, 11, 27)
    assert dates.explain(worked) == (
        "1 working day after Wed 25 Nov 2026: Fri 27 Nov; skips Thu 26 Nov (Stocktaking)"
    )


@pytest.mark.parametrize(
    ("rule", "said"),
    [
        ("today", "today, Wed 25 Nov 2026"),
        ("today + 30 days", "30 days after Wed 25 Nov 2026: Fri 25 Dec"),
        ("today - 2 weeks", "2 weeks before Wed 25 Nov 2026: Wed 11 Nov"),
        ("today + 2 months", "2 months after Wed 25 Nov 2026: Mon 25 Jan 2027"),
        ("today - 1 working day", "1 working day before Wed 25 Nov 2026: Tue 24 Nov"),
    ],
)
def test_explanations(rule: str, said: str) -> None:
    worked = dates.work_out(dates.read(rule), TODAY, dates.calendar_for("GB-SCT"))
    assert dates.explain(worked) == said


@given(DAYS, st.integers(-90, 90))
def test_the_weekday_in_an_explanation_is_the_day_s_own(day: date, count: int) -> None:
    """Reference: CLDR through Babel."""
    worked = dates.work_out(dates.Rule(count, "day"), day, dates.calendar_for(""))
    assert format_date(worked.day, "EEE d MMM", locale="en_GB") in dates.explain(worked)


def test_a_long_row_of_holidays_is_cut_in_the_explanation() -> None:
    worked = dates.work_out(
        dates.read("today + 260 working days"), TODAY, dates.calendar_for("GB-SCT")
    )
    assert " and " in dates.explain(worked)
    assert dates.explain(worked).endswith("more")


@given(st.integers(-9999, 9999), st.sampled_from(["day", "week", "month", "working day"]))
def test_what_is_written_reads_back(count: int, unit: str) -> None:
    rule = dates.Rule(count, unit) if count else dates.Rule()  # type: ignore[arg-type]
    assert dates.read(dates.wording(rule)) == rule


@pytest.mark.parametrize(
    ("text", "place", "expected"),
    [
        ("", 1, "“today”"),
        ("tomorrow", 1, "“today”"),
        ("today plus 3 days", 7, "“+” or “-”, a number and a unit"),
        ("today + days", 7, "“+” or “-”, a number and a unit"),
        ("today + 3", 7, "“+” or “-”, a number and a unit"),
        ("today + 3 fortnights", 11, "days, weeks, months or working days"),
        ("today + 10000 days", 9, "a number up to 9999"),
        ("today + 3 days!", 15, "“+” or “-”, a number and a unit"),
    ],
)
def test_every_mistake_is_told_with_its_place(text: str, place: int, expected: str) -> None:
    with pytest.raises(dates.RuleError) as caught:
        dates.read(text)
    assert caught.value.what == (
        f"The date rule “{text}” cannot be read at character {place}: expected {expected}"
    )
    assert "today + 7 working days" in caught.value.sentence


def test_spelling_may_vary() -> None:
    for text in ("TODAY+7 Working  Days", " today + 7 working day ", "today\t+ 7 working days"):
        assert dates.read(text) == dates.Rule(7, "working day")
    assert dates.read("today − 3 days") == dates.Rule(-3, "day")


def test_beyond_the_calendar() -> None:
    with pytest.raises(NebbetError, match="leads beyond the calendar"):
        work("today + 9999 months", date(9500, 1, 1))


def test_an_unknown_calendar_says_what_one_looks_like() -> None:
    with pytest.raises(NebbetError, match=r"There is no calendar “Atlantis”.*GB-SCT"):
        dates.calendar_for("Atlantis")
