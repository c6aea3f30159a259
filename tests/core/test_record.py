"""The record of a case in a letter. Common practice, no source."""

from datetime import date
from decimal import Decimal

from nebbet.core.body import FactRow, render_plain, slots
from nebbet.core.letter import record_rows, record_sheet
from nebbet.core.placeholders import World
from nebbet.core.records import Case
from nebbet.core.records.kinds import Kind, RecordField

CLAIM = Case(
    "1", "DC-7", kind="damage claim", title="A scratched door", state="with the insurer",
    fields={
        "photo": "ab" * 32,
        "seen": {"date": "2026-11-20"},
        "amount": {"money": "1250", "currency": "GBP"},
        "passengers": ["Isla Dunmore", "Bo Reed"],
        "own_note": "by letter",
        "empty": "",
    },
)  # fmt: skip
KIND = Kind(
    "k", "damage claim",
    (RecordField("seen", "date", "Seen on"), RecordField("amount", "money", first=True),
     RecordField("photo", "file"), RecordField("never", "text")),
)  # fmt: skip


def test_rows_are_in_the_order_of_the_kind_and_follow_the_case() -> None:
    rows = record_rows(CLAIM, KIND)
    assert all(isinstance(row, FactRow) for row in rows)
    assert [slot.name for slot in slots(rows)] == [
        "case.number", "case.title", "case.amount", "case.seen", "case.passengers", "case.own_note",
    ]  # fmt: skip


def test_a_sheet_has_the_values_of_its_day_in_the_letter_s_language() -> None:
    world = World(date(2026, 11, 25), "de", case=CLAIM)
    text = render_plain(record_sheet(CLAIM, KIND, world))
    assert text.splitlines()[:1] == ["DAMAGE CLAIM DC-7"]
    assert "25. November 2026" in text and "Seen on: 20. November 2026" in text
    assert "1.250,00 £" in text and "Isla Dunmore und Bo Reed" in text
    assert "insurer" not in text and "abab" not in text


def test_a_case_without_a_kind_says_what_it_has() -> None:
    case = Case("2", "7", fields={"size": Decimal(3)})
    text = render_plain(record_sheet(case, None, World(date(2026, 11, 25), case=case)))
    assert text == "7\n\nSize: 3\n\n25 November 2026\n"
