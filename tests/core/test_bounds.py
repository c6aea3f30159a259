"""What is typed or comes in at any length is answered in bounded time."""

import time
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import date

import pytest

from nebbet.core import addresses, checks, dates
from nebbet.core import letter as letters
from nebbet.core.body import from_text
from nebbet.core.checks.prompts import MOST, prompts_in
from nebbet.core.errors import NebbetError, shortened
from nebbet.core.letter import Content, Letter, unsound
from nebbet.core.message.importing import content_of, read_file, with_blanks
from nebbet.core.placeholders import Placeholder, World, typed

TODAY = date(2026, 11, 25)


@contextmanager
def quickly(seconds: float = 10.0) -> Iterator[None]:
    """A bound far above what it takes, far below what it took: quadratic work does not keep it."""
    started = time.process_time()
    yield
    assert time.process_time() - started < seconds


@pytest.mark.parametrize(
    "text",
    ["a" + " " * 2000 + "<", " " * 200_000 + "a", '"' * 100_000, "a@b.example," * 20_000,
     "<" * 100_000, "a" * 100_000 + "@b.example", "a<" * 50_000],
)  # fmt: skip
def test_addresses(text: str) -> None:
    with quickly():
        found, problems = addresses.read(text)
    assert found or problems


def test_forty_thousand_prompts() -> None:
    text = " ".join(f"[name {n}]" for n in range(40_000))
    with quickly():
        assert len(prompts_in(text)) == MOST
        content, _ = content_of(read_file("a.txt", text.encode()), {})
        assert len(with_blanks(content).placeholders) == MOST
        checks.check(
            Letter("l", subject=(text,), body=from_text(text[:50_000])), (), lambda _f: True
        )
    for open_ones in ("[name" * 20_000, "<name" * 20_000, "[" * 100_000, "_" * 100_000):
        with quickly():
            prompts_in(open_ones)


def test_a_text_longer_than_any_letter_is_refused_at_once() -> None:
    for name, data in (
        ("a.txt", b"short line\n" * 200_000), ("a.md", b"- x\n" * 200_000),
        ("a.html", b"<p>x</p>\n" * 400_000), ("a.eml", b"Subject: x\r\n\r\n" + b"x\r\n" * 200_000),
    ):  # fmt: skip
        with quickly(), pytest.raises(NebbetError, match="longer than any letter"):
            read_file(name, data)


def test_working_days_over_thousands_of_years() -> None:
    calendar = dates.calendar_for("GB-SCT")
    with quickly(), pytest.raises(NebbetError, match="more than a hundred years apart"):
        dates.working_days_between(date(1, 1, 1), date(9999, 12, 31), calendar)
    with quickly(), pytest.raises(NebbetError, match="more than a hundred years apart"):
        dates.working_days_between(date(9999, 12, 31), date(1, 1, 1), calendar)


@pytest.mark.parametrize("code", ["utils", "registry", "__init__", "GB/SCT", "a" * 100, "GB-", "é"])
def test_a_calendar_that_is_none_is_a_sentence(code: str) -> None:
    """The library of holidays would take the name of a module of its own for a country."""
    with pytest.raises(NebbetError, match="no calendar"):
        dates.calendar_for(code)
    assert unsound(Content(calendar=code)) or code == "GB-"


def test_many_sources_in_a_row_are_a_sentence() -> None:
    """Each needs the one before it: bounded, and told."""
    chained = tuple(
        Placeholder(f"p{n}", source="sum", of=f"p{n - 1} + 1" if n else "1") for n in range(500)
    )
    letter = letters.start("l", Content(placeholders=chained))
    world = World(TODAY)
    _, found = letters.work_out(letter, world)
    checks.check(letter, found, lambda _file: True)


@pytest.mark.parametrize(
    "text", ["+12,50 €", "12,50 €", "1" * 30 + ",5", "9" * 400, "2" + "\n" * 20_000]
)
def test_what_is_typed_as_a_value(text: str) -> None:
    """A suggestion that would be asked back again is none: it was asked back without end."""
    for kind in ("number", "money", "date", "time"):
        with quickly():
            typed.read(text, Placeholder("x", kind=kind), "de", TODAY)


def test_a_sentence_stays_one_that_can_be_read() -> None:
    assert len(NebbetError("x" * 10_000, advice="y" * 10_000).sentence) < 1000
    assert shortened("a\r\nb\x00c\u202ed") == "a b\ufffdc\ufffdd"
    assert shortened("1\u202f234") == "1\u202f234"
