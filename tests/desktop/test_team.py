"""Several at one library, through the window: editions, proposals, and who was quicker."""

import shutil
from collections.abc import Iterator
from datetime import timedelta
from pathlib import Path

import pytest
from msgspec.structs import replace
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QMenu
from pytestqt.qtbot import QtBot

from nebbet.core.letter import Content
from nebbet.desktop import application
from nebbet.desktop.editions.comparison import ComparisonView
from nebbet.desktop.kit.pause import DOUBLE_PRESS
from nebbet.desktop.window import Window
from nebbet.library.store import open_library
from nebbet.personal.home import Home, home_in
from nebbet.personal.secrets import SessionSecrets
from nebbet.personal.settings import read_settings
from nebbet.standin import demo
from nebbet.standin.service import MailService
from tests.conftest import NOW
from tests.desktop.conftest import Hand, template

LEAD = "ottilie.marsh"


@pytest.fixture(scope="session")
def home_with_past(tmp_path_factory: pytest.TempPathFactory) -> Home:
    """The demo with its earlier editions and proposals, made once; each test works on a copy."""
    home = home_in(tmp_path_factory.mktemp("past") / "demo")
    demo.prepare_demo(home, NOW, service_of=MailService).stop()
    return home


@pytest.fixture
def home(home_with_past: Home, tmp_path: Path) -> Home:
    copied = home_in(tmp_path / "home")
    shutil.copytree(home_with_past.data, copied.data)
    return copied


def read(view: ComparisonView) -> str:
    return view.toPlainText()


def editions(hand: Hand, name: str) -> None:
    hand.press("Alt+3")
    hand.window.library.table.choose(name)
    hand.press("Ctrl+Alt+H")
    hand.until(lambda: hand.window.library.history.editions)


def elsewhere(home: Home, name: str, old: str, new: str, note: str = "elsewhere") -> None:
    """Somebody else, at another computer, puts other words in use."""
    library = open_library(home.library_file)
    now = library.catalogue(NOW).templates[name]
    texts = {
        code: replace(text, body=text.body.replace(old, new))
        for code, text in now.content.texts.items()
    }
    assert texts != now.content.texts
    content: Content = replace(now.content, texts=texts)
    library.save_edition(name, now.title, content, author=LEAD, note=note, made=NOW)
    library.close()


# Editions


def test_editions_are_compared_and_an_old_one_is_brought_back(hand: Hand) -> None:
    editions(hand, "refund-agreed")
    page = hand.window.library.history
    assert page.isVisible() and hand.focus is page.list
    assert [e.edition for e in page.editions] == [3, 2, 1]
    assert "Some banks show it" in read(page.view) and "Banks may take longer" in read(page.view)
    assert not page.restore_button.isEnabled(), "the newest is in use already"
    hand.press("Down", "Down")
    assert page.at is not None and page.at.edition == 1
    assert "Nothing before it" in read(page.view)
    page.other.setCurrentIndex(page.other.findText("edition 3"))
    page.other.activated.emit(page.other.currentIndex())
    assert "10 working days" in read(page.view) and "7 working days" in read(page.view)
    hand.click(page.restore_button)
    hand.until(lambda: template(hand, "refund-agreed").edition == 4)
    assert template(hand, "refund-agreed").note == "As in edition 1"
    assert "Edition 4 is in use: it says what edition 1 said." in hand.said
    hand.until(lambda: page.editions[0].edition == 4)
    assert template(hand, "refund-agreed").content == page.editions[-1].content
    hand.press("Esc")
    assert hand.window.library.table.isVisible()


def test_a_draft_is_compared_with_an_edition_and_esc_goes_back_to_it(hand: Hand) -> None:
    hand.press("Alt+3")
    hand.window.library.edit("refund-agreed")
    editor = hand.window.library.editor
    editor.body.setFocus()
    hand.press("Ctrl+Home")
    hand.type("Quite new. ")
    hand.press("Ctrl+Alt+H")
    page = hand.window.library.history
    hand.until(lambda: page.editions)
    page.other.setCurrentIndex(page.other.findText("your draft"))
    page.other.activated.emit(page.other.currentIndex())
    assert "Quite new. " in read(page.view)
    hand.press("Esc")
    assert hand.window.library.is_editing


