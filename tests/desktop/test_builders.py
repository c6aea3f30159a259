"""What templates ask for, through the window: builders, the year, conditions, typed answers."""

from datetime import date

import pytest
from PySide6.QtCore import QMimeData, QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QComboBox, QWidget

from nebbet.core.body import read, write
from nebbet.core.letter import Copy, Letter
from nebbet.core.placeholders import Placeholder
from nebbet.desktop.kit.picker import ASIDE
from nebbet.desktop.paper.slot_edit import SlotEdit
from nebbet.desktop.template.declaration import SOURCES, Declaration
from nebbet.desktop.template.editor import TemplateEditor
from tests.desktop.conftest import Hand, template
from tests.desktop.doing import choose, field, open_letter, paper, retype, saved


def edit(hand: Hand, words: str) -> TemplateEditor:
    hand.press("Alt+2")
    hand.press("Esc")
    hand.type(words)
    hand.press("Down", "Ctrl+E")
    assert hand.window.library.is_editing
    return hand.window.library.editor


def go_to(page: TemplateEditor, name: str) -> Declaration:
    names = [p.name for p in page.ledger.placeholders]
    page.ledger.list.setCurrentRow(names.index(name))
    return page.ledger.form


def new_blank(hand: Hand, page: TemplateEditor, name: str) -> Declaration:
    """A new placeholder, named by keys."""
    page.ledger.add.setFocus()
    hand.press("Space")
    hand.type(name)
    hand.press("Return")
    assert page.ledger.current is not None
    assert page.ledger.current.name == name
    return page.ledger.form


def named(parent: QWidget, name: str) -> QWidget:
    """The control that a screen reader calls so; the last one, where there are several."""
    QApplication.processEvents()  # what was just put into a layout is shown a moment later
    found = [w for w in parent.findChildren(QWidget) if w.accessibleName() == name]
    shown = [w for w in found if w.isVisibleTo(parent)]
    assert shown, name
    return shown[-1]


def add_step(hand: Hand, form: Declaration, kind: str) -> QWidget:
    form.builder.add.setFocus()
    hand.press("Space")
    row = form.builder.rows[-1]
    choose(hand, row.kind, kind)
    return row


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
            "refund agreed", "today", [("go on by", "7", "working day")], False,
            "today + 7 working days",
            "7 working days after the day of writing.",
            "7 working days after Wed 25 Nov 2026: Mon 7 Dec; skips Mon 30 Nov",
        ),
        (
            "damage", "sailing", [("go on by", "28", "day")], False,
            "sailing + 28 days",
            "28 days after sailing.",
            "28 days after sailing (Sun 22 Nov 2026 at 16:30): Sun 20 Dec",
        ),
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
        (
            "season ticket", "ends", [("go back by", "1", "month")], False,
            "ends - 1 month",
            "1 month before ends.",
            "1 month before ends (Sat 26 Dec 2026): Thu 26 Nov",
        ),
        (
            "lost property", "today", [("go on by", "28", "day")], False,
            "today + 28 days",
            "28 days after the day of writing.",
            "28 days after Wed 25 Nov 2026: Wed 23 Dec",
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


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("fare +", "The sum “fare +” cannot be read at character 7"),
        ("fare + days before", "“fare” is an amount and “days before” a number"),
        ("fair * 2", "no placeholder is called “fair”; did you mean “fare”?"),
        ("back * 2", "a circle: “back” needs “back”"),
    ],
)
def test_what_is_wrong_with_a_sum_is_said_while_it_is_written(
    hand: Hand, text: str, said: str
) -> None:
    page = edit(hand, "refund agreed")
    form = new_blank(hand, page, "back")
    choose(hand, form.source, SOURCES["sum"])
    retype(hand, form.of, text)
    assert said in form.note.text()
    assert form.note.property("wrong")
    hand.put_in_use()
    assert "Not in use yet" in hand.said
    assert template(hand).edition == 1


# Kinds of blanks


