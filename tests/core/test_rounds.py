"""Rounds: what a row of a table says for its letter. Common practice, no source, but for RFC 5322
(addresses) and CLDR (signs of numbers)."""

from contextlib import suppress
from datetime import date, datetime, time, timedelta
from decimal import Decimal

import pytest
from hypothesis import given
from hypothesis import strategies as st

from nebbet.core import rounds
from nebbet.core.addresses import Address
from nebbet.core.dates import calendar_for
from nebbet.core.errors import NebbetError
from nebbet.core.placeholders import Placeholder
from nebbet.core.placeholders.typed import read as read_typed
from nebbet.core.records.tables import ReadTable, TableRow, read_table
from nebbet.core.rounds import Choosing, Matches, RoundRules, RowSaid, doubles
from nebbet.core.rounds.pacing import Pace, lasts, read_days, read_hours
from tests.conftest import TODAY

CALENDAR = calendar_for("GB-SCT")


def table(*rows: str) -> ReadTable:
    return read_table("\n".join(rows).encode())


def numbers(found: list[TableRow]) -> list[int]:
    return [row.number for row in found]


# Matching


def test_columns_find_what_they_are_for() -> None:
    made = table(
        "E-Mail,VORNAME,Surname,Sailing date,refund_by,Cc,Attachments,Lang,Amuont,Remarks,Claim no",
        "a@b.example,Ann,Pell,2026-11-27,3 Dec,c@d.example,x.pdf,de,12,x,7",
    )
    names = ["sailing date", "refund by", "amount"]
    assert rounds.propose(made, names) == {
        "E-Mail": "to", "VORNAME": "first_name", "Surname": "last_name",
        "Sailing date": "value:sailing date", "refund_by": "value:refund by", "Cc": "cc",
        "Attachments": "files", "Lang": "language", "Amuont": "value:amount", "Remarks": "",
        "Claim no": "case",
    }  # fmt: skip


def test_what_is_in_a_column_speaks_where_its_name_does_not() -> None:
    made = table("Wen,Betrag", "a@b.example,1", "c@d.example; e@f.example,2", "–,3")
    assert rounds.propose(made, [])["Wen"] == "to"


def test_a_placeholder_s_own_name_wins_over_a_role_and_kept_matches_over_all() -> None:
    made = table("Name,Mail", "Ann,a@b.example")
    assert rounds.propose(made, ["name"])["Name"] == "value:name"
    assert rounds.propose(made, [])["Name"] == "name"
    kept = {"Name": "", "Mail": "cc"}
    assert rounds.propose(made, ["name"], kept) == kept
    assert rounds.propose(made, ["name"], {"Other": "cc"})["Mail"] == "to"


# Rows


def said(cells: str, headings: str = "To,Cc,Files,Amount,Day", **more: object) -> rounds.RowSaid:
    roles = {"To": "to", "Cc": "cc", "Files": "files", "Amount": "value:amount", "Day": "value:day"}
    made = table(headings, cells)
    matches = Matches({h: roles.get(h, "") for h in made.headings}, **more)  # type: ignore[arg-type]
    return rounds.said_by(made.rows[0], made, matches)


def test_several_addresses_in_a_cell_and_what_is_none() -> None:
    found = said('"Ann Pell <ann@b.example>; bo@c.example",nonsense,"a.pdf; b.pdf",,')
    assert [one.spec for one in found.to] == ["ann@b.example", "bo@c.example"]
    assert found.to[0].name == "Ann Pell" and found.files == ("a.pdf", "b.pdf")
    assert found.problems == ("“nonsense” is not a mail address: there is no @ in it",)
    assert not found.answers and found.number == 2 and found.key == "r2"


def test_an_address_is_put_together_from_several_columns() -> None:
    made = table("User,House", "ann,b.example", "bo,")
    matches = Matches({}, address="{{user}}@{{House}}")
    to = [rounds.said_by(row, made, matches).to for row in made.rows]
    assert to[0][0].spec == "ann@b.example"
    assert to[1] == (), "an address of which a part is missing is none"


def test_days_are_read_as_their_column_s_are() -> None:
    assert said("a@b.example,,,,03/04/2026").answers["day"] == "03/04/2026"
    first = said("a@b.example,,,,03/04/2026", day_first={"Day": True})
    second = said("a@b.example,,,,03/04/2026", day_first={"Day": False})
    assert (first.answers["day"], second.answers["day"]) == (date(2026, 4, 3), date(2026, 3, 4))
    assert said("a@b.example,,,,soon", day_first={"Day": True}).answers["day"] == "soon"


@given(
    st.one_of(
        st.decimals(-(10**9), 10**9, places=3), st.decimals(0, 1000, places=2),
        st.dates(date(1990, 1, 1), date(2080, 1, 1)), st.times().map(lambda t: t.replace(
            second=0, microsecond=0)), st.booleans(),
    ),
    st.sampled_from(["en_GB", "de", "fr", "nb", "pl", "it", "sv"]),
)  # fmt: skip
def test_what_a_cell_holds_is_read_as_that_in_every_language(value: object, code: str) -> None:
    kinds = {Decimal: "number", date: "date", time: "time", bool: "yes/no"}
    placeholder = Placeholder("x", kind=kinds[type(value)])  # type: ignore[arg-type]
    text = rounds.typed(value, placeholder, code)  # type: ignore[arg-type]
    reading = read_typed(text, placeholder, code, TODAY)
    assert reading.value == value, (text, reading)


