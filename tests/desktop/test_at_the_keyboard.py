"""Completing letters by hand, fast and carelessly: places that stay, one press that does one thing,
choosers in the place, people in the address rows, the language of the letter."""

from pathlib import Path

import pytest
from PySide6.QtCore import QPoint
from PySide6.QtGui import QTextCursor
from PySide6.QtWidgets import QPushButton

from nebbet.core import inline
from nebbet.desktop.kit.pause import DOUBLE_PRESS
from nebbet.desktop.letters import side
from nebbet.desktop.letters.newer_editions import THIS_LETTER
from tests.desktop.conftest import Hand
from tests.desktop.doing import choose, edit, new_blank, open_letter, paper, retype, take


@pytest.fixture
def letter(hand: Hand) -> Hand:
    """A cancelled sailing, begun for Hanna."""
    take(hand, "sailing canc", "verrell")
    return hand


def place_of(widget: QPushButton) -> QPoint:
    return widget.mapTo(widget.window(), QPoint(0, 0))


def complete(hand: Hand) -> None:
    hand.type("fog")
    hand.press("Return")
    hand.type("Friday")


# Sending and discarding


def test_nothing_that_comes_and_goes_moves_sending_or_discarding(letter: Hand) -> None:
    page = letter.window.letters
    send, drop = page.sending.button, page.drop
    before = place_of(send), place_of(drop)
    assert (before[0] - before[1]).manhattanLength() > 600, "far apart"
    letter.session.voice.say("One line at the foot.", "Put back", lambda: None)
    letter.press("F8")
    assert letter.window.notices.isVisible()
    letter.window.letters.paper.body.setFocus()
    letter.type("storm")
    assert (place_of(send), place_of(drop)) == before
    letter.window.notices.hide()
    assert (place_of(send), place_of(drop)) == before


def test_a_second_press_of_send_is_not_for_the_next_letter(letter: Hand) -> None:
    first = open_letter(letter)
    complete(letter)
    take(letter, "complaint first", "CP-2071")
    second = open_letter(letter)
    letter.type("Nobody told you.")
    letter.window.letters.open_letter(first.id)
    letter.press("Ctrl+Return", "Ctrl+Return")
    letter.sent_all()
    assert len(letter.mailbox()) == 1
    assert open_letter(letter).id == second.id
    letter.bot.wait(DOUBLE_PRESS + 100)
    letter.press("Ctrl+Return")
    letter.until(lambda: len(letter.mailbox()) == 2)