def test_every_row_of_the_form_reaches_the_edition(hand: Hand) -> None:
    page = edit(hand, "refund agreed")
    form = new_blank(hand, page, "gift")
    choose(hand, form.kind, "money")
    retype(hand, form.currency, "gbp")
    retype(hand, form.least, "1")
    retype(hand, form.most, "20")
    retype(hand, form.format, "full")
    retype(hand, form.hint, "a small thank you")
    form.remember.setFocus()
    hand.press("Space")
    form = new_blank(hand, page, "port")
    choose(hand, form.kind, "choice")
    retype(hand, form.choices, "Marrowby, Quillan")
    form = new_blank(hand, page, "code")
    retype(hand, form.pattern, "AA-99")
    form = new_blank(hand, page, "reach")
    choose(hand, form.source, SOURCES["first"])
    retype(hand, form.of, "recipient.mobile, sender.phone")
    retype(hand, form.fallback, "the desk")
    hand.put_in_use()
    assert saved(hand, 2).placeholders[-4:] == (
        Placeholder("gift", kind="money", currency="GBP", least="1", most="20", format="full",
                    hint="a small thank you", remember=True),
        Placeholder("port", kind="choice", choices=("Marrowby", "Quillan")),
        Placeholder("code", pattern="AA-99"),
        Placeholder("reach", source="first", of="recipient.mobile, sender.phone",
                    fallback="the desk"),
    )  # fmt: skip


def test_only_the_rows_that_are_needed_are_shown(hand: Hand) -> None:
    page = edit(hand, "group our offer")
    form = go_to(page, "price per person")
    shown = [w for w in (form.kind, form.currency, form.least, form.of, form.choices, form.builder,
                         form.steps) if w.isVisible()]  # fmt: skip
    assert shown == [form.kind, form.currency, form.least]
    go_to(page, "free places")
    assert form.steps.isVisible() and form.rounding.isVisible()
    assert not form.kind.isVisible() and not form.builder.isVisible()
    go_to(page, "offer until")
    assert form.builder.isVisible() and not form.steps.isVisible()


def test_a_condition_offers_what_it_can_speak_of(hand: Hand) -> None:
    page = edit(hand, "complaint first")
    page.body.setFocus()
    hand.press("Ctrl+Shift+I")
    hand.type("{{case.pass")
    assert page.condition.offers.isVisible()
    hand.press("Return")
    hand.type(" >= 2")
    assert page.condition.text() == "case.passengers >= 2"
    assert page.condition.note.text().endswith("yes")
    hand.press("Ctrl+A")
    hand.type("{{what went")
    hand.press("Return")
    assert page.condition.text() == "what went wrong"
    hand.type(" {{zz")
    hand.press("Esc")
    assert not page.condition.offers.isVisible() and page.condition.hasFocus()


def test_renaming_reaches_sums_rules_and_conditions(hand: Hand) -> None:
    page = edit(hand, "refund agreed")
    form = go_to(page, "days before")
    retype(hand, form.name, "days left")
    hand.press("Return")
    assert page.ledger.current is not None and page.ledger.current.name == "days left"
    form = go_to(page, "sailing")
    retype(hand, form.name, "crossing")
    hand.press("Return")
    hand.put_in_use()
    content = saved(hand, 2)
    by_name = {p.name: p.of for p in content.placeholders}
    assert by_name["amount"] == "fare * by days left: 14 → 100%, 3 → 75%, else 0%"
    assert by_name["days left"] == "days between today and crossing"
    assert 'data-when="days left &gt;= 14"' in content.texts["en_GB"].body
    assert "{{days left|plural: day / days}}" in content.texts["en_GB"].body


# Conditions


def test_paragraphs_belong_only_under_a_condition(hand: Hand) -> None:
    page = edit(hand, "complaint first")
    cursor = page.body.document().find("Your file has the number")
    page.body.setTextCursor(cursor)
    page.body.setFocus()
    hand.press("Ctrl+Shift+I")
    assert hand.focus is page.condition
    hand.type("passengers > 4")
    assert page.condition.note.text().startswith("no placeholder is called “passengers”")
    hand.press("Ctrl+A")
    hand.type("case.passengers > 4")
    assert page.condition.note.text() == "2 > 4: no"
    hand.press("Return")
    assert hand.focus is page.body
    hand.put_in_use()
    body = saved(hand, 2, "complaint-first-answer").texts["en_GB"].body
    assert '<div data-when="case.passengers &gt; 4">\n<p>Your file has the number' in body
    page.condition.setFocus()
    hand.press("Ctrl+A", "Delete", "Return")
    hand.put_in_use()
    assert "data-when" not in saved(hand, 3, "complaint-first-answer").texts["en_GB"].body


