"""Filling a 2 kB text with 12 values of all kinds, against the same text through compiled Jinja2
with plain strings; and a year view, against 366 single evaluations by numpy.busday_offset.

Jinja2 is given finished strings: it writes no date and no amount. Filling is measured twice: with
the same values each time, and with a number, an amount, a date and a time that are new each time,
so that every one of them has to be written by CLDR anew.
"""

import time
from collections.abc import Callable
from datetime import date, datetime, timedelta
from datetime import time as clock
from decimal import Decimal

import holidays
import jinja2
import numpy

from nebbet.core import dates, inline
from nebbet.core.placeholders import fill, fill_line
from nebbet.core.values import Money, Value

TODAY = date(2026, 11, 25)
TIMES = 3000
VALUES: dict[str, Value] = {
    "first_name": "Hanna",
    "last_name": "Verrell",
    "booking": "LS-48211",
    "from": "Marrowby",
    "to": "Quillan",
    "sailing": datetime(2026, 11, 28, 16, 30),
    "refund_by": date(2026, 12, 7),
    "checkin": clock(15, 45),
    "fare": Money(Decimal("148.50"), "GBP"),
    "passengers": Decimal(3),
    "names": ("Ana", "Bo", "Cy"),
    "assistance": True,
}
SENTENCE = (
    "A sentence of the length that letters to customers have in the middle of a working day, "
    "more or less. "
)
TEXT = "\n".join(f"{SENTENCE}It is {{{{{name}}}}}, as we have it on file here." for name in VALUES)


def timed(act: Callable[[int], object], times: int = TIMES) -> float:
    """Seconds for one call, the best of five rounds."""
    rounds = []
    for _ in range(5):
        started = time.perf_counter()
        for n in range(times):
            act(n)
        rounds.append((time.perf_counter() - started) / times)
    return min(rounds)


def fresh(n: int) -> dict[str, Value]:
    """The values with a number, an amount, a date and a time that no round had before."""
    day = TODAY + timedelta(days=n)
    return VALUES | {
        "sailing": datetime.combine(day, clock(16, 30)),
        "refund_by": day,
        "fare": Money(Decimal(n) + Decimal("0.5"), "GBP"),
        "passengers": Decimal(n),
        "checkin": clock(n // 60 % 24, n % 60),
    }


def filling() -> None:
    strings = {name: fill(f"{{{{{name}}}}}", VALUES).text for name in VALUES}
    line, compiled = inline.parse(TEXT), jinja2.Template(TEXT)
    assert fill_line(line, VALUES) == compiled.render(strings)
    theirs = timed(lambda _n: compiled.render(strings))
    ours = timed(lambda _n: fill_line(line, VALUES))
    news = [fresh(n) for n in range(TIMES)]
    started = time.perf_counter()
    for values in news:
        fill_line(line, values)
    anew = (time.perf_counter() - started) / TIMES
    parsed = timed(lambda _n: fill(TEXT, VALUES), 300)
    print(
        f"filling {len(TEXT)} characters with 12 values: {ours * 1e6:.0f} µs, "
        f"{theirs / ours:.2f} times as fast as compiled Jinja2 with plain strings "
        f"({theirs * 1e6:.0f} µs); goal 1"
    )
    print(
        f"  with five values to be written by CLDR anew each time: {anew * 1e6:.0f} µs, "
        f"{theirs / anew:.2f} times as fast"
    )
    print(f"  with reading the text and looking for mistyped braces: {parsed * 1e6:.0f} µs")


def year() -> None:
    rule, calendar = dates.read("today + 7 working days"), dates.calendar_for("GB-SCT")
    closed = sorted(holidays.country_holidays("GB", subdiv="SCT", years=range(2025, 2030)))
    numpys = numpy.busdaycalendar(holidays=numpy.array(closed, dtype="datetime64[D]"))
    days = [TODAY + timedelta(days=n) for n in range(366)]

    def by_numpy(_n: int) -> list[date]:
        return [
            numpy.busday_offset(day, 7, roll="backward", busdaycal=numpys).astype(date)
            for day in days
        ]

    def by_nebbet(_n: int) -> tuple[dates.YearDay, ...]:
        return dates.year_view(rule, TODAY, calendar)

    found = [day.worked.day for day in by_nebbet(0) if day.worked]
    assert found == by_numpy(0)
    ours, theirs = timed(by_nebbet, 10), timed(by_numpy, 10)
    print(
        f"a year view with what was skipped on each day: {ours * 1e3:.1f} ms, "
        f"{ours / theirs:.1f} times as long as 366 single evaluations by numpy.busday_offset "
        f"({theirs * 1e3:.1f} ms); goal under 50 ms"
    )


if __name__ == "__main__":
    filling()
    year()