def test_a_doubled_press_of_send_passes_no_doubt_that_nobody_has_read(
    letter: Hand, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(side, "UNREAD", 600)
    complete(letter)
    letter.window.letters.paper.body.setFocus()
    letter.press("Ctrl+End")
    letter.type(" [name]")
    letter.until(lambda: any(f.severity == "doubt" for f in letter.window.letters.model.findings))
    letter.press("Ctrl+Return", "Ctrl+Return", "Ctrl+Return")
    assert not letter.session.sending.outbox and "Send again" in letter.said
    letter.bot.wait(700)
    letter.press("Ctrl+Return")
    letter.until(lambda: len(letter.mailbox()) == 1)


def test_after_sending_the_person_is_told_with_a_way_back(letter: Hand) -> None:
    complete(letter)
    letter.press("Ctrl+Return")
    letter.until(lambda: letter.said == "The letter to Hanna Verrell has gone.")


def test_what_is_told_of_a_letter_goes_with_it_and_with_its_cause(letter: Hand) -> None:
    letter.press("Ctrl+Return")
    assert letter.said.startswith("Not sent. ")
    complete(letter)
    letter.until(lambda: not letter.said)
    letter.press("Ctrl+A", "Delete")
    letter.press("Ctrl+Return")
    assert letter.said
    letter.press("Ctrl+N")
    assert letter.said == ""


def test_mending_what_was_told_takes_nothing_else_away(letter: Hand) -> None:
    letter.press("Ctrl+Return")
    assert letter.said.startswith("Not sent. ")
    letter.session.voice.say("There is a newer edition.", about=THIS_LETTER)
    complete(letter)
    letter.until(lambda: not letter.window.letters.model.findings)
    assert letter.said == "There is a newer edition."


# What a blank offers


def test_a_choice_is_offered_on_the_paper(hand: Hand) -> None:
    page = edit(hand, "complaint first")
    form = new_blank(hand, page, "port")
    choose(hand, form.kind, "choice")
    retype(hand, form.choices, "Marrowby, Quillan, Oar Head")
    page.body.moveCursor(QTextCursor.MoveOperation.Start)
    page.ledger.into_text.click()
    hand.put_in_use()
    hand.until(
        lambda: hand.session.shared.catalogue.templates["complaint-first-answer"].edition > 1
    )
    hand.press("Esc")
    take(hand, "complaint first", "CP-2071")
    body = hand.window.letters.paper.body
    hand.click_text(body, "port")
    offered = body.chooser.list
    assert [offered.item(row).text() for row in range(offered.count())] == [
        "Marrowby", "Quillan", "Oar Head",
    ]  # fmt: skip
    hand.press("Down", "Return")
    assert open_letter(hand).answers["port"] == "Quillan"
    assert not offered.isVisible()


def test_a_day_is_chosen_from_the_calendar_in_its_place(letter: Hand) -> None:
    body = letter.window.letters.paper.body
    letter.click_text(body, "Monday, 7 December")
    assert body.textCursor().hasSelection(), "the first click takes the value as a whole"
    letter.press("Alt+Down")
    assert body.chooser.days.isVisible()
    letter.press("Right", "Return")
    assert "Tuesday, 8 December" in paper(letter)
    assert not body.chooser.days.isVisible()


def test_a_click_takes_the_value_a_second_one_sets_the_cursor_in_it(letter: Hand) -> None:
    body = letter.window.letters.paper.body
    letter.click_text(body, "Quillan")
    assert body.textCursor().selectedText() == "Quillan"
    letter.type("Oar Head")
    assert "to Oar Head" in paper(letter)
    letter.click_text(body, "Oar Head")
    letter.bot.wait(600)  # longer than a double click
    letter.click_text(body, "Oar Head")
    assert not body.textCursor().hasSelection()


# People in the rows


def test_several_people_typed_into_to_are_all_taken(hand: Hand) -> None:
    hand.press("Ctrl+N")
    hand.type("Ana Bell <ana@bell.example>, otto@ring.example")
    hand.press("Return")
    letter = open_letter(hand)
    assert letter.recipient is not None
    assert letter.recipient.email == "ana@bell.example"
    assert "otto@ring.example" in hand.window.letters.paper.lines["to"].toPlainText()


def test_names_are_completed_in_the_copies(letter: Hand) -> None:
    page = letter.window.letters.paper
    letter.click(page.more)
    line = page.lines["cc"]
    line.setFocus()
    letter.type("brannig")
    letter.press("Return")
    assert "Aoife Brannigan <" in line.toPlainText()
    assert "@" in line.toPlainText()


def test_ctrl_n_begins_a_letter_wherever_one_is(hand: Hand) -> None:
    for place in ("Alt+3", "Alt+5"):
        hand.press(place, "Ctrl+N")
        assert hand.window.place is hand.window.letters
        assert hand.window.letters.paper.to.hasFocus()
        hand.window.letters.discard()


def test_the_register_writes_to_the_same_person_about_the_same_case(letter: Hand) -> None:
    complete(letter)
    letter.press("Ctrl+Return")
    letter.sent_all()
    letter.press("Alt+5")
    letter.until(lambda: bool(letter.window.register.shown))
    letter.press("Ctrl+Alt+W")
    begun = open_letter(letter)
    assert begun.recipient is not None
    assert begun.recipient.name == "Hanna Verrell"
    assert begun.case is not None


# The language


def test_the_language_of_a_letter_is_chosen_in_the_letter(letter: Hand) -> None:
    chosen = letter.window.letters.language
    french = [row for row in range(chosen.count()) if chosen.itemData(row) == "fr"]
    assert french, "the template has it"
    chosen.setFocus()
    letter.press("Home", *["Down"] * french[0])
    assert open_letter(letter).language == "fr"
    assert "Marrowby" in paper(letter)
    assert "sailing" not in paper(letter)


# The start


def test_the_start_goes_on_with_people_templates_and_letters(letter: Hand) -> None:
    complete(letter)
    letter.press("Ctrl+Return")
    letter.sent_all()
    start = letter.window.letters.start
    letter.until(lambda: start.people.list.count() > 0)
    assert start.people.list.item(0).text() == "Hanna Verrell"
    letter.until(lambda: start.templates.list.count() > 0)
    assert start.templates.list.item(0).text().startswith("Sailing cancelled")
    start.people.list.setFocus()
    letter.press("Return")
    begun = open_letter(letter)
    assert begun.recipient is not None
    assert begun.recipient.name == "Hanna Verrell"
    letter.press("Esc")
    letter.window.letters.discard()
    letter.click_row(start.sent.list, "Your sailing")
    assert letter.window.place is letter.window.register


# Files of the letter


def test_a_letter_s_own_file_is_not_among_the_team_s(letter: Hand, tmp_path: Path) -> None:
    kept = tmp_path / "for hanna only.txt"
    kept.write_text("Hers.")
    letter.window.letters.attachments.take_paths([str(kept)])
    letter.until(
        lambda: any("hanna" in inline.shown(a.name) for a in open_letter(letter).attachments)
    )
    letter.press("Alt+3", "Ctrl+Alt+L")
    files = letter.window.library.files.list
    rows = [files.item(row).text() for row in range(files.count())]
    assert rows
    assert not [row for row in rows if "hanna" in row]