def test_a_template_without_an_edition_has_none_to_show(hand: Hand) -> None:
    hand.press("Alt+3", "Ctrl+Shift+N")
    menu = QApplication.activePopupWidget()
    assert isinstance(menu, QMenu), "onto which shelf"
    menu.actions()[1].trigger()
    menu.close()
    hand.until(lambda: hand.window.library.is_editing)
    hand.window.activateWindow()
    hand.until(lambda: QApplication.focusWidget() is not None)
    hand.press("Ctrl+Alt+H")
    assert "This template has no edition yet." in hand.said


# Proposals


@pytest.fixture
def proposed(hand: Hand, home: Home) -> Hand:
    """The demo's library with what its colleagues propose, at the page of proposals."""
    hand.press("Alt+3", "Ctrl+Alt+P")
    hand.until(lambda: hand.window.library.proposals.list.count() == 3)
    return hand


def at(hand: Hand, key: str) -> None:
    page = hand.window.library.proposals
    keys = [page.list.item(row).data(256) for row in range(page.list.count())]
    page.list.setCurrentRow(keys.index(key))
    hand.until(lambda: page.merged is not None and "Proposed" in read(page.view))


def test_a_lead_sees_the_difference_and_puts_a_proposal_in_use(proposed: Hand) -> None:
    page = proposed.window.library.proposals
    at(proposed, "shorter-cancellation")
    assert "Ivo Lindqvist" in page.reason.text() and "button" in page.reason.text()
    assert "Please choose on our website" in read(page.view)
    page.list.setFocus()
    proposed.press("Ctrl+Shift+S", "Ctrl+Shift+S")  # pressed twice, decided once
    proposed.until(lambda: template(proposed, "sailing-cancelled").edition == 2)
    now = template(proposed, "sailing-cancelled")
    assert now.author == "ivo.lindqvist" and "People ask where to reply" in now.note
    assert "Edition 2 of “Sailing cancelled" in proposed.said
    assert proposed.session.shared.catalogue.proposals["shorter-cancellation"].state == "accepted"
    assert proposed.window.library.proposed.text() == "Proposals (1)"


def test_a_proposal_against_an_older_edition_is_merged(proposed: Hand) -> None:
    page = proposed.window.library.proposals
    at(proposed, "banks")
    assert page.note.text().startswith(
        "Written after edition 1; edition 3 is in use by now. The two do not touch"
    )
    proposed.click(page.accept_button)
    proposed.until(lambda: template(proposed, "refund-agreed").edition == 4)
    body = template(proposed, "refund-agreed").content.texts["en_GB"].body
    assert "We hope to see you on board again." in body, "what was proposed"
    assert "Some banks show it a day or two later." in body, "what came meanwhile"


def test_changes_of_the_same_place_are_shown_and_amended(proposed: Hand, home: Home) -> None:
    elsewhere(home, "refund-agreed", "We hope to welcome you on another crossing.", "Good-bye.")
    proposed.session.shared.refresh()
    proposed.until(lambda: template(proposed, "refund-agreed").edition == 4)
    page = proposed.window.library.proposals
    at(proposed, "banks")
    assert "Both changed the same: the text in English" in page.note.text()
    assert "Good-bye." in read(page.view) and "We hope to see you" in read(page.view)
    assert not page.accept_button.isEnabled()
    page.list.setFocus()
    proposed.press("Ctrl+Shift+S")
    assert "amend it in the editor first" in proposed.said
    page.list.setFocus()
    proposed.press("Ctrl+E")
    editor = proposed.window.library.editor
    assert editor.isVisible() and "We hope to see you on board again." in editor.body.toPlainText()
    proposed.put_in_use("both are true")
    proposed.until(lambda: template(proposed, "refund-agreed").edition == 5)
    made = proposed.session.shared.catalogue.proposals["banks"]
    assert (made.state, made.answer) == ("accepted", "both are true")
    assert template(proposed, "refund-agreed").author == "saoirse.pell"


