"""Days that rules promise and that people type: zones, clock changes, weekends, working hours."""

from concurrent.futures import ThreadPoolExecutor
from datetime import UTC, date, datetime, time, timedelta
from zoneinfo import ZoneInfo

import numpy as np
import pytest
from babel.localedata import locale_identifiers
from dateutil.relativedelta import relativedelta
from dateutil.rrule import MO, MONTHLY, rrule
from hypothesis import given
from hypothesis import strategies as st

from nebbet.core import dates
from nebbet.core.dates import WorkingCalendar, calendar_for
from nebbet.core.dates.calendars import _built, _closed_in
from nebbet.core.dates.year import irregular
from nebbet.core.placeholders import Placeholder, World, resolve, show, typed
from nebbet.core.records import Fact
from nebbet.library.catalogue import Catalogue

LONDON = WorkingCalendar(zone="Europe/London")
MONDAY = datetime(2026, 11, 23, 14, 10)


def given_by(
    rule: str, now: date | datetime = MONDAY, calendar: WorkingCalendar = LONDON
) -> object:
    return dates.work_out(dates.read(rule), now, calendar).value


def said_of(rule: str, now: date | datetime = MONDAY, calendar: WorkingCalendar = LONDON) -> str:
    return dates.explain(dates.work_out(dates.read(rule), now, calendar))


@pytest.mark.parametrize(
    ("rule", "day", "month"),
    [
        ("today + P1M1D", date(2026, 1, 31), "February"),
        ("today + P1M5D", date(2026, 1, 30), "February"),
        ("today - P1M2D", date(2026, 3, 31), "February"),
        ("today + 1 month", date(2026, 8, 31), "September"),
    ],
)
def test_a_short_month_is_called_by_its_own_name(rule: str, day: date, month: str) -> None:
    """Reference: dateutil.relativedelta counts the months first, then the days."""
    assert f"; {month} has no day {day.day}" in said_of(rule, day)


@pytest.mark.parametrize(
    ("rule", "real"),
    [
        ("2027-03-28 at 01:30", datetime(2027, 3, 28, 2, 30)),
        ("2027-03-27T01:30 + 1 day then + 0 hours", datetime(2027, 3, 28, 2, 30)),
        ("2027-03-28 at 03:30", datetime(2027, 3, 28, 3, 30)),
    ],
)
def test_a_time_that_clocks_leave_out_is_told(rule: str, real: datetime) -> None:
    """Reference: zoneinfo; RFC 5545 §3.3.5 counts such a time with the offset from before it."""
    worked = dates.work_out(dates.read(rule), MONDAY, LONDON)
    assert worked.value == real
    left_out = "01:30" in rule
    assert ("clocks are put forward that day and there is no 01:30" in dates.explain(worked)) == (
        left_out
    )
    assert bool(irregular(worked)) == left_out


def test_hours_say_from_which_hour_they_count() -> None:
    said = said_of("today + 3 hours")
    assert said == "3 hours after Mon 23 Nov 2026 at 14:10: Mon 23 Nov at 17:10"


def test_a_closed_day_at_which_counting_begins_is_listed() -> None:
    scots = calendar_for("GB-SCT")
    said = said_of("today + 2 working days", date(2026, 11, 30), scots)
    assert said.endswith("Wed 2 Dec; skips Mon 30 Nov (Saint Andrew's Day)")


# Weekends


@pytest.mark.parametrize(
    ("code", "mask"), [("SA", "1111001"), ("IL", "1111001"), ("GB-SCT", "1111100"), ("", "1111100")]
)
def test_the_weekend_is_that_of_the_country(code: str, mask: str) -> None:
    """Reference: numpy.busday_offset with the weekend that the holidays library has."""
    calendar = calendar_for(code)
    first = date(2026, 10, 1)
    closed = [first + timedelta(n) for n in range(90) if calendar.reason(first + timedelta(n))]
    for count in (1, 3, 7, 20):
        found = dates.work_out(dates.read(f"today + {count} working days"), first, calendar).value
        expected = np.busday_offset(first, count, roll="backward", weekmask=mask, holidays=closed)
        assert found == expected.astype(object)