def test_copies_enclosures_and_holidays_of_a_template(hand: Hand) -> None:
    page = edit(hand, "damage")
    page.copies.add.setFocus()
    hand.press("Space")
    hand.type("access@lislesound.example")
    retype(hand, named(page.copies, "Condition of copy 1"), 'case.ship is "Merrin"')
    retype(hand, named(page.enclosures, "Condition of enclosure 1"), "case.ship is not blank")
    retype(hand, page.holidays.field, "Nowhere")
    assert "There is no calendar “Nowhere”" in page.holidays.note.text()
    retype(hand, page.holidays.field, "FR")
    assert page.holidays.note.text() == ""
    assert "skips" not in go_to(page, "answer by").note.text()
    hand.put_in_use()
    content = saved(hand, 2, "damage-claim")
    assert content.copies.conditional == (
        Copy("cc", "access@lislesound.example", 'case.ship is "Merrin"'),
    )
    assert content.enclosures[0].when == "case.ship is not blank"
    assert content.calendar == "FR"
    named(page.copies, "Remove copy 1").click()  # type: ignore[attr-defined]
    hand.put_in_use()
    assert saved(hand, 3, "damage-claim").copies.conditional == ()


# In a letter


def take(hand: Hand, words: str, who: str) -> Letter:
    hand.press("Alt+2", "Esc")
    hand.type(words)
    hand.press("Return")
    hand.type(who)
    hand.press("Return")
    return open_letter(hand)


def test_a_colleague_sees_how_a_refund_came_about_changes_it_and_puts_it_back(hand: Hand) -> None:
    take(hand, "refund agreed", "LS-48261")
    rows = hand.window.letters.particulars.rows
    assert rows["amount"].note.text() == "£120.00 × 75% (days before: 8, from 3) = £90.00"
    assert rows["refundby"].note.text().startswith("7 working days after Wed 25 Nov 2026: Mon")
    assert "Wir erstatten Ihnen 90,00 £." in paper(hand)
    fare = field(hand, "fare")
    hand.click(fare)
    hand.press("Ctrl+A")
    hand.type("100")
    assert fare.text() == "100", "nobody's typing is rewritten while they type"
    assert rows["amount"].note.text().startswith("£100.00 × 75%")
    assert "Wir erstatten Ihnen 75,00 £." in paper(hand)
    hand.press("Tab")
    assert fare.text() == "100,00\xa0£"
    rows["fare"].back_button.click()
    assert "Wir erstatten Ihnen 90,00 £." in paper(hand)
    assert open_letter(hand).answers == {}


def test_typing_on_the_paper_is_written_as_it_is_read_when_one_leaves(hand: Hand) -> None:
    take(hand, "group our offer", "GR-0612")
    body = hand.window.letters.paper.body
    assert hand.focus is body
    hand.type("12.5")
    assert "12.5 for each person" in paper(hand), paper(hand)
    assert field(hand, "priceperperson").text() == "£12.50"
    hand.press("Right")
    assert "£12.50 for each person" in paper(hand)
    hand.press("Ctrl+Z")
    assert "Price for each person for each person" in paper(hand)


def test_a_date_that_could_be_two_is_asked_back(hand: Hand) -> None:
    page = edit(hand, "complaint first")
    form = new_blank(hand, page, "new day")
    choose(hand, form.kind, "date")
    retype(hand, form.format, "full")
    cursor = page.body.document().find("Your file")
    cursor.setPosition(cursor.selectionStart())
    page.body.setTextCursor(cursor)
    page.ledger.into_text.click()
    hand.put_in_use()
    saved(hand, 2, "complaint-first-answer")
    hand.press("Esc")
    take(hand, "complaint first", "CP-2071")
    day = field(hand, "newday")
    hand.click(day)
    hand.type("3/12")
    row = hand.window.letters.particulars.rows["newday"]
    assert row.note.text() == "“3/12” could be 3 December 2026 or 12 March 2027"
    assert any(f.rule == "value" for f in hand.window.letters.model.findings)
    QApplication.processEvents()
    hand.click(named(row, "New day: 12 March 2027 is meant"))
    assert "Friday, 12 March 2027Your file" in paper(hand)
    assert not any(f.rule == "value" for f in hand.window.letters.model.findings)


def test_a_choice_is_chosen_and_remembered_for_the_next_letter(hand: Hand) -> None:
    page = edit(hand, "complaint first")
    form = new_blank(hand, page, "port")
    choose(hand, form.kind, "choice")
    retype(hand, form.choices, "Marrowby, Quillan, Oar Head")
    form.remember.setFocus()
    hand.press("Space")
    cursor = page.body.document().find("Your file")
    cursor.setPosition(cursor.selectionStart())
    page.body.setTextCursor(cursor)
    page.ledger.into_text.click()
    hand.put_in_use()
    saved(hand, 2, "complaint-first-answer")
    hand.press("Esc")
    take(hand, "complaint first", "CP-2071")
    hand.type("Nobody told you.")
    hand.click(field(hand, "port"))
    hand.type("quil")
    hand.press("Down", "Return")
    assert "QuillanYour file" in paper(hand)
    hand.press("Ctrl+Return")
    hand.sent_all()
    take(hand, "complaint first", "CP-2073")
    row = hand.window.letters.particulars.rows["port"]
    assert (row.field.text(), row.note.text()) == ("Quillan", "as you answered last time")