def test_a_proposal_is_declined_with_a_word(proposed: Hand) -> None:
    page = proposed.window.library.proposals
    at(proposed, "shorter-cancellation")
    proposed.click(page.decline_button)
    assert "Say in one line why" in proposed.said and proposed.focus is page.answer
    proposed.type("The law wants these words")
    proposed.click(page.decline_button)
    proposed.until(
        lambda: (
            proposed.session.shared.catalogue.proposals["shorter-cancellation"].state == "declined"
        )
    )
    at_rest = proposed.session.shared.catalogue.proposals["shorter-cancellation"]
    assert at_rest.answer == "The law wants these words"
    assert template(proposed, "sailing-cancelled").edition == 1
    assert page.answer.text() == ""


def test_a_lead_tries_a_proposal_with_a_case(hand: Hand) -> None:
    hand.press("Alt+3", "Ctrl+Alt+P")
    page = hand.window.library.proposals
    hand.until(page.try_button.isVisible)
    hand.press("Ctrl+T")
    assert page.trial.isVisible() and hand.focus is page.trial.case
    assert page.trial.body.toPlainText().startswith(("Dear", "We"))
    assert "{{" not in page.trial.body.toPlainText()
    hand.press("Esc")
    assert page.view.isVisible() and page.isVisible()
    hand.press("Esc")
    assert not page.isVisible()


# A colleague


@pytest.fixture
def colleague(home: Home, service: MailService, qtbot: QtBot) -> Iterator[Hand]:
    user = read_settings(home.settings_file).account.user
    secrets = SessionSecrets({user: demo.PASSWORD})
    parts = application.make_parts(home, secrets, lambda: NOW, role="colleague")
    window = Window(parts)
    window.notices.ask = lambda *_words: True  # type: ignore[method-assign]
    qtbot.addWidget(window, before_close_func=lambda w: w.close())
    with qtbot.waitSignal(window.session.shared.search.ready, timeout=15_000):
        window.show()
    qtbot.waitActive(window)
    yield Hand(window, qtbot, service)
    window.close()


def test_a_colleague_proposes_and_sees_the_outcome(colleague: Hand, home: Home) -> None:
    hand = colleague
    hand.press("Alt+3")
    library = hand.window.library
    library.table.choose("damage-claim")
    QApplication.processEvents()
    assert not library.acts.pin_all.isVisible() and not library.acts.retire_button.isVisible()
    library.edit("damage-claim")
    editor = library.editor
    assert editor.using.use_button.text() == "Propose"
    cursor = editor.body.document().find("I am sorry that this happened")
    editor.body.setTextCursor(cursor)
    editor.body.setFocus()
    hand.type("We regret that this happened")
    hand.put_in_use("warmer")
    hand.until(
        lambda: any(p.reason == "warmer" for p in hand.session.shared.catalogue.proposals.values())
    )
    assert "is proposed: a lead will look at it" in hand.said
    hand.until(lambda: not library.is_editing)
    assert template(hand, "damage-claim").edition == 1
    assert "damage-claim" not in hand.session.shared.own.drafts
    (made,) = [p for p in hand.session.shared.catalogue.proposals.values() if p.reason == "warmer"]
    assert (made.author, made.base) == ("benedek.roy", 1)
    lead = open_library(home.library_file)
    lead.decline(made.id, "Claims wants it so", LEAD, NOW)
    lead.close()
    hand.session.shared.refresh()
    hand.until(lambda: hand.session.shared.catalogue.proposals[made.id].state == "declined")
    hand.press("Ctrl+Alt+P")
    page = library.proposals
    keys = [page.list.item(row).data(256) for row in range(page.list.count())]
    page.list.setCurrentRow(keys.index(made.id))
    assert page.note.text() == "Declined by Ottilie Marsh, 25 Nov: “Claims wants it so”"


