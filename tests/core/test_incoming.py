"""Columns matched to fields, and rows as people and cases. That the first row has the headings, and
several addresses in a cell are separated by comma or semicolon, is common practice, no source."""

from datetime import date, time
from decimal import Decimal

import pytest

from nebbet.core.records import Case, Contact
from nebbet.core.records.incoming import (
    Reading,
    amount,
    cases_in,
    day_of,
    people_in,
    says_day_first,
)
from nebbet.core.records.kinds import PEOPLE, Kind, RecordField
from nebbet.core.records.matching import NEW, propose, targets
from nebbet.core.records.tables import ReadTable, read_table
from nebbet.core.values import from_json

_USUAL = "first_name last_name email organisation"


def table(*lines: str) -> ReadTable:
    return read_table("\n".join(lines).encode())


@pytest.mark.parametrize(
    ("headings", "keys"),
    [
        ("First name;Surname;E-mail;Company;Phone number", f"{_USUAL} phone"),
        ("Vorname;Nachname;E-Mail;Firma;Telefon", f"{_USUAL} phone"),
        ("Prénom;Nom;Courriel;Société;Langue", f"{_USUAL} language"),
        ("Fornavn;Etternavn;E-post;Bedrift;Merknad", f"{_USUAL} notes"),
        ("full_name;EMAIL_ADDRESS;street;city;season", "name email postal postal +"),
    ],
)  # fmt: skip
def test_columns_are_matched_by_their_names(headings: str, keys: str) -> None:
    made = table(headings, "a;b;c;d;e")
    assert list(propose(made, targets(None, [], people=True)).values()) == keys.split()


def test_columns_are_matched_by_what_is_in_them() -> None:
    made = table("Wer;Wohin;Ruf", "Ann Pell;a@x.example;+44 1632 960001",
                 "Bo;b@x.example;01632 960002")  # fmt: skip
    assert propose(made, targets(None, [], people=True)) == {
        "Wer": NEW, "Wohin": "email", "Ruf": "phone",
    }  # fmt: skip


def test_fields_of_the_team_are_matched_and_the_last_choice_is_remembered() -> None:
    kind = Kind("refund", "refund", (RecordField("sailing_date", "date", "Sailing on"),))
    made = table("Booking;Sailing on;Fare paid", "LS-1;3.4.2026;4")
    offered = targets(kind, ["fare"], people=False)
    assert propose(made, offered) == {
        "Booking": "number", "Sailing on": "sailing_date", "Fare paid": NEW,
    }  # fmt: skip
    chosen = {"Booking": "number", "Sailing on": "", "Fare paid": "fare"}
    assert propose(made, offered, chosen) == chosen
    assert propose(table("Booking", "LS-1"), offered, chosen) == {"Booking": "number"}


def test_people_of_rows() -> None:
    made = table(
        "Name;Mail;Born;Season;ID",
        "Byron, Ada;ada@x.example, a.b@home.example;3.4.1980;2026;7",
        ";Ann <ann@x.example>;;;",
        "Nobody's;nix;;;",
        ";;;2026;8",
        "Jo;jo@x.example;32.1.1980;;",
    )
    kind = Kind(PEOPLE, "People", (RecordField("born", "date"),))
    matches = {"Name": "name", "Mail": "email", "Born": "born", "Season": NEW, "ID": NEW}
    rows = list(people_in(made, Reading(matches, kind)))
    ada = rows[0].record
    assert isinstance(ada, Contact)
    assert (ada.first_name, ada.last_name, ada.email) == ("Ada", "Byron", "ada@x.example")
    assert ada.addresses == ("a.b@home.example",)
    assert from_json(ada.more["born"]) == date(1980, 4, 3) and ada.more["season"] == "2026"
    assert ada.id == "" and ada.more["id_field"] == "7", "an id of theirs is none of ours"
    assert isinstance(rows[1].record, Contact) and rows[1].record.email == "ann@x.example"
    assert [row.refused for row in rows[2:]] == [
        "“nix” is not a mail address",
        "it has neither a name nor an address",
        "Born: “32.1.1980” is no date",
    ]


def test_cases_of_rows() -> None:
    made = table("Ref;Customer;Others;Fare;Sails;Class",
                 "LS-1;ada@x.example;Bo; £ 1,234.50;07:30;First",
                 ";x;;;;", "LS-2;;;much;;", "LS-3;;;;;third")  # fmt: skip
    which = RecordField("class", "choice", "", ("first", "second"))
    fields = (RecordField("fare", "money"), RecordField("sails", "time"), which)
    kind = Kind("refund", "refund", fields)
    matches = {"Ref": "number", "Customer": "contact", "Others": "people", "Fare": "fare",
               "Sails": "sails", "Class": "class"}  # fmt: skip
    rows = list(cases_in(made, Reading(matches, kind, "refund")))
    case = rows[0].record
    assert isinstance(case, Case) and case.kind == "refund"
    assert (rows[0].whose, rows[0].people) == ("ada@x.example", ("Bo",))
    assert case.fields["fare"] == {"money": "1234.50", "currency": "GBP"}
    assert from_json(case.fields["sails"]) == time(7, 30) and case.fields["class"] == "first"
    assert [row.refused for row in rows[1:]] == [
        "it has no number", "Fare: “much” is no money", "Class: “third” is no choice",
    ]  # fmt: skip


@pytest.mark.parametrize(
    ("text", "found"),
    [("1.5", "1.5"), ("1,5", "1.5"), ("1.234,5", "1234.5"), ("1 234 567,89", "1234567.89"),
     ("1'234.50", "1234.50"), ("-3", "-3"), ("1.234.567", "1234567")],
)  # fmt: skip
def test_numbers_of_tables(text: str, found: str) -> None:
    assert amount(text) == Decimal(found)


def test_days_of_tables() -> None:
    assert day_of("31/1/2026", day_first=False) == date(2026, 1, 31), "there is no month 31"
    for text in ("January", "2026", "12", "next week", ""):
        with pytest.raises((ValueError, OverflowError)):
            day_of(text)


def test_a_column_tells_how_its_days_are_written() -> None:
    for days, told in ((["3/4/2026", "25/4/2026"], True), (["3/4/2026", "4/25/2026"], False),
                       (["3/4/2026", "4/5/2026"], None)):  # fmt: skip
        assert says_day_first(table("Day", *days), 0) is told


def test_a_number_in_a_column_of_days_is_one_of_a_workbook() -> None:
    """46000 is 9 December 2025 (ISO/IEC 29500-1 §18.17.4.1, the 1900 date system)."""
    made = ReadTable(("N", "D"), (
        *read_table(b"N,D\nAnn,1\n").rows[:0],
        type(read_table(b"N\nA\n").rows[0])(2, ("Ann", Decimal(46000))),
    ))  # fmt: skip
    kind = Kind(PEOPLE, "People", (RecordField("d", "date"),))
    (row,) = people_in(made, Reading({"N": "name", "D": "d"}, kind))
    assert isinstance(row.record, Contact)
    assert from_json(row.record.more["d"]) == date(2025, 12, 9)
