"""What a lead builds in the ledger, through the window: dates, the year, sums."""

from datetime import date

import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QComboBox

from nebbet.core.placeholders import Placeholder
from nebbet.desktop.template.declaration import SOURCES, Declaration
from tests.desktop.conftest import Hand, template
from tests.desktop.doing import add_step, choose, edit, go_to, named, new_blank, retype, saved

# The demo's dates, each built from nothing with the keyboard


def go_on(hand: Hand, form: Declaration, count: str, unit: str, kind: str = "go on by") -> None:
    row = add_step(hand, form, kind)
    retype(hand, named(row, "How many"), count)
    unit_list = named(row, "Unit")
    assert isinstance(unit_list, QComboBox)
    choose(hand, unit_list, unit)


@pytest.mark.parametrize(
    ("words", "base", "steps", "late", "rule", "sentence", "example"),
    [
        (
            "confirmation sent", "sailing", [("go back by", "45", "minute")], False,
            "sailing - 45 minutes",
            "45 minutes before sailing.",
            "45 minutes before sailing (Sun 29 Nov 2026 at 10:00): Sun 29 Nov at 09:15",
        ),
        (
            "sailing cancelled", "today", [("go on by", "1", "working day"), ("at", "17:00", "")],
            True,
            "today + 1 working day at 17:00 if after 16:00 count from tomorrow",
            "1 working day after the day of writing, at 17:00; after 16:00 it counts from the "
            "day after.",
            "1 working day after Wed 25 Nov 2026, at 17:00: Thu 26 Nov at 17:00",
        ),
    ],
)  # fmt: skip
def test_the_lead_builds_a_date_and_sees_what_it_does(
    hand: Hand, words: str, base: str, steps: list[tuple[str, str, str]], late: bool, rule: str,
    sentence: str, example: str,
) -> None:  # fmt: skip
    page = edit(hand, words)
    form = new_blank(hand, page, "my date")
    choose(hand, form.source, SOURCES["date"])
    choose(hand, form.builder.base, base)
    for kind, count, unit in steps:
        if kind == "at":
            row = add_step(hand, form, "at the time")
            retype(hand, named(row, "Time of day"), count)
        else:
            go_on(hand, form, count, unit, kind)
    if late:
        form.builder.late.setFocus()
        hand.press("Space")
    assert form.of.text() == rule
    assert form.note.text().startswith(sentence)
    assert example in form.note.text()
    assert page.ledger.current == Placeholder("my date", source="date", of=rule)
    form.see_year.setFocus()
    hand.press("Space")
    assert page.year.isVisible()
    assert page.year.title.text() == "My date"
    assert page.year.sentence.text().endswith(sentence[1:])
    hand.press("Esc")
    assert page.body.isVisible()
    assert hand.window.library.is_editing


def test_a_rule_that_is_typed_shows_in_the_builder(hand: Hand) -> None:
    page = edit(hand, "refund agreed")
    form = go_to(page, "refund by")
    retype(hand, form.of, "sailing + P1M10D on or after Friday, end of next week at 9.30 "
           "or the previous working day then next Monday")  # fmt: skip
    kinds = [row.kind.currentText() for row in form.builder.rows]
    assert kinds == ["go on by a duration", "on or after", "to the end of", "at the time",
                     "if nobody works then", "to a weekday"]  # fmt: skip
    assert form.builder.base.currentText() == "sailing"
    assert not form.builder.late.isEnabled()
    form.of.setFocus()
    hand.type(" nonsense")
    assert len(form.builder.rows) == 6, "what cannot be read yet leaves the choices alone"
    assert "cannot be read at character" in form.note.text()
    assert form.note.property("wrong")
    retype(hand, form.of, "today")
    assert form.builder.rows == []


def test_steps_are_changed_and_taken_out_with_the_mouse(hand: Hand) -> None:
    page = edit(hand, "sailing cancelled")
    form = go_to(page, "answer by")
    first, second = form.builder.rows
    QApplication.processEvents()
    named(second, "Take this step out").click()  # type: ignore[attr-defined]
    assert form.of.text() == "today + 1 working day if after 16:00 count from tomorrow"
    first.kind.setCurrentIndex(first.kind.findText("to the end of"))
    assert form.of.text() == "end of this month if after 16:00 count from tomorrow"
    retype(hand, form.builder.late_time, "15:30")
    assert form.of.text().endswith("if after 15:30 count from tomorrow")
    retype(hand, form.builder.late_time, "25")
    assert form.of.text().endswith("if after 15:30 count from tomorrow")
    form.builder.late.setChecked(False)
    assert form.of.text() == "end of this month"


# The year