def test_a_colleague_takes_a_proposal_back_and_decides_nothing(colleague: Hand) -> None:
    hand = colleague
    hand.press("Alt+3")
    hand.window.library.edit("claim-received")
    hand.window.library.editor.body.setFocus()
    hand.type("Now: ")
    hand.put_in_use("try")
    hand.until(
        lambda: any(p.reason == "try" for p in hand.session.shared.catalogue.proposals.values())
    )
    (made,) = [p for p in hand.session.shared.catalogue.proposals.values() if p.reason == "try"]
    hand.press("Ctrl+Alt+P")
    page = hand.window.library.proposals
    at(hand, made.id)
    assert not page.acting.isVisible()
    hand.click(page.withdraw_button)
    hand.until(lambda: hand.session.shared.catalogue.proposals[made.id].state == "withdrawn")


def test_somebody_the_library_does_not_know_keeps_their_draft(colleague: Hand) -> None:
    hand = colleague
    hand.session.shared.member = "nobody"
    hand.press("Alt+3")
    hand.window.library.edit("claim-received")
    hand.window.library.editor.body.setFocus()
    hand.type("Now: ")
    hand.put_in_use("try")
    assert "Say who you are first" in hand.said
    assert "claim-received" in hand.session.shared.own.drafts and hand.window.library.is_editing


def test_a_colleague_is_told_what_is_the_lead_s(colleague: Hand) -> None:
    hand = colleague
    hand.press("Alt+3")
    hand.window.library.table.choose("refund-agreed")
    hand.press("Ctrl+Shift+P")
    hand.until(lambda: "that is for a lead to change" in hand.said)
    assert template(hand, "refund-agreed").pinned
    library = hand.window.library
    assert not library.view.add.isVisible() and not library.take_files.isVisible()
    for keys in ("Ctrl+Shift+A", "Ctrl+Alt+B", "Ctrl+Alt+F"):
        hand.press(keys)
        page = library.at_hand()
        assert page.for_leads and not any(control.isVisible() for control in page.for_leads)
        hand.press("Esc")


# Who was quicker


def type_in(hand: Hand, name: str, words: str) -> None:
    hand.press("Alt+3")
    hand.window.library.edit(name)
    editor = hand.window.library.editor
    editor.body.setFocus()
    hand.press("Ctrl+Home")
    hand.type(words)


def test_whoever_saves_second_gets_both_together(hand: Hand, home: Home) -> None:
    type_in(hand, "complaint-first-answer", "Please read. ")
    elsewhere(home, "complaint-first-answer", "if it takes longer", "should it take longer")
    hand.put_in_use()
    hand.until(lambda: "put edition 3 in use meanwhile" in hand.said)
    assert hand.said.startswith("Ottilie Marsh put edition 3 in use meanwhile. Its changes are in")
    editor = hand.window.library.editor
    text = editor.body.toPlainText()
    assert "Please read. " in text and "should it take longer" in text
    assert template(hand, "complaint-first-answer").edition in (2, 3)
    hand.put_in_use()
    hand.until(lambda: template(hand, "complaint-first-answer").edition == 4)
    body = template(hand, "complaint-first-answer").content.texts["en_GB"].body
    assert "Please read. " in body and "should it take longer" in body


def test_changes_of_one_place_are_told_and_both_can_be_seen(hand: Hand, home: Home) -> None:
    type_in(hand, "claim-received", "Mine. ")
    elsewhere(home, "claim-received", "<p>{{recipient.greeting}}</p>", "<p>Theirs</p>")
    hand.put_in_use()
    hand.until(lambda: "changed the same as you: the text in English" in hand.said)
    hand.click(hand.window.notices.action)
    page = hand.window.library.history
    hand.until(lambda: page.editions)
    page.other.setCurrentIndex(page.other.findText("your draft"))
    page.other.activated.emit(page.other.currentIndex())
    assert "Theirs" in read(page.view) and "Mine. " in read(page.view)
    hand.press("Esc")
    assert "Mine. " in hand.window.library.editor.body.toPlainText()
    hand.put_in_use()
    hand.until(lambda: template(hand, "claim-received").edition == 3)


