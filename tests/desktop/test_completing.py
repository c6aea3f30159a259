"""A template answered in a letter: values, dates, choices, parts that come and go."""

from PySide6.QtWidgets import QApplication

from nebbet.core.body import write
from tests.desktop.conftest import Hand
from tests.desktop.doing import (
    choose,
    edit,
    field,
    named,
    new_blank,
    open_letter,
    paper,
    retype,
    saved,
    take,
)

# In a letter


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