def test_the_year_is_walked_with_keys_and_pointer(hand: Hand) -> None:
    page = edit(hand, "refund agreed")
    go_to(page, "refund by")
    page.body.setFocus()
    hand.press("Ctrl+Shift+Y")
    chart = page.year.chart
    assert hand.focus is chart
    assert page.year.promise.text() == (
        "A letter written on Wednesday 25 November 2026 promises Monday 7 December 2026."
    )
    assert "skips Mon 30 Nov (Saint Andrew's Day)" in page.year.remark.text()
    hand.press("Right", "Right")
    assert chart.at == date(2026, 11, 27)
    hand.press("Down")
    assert chart.at == date(2026, 12, 27)
    hand.press("Up", "Left", "Home")
    assert chart.at == date(2026, 11, 25)
    hand.press("N")
    assert chart.at == date(2026, 12, 15)
    assert "Christmas Eve, office closed" in page.year.remark.text()
    hand.press("N", "N", "P", "P", "End")
    assert chart.at == date(2027, 11, 25)
    spot = chart.cell(date(2026, 12, 22)).center().toPoint()
    QTest.mouseMove(chart, spot + QPoint(1, 0))
    QTest.mouseMove(chart, spot)
    assert chart.at == date(2026, 12, 22)
    assert "promises Friday 8 January 2027." in page.year.promise.text()
    assert page.year.promise.text() in chart.accessibleDescription()
    QTest.mouseClick(
        chart, Qt.MouseButton.LeftButton, pos=chart.cell(date(2027, 3, 1)).center().toPoint()
    )
    assert chart.at == date(2027, 3, 1)
    hand.click(page.year.further)
    assert chart.at == date(2027, 3, 17)
    hand.click(page.year.back)
    assert not page.year.isVisible()


def test_a_year_of_a_placeholder_and_of_what_cannot_be_read(hand: Hand) -> None:
    page = edit(hand, "damage")
    form = go_to(page, "back by")
    page.see_year()
    assert page.year.promise.text() == (
        "If sailing is Wednesday 25 November 2026, the letter promises Wednesday 23 December 2026."
    )
    day = page.year.chart
    day.go(date(2026, 11, 27))
    assert "nobody works then: it is Christmas Day" in page.year.remark.text()
    hand.press("Esc")
    retype(hand, form.of, "sailing + 28 dys")
    assert not form.see_year.isEnabled()
    page.see_year()
    assert "cannot be read at character" in hand.said
    go_to(page, "seen by")
    page.see_year()
    assert "Choose a date rule in the ledger first" in hand.said


# Sums


def test_the_lead_builds_the_refund_table(hand: Hand) -> None:
    page = edit(hand, "refund agreed")
    form = new_blank(hand, page, "back")
    choose(hand, form.source, SOURCES["sum"])
    retype(hand, form.of, "fare")
    hand.press("Return")
    form.steps.begin.setFocus()
    hand.press("Space")
    assert hand.focus is form.steps.by
    hand.type("days before")
    assert form.of.text() == "fare * by days before: 14 → 100%, 3 → 75%, else 0%"
    assert form.note.text() == (
        "With LS-48260: £64.00. £64.00 × 100% (days before: 16, from 14) = £64.00."
    )
    retype(hand, named(form.steps, "Step 1 from"), "20")
    assert "× 75% (days before: 16, from 3) = £48.00" in form.note.text()
    form.steps.add.setFocus()
    hand.press("Space")
    hand.type("1")
    retype(hand, named(form.steps, "Step 3 gives"), "10%")
    retype(hand, named(form.steps, "Otherwise"), "0 GBP / fare")
    assert form.of.text() == (
        "fare * by days before: 20 → 100%, 3 → 75%, 1 → 10%, else (0 GBP / fare)"
    )
    retype(hand, named(form.steps, "Otherwise"), "0 +")
    assert "cannot be read" in form.note.text()
    retype(hand, named(form.steps, "Otherwise"), "0%")
    form.other.click()
    assert "With LS-48261: " in form.note.text()
    QApplication.processEvents()
    named(form.steps, "Take step 2 out").click()  # type: ignore[attr-defined]
    assert form.of.text() == "fare * by days before: 20 → 100%, 1 → 10%, else 0%"
    hand.put_in_use()
    assert saved(hand, 2).placeholders[-1] == Placeholder(
        "back", source="sum", of="fare * by days before: 20 → 100%, 1 → 10%, else 0%"
    )


def test_what_is_wrong_with_a_sum_is_said_while_it_is_written(hand: Hand) -> None:
    page = edit(hand, "refund agreed")
    form = new_blank(hand, page, "back")
    choose(hand, form.source, SOURCES["sum"])
    retype(hand, form.of, "fair * 2")
    assert "no placeholder is called “fair”; did you mean “fare”?" in form.note.text()
    assert form.note.property("wrong")
    hand.put_in_use()
    assert "Not in use yet" in hand.said
    assert template(hand).edition == 1