def test_a_part_comes_and_goes_while_one_types(hand: Hand) -> None:
    take(hand, "group our offer", "GR-0615")
    body = hand.window.letters.paper.body
    hand.until(lambda: "left out: only if passengers >= 40" in paper(hand))
    assert "second gangway" not in paper(hand)
    hand.type("12.50")
    place = body.place_of("passengers")
    assert place is not None
    body.select_place(place)
    hand.type("4")
    QApplication.processEvents()
    hand.type("6")
    hand.until(lambda: "second gangway" in paper(hand))
    assert "your party of 46 from" in paper(hand)
    hand.type("0")
    assert "your party of 460 from" in paper(hand)
    hand.press("Ctrl+Z")
    hand.until(lambda: "left out: only if passengers >= 40" in paper(hand))
    assert "your party of 24 from" in paper(hand)
    hand.press("Ctrl+Y")
    hand.until(lambda: "second gangway" in paper(hand))


def test_the_line_of_a_left_out_part_is_one_thing(hand: Hand) -> None:
    take(hand, "group our offer", "GR-0615")
    body = hand.window.letters.paper.body
    hand.until(lambda: "left out" in paper(hand))
    hand.type("12.50")
    cursor = body.document().find("left out")
    cursor.setPosition(cursor.selectionStart() + 3)
    body.setTextCursor(cursor)
    before = paper(hand)
    hand.type("xyz")
    assert paper(hand) == before
    body.moveCursor(cursor.MoveOperation.NextBlock)
    hand.press("Backspace")
    assert paper(hand) == before, "nothing is joined with it"
    body.setTextCursor(cursor)
    hand.press("Return")
    hand.until(lambda: "second gangway" in paper(hand))
    assert "only if" not in write(open_letter(hand).body)
    hand.press("Ctrl+Z")
    hand.until(lambda: "left out" in paper(hand))
    body.setTextCursor(body.document().find("left out"))
    hand.press("Right", "Delete")
    assert "left out" not in paper(hand)
    assert "gangway" not in write(open_letter(hand).body)


def test_copies_follow_their_condition(hand: Hand) -> None:
    take(hand, "group our offer", "GR-0615")
    cc = hand.window.letters.paper.lines["cc"]
    assert cc.toPlainText() == "ottilie.marsh@lislesound.example"
    row = hand.window.letters.particulars.rows["cc1"]
    assert row.note.text() == "copied: 24 >= 20: yes"
    hand.window.letters.model.type_value("passengers", "3")
    assert cc.toPlainText().strip("\u200b") == ""
    assert row.note.text() == "not copied: 3 >= 20: no"


def test_an_attachment_that_is_left_out_can_be_attached_all_the_same(hand: Hand) -> None:
    page = edit(hand, "damage")
    retype(hand, named(page.enclosures, "Condition of enclosure 1"), 'case.ship is "Skua"')
    hand.put_in_use()
    saved(hand, 2, "damage-claim")
    hand.press("Esc")
    take(hand, "damage", "DC-1107")
    letters = hand.window.letters
    assert [a.name[0] for a in open_letter(hand).attached] == ["Conditions of carriage.pdf"]
    hand.click(named(letters.attachments, "Attach Claim form DC-1107.pdf all the same"))
    assert len(open_letter(hand).attached) == 2


def test_a_finding_is_mended_by_one_key(hand: Hand) -> None:
    take(hand, "complaint first", "CP-2071")
    body = hand.window.letters.paper.body
    body.moveCursor(body.textCursor().MoveOperation.End)
    hand.type(" {{case.form}} {case.to}}")
    letters = hand.window.letters
    mended = [f.remedy.words for f in letters.model.findings if f.remedy]
    assert mended == ["Use “case.from”", "Use {{case.to}}"]
    hand.press("Shift+F8", "Shift+F8")
    assert not any(f.remedy for f in letters.model.findings)
    assert "Marrowby" in paper(hand) and "Oar Head" in paper(hand)


