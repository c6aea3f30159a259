"""Facts and working days: changed once, said everywhere."""

from datetime import date

from PySide6.QtWidgets import QApplication

from nebbet.desktop.shared.facts import SharedFacts
from tests.desktop.conftest import Hand
from tests.desktop.doing import choose, paper, retype


def facts(hand: Hand) -> SharedFacts:
    hand.press("Alt+3", "Ctrl+Shift+A")
    page = hand.window.library.facts
    assert page.isVisible() and hand.focus is page.list
    QApplication.processEvents()
    return page


def at(page: SharedFacts, label: str) -> None:
    rows = [page.list.item(row).text() for row in range(page.list.count())]
    page.list.setCurrentRow(rows.index(label))


def test_a_fact_is_changed_once_and_said_everywhere(hand: Hand) -> None:
    page = facts(hand)
    at(page, "Claims, telephone")
    assert page.form.used.text() == "A change reaches 3 templates at once."
    users = [page.users.item(row).text() for row in range(page.users.count())]
    assert users == ["Claim received", "Claim settled", "Damage on the car deck: claim form"]
    assert page.form.name.isReadOnly()
    assert page.form.label.text() and page.form.label.cursorPosition() == 0  # shows its beginning
    retype(hand, page.form.value, "01632 960 999")
    hand.press("Ctrl+S")
    hand.until(lambda: hand.session.shared.catalogue.facts["claims_phone"].value == "01632 960 999")
    assert "every template says it from now on" in hand.said
    assert page.list.key == "claims_phone"
    hand.press("Esc")
    hand.type("damage")
    hand.press("Return")
    hand.type("DC-1107")
    hand.press("Return")
    assert "01632 960 999" in paper(hand)


def test_a_new_fact_has_its_kind_and_can_be_removed(hand: Hand) -> None:
    page = facts(hand)
    hand.click(page.add)
    hand.type("bike fee")
    choose(hand, page.form.kind, "money")
    retype(hand, page.form.value, "4")
    assert "does not say which currency" in page.form.note.text()
    hand.press("Ctrl+S")
    assert "Not kept yet." in hand.said
    retype(hand, page.form.value, "£4")
    assert page.form.note.text() == "Letters say: £4.00"
    hand.press("Ctrl+S")
    hand.until(lambda: "bike_fee" in hand.session.shared.catalogue.facts)
    assert hand.session.shared.catalogue.facts["bike_fee"].value == {
        "money": "4.00",
        "currency": "GBP",
    }
    hand.until(lambda: page.list.key == "bike_fee")
    assert page.form.used.text() == "No template uses it."
    hand.click(page.drop)
    hand.until(lambda: "bike_fee" not in hand.session.shared.catalogue.facts)


def test_a_name_is_taken_only_once_and_typing_is_not_lost(hand: Hand) -> None:
    page = facts(hand)
    hand.click(page.add)
    hand.type("Desk-Phone")
    retype(hand, page.form.value, "x")
    hand.press("Ctrl+S")
    assert "There is a fact “Desk-Phone” already" in hand.said
    hand.session.shared.keep_word("Quillan")
    hand.until(lambda: "Quillan" in hand.session.shared.catalogue.words)
    assert page.form.value.text() == "x"


def test_the_working_days_of_the_team(hand: Hand) -> None:
    page = facts(hand)
    days = page.working_days
    assert "2026-12-24 Christmas Eve, office closed" in days.closed.toPlainText()
    assert days.note.text().startswith("7 working days after Wed 25 Nov 2026: Mon 7 Dec")
    retype(hand, days.code, "Nowhere")
    assert "There is no calendar “Nowhere”" in days.note.text()
    retype(hand, days.code, "GB-ENG")
    retype(hand, days.zone, "Europe/Lon")
    assert "There is no time zone" in days.note.text()
    retype(hand, days.zone, "Europe/London")
    days.closed.setFocus()
    hand.press("Ctrl+A")
    hand.type("soon")
    assert "“soon” is no closure day" in days.note.text()
    hand.press("Ctrl+A")
    hand.type("2026-11-27 Stocktaking")
    days.days[5].setFocus()
    hand.press("Space")
    assert days.note.text() == (
        "7 working days after Wed 25 Nov 2026: Fri 4 Dec; skips Fri 27 Nov (Stocktaking)"
    )
    hand.click(days.save)
    hand.until(lambda: hand.session.shared.catalogue.calendar.code == "GB-ENG")
    calendar = hand.session.shared.catalogue.calendar
    assert calendar.closed == {date(2026, 11, 27): "Stocktaking"}
    assert 5 in calendar.weekdays and calendar.zone == "Europe/London"


def test_a_template_that_says_a_fact_is_shown(hand: Hand) -> None:
    page = facts(hand)
    at(page, "Claims, telephone")
    page.users.setCurrentRow(1)
    page.users.setFocus()
    hand.press("Return")
    library = hand.window.library
    assert library.view.isVisible()
    assert library.table.key == "claim-settled"
