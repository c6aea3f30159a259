"""Which letters of the register are wanted, and how many went on which day."""

from datetime import UTC, date, datetime, timedelta, timezone

import pytest

from nebbet.core.records import Case
from nebbet.library.entries import Registered
from nebbet.library.register import page
from nebbet.library.register_finding import (
    Counted,
    Wanted,
    bars,
    moments_of,
    per_day,
)
from nebbet.library.store import Library

AHEAD = timezone(timedelta(hours=2))
AT = datetime(2026, 11, 29, 12, tzinfo=AHEAD)


def _entry(at: str, sender: str, template: str, case: str = "") -> Registered:
    sent = datetime.fromisoformat(at).replace(tzinfo=UTC)
    return Registered(f"<{at}-{sender}@x>", sent, sender, "a@x.example", "Ann Pell",
                      case_number=case, template=template, subject=f"About {template}")  # fmt: skip


@pytest.fixture
def filled(library: Library) -> Library:
    library.put(Case("k1", "LS-1", kind="refund"), Case("k2", "LS-2", kind="lost property"))
    library.record(
        [
            _entry("2026-11-01T23:30", "m1", "refund", "LS-1"),  # the 2nd, two hours ahead
            _entry("2026-11-02T08:00", "m2", "refund", "LS-2"),
            _entry("2026-11-02T21:59", "m1", "lost", "LS-2"),
            _entry("2026-11-02T22:00", "m1", "other"),  # the 3rd
        ]
    )
    return library


def _found(library: Library, wanted: Wanted) -> list[str]:
    made = page(library.register_engine, wanted)
    assert made.found == len(made.rows)
    return [f"{one.sent:%d %H:%M}" for one in made.rows]


def test_letters_are_narrowed_to_days_people_templates_and_kinds(filled: Library) -> None:
    began, ended = moments_of(date(2026, 11, 2), date(2026, 11, 2), AT)
    assert _found(filled, Wanted(began=began, ended=ended)) == ["02 21:59", "02 08:00", "01 23:30"]
    assert _found(filled, Wanted(sender="m2")) == ["02 08:00"]
    assert _found(filled, Wanted(templates=("refund", "lost"))) == ["02 21:59", "02 08:00",
                                                                     "01 23:30"]  # fmt: skip
    assert _found(filled, Wanted(templates=())) == []
    assert _found(filled, Wanted(kind="lost property")) == ["02 21:59", "02 08:00"]
    assert _found(filled, Wanted("refund", sender="m1")) == ["01 23:30"]
    assert _found(filled, Wanted("·")) == [], "signs that no word has find nothing"


def test_letters_are_counted_by_the_days_of_the_clock(filled: Library) -> None:
    second, third = date(2026, 11, 2), date(2026, 11, 3)
    counted = per_day(filled.register_engine, Wanted(), "sender", AT)
    assert sorted((one.day, one.key, one.count) for one in counted) == [
        (second, "m1", 2), (second, "m2", 1), (third, "m1", 1),
    ]  # fmt: skip
    by_template = per_day(filled.register_engine, Wanted(sender="m1"), "template", AT)
    assert {one.key for one in by_template} == {"refund", "lost", "other"}
    assert per_day(filled.register_engine, Wanted("·"), "sender", AT) == []


def test_bars_are_days_while_there_is_room_and_whole_weeks_then() -> None:
    monday = date(2026, 11, 2)
    counts = [Counted(monday + timedelta(days=n), "a", 1) for n in range(21)]
    days = bars(counts, monday, monday + timedelta(days=20), 21)
    assert [bar.count for bar in days] == [1] * 21
    weeks = bars(counts, monday + timedelta(days=2), monday + timedelta(days=20), 5)
    assert [(bar.first, bar.count) for bar in weeks] == [
        (monday, 5), (monday + timedelta(days=7), 7), (monday + timedelta(days=14), 7),
    ]  # fmt: skip
    assert len(bars([], date(1990, 1, 1), date(2026, 1, 1), 40)) <= 41