@pytest.mark.parametrize(
    ("cell", "code", "text"),
    [
        ("1.234,50", "en_GB", "1234.50"), ("1,234.50", "de", "1234,50"), ("12,5", "de", "12,5"),
        ("about 12", "de", "about 12"), (Decimal("007"), "en_GB", "7"),
        (datetime(2026, 11, 27, 16, 30), "en_GB", "2026-11-27 16:30"),
    ],
)  # fmt: skip
def test_numbers_of_a_text_have_the_language_s_sign(cell: object, code: str, text: str) -> None:
    assert rounds.typed(cell, Placeholder("x", kind="money"), code) == text  # type: ignore[arg-type]


def test_a_number_of_a_case_keeps_its_noughts() -> None:
    assert rounds.typed("007", Placeholder("x"), "de") == "007"


# Choosing


ROWS = table("Name,Seats,Port,Ref", "Ann,2,Quillan,007", "Bo,3,Marrowby,8", "Cy,,Quillan,9",
             "Di,11,Stennick,10")  # fmt: skip


@pytest.mark.parametrize(
    ("choosing", "wanted"),
    [
        (Choosing(), [2, 3, 4, 5]),
        (Choosing(places="1-2, 4"), [2, 3, 5]),
        (Choosing(places="3-"), [4, 5]),
        (Choosing(places="9"), []),
        (Choosing(words="quil"), [2, 4]),
        (Choosing(when="seats >= 3"), [3, 5]),
        (Choosing(when='port is "Quillan" and seats < 3'), [2]),
        (Choosing(when='ref is "007"'), [2]),
        (Choosing(words="quillan", places="2-4"), [4]),
        (Choosing(out=frozenset({3})), [2, 4, 5]),
    ],
)
def test_rows_are_chosen(choosing: Choosing, wanted: list[int]) -> None:
    assert numbers(rounds.chosen(ROWS, choosing, TODAY, CALENDAR)) == wanted


@pytest.mark.parametrize(
    ("choosing", "words"),
    [
        (Choosing(places="a"), "names no rows"),
        (Choosing(places="1--3"), "names no rows"),
        (Choosing(when="seats >"), "cannot be read"),
        (Choosing(when="chairs > 2"), "no column “chairs”"),
    ],
)
def test_what_makes_no_sense_is_told(choosing: Choosing, words: str) -> None:
    with pytest.raises(NebbetError, match=words):
        rounds.chosen(ROWS, choosing, TODAY, CALENDAR)


@given(st.text(alphabet="0123456789-–,; a", max_size=12), st.integers(0, 50))
def test_ranges_never_name_a_row_that_is_not_there(text: str, count: int) -> None:
    with suppress(NebbetError):
        assert rounds.read_ranges(text, count) <= set(range(1, count + 1))


def test_who_is_there_twice_is_found_whatever_the_case() -> None:
    made = table("To", "Ann@B.example", "bo@c.example", "ann@b.example", "")
    found = [rounds.said_by(row, made, Matches({"To": "to"})) for row in made.rows]
    assert rounds.doubles(found) == {4: 2}


@pytest.mark.parametrize(
    ("text", "hours"),
    [("9-17", (time(9), time(17))), ("9.30 – 24", (time(9, 30), time.max)), ("", (time(), time()))],
)
def test_hours_as_people_write_them(text: str, hours: tuple[time, time]) -> None:
    assert read_hours(text) == hours


@pytest.mark.parametrize("text", ["17-9", "25-26", "nine", "9", "9-9"])
def test_what_are_no_hours_is_told(text: str) -> None:
    with pytest.raises(NebbetError):
        read_hours(text)


@pytest.mark.parametrize(
    ("text", "days"),
    [("", set(range(7))), ("Mon-Fri", set(range(5))), ("sa, So", {5, 6}), ("lundi", {0}),
     ("Fri-Mon", {4, 5, 6, 0}), ("tirsdag; mercredi", {1, 2})],
)  # fmt: skip
def test_days_in_the_languages_of_teams(text: str, days: set[int]) -> None:
    assert read_days(text) == days


def test_the_last_of_several_goes_and_limits_count() -> None:
    rows = [RowSaid(n, to=(Address("", a),)) for n, a in enumerate(["a@b.c", "x@y.z", "A@B.c"])]
    assert doubles(rows) == {2: 0} and doubles(rows, last=True) == {0: 2}
    at = datetime(2026, 11, 27, 9)
    assert lasts(21, at, Pace(), (10, 0, 0)) == timedelta(minutes=2)
    assert lasts(3, at, Pace(3600), (10, 0, 0)) == timedelta(hours=2)


def test_what_a_lead_allows() -> None:
    rules = RoundRules(most=10, leads_only=True, looked_at=5)
    assert "Only a lead" in rules.against(3, leads=False)
    assert "at most 10" in rules.against(11, leads=True) and not rules.against(10, leads=True)
    assert rules.asks(5) and not rules.asks(4) and not RoundRules().asks(10_000)