def test_a_template_s_own_calendar_brings_its_weekend() -> None:
    catalogue = Catalogue(calendar=calendar_for("GB-SCT", zone="Europe/London"))
    moment = datetime(2026, 11, 26, 12, tzinfo=UTC)
    own = catalogue.world(moment, None, "en_GB", calendar="SA").calendar
    assert not own.is_working(date(2026, 11, 27)) and own.is_working(date(2026, 11, 29))
    french = catalogue.world(moment, None, "en_GB", calendar="FR").calendar
    assert french.weekdays == catalogue.calendar.weekdays


def test_a_calendar_is_built_by_many_threads_at_once() -> None:
    _built.cache_clear()
    _closed_in.cache_clear()
    calendar = calendar_for("DE-BY")
    years = list(range(2000, 2060)) * 3
    with ThreadPoolExecutor(16) as pool:
        found = list(pool.map(lambda year: calendar.reason(date(year, 1, 6)), years))
    assert set(found) == {"Epiphany"}


# Working hours, quarters, the first Monday


@given(
    st.datetimes(datetime(2026, 1, 1), datetime(2026, 12, 31)),
    st.integers(-60, 60).filter(bool),
)
def test_working_hours_are_those_in_which_the_team_works(start: datetime, count: int) -> None:
    """Against counting minute by minute, which needs no thought."""
    calendar = WorkingCalendar(hours=(time(9), time(17, 30)))
    start = start.replace(second=0, microsecond=0)
    step = timedelta(minutes=1 if count > 0 else -1)
    left, at = abs(count) * 60, start
    while left:
        minute = min(at, at + step)
        if calendar.is_working(minute.date()) and time(9) <= minute.time() < time(17, 30):
            left -= 1
        at += step
    sign = "+" if count > 0 else "-"
    rule = dates.read(f"{start:%Y-%m-%dT%H:%M} {sign} {abs(count)} working hours")
    assert dates.work_out(rule, start, calendar).value == at


def test_working_hours_pass_over_closed_days_and_say_so() -> None:
    calendar = calendar_for("GB-SCT", zone="Europe/London")
    said = said_of("today + 8 working hours", datetime(2026, 11, 27, 16, 0), calendar)
    assert said == (
        "8 working hours after Fri 27 Nov 2026 at 16:00: Tue 1 Dec at 16:00; "
        "skips Mon 30 Nov (Saint Andrew's Day)"
    )
    assert given_by("today + 2 working hours", date(2026, 11, 28)) == datetime(2026, 11, 30, 11)


@pytest.mark.parametrize("month", range(1, 13))
def test_the_first_monday_of_a_month(month: int) -> None:
    """Reference: dateutil.rrule."""
    day = date(2026, month, 17)
    begin = day + relativedelta(day=1)
    for word, number in (("first", 1), ("third", 3), ("last", -1)):
        (found, *_) = rrule(MONTHLY, count=1, byweekday=MO(number), dtstart=begin)
        assert given_by(f"{word} Monday of this month", day) == found.date()
        assert given_by(f"the {word} Monday in this month", day) == found.date()


@pytest.mark.parametrize(
    ("rule", "value"),
    [
        ("first Monday of next month", date(2026, 12, 7)),
        ("today + 1 quarter", date(2027, 2, 23)),
        ("today at 5 pm", datetime(2026, 11, 23, 17)),
        ("today at 5:30 p.m.", datetime(2026, 11, 23, 17, 30)),
        ("today at noon", datetime(2026, 11, 23, 12)),
        ("today at 12 am", datetime(2026, 11, 23, 0)),
        ("today + 1 working day at 9am", datetime(2026, 11, 24, 9)),
    ],
)
def test_rules_that_people_ask_for(rule: str, value: object) -> None:
    assert given_by(rule) == value
    again = dates.wording(dates.read(rule))
    assert given_by(again) == value
    assert dates.describe(dates.read(rule))


def test_names_that_hold_words_of_the_language_still_name() -> None:
    assert dates.read("last crossing + 3 days").names == ("last crossing",)
    assert dates.read("first sailing at 17:00").names == ("first sailing",)
    assert dates.read("sailing first Monday of next month").names == ("sailing",)


@pytest.mark.parametrize("text", ["9-17", "09:00 – 17:00", "9.00 to 17.00"])
def test_hours_of_a_team_are_read(text: str) -> None:
    assert dates.hours(text) == (time(9), time(17))


# Moments with an offset


