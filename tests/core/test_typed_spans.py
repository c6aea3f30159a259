"""Days that somebody types who looks back. Common practice: there is no source for it."""

from datetime import date

import pytest

from nebbet.core.errors import NebbetError
from nebbet.core.placeholders.typed_spans import days_of

TODAY = date(2026, 11, 29)


@pytest.mark.parametrize(
    ("text", "first", "last"),
    [
        ("3 November 2026", "2026-11-03", "2026-11-03"),
        ("3 Dec", "2025-12-03", "2025-12-03"),  # the last one that was
        ("1 Nov – 12 Nov", "2026-11-01", "2026-11-12"),
        ("01 Nov 2026 - 12 Nov 2026", "2026-11-01", "2026-11-12"),
        ("2026-11-01..2026-11-12", "2026-11-01", "2026-11-12"),
        ("20 Dec to 5 Jan", "2025-12-20", "2026-01-05"),
        ("oct", "2026-10-01", "2026-10-31"),
        ("December", "2025-12-01", "2025-12-31"),
        ("February 2024", "2024-02-01", "2024-02-29"),
        ("2025", "2025-01-01", "2025-12-31"),
        ("last 7 days", "2026-11-23", "2026-11-29"),
        ("1 day", "2026-11-29", "2026-11-29"),
        ("today", "2026-11-29", "2026-11-29"),
        ("yesterday", "2026-11-28", "2026-11-28"),
    ],
)
def test_days_are_read_as_they_are_typed(text: str, first: str, last: str) -> None:
    assert [str(day) for day in days_of(text, "en_GB", TODAY)] == [first, last]


@pytest.mark.parametrize("text", ["soon", "12 Nov – 1 Nov", "1 – 2 – 3", "31 Feb", "–", "9 days x"])
def test_what_are_no_days_is_said(text: str) -> None:
    with pytest.raises(NebbetError):
        days_of(text, "en_GB", TODAY)


def test_days_before_the_first_year_do_no_harm() -> None:
    assert days_of("9999 days", "en_GB", TODAY)[0].year == 1999
