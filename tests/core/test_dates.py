"""Date rules against outside references, named beside each check."""

import random
from datetime import date, datetime, time, timedelta

import holidays
import numpy
import pytest
from babel.dates import format_date
from dateutil.relativedelta import FR, relativedelta
from hypothesis import given
from hypothesis import strategies as st

from nebbet.core import dates
from nebbet.core.errors import NebbetError
from nebbet.core.grammars import GrammarError
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


def counted(count: int, unit: str) -> dates.Rule:
    return dates.Rule(steps=(dates.Count(count, unit),))  # type: ignore[arg-type]


@pytest.mark.parametrize("code", CALENDARS)
def test_working_days_agree_with_numpy(code: str) -> None:
    """Reference: numpy.busday_offset, with the holidays of the package `holidays`; 10,500 triples
    of day, number and calendar, with working weeks of four to six days.

    numpy rolls a day that is not a working day before it counts; our rule says that day one is
    the next working day, which is numpy's roll in the other direction.
    """
    country, subdivision = CALENDARS[code]
    days = sorted(holidays.country_holidays(country, subdiv=subdivision, years=range(2017, 2037)))
    closed = numpy.array(days, dtype="datetime64[D]")
    chance = random.Random(code)
    for weekdays in (range(5), range(4), (0, 1, 2, 3, 5), range(6), (6, 0, 1, 2, 3)):
        calendar = dates.calendar_for(code, weekdays=frozenset(weekdays))
        mask = [day in weekdays for day in range(7)]
        numpys = numpy.busdaycalendar(weekmask=mask, holidays=closed)
        for _ in range(300):
            day = date(2020, 1, 1) + timedelta(days=chance.randrange(4000))
            count = chance.choice([*range(-60, 0), *range(1, 60)])
            roll = "backward" if count > 0 else "forward"
            expected = numpy.busday_offset(day, count, roll=roll, busdaycal=numpys).astype(date)
            worked = dates.work_out(counted(count, "working day"), day, calendar)
            assert worked.day == expected, (day, count)


def test_working_days_between_agree_with_numpy() -> None:
    """Reference: numpy.busday_count, from the day after the first to the last."""
    days = sorted(holidays.country_holidays("GB", subdiv="SCT", years=range(2018, 2030)))
    closed = numpy.array(days, dtype="datetime64[D]")
    calendar = dates.calendar_for("GB-SCT")
    chance = random.Random(1)
    for _ in range(1000):
        first = date(2020, 1, 1) + timedelta(days=chance.randrange(2500))
        last = first + timedelta(days=chance.randrange(400))
        expected = numpy.busday_count(first + timedelta(1), last + timedelta(1), holidays=closed)
        assert dates.working_days_between(first, last, calendar) == expected
        assert dates.working_days_between(last, first, calendar) <= 0