# The editor kit


def test_escaped_braces_show_as_braces_and_stay(qtbot) -> None:  # type: ignore[no-untyped-def]
    editor = SlotEdit()
    qtbot.addWidget(editor)
    body = read("<p>Write \\{{name}} so</p>")
    editor.show_content(body, {})
    assert editor.toPlainText() == "Write {{name}} so"
    assert editor.body() == body


def test_a_mistyped_template_is_mended_by_one_key(hand: Hand) -> None:
    page = edit(hand, "refund agreed")
    page.body.selectAll()
    hand.press("Delete")
    hand.type("We pay {{amuont}} by {refund by}}.")
    (mark,) = page.body.marks()
    assert (mark.end - mark.start, mark.kind) == (len("{refund by}}"), "unknown")
    hand.put_in_use()
    assert "is mistyped: did you mean “{{refund by}}”" in hand.said
    hand.click(hand.window.notices.action)
    page.body.setFocus()
    hand.press("Shift+F8")
    assert page.body.written() == "We pay {{amount}} by {{refund by}}."
    hand.press("Shift+F8")
    assert "nothing here that can be mended" in hand.said
    hand.put_in_use()
    assert "We pay {{amount}} by {{refund by}}." in saved(hand, 2).texts["en_GB"].body


def test_tab_goes_through_the_builder_in_the_order_of_reading(hand: Hand) -> None:
    page = edit(hand, "sailing cancelled")
    form = go_to(page, "answer by")
    add_step(hand, form, "to a weekday")
    QApplication.processEvents()
    form.builder.base.setFocus()
    names = []
    for _ in range(12):
        hand.press("Tab")
        names.append(hand.focus.accessibleName())
    assert names[:10] == [
        "Kind of step", "How many", "Unit", "Take this step out", "Kind of step", "Time of day",
        "Take this step out", "Kind of step", "Which", "Weekday",
    ]  # fmt: skip
    assert names[-1] == "Add a step"
    page = edit_again(hand, page, "refund agreed")
    form = go_to(page, "amount")
    QApplication.processEvents()
    form.steps.by.setFocus()
    names = []
    for _ in range(7):
        hand.press("Tab")
        names.append(hand.focus.accessibleName())
    assert names == ["Step 1 from", "Step 1 gives", "Take step 1 out", "Step 2 from",
                     "Step 2 gives", "Take step 2 out", "Otherwise"]  # fmt: skip


def edit_again(hand: Hand, page: TemplateEditor, words: str) -> TemplateEditor:
    page.leave()
    return edit(hand, words)


def test_the_ledger_says_how_often_and_where_a_placeholder_is_used(hand: Hand) -> None:
    page = edit(hand, "refund agreed")
    choices = page.ledger.list
    asides = {choices.item(row).text(): choices.item(row).data(ASIDE) for row in range(5)}
    assert asides["Amount we return"] == "sum, 6×"
    go_to(page, "days before")
    assert page.ledger.where.text() == "text 2×, conditions 2×, other placeholders 1×"
    new_blank(hand, page, "nobody needs me")
    cursor = page.body.textCursor()
    cursor.movePosition(cursor.MoveOperation.End)
    page.body.setTextCursor(cursor)
    page.body.setFocus()
    hand.type(" {{mystery}}")
    rows = lambda: {choices.item(r).text(): choices.item(r).data(ASIDE)  # noqa: E731
                    for r in range(choices.count())}  # fmt: skip
    hand.until(lambda: rows().get("mystery") == "unknown")
    assert rows()["Nobody needs me"] == "blank, unused"
    cursor = page.body.document().find("\ufffc")
    page.body.setTextCursor(cursor)
    hand.press("Return")
    assert page.ledger.current is not None
    assert page.ledger.current.name == "recipient.greeting"
    assert hand.focus is page.ledger.form.label


# Try it


def test_a_template_is_tried_with_one_case_after_the_other(hand: Hand) -> None:
    page = edit(hand, "refund agreed")
    page.body.setFocus()
    hand.press("Ctrl+T")
    trial = page.trial
    assert trial.case.text().startswith("LS-48260")
    text = trial.body.toPlainText()
    assert "You get back\t£64.00" in text
    assert "left out: only if days before < 14" in text
    assert trial.findings.text() == "The checks would find nothing."
    hand.click(trial.further)
    assert "120,00" in trial.body.toPlainText() or "£90.00" in trial.body.toPlainText()
    assert "changed" in {mark.kind for mark in trial.body.marks()}
    trial.case.setFocus()
    hand.press("Ctrl+A")
    hand.type("LS-48224")
    hand.press("Return")
    assert trial.case.text().startswith("LS-48224")
    assert "Number" not in trial.lines["subject"].toPlainText()
    hand.press("Ctrl+T")
    assert page.body.isVisible() and hand.focus is page.body
    hand.press("Ctrl+T", "Esc")
    assert page.body.isVisible()
    hand.press("Esc")
    assert not hand.window.library.is_editing