def test_a_moment_with_an_offset_is_brought_into_the_team_s_zone() -> None:
    """Reference: zoneinfo."""
    moment = datetime.fromisoformat("2026-12-31T23:30:00-05:00")
    here = moment.astimezone(ZoneInfo("Europe/London")).replace(tzinfo=None)
    facts = {"opens": Fact("opens", {"date": moment.isoformat()})}
    world = World(date(2026, 11, 26), calendar=LONDON, facts=facts)
    rows = [
        Placeholder("late", source="sum", of="fact.opens >= 2027-01-01 04:30"),
        Placeholder("after", source="date", of="fact.opens + 1 hour"),
    ]
    found = {p.name: p.value for p in resolve(["fact.opens", "late", "after"], rows, world, {})}
    assert found == {"fact.opens": here, "late": True, "after": here + timedelta(hours=1)}


# What people type


@pytest.mark.parametrize(
    ("text", "language", "value"),
    [
        ("5 Sep", "en_GB", date(2026, 9, 5)),
        ("Tues 1 Dec", "en_GB", date(2026, 12, 1)),
        ("tomorrow", "en_GB", date(2026, 11, 27)),
        ("Friday", "en_GB", date(2026, 11, 27)),
        ("next Thursday", "en_GB", date(2026, 12, 3)),
        ("morgen", "de", date(2026, 11, 27)),
        ("i morgen", "nb", date(2026, 11, 27)),
        ("demain", "fr", date(2026, 11, 27)),
        ("1 Dec 5pm", "en_GB", datetime(2026, 12, 1, 17)),
        ("1 December 2026 at 5 pm", "en_GB", datetime(2026, 12, 1, 17)),
        ("tomorrow at noon", "en_GB", datetime(2026, 11, 27, 12)),
        ("1er décembre 2026", "fr", date(2026, 12, 1)),
    ],
)
def test_dates_are_read_as_people_type_them(text: str, language: str, value: object) -> None:
    """Common practice, no source."""
    today = date(2026, 11, 26)
    assert typed.read(text, Placeholder("d", kind="date"), language, today).value == value


def test_a_weekday_that_is_today_is_asked_back() -> None:
    found = typed.read("Thursday", Placeholder("d", kind="date"), "en_GB", date(2026, 11, 26))
    assert found.clearer == ("26 November 2026", "3 December 2026")


@pytest.mark.parametrize(("text", "value"), [("noon", time(12)), ("5pm", time(17))])
def test_times_are_read_as_people_type_them(text: str, value: time) -> None:
    assert (
        typed.read(text, Placeholder("t", kind="time"), "en_GB", date(2026, 11, 26)).value == value
    )


@pytest.mark.parametrize("code", sorted(locale_identifiers())[::3])
def test_what_nebbet_writes_it_reads(code: str) -> None:
    """In every third language of CLDR, Korean among them: a letter's own words can be typed."""
    today = date(2026, 11, 26)
    if code.startswith("dz"):
        return  # its times have words between the numbers, and spaces that fall away
    for kind, value in (
        ("time", time(16, 30)),
        ("time", time(9, 5)),
        ("date", date(2026, 12, 1)),
        ("date", datetime(2026, 12, 1, 16, 30)),
    ):
        text = show(value, code)
        assert typed.read(text, Placeholder("x", kind=kind), code, today).value == value, text
    korean = show(time(16, 30), "ko")
    assert typed.read(korean, Placeholder("x", kind="time"), "ko", today).value == time(16, 30)


@pytest.mark.parametrize(
    ("text", "language", "amount"),
    [("12,-", "de", "12.00"), ("kr 12,-", "nb", "12.00"), ("12.–", "de_CH", "12.00")],
)
def test_amounts_without_small_coins(text: str, language: str, amount: str) -> None:
    """Common practice, no source."""
    asked = Placeholder("m", kind="money", currency="NOK")
    found = typed.read(text, asked, language, date(2026, 11, 26)).value
    assert str(getattr(found, "amount", "")) == amount


@pytest.mark.parametrize(
    ("text", "language", "clearer"),
    [("10.000", "en_GB", ("10", "10,000")), ("10,000", "de", ("10", "10.000"))],
)
def test_a_mark_that_means_thousands_elsewhere_is_asked_back(
    text: str, language: str, clearer: tuple[str, ...]
) -> None:
    found = typed.read(text, Placeholder("n", kind="number"), language, date(2026, 11, 26))
    assert (found.value, found.clearer) == (None, clearer)