def test_months_agree_with_dateutil() -> None:
    """Reference: dateutil.relativedelta, 10,000 steps; the months clamp, RFC 5545 would skip."""
    chance = random.Random(2)
    for _ in range(10_000):
        day = date(1990, 1, 1) + timedelta(days=chance.randrange(26_000))
        months = chance.randrange(-600, 600)
        worked = dates.work_out(counted(months, "month"), day, dates.calendar_for(""))
        assert worked.day == day + relativedelta(months=months)
        years = dates.work_out(counted(months // 12, "year"), day, dates.calendar_for(""))
        assert years.day == day + relativedelta(years=months // 12)


def test_month_ends_clamp() -> None:
    """31 January + 1 month; RFC 5545 is not followed here: a rule always gives a day."""
    assert work("today + 1 month", date(2026, 1, 31)) == date(2026, 2, 28)
    assert work("today + 1 month", date(2028, 1, 31)) == date(2028, 2, 29)
    assert work("today - 1 month", date(2026, 3, 31)) == date(2026, 2, 28)


@given(DAYS, st.integers(-5000, 5000))
def test_days_and_weeks_are_plain_counting(day: date, count: int) -> None:
    calendar = dates.calendar_for("")
    worked = dates.work_out(counted(count, "day"), day, calendar)
    assert worked.day - day == timedelta(days=count)
    week = dates.work_out(counted(count, "week"), day, calendar)
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
    worked = dates.work_out(counted(count, "day"), day, dates.calendar_for(""))
    assert format_date(worked.day, "EEE d MMM", locale="en_GB") in dates.explain(worked)


def test_a_long_row_of_holidays_is_cut_in_the_explanation() -> None:
    worked = dates.work_out(
        dates.read("today + 260 working days"), TODAY, dates.calendar_for("GB-SCT")
    )
    assert " and " in dates.explain(worked)
    assert dates.explain(worked).endswith("more")


COUNTS = st.builds(dates.Count, st.integers(-9999, 9999).filter(bool), st.sampled_from(dates.UNITS))
STEPS = st.one_of(
    COUNTS,
    st.builds(dates.Duration, st.sampled_from(["P1M10D", "PT90M", "P2W", "P1Y"]), st.booleans()),
    st.builds(
        dates.Edge,
        st.sampled_from(["start", "end"]),
        st.sampled_from(dates.WHICH),
        st.sampled_from(dates.PERIODS),
    ),
    st.builds(dates.Weekday, st.sampled_from(dates.WHICH), st.integers(0, 6)),
    st.builds(dates.OnOr, st.booleans(), st.integers(0, 6)),
    st.builds(dates.Roll, st.booleans()),
    st.builds(dates.At, st.times().map(lambda t: t.replace(second=0, microsecond=0))),
)
BASES = st.one_of(
    st.sampled_from([dates.Base(), dates.Base("sending"), dates.Base("name", "the end of it")]),
    st.builds(dates.Base, st.just("name"), st.sampled_from(["sailing", "new sailing", "case.x"])),
    DAYS.map(lambda day: dates.Base("fixed", day=day)),
)
RULES = st.builds(dates.Rule, BASES, st.lists(STEPS, max_size=6).map(tuple))


@given(RULES)
def test_what_is_written_reads_back(rule: dates.Rule) -> None:
    assert dates.read(dates.wording(rule)) == rule


@given(RULES, DAYS)
def test_every_rule_gives_a_day_or_one_sentence(rule: dates.Rule, day: date) -> None:
    now = datetime.combine(day, time(10))
    calendar = dates.calendar_for("GB-SCT", zone="Europe/London")
    try:
        worked = dates.work_out(rule, now, calendar, dict.fromkeys(rule.names, now))
    except NebbetError as error:
        assert error.sentence
        return
    said = format_date(worked.day, "EEE d MMM", locale="en_GB")
    assert said in dates.explain(worked)
    assert dates.describe(rule)


AFTER_BASE = (
    "“+” or “-” with a number and a unit, “start of” or “end of”, “first Monday”, "
    "“this”, “next” or “previous”, "
    "“on or after”, “or the next working day”, “at” or “if after”"
)
UNITS = "days, weeks, months, quarters, years, working days, hours, minutes or working hours"


@pytest.mark.parametrize(
    ("text", "place", "expected"),
    [
        ("", 1, "“today”"),
        ("today plus 3 days", 7, AFTER_BASE),
        ("today + days", 9, "a number up to 9999 or a duration such as P1M10D"),
        ("today + 3", 10, UNITS),
        ("today + 3 fortnights", 11, UNITS),
        ("today + 10000 days", 9, "a number up to 9999"),
        ("today + 3 days!", 15, AFTER_BASE),
        ("today + P", 9, "a number up to 9999 or a duration such as P1M10D"),
        ("today + PT", 9, "a duration such as P1M10D"),
        ("today at some time", 10, "a time such as 17:00 or 5 pm"),
        ("today at 25:00", 10, "a time such as 17:00 or 5 pm"),
        ("today on or after May", 19, "a weekday"),
        ("the Friday", 1, "“this”, “next” or “previous”"),
        ("next", 5, "a weekday"),
        ("start of month", 10, "“this”, “next” or “previous”"),
        ("end of next", 12, "week, month, quarter or year"),
        ("2026-02-31", 1, "a day that there is, such as 2026-11-25"),
        ("today if after 16:00", 21, "“count from tomorrow”"),
        (
            "sailing if after 16:00 count from tomorrow",
            9,
            "“if after” only where counting begins at today or the sending day",
        ),
        ("a" * 81, 1, "a name of at most 80 signs"),
        ("today" + " + 1 day" * 13, 1, "at most 12 steps, not 13"),
    ],
)
def test_every_mistake_is_told_with_its_place(text: str, place: int, expected: str) -> None:
    with pytest.raises(GrammarError) as caught:
        dates.read(text)
    assert caught.value.what == (
        f"The date rule “{text[:80]}” cannot be read at character {place}: expected {expected}"
    )
    assert "today + 7 working days" in caught.value.sentence


def test_spelling_may_vary() -> None:
    for text in ("TODAY+7 Working  Days", " today + 7 working day ", "today\t+ 7 working days"):
        assert dates.read(text) == counted(7, "working day")
    assert dates.read("today − 3 days") == counted(-3, "day")
    assert dates.read("today, then at 9.30") == dates.read("today at 09:30")
    assert dates.read("end of the month") == dates.read("end of this month")


# The other steps, each worked out by hand on a calendar of 2026


@pytest.mark.parametrize(
    ("rule", "gives"),
    [
        ("next Wednesday", "2026-12-02"),  # today is a Wednesday: never the day itself
        ("next Friday", "2026-11-27"),
        ("previous Wednesday", "2026-11-18"),
        ("this Monday", "2026-11-23"),
        ("this Sunday", "2026-11-29"),
        ("today on or after Wednesday", "2026-11-25"),
        ("today on or after Tuesday", "2026-12-01"),
        ("today on or before Thursday", "2026-11-19"),
        ("start of this week", "2026-11-23"),
        ("end of next week", "2026-12-06"),
        ("start of previous month", "2026-10-01"),
        ("end of this quarter", "2026-12-31"),
        ("start of next quarter", "2027-01-01"),
        ("end of previous year", "2025-12-31"),
        ("today + 5 days or the next working day", "2026-12-01"),  # over St Andrew's Day
        ("today + 5 days or the previous working day", "2026-11-27"),
        ("today + P1M10D", "2027-01-04"),
        ("today - P1Y", "2025-11-25"),
        ("today + P2W", "2026-12-09"),
        ("today at 17:00", "2026-11-25T17:00:00"),
        ("today + 1 working day at 17:00", "2026-11-26T17:00:00"),
        ("2026-12-24 + 1 working day", "2026-12-29"),
        ("2028-02-29 + 1 year", "2029-02-28"),
        ("end of next month or the previous working day at 12:00", "2026-12-31T12:00:00"),
    ],
)
def test_every_step(rule: str, gives: str) -> None:
    worked = dates.work_out(dates.read(rule), TODAY, dates.calendar_for("GB-SCT"))
    assert worked.value.isoformat() == gives


@given(DAYS)
def test_weeks_and_quarters_agree_with_iso_8601_and_dateutil(day: date) -> None:
    """ISO 8601: weeks begin on Monday, and the first and last day are of one week; dateutil for
    the ends of months."""
    calendar = dates.calendar_for("")
    first = dates.work_out(dates.read("start of this week"), day, calendar).day
    last = dates.work_out(dates.read("end of this week"), day, calendar).day
    assert first.isocalendar()[:2] == day.isocalendar()[:2] == last.isocalendar()[:2]
    assert (first.isocalendar()[2], last.isocalendar()[2]) == (1, 7)
    end = dates.work_out(dates.read("end of next month"), day, calendar).day
    assert end == day + relativedelta(months=2, day=1, days=-1)
    friday = dates.work_out(dates.read("next Friday"), day, calendar).day
    assert friday == day + relativedelta(days=1, weekday=FR)


@pytest.mark.parametrize(
    ("start", "rule", "gives"),
    [
        ("2026-03-28T22:00", "today + 6 hours", "2026-03-29T05:00:00"),  # clocks go on at 01:00
        ("2026-10-24T22:00", "today + 6 hours", "2026-10-25T03:00:00"),  # and back at 02:00
        ("2026-10-25T06:00", "today - 8 hours", "2026-10-24T23:00:00"),
        ("2026-11-25T09:30", "today + 90 minutes", "2026-11-25T11:00:00"),
        ("2026-11-25T09:30", "today + PT36H", "2026-11-26T21:30:00"),
    ],
)
def test_hours_are_real_hours_over_a_clock_change(start: str, rule: str, gives: str) -> None:
    """British Summer Time 2026 (IANA tz database): 29 March and 25 October."""
    calendar = dates.calendar_for("GB-SCT", zone="Europe/London")
    worked = dates.work_out(dates.read(rule), datetime.fromisoformat(start), calendar)
    assert worked.value.isoformat() == gives


def test_a_late_letter_counts_from_tomorrow() -> None:
    rule = dates.read("today + 1 working day at 17:00 if after 16:00 count from tomorrow")
    calendar = dates.calendar_for("GB-SCT")
    early = dates.work_out(rule, datetime(2026, 11, 25, 16, 0), calendar)
    late = dates.work_out(rule, datetime(2026, 11, 25, 16, 1), calendar)
    assert (early.day, late.day) == (date(2026, 11, 26), date(2026, 11, 27))
    assert dates.explain(late) == (
        "1 working day after Thu 26 Nov 2026 (written after 16:00, so counted from tomorrow), "
        "at 17:00: Fri 27 Nov at 17:00"
    )
    assert not dates.work_out(rule, date(2026, 11, 25), calendar).late  # no hour is known


def test_counting_from_a_placeholder_and_from_the_sending_day() -> None:
    calendar = dates.calendar_for("GB-SCT")
    sailing = datetime(2026, 11, 28, 16, 30)
    checkin = dates.work_out(
        dates.read("sailing - 45 minutes"), TODAY, calendar, {"sailing": sailing}
    )
    assert checkin.value == datetime(2026, 11, 28, 15, 45)
    assert dates.explain(checkin) == (
        "45 minutes before sailing (Sat 28 Nov 2026 at 16:30): Sat 28 Nov at 15:45"
    )
    rule = dates.read("the sending day + 1 week")
    assert dates.work_out(rule, TODAY, calendar, sending=date(2026, 12, 1)).day == date(2026, 12, 8)
    assert dates.work_out(rule, TODAY, calendar).day == date(2026, 12, 2)


@pytest.mark.parametrize(
    ("rule", "sentence"),
    [
        ("sailing + 1 day", "“sailing” has no date here, so “sailing + 1 day” cannot be worked"),
        ("2026-12-01 + 2 hours", "2026-12-01 has no time of day to count hours from"),
        ("today + 9999 years", "“today + 9999 years” leads beyond the calendar"),
    ],
)
def test_what_cannot_be_worked_out_is_told(rule: str, sentence: str) -> None:
    with pytest.raises(NebbetError) as caught:
        work(rule)
    assert sentence in caught.value.sentence


@pytest.mark.parametrize(
    ("rule", "sentence"),
    [
        ("today", "the day of writing"),
        ("sailing + 28 days", "28 days after sailing"),
        ("next Friday at 17:00", "the first Friday after the day of writing, at 17:00"),
        ("this Friday", "the Friday in the week of the day of writing"),
        ("today on or before Monday", "the last Monday on or before the day of writing"),
        ("the sending day - P1M10D", "1 month and 10 days before the day of sending"),
        (
            "end of next month or the previous working day",
            "the end of next month, seen from the day of writing; if nobody works then, "
            "the previous working day",
        ),
        (
            "today + 2 weeks then next Monday then start of this month then + 1 day "
            "then on or after Friday then - P1D",
            "2 weeks after the day of writing, then next Monday, then the start of this month, "
            "then 1 day on, then the first Friday on or after that, then 1 day back",
        ),
        (
            "today + 1 working day if after 16:00 count from tomorrow",
            "1 working day after the day of writing; after 16:00 it counts from the day after",
        ),
    ],
)
def test_a_rule_is_said_in_a_plain_sentence(rule: str, sentence: str) -> None:
    assert dates.describe(dates.read(rule)) == sentence


def test_a_short_month_and_a_moved_day_are_told() -> None:
    clamped = dates.work_out(
        dates.read("today + 1 month"), date(2026, 1, 31), dates.calendar_for("")
    )
    assert dates.explain(clamped).endswith("Sat 28 Feb; February has no day 31")
    moved = dates.work_out(
        dates.read("today + 1 month or the next working day"), TODAY, dates.calendar_for("GB-SCT")
    )
    assert ", moved from Fri 25 Dec to the next working day: Tue 29 Dec; skips" in dates.explain(
        moved
    )


# The year view


def test_a_year_is_366_days_and_agrees_with_one_day_at_a_time() -> None:
    rule, calendar = dates.read("today + 7 working days"), dates.calendar_for("GB-SCT")
    year = dates.year_view(rule, TODAY, calendar)
    assert [day.day for day in year] == [TODAY + timedelta(n) for n in range(366)]
    for day in year[::7]:
        assert day.worked and day.worked.day == dates.work_out(rule, day.day, calendar).day


def test_a_year_shows_what_is_out_of_the_ordinary() -> None:
    """Christmas 2026 in Scotland: 25 and 28 December (for Boxing Day) and 1 and 4 January are
    closed (package `holidays`)."""
    calendar = dates.calendar_for("GB-SCT", {date(2026, 12, 24): "Office closed"})
    year = {
        day.day: day
        for day in dates.year_view(dates.read("today + 1 working day"), TODAY, calendar)
    }
    eve = year[date(2026, 12, 23)]
    assert "skips Office closed, Christmas Day" in eve.irregular
    assert year[date(2027, 3, 1)].irregular == ""
    plain = {d.day: d for d in dates.year_view(dates.read("today + 30 days"), TODAY, calendar)}
    assert plain[TODAY].lands == "Christmas Day"
    assert plain[date(2026, 11, 26)].lands == "Boxing Day"
    assert plain[date(2026, 11, 27)].lands == "a Sunday"
    short = {d.day: d for d in dates.year_view(dates.read("today + 1 month"), TODAY, calendar)}
    assert short[date(2027, 1, 31)].irregular == "the month has no day 31"


def test_a_year_of_a_rule_that_fails_says_why() -> None:
    rule = dates.read("2026-12-01 + 2 hours")
    year = dates.year_view(rule, TODAY, dates.calendar_for(""))
    assert {day.worked for day in year} == {None}
    assert "no time of day" in year[0].said
    named = dates.year_view(dates.read("sailing - 45 minutes"), TODAY, dates.calendar_for(""))
    assert named[0].worked and named[0].worked.value == datetime(2026, 11, 25, 8, 15)


def test_an_unknown_zone_and_an_empty_week_are_told() -> None:
    with pytest.raises(NebbetError, match=r"no time zone “Nowhere”.*Europe/London"):
        dates.calendar_for("", zone="Nowhere")
    with pytest.raises(NebbetError, match="without a working day"):
        dates.calendar_for("", weekdays=frozenset())


def test_beyond_the_calendar() -> None:
    with pytest.raises(NebbetError, match="leads beyond the calendar"):
        work("today + 9999 months", date(9500, 1, 1))


def test_an_unknown_calendar_says_what_one_looks_like() -> None:
    with pytest.raises(NebbetError, match=r"There is no calendar “Atlantis”.*GB-SCT"):
        dates.calendar_for("Atlantis")