def test_trying_shows_what_the_checks_would_say(hand: Hand) -> None:
    page = edit(hand, "group our offer")
    page.try_it()
    assert "■ Price for each person is not completed: there and back" in page.trial.findings.text()
    assert page.trial.files.text() == "Attached: Conditions of carriage.pdf"


# Languages


def tabs(page: TemplateEditor) -> list[str]:
    bar = page.languages.tabs
    return [bar.tabText(index) for index in range(bar.count())]


def test_a_language_is_added_translated_and_falls_behind(hand: Hand) -> None:
    page = edit(hand, "complaint first")
    page.languages.add.setFocus()
    hand.type("Pol")
    hand.press("Return")
    assert tabs(page) == ["English", "Polish (older)"]
    assert "if it takes longer" in page.body.written(), "it begins with the text at hand"
    page.body.selectAll()
    page.body.setFocus()
    hand.press("Delete")
    hand.type("Dzien dobry, {{what went wrong}}")
    page.languages.tabs.setCurrentIndex(0)
    assert tabs(page) == ["English", "Polish"]
    cursor = page.body.document().find("if it takes longer")
    page.body.setTextCursor(cursor)
    page.body.setFocus()
    hand.type("should it take longer")
    page.languages.tabs.setCurrentIndex(1)
    assert tabs(page) == ["English", "Polish (older)"]
    hand.click(page.languages.fresh)
    assert tabs(page) == ["English", "Polish"]
    hand.put_in_use()
    hand.until(lambda: "pl" in template(hand, "complaint-first-answer").content.texts)
    hand.click(page.languages.drop)
    assert tabs(page) == ["English"]


def test_a_letter_in_an_added_language_follows_it(hand: Hand) -> None:
    page = edit(hand, "refund agreed")
    page.manuscript.add_language("nb")
    page.body.selectAll()
    page.body.setFocus()
    hand.press("Delete")
    hand.type("{{recipient.greeting}} {{refund by}}")
    hand.press("Ctrl+T")
    assert "mandag 7. desember 2026" in page.trial.body.toPlainText()


def test_prompts_in_pasted_text_become_blanks_all_at_once(hand: Hand) -> None:
    page = edit(hand, "complaint first")
    page.body.selectAll()
    page.body.setFocus()
    data = QMimeData()
    data.setText("Dear [first name], your order <order no> of ____ for [first name].")
    page.body.insertFromMimeData(data)
    assert "The text has prompts: [first name], <order no>, ____." in hand.said
    pasted = page.body.written()
    hand.click(hand.window.notices.action)
    assert page.body.written() == (
        "Dear {{first name}}, your order {{order no}} of {{blank 1}} for {{first name}}."
    )
    assert {"first name", "order no", "blank 1"} <= {p.name for p in page.ledger.placeholders}
    hand.press("Ctrl+Z")
    assert page.body.written() == pasted


def test_find_and_replace_in_subject_and_text(hand: Hand) -> None:
    page = edit(hand, "refund agreed")
    bar = page.find_bar
    before = page.body.written()
    page.body.setFocus()
    hand.press("Ctrl+H")
    assert hand.focus is bar.words
    hand.type("booking")
    assert bar.count.text() == "3 found"
    hand.press("Return")
    assert page.lines["subject"].textCursor().selectedText() == "booking"
    hand.press("Return")
    assert page.body.textCursor().selectedText() == "booking"
    assert not page.lines["subject"].textCursor().hasSelection()
    retype(hand, bar.instead, "reservation")
    hand.press("Return")
    assert bar.count.text() == "2 found"
    assert "cancelled your reservation " in page.body.written()
    hand.click(bar.replace_all_button)
    assert bar.count.text() == "0 found"
    assert page.lines["subject"].written().startswith("Your refund for reservation {{case.number}}")
    page.body.setFocus()
    hand.press("Ctrl+Z", "Ctrl+Z")
    assert page.body.written() == before
    bar.words.setFocus()
    hand.press("Esc")
    assert not bar.isVisible() and hand.window.library.is_editing