def test_a_draft_remembers_which_edition_it_was_written_after(hand: Hand, home: Home) -> None:
    type_in(hand, "claim-received", "Mine. ")
    hand.press("Esc")
    elsewhere(home, "claim-received", "You need not send", "You do not have to send")
    hand.session.shared.refresh()
    hand.until(lambda: template(hand, "claim-received").edition == 2)
    hand.window.library.edit("claim-received")
    hand.put_in_use()
    hand.until(lambda: "put edition 2 in use meanwhile" in hand.said)
    assert "You do not have to send" in hand.window.library.editor.body.toPlainText()


# Changes by others


def test_changes_of_others_arrive_by_themselves(hand: Hand, home: Home) -> None:
    elsewhere(home, "claim-received", "You need not send", "You do not have to send")
    hand.until(lambda: template(hand, "claim-received").edition == 2)


def test_a_letter_takes_over_a_newer_edition_and_loses_nothing(hand: Hand, home: Home) -> None:
    hand.press("Alt+3")
    hand.type("sailing canc")
    hand.press("Return")
    hand.type("verrell")
    hand.press("Return")
    hand.type("fog")
    body = hand.window.letters.paper.body
    body.setTextCursor(body.document().find("safety on the Sound"))
    hand.type("By hand")
    elsewhere(
        home, "sailing-cancelled", "You can choose what suits you better", "It is your choice"
    )
    hand.until(lambda: "has a newer edition than this letter was begun with" in hand.said)
    assert "It is your choice" not in body.toPlainText()
    hand.click(hand.window.notices.action)
    hand.until(lambda: "It is your choice" in body.toPlainText())
    letter = hand.window.letters.model.letter
    assert letter is not None and (letter.edition, letter.answers) == (2, {"reason": "fog"})
    assert "The reason is fog," in body.toPlainText() and "By hand" in body.toPlainText()
    body.setFocus()
    hand.press("Ctrl+Z")
    hand.until(lambda: "You can choose what suits you better" in body.toPlainText())
    assert "By hand" in body.toPlainText()


# Who edits what


def test_who_edits_what_is_seen(hand: Hand, home: Home) -> None:
    hand.press("Alt+3")
    page = hand.window.library
    page.table.choose("refund-agreed")
    library = open_library(home.library_file)
    library.be_present("refund-agreed", LEAD, NOW)
    library.be_present("refund-agreed", LEAD, NOW)
    hand.until(lambda: "Ottilie Marsh is editing this." in page.pane.state.text())
    assert "being edited" in str(
        page.table.model().index(page.table.currentIndex().row(), 0).data()
    )
    page.edit("refund-agreed")
    assert "Ottilie Marsh is editing this." in page.editor.using.state.text()
    editing = {"refund-agreed": ("benedek.roy", LEAD)}
    hand.until(lambda: library.catalogue(NOW).editing == editing)
    library.be_present("refund-agreed", "ivo.lindqvist", NOW)
    hand.until(lambda: "Ivo Lindqvist and Ottilie Marsh are" in page.editor.using.state.text())
    for member in (LEAD, "ivo.lindqvist"):
        library.be_gone("refund-agreed", member)
    hand.until(lambda: "editing this" not in page.editor.using.state.text())
    hand.press("Esc")
    hand.until(lambda: not library.catalogue(NOW).editing)
    page.edit("claim-received")
    hand.until(lambda: library.catalogue(NOW).editing == {"claim-received": ("benedek.roy",)})
    later = NOW + timedelta(minutes=2)
    assert not library.catalogue(later).editing, "not heard of any more"
    library.be_present("refund-agreed", LEAD, NOW)
    hand.until(lambda: "refund-agreed" in hand.session.shared.catalogue.editing)
    hand.clock.moment = later
    hand.session.following.look()  # as it does each minute
    hand.until(lambda: "refund-agreed" not in hand.session.shared.catalogue.editing)
    library.be_gone("refund-agreed", LEAD)
    page.leave()
    hand.until(lambda: not library.catalogue(NOW).editing)
    library.close()


