"""Days as somebody types them who looks back: one, some from one to another, a month, a year."""

import re
from datetime import date, timedelta

from dateutil.relativedelta import relativedelta

from nebbet.core.errors import NebbetError
from nebbet.core.placeholders import typed_dates
from nebbet.core.placeholders.formats import language_of
from nebbet.core.sentences import said

_BETWEEN = re.compile(r"\s+(?:-|–|—|to|until)\s+|\s*(?:–|—|\.\.)\s*")
_LAST = re.compile(r"(?:last\s+)?(\d{1,4})\s+days?", re.IGNORECASE)
_MONTHS = (
    "january", "february", "march", "april", "may", "june", "july", "august", "september",
    "october", "november", "december",
)  # fmt: skip
_MONTH = re.compile(r"([a-z]{3,9})\.?(?:\s+(\d{4}))?", re.IGNORECASE)
_YEAR = re.compile(r"(?:19|20)\d\d")


def days_of(text: str, language: str, today: date) -> tuple[date, date]:
    """The first and the last day that a text means; a day without a year is the last one that was.

    Raises NebbetError where it means none.

    >>> days_of("1 Nov – 12 Nov", "en_GB", date(2026, 11, 29))
    (datetime.date(2026, 11, 1), datetime.date(2026, 11, 12))
    >>> days_of("December", "en_GB", date(2026, 11, 29))
    (datetime.date(2025, 12, 1), datetime.date(2025, 12, 31))
    """
    text = text.strip()
    if found := _LAST.fullmatch(text):
        return today - timedelta(days=max(int(found[1]) - 1, 0)), today
    if _YEAR.fullmatch(text):
        return date(int(text), 1, 1), date(int(text), 12, 31)
    if month := _month(text, today):
        return month, month + relativedelta(months=1, days=-1)
    try:
        first, *rest = (_day(part, language, today) for part in _BETWEEN.split(text))
    except typed_dates.Unreadable as error:
        raise NebbetError(str(error).rstrip("."), advice=_HOW) from error
    last = rest[-1] if rest else first
    if len(rest) > 1 or last < first:
        raise NebbetError(said("“{text}” is no range of days", text=text), advice=_HOW)
    return first, last


_HOW = said("Write 3 Nov, 1 Nov – 12 Nov, October, 2026 or 30 days")


def _month(text: str, today: date) -> date | None:
    found = _MONTH.fullmatch(text)
    wanted = found[1].casefold() if found else "-"
    number = next((n for n, name in enumerate(_MONTHS, 1) if name.startswith(wanted)), 0)
    if not found or not number:
        return None
    if found[2]:
        return date(int(found[2]), number, 1)
    return date(today.year if number <= today.month else today.year - 1, number, 1)


def _day(text: str, language: str, today: date) -> date:
    value = typed_dates.read_date(text, language_of(language), today)
    day = value if type(value) is date else date(value.year, value.month, value.day)
    if day > today and not re.search(r"\d{4}", text):
        return day - relativedelta(years=1)
    return day