# The wording of a letter


def _send(hand: Hand) -> None:
    """Send the letter at hand; where the past makes it a doubt, once more."""
    model = hand.window.letters.model
    assert model.letter is not None
    letter = model.letter.id
    hand.press("Ctrl+Return")
    if model.letter and model.letter.id == letter:
        QTest.qWait(DOUBLE_PRESS + 50)
        hand.press("Ctrl+Return")


def test_the_wording_of_a_letter_just_sent_is_offered(colleague: Hand) -> None:
    hand = colleague
    hand.press("Alt+3")
    hand.type("confirmation")
    hand.press("Return")
    hand.type("haldane")
    hand.press("Return")
    hand.until(lambda: hand.window.letters.model.letter and hand.window.letters.model.letter.body)
    body = hand.window.letters.paper.body
    body.setFocus()
    hand.press("Ctrl+End")
    hand.type(" Have a good crossing.")
    _send(hand)
    hand.until(lambda: hand.session.shared.entries[0].template == "confirmation-again")
    hand.press("Alt+5")
    register = hand.window.register
    hand.until(lambda: register.current and register.current.template == "confirmation-again")
    hand.press("Ctrl+Alt+G")
    library = hand.window.library
    hand.until(lambda: hand.window.place is library and library.is_editing)
    assert "Have a good crossing." in library.editor.body.toPlainText()
    assert "The wording of your letter stands here" in hand.said
    text = library.editor.content().texts["en_GB"]
    before = template(hand, "confirmation-again").first_text
    assert text.subject == before.subject and "haldane" not in text.body.casefold()
    assert text.body.count("data-passage") in (
        before.body.count("data-passage"),
        before.body.count("data-passage") - 1,
    )
    hand.put_in_use("People like it")
    hand.until(
        lambda: any(
            p.reason == "People like it" for p in hand.session.shared.catalogue.proposals.values()
        )
    )


def test_a_letter_that_says_what_its_template_says_is_not_offered(hand: Hand) -> None:
    hand.press("Alt+3")
    hand.type("confirmation")
    hand.press("Return")
    hand.type("haldane")
    hand.press("Return")
    _send(hand)
    hand.sent_all()
    hand.press("Alt+5")
    register = hand.window.register
    hand.until(lambda: register.current and register.current.template == "confirmation-again")
    hand.click(register.offer_button)
    hand.until(lambda: "This letter says what its template says" in hand.said)
    other = next(row for row, entry in enumerate(register.shown) if entry.sender != "benedek.roy")
    register.table.selectRow(other)
    register.table.setFocus()
    assert not register.offer_button.isEnabled()
    hand.press("Ctrl+Alt+G")
    hand.until(lambda: "is not on this computer" in hand.said)


def test_a_colleague_s_own_template_is_proposed_as_a_new_one(colleague: Hand) -> None:
    hand = colleague
    hand.press("Alt+3", "Ctrl+Shift+N")
    library = hand.window.library
    hand.until(lambda: library.is_editing)
    mine, editor = library.editor.template, library.editor
    hand.type("Ferry biscuits")
    assert editor.using.use_button.text() == "Put in use as edition 1", "on the own shelf"
    editor.heading.shelves.setCurrentIndex(editor.heading.shelves.findText("Bookings"))
    editor.lines["subject"].setFocus()
    hand.type("Biscuits")
    editor.body.setFocus()
    hand.type("They are nice.")
    editor.keep_draft()
    assert editor.using.use_button.text() == "Propose"
    hand.put_in_use("Everybody asks")
    hand.until(
        lambda: any(
            p.title == "Ferry biscuits" for p in hand.session.shared.catalogue.proposals.values()
        )
    )
    (made,) = [
        p for p in hand.session.shared.catalogue.proposals.values() if p.title == "Ferry biscuits"
    ]
    assert made.template != mine and (made.base, made.shelf) == (0, "bookings")
    assert template(hand, mine).content == made.content, "the text stays on the own shelf, too"
