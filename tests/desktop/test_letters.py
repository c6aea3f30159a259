"""Writing letters: values, rewording, undo, findings, sending and taking back, crash and return."""

from pathlib import Path

import pytest
from PySide6.QtCore import QMimeData, Qt, QUrl
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QPushButton
from pytestqt.qtbot import QtBot

from nebbet.core import inline
from nebbet.desktop.kit.deliberate import TYPING
from nebbet.desktop.kit.pdf import pdf_of
from nebbet.personal import open_letters, outbox
from nebbet.personal.home import Home
from nebbet.standin.service import MailService
from tests.desktop.conftest import Hand, close, open_window
from tests.desktop.doing import field, open_letter, paper, take


@pytest.fixture
def letter(hand: Hand) -> Hand:
    """A cancelled sailing, begun for Hanna; the cursor is in the first blank."""
    hand.press("Alt+3")
    hand.type("sailing canc")
    hand.press("Return")
    hand.type("verrell")
    hand.press("Return")
    return hand


def subject(hand: Hand) -> str:
    return hand.window.letters.paper.lines["subject"].toPlainText()


# Values


def test_a_value_changed_in_the_particulars_changes_everywhere(letter: Hand) -> None:
    letter.click(field(letter, "case.to"))
    letter.press("Ctrl+A")
    letter.type("Oar Head")
    assert "to Oar Head is cancelled" in subject(letter)
    assert "from Marrowby to Oar Head on" in paper(letter)
    row = letter.window.letters.particulars.rows["case.to"]
    assert "changed by hand; was “Quillan”" in row.note.text()
    letter.click(row.back_button)
    assert "to Quillan is cancelled" in subject(letter)
    assert open_letter(letter).answers == {}


def test_a_value_changed_on_the_paper_changes_everywhere_and_is_undone_at_once(
    letter: Hand,
) -> None:
    body = letter.window.letters.paper.body
    place = body.place_of("case.to")
    assert place is not None
    body.select_place(place)
    letter.type("Stennick")
    assert "to Stennick is cancelled" in subject(letter)
    assert field(letter, "case.to").text() == "Stennick"
    letter.press("Ctrl+Z")
    assert "to Quillan is cancelled" in subject(letter)
    assert "from Marrowby to Quillan on" in paper(letter)
    assert open_letter(letter).answers == {}
    letter.press("Ctrl+Y")
    assert "to Stennick is cancelled" in subject(letter)
    assert field(letter, "case.to").text() == "Stennick"


def test_undo_goes_back_to_the_beginning_and_redo_to_the_end(letter: Hand) -> None:
    """Values, words, recipient, template: all of it in one history."""
    letter.type("fog")
    letter.press("F6")
    letter.type("Friday")
    letter.window.letters.model.detach(0)
    done = open_letter(letter)
    steps = 0
    while open_letter(letter).template:
        letter.press("Ctrl+Z")
        steps += 1
        assert steps < 20
    assert paper(letter) == ""
    assert open_letter(letter).recipient is None
    for _ in range(steps):
        letter.press("Ctrl+Shift+Z")
    assert open_letter(letter) == done
    assert "The reason is fog," in paper(letter)


def test_typing_beside_a_value_does_not_change_it(letter: Hand) -> None:
    body = letter.window.letters.paper.body
    place = body.place_of("recipient.first_name")
    assert place is not None
    cursor = body.textCursor()
    cursor.setPosition(place.end)
    body.setTextCursor(cursor)
    letter.type(" and family")
    assert paper(letter).startswith("Dear Hanna and family,")
    assert open_letter(letter).answers == {}
    cursor.setPosition(place.start)
    body.setTextCursor(cursor)
    letter.type("lovely ")
    assert paper(letter).startswith("Dear lovely Hanna and family,")
    assert open_letter(letter).answers == {}


def test_deleting_a_value_leaves_a_blank_and_deleting_the_blank_takes_it_out(
    letter: Hand,
) -> None:
    body = letter.window.letters.paper.body
    place = body.place_of("recipient.first_name")
    assert place is not None
    cursor = body.textCursor()
    cursor.setPosition(place.end)
    body.setTextCursor(cursor)
    letter.press(*["Backspace"] * 5)
    assert paper(letter).startswith("Dear First name,")
    assert next(p.name for p in body.blanks()) == "recipient.first_name"
    letter.type("Ms Verrell")
    assert paper(letter).startswith("Dear Ms Verrell,")
    body.select_place(body.place_of("recipient.first_name"))  # type: ignore[arg-type]
    letter.press("Delete")
    letter.press("Delete")
    assert paper(letter).startswith("Dear ,")
    assert body.place_of("recipient.first_name") is None


def test_f6_walks_through_the_blanks_both_ways(letter: Hand) -> None:
    body = letter.window.letters.paper.body
    letter.press("F6")
    assert body.textCursor().selectedText() == "Sailing we hold for them"
    letter.press("F6")
    assert body.textCursor().selectedText() == "Reason for the cancellation"
    letter.press("Shift+F6")
    assert body.textCursor().selectedText() == "Sailing we hold for them"


def test_pasting_into_a_blank_takes_plain_text_only(letter: Hand) -> None:
    data = QMimeData()
    data.setHtml("<p style='font-size:40px'>strong <b>wind</b></p><p>and rain</p>")
    data.setText("strong wind\nand rain")
    letter.window.letters.paper.body.insertFromMimeData(data)
    assert open_letter(letter).answers == {"reason": "strong wind and rain"}


def test_pasting_elsewhere_keeps_structure_and_drops_the_look(letter: Hand) -> None:
    body = letter.window.letters.paper.body
    cursor = body.textCursor()
    cursor.movePosition(cursor.MoveOperation.End)
    body.setTextCursor(cursor)
    data = QMimeData()
    data.setHtml(
        "<h1>Note</h1><p><font face='Papyrus' color=red>Bring <b>proof</b></font></p>"
        "<ul><li>one<li>two</ul><script>x()</script>"
    )
    body.insertFromMimeData(data)
    from nebbet.core.body import write

    source = write(open_letter(letter).body)
    assert "<h1>Note</h1>\n<p>Bring <strong>proof</strong></p>\n<ul>\n<li>one\n<li>two\n" in source


def test_a_blank_of_several_lines(hand: Hand) -> None:
    hand.press("Alt+3")
    hand.type("complaint first")
    hand.press("Return")
    hand.type("fonseca")
    hand.press("Return")
    hand.type("No seats.")
    hand.press("Return")
    hand.type("Nobody helped.")
    assert open_letter(hand).answers == {"whatwentwrong": "No seats.\nNobody helped."}
    assert field(hand, "whatwentwrong").toPlainText() == "No seats.\nNobody helped."


# Recipient and case


def test_choosing_a_case_brings_its_person(hand: Hand) -> None:
    hand.press("Ctrl+N")
    hand.press("Ctrl+G")
    hand.type("lp-3312")
    hand.press("Return")
    assert open_letter(hand).recipient is not None
    assert "Wilhelmina Ashgrove" in hand.window.letters.paper.to.text()


def test_words_that_are_nobody_stay_and_are_told(hand: Hand) -> None:
    hand.press("Ctrl+N")
    hand.type("nobody at all")
    hand.press("Return")
    assert "neither a known person nor a mail address" in hand.said
    assert hand.window.letters.paper.to.text() == "nobody at all"
    hand.press("Esc")
    assert hand.window.letters.paper.to.text() == ""


def test_a_person_without_an_address_stops(hand: Hand) -> None:
    hand.press("Ctrl+N")
    hand.type("ravensby")
    hand.press("Return")
    hand.press("Ctrl+Return")
    assert "Torquil Ravensby has no address on file" in hand.said


# Findings


def test_a_stop_is_shown_and_nothing_goes(letter: Hand) -> None:
    letter.press("Ctrl+Return")
    assert letter.said == (
        "Not sent. Reason for the cancellation is not completed: as the duty manager gave it: "
        "strong wind, a fault in the engine room …."
    )
    body = letter.window.letters.paper.body
    assert body.textCursor().selectedText() == "Reason for the cancellation"
    assert letter.session.sending.outbox == []


def test_f8_goes_from_finding_to_finding_and_a_remedy_mends(letter: Hand) -> None:
    model = letter.window.letters.model
    model.take_line("cc", ("hanna.verrell@post.example",))
    letter.press("F8", "F8", "F8")
    assert letter.focus is letter.window.letters.paper.lines["cc"]
    (doubled,) = [f for f in model.findings if f.rule == "doubled"]
    assert doubled.remedy is not None
    buttons = letter.window.letters.checks.findChildren(QPushButton)
    (mend,) = [b for b in buttons if b.accessibleName() == doubled.remedy.words]
    QApplication.processEvents()
    mend.click()
    assert open_letter(letter).cc == ()


# Templates in a letter


def test_a_template_is_put_at_the_cursor(letter: Hand) -> None:
    letter.type("fog")
    body = letter.window.letters.paper.body
    cursor = body.textCursor()
    cursor.movePosition(cursor.MoveOperation.End)
    body.setTextCursor(cursor)
    letter.press("Ctrl+J")
    letter.type("refund agreed")
    letter.press("Return")
    assert "The reason is fog," in paper(letter)
    assert "You get back\t£0.00" in paper(letter)
    assert paper(letter).count("Dear Hanna") == 1, "one greeting"
    assert paper(letter).count("Benedek Roy") == 1, "one signature"
    assert "is cancelled" in subject(letter), "the subject stays"
    assert "amount" in letter.window.letters.particulars.rows


def test_starting_over_can_be_put_back(letter: Hand) -> None:
    letter.type("fog")
    letter.press("Ctrl+J")
    letter.type("refund agreed")
    letter.press("Shift+Return")
    assert subject(letter).startswith("Your refund for booking LS-48211")
    assert "The reason is" not in paper(letter)
    letter.click(letter.window.notices.action)
    assert "The reason is fog," in paper(letter)


def test_leaving_the_box_changes_nothing(letter: Hand) -> None:
    before = paper(letter)
    letter.press("Ctrl+J")
    letter.type("refund")
    letter.press("Esc")
    assert paper(letter) == before
    assert not letter.window.letters.pull_box.isVisible()


# Attachments


def test_files_are_attached_and_bad_ones_are_told(letter: Hand, tmp_path: Path) -> None:
    good, big = tmp_path / "photo.jpg", tmp_path / "film.mp4"
    good.write_bytes(b"\xff\xd8\xff" + b"x" * 1000)
    with big.open("wb") as sparse:
        sparse.truncate(40 * 2**20)
    attachments = letter.window.letters.attachments
    missing = tmp_path / "gone.pdf"
    urls = [QUrl.fromLocalFile(str(p)) for p in (good, big, missing)]
    data = QMimeData()
    data.setUrls(urls)
    paths = [url.toLocalFile() for url in data.urls()]
    letter.session.shared.intake.add_files(paths, letter.window.letters.model.attach)
    letter.until(lambda: "gone.pdf" in letter.said)
    names = [inline.shown(a.name) for a in open_letter(letter).attachments]
    assert names == ["Conditions of carriage.pdf", "photo.jpg"]
    assert letter.said == (
        "gone.pdf cannot be read: no such file or directory. It was not added. "
        "Check the folder and try again."
    )
    assert attachments.total.text() == "3 kB in all"
    letter.window.letters.model.detach(1)
    assert len(open_letter(letter).attached) == 1
    put_back = letter.window.letters.attachments.findChildren(QPushButton)
    letter.click(next(b for b in put_back if b.text() == "put back"))
    assert len(open_letter(letter).attached) == 2


# Sending


def complete(hand: Hand) -> None:
    hand.type("fog")
    hand.press("Return")
    hand.type("Friday")


def hold(hand: Hand, seconds: int) -> None:
    hand.session.sending.hold = seconds


def test_a_letter_is_taken_back_within_the_hold_time(letter: Hand) -> None:
    hold(letter, 600)
    complete(letter)
    letter.press("Ctrl+Return")
    letter.until(lambda: letter.session.sending.outbox)
    assert letter.said == "The letter to Hanna Verrell goes in 600 seconds."
    assert letter.window.outbox_state.text() == "Outbox 1"
    assert letter.session.letters.held == {}
    letter.press("Ctrl+Shift+Return")
    letter.until(lambda: letter.session.letters.held)
    letter.until(lambda: not letter.session.sending.outbox)
    assert "The reason is fog," in paper(letter)
    assert letter.mailbox() == []


def test_a_refused_letter_is_mended_and_sent_again(letter: Hand) -> None:
    letter.service.faults.refuse = {"hanna.verrell@post.example"}
    complete(letter)
    letter.press("Ctrl+Return")
    letter.until(lambda: [e for e in letter.session.sending.outbox if e.state == "refused"])
    letter.until(lambda: "refuses hanna.verrell@post.example" in letter.said)
    assert letter.window.outbox_state.text() == "Outbox 1, 1 need you"
    letters = letter.window.letters
    QApplication.processEvents()
    letter.click_row(letters.pile.list, "Hanna Verrell")
    assert "there is no such mailbox" in letters.outgoing.words.text()
    letter.click(letters.outgoing.take_back)
    letter.until(lambda: letters.model.letter)
    letters.paper.to.setFocus()
    letters.paper.to.selectAll()
    letter.type("hanna.new@post.example")
    letter.press("Return")
    letter.press("Ctrl+Return")
    letter.sent_all()
    (arrived,) = letter.mailbox()
    assert str(arrived["To"]) == "Hanna Verrell <hanna.new@post.example>"


def test_what_may_have_gone_is_decided_by_the_person(letter: Hand) -> None:
    letter.service.faults.drop = "after"
    complete(letter)
    letter.press("Ctrl+Return")
    letter.until(lambda: [e for e in letter.session.sending.outbox if e.state == "uncertain"])
    letter.service.faults.drop = ""
    letters = letter.window.letters
    QApplication.processEvents()
    letter.click_row(letters.pile.list, "Hanna Verrell")
    assert not letters.outgoing.take_back.isVisible()
    letter.click(letters.outgoing.went)
    letter.sent_all()
    assert len(letter.mailbox()) == 1, "it had gone, and was not sent again"


def test_a_letter_goes_when_the_server_is_back(letter: Hand) -> None:
    letter.service.faults.busy = 421
    complete(letter)
    letter.press("Ctrl+Return")
    letter.until(lambda: [e for e in letter.session.sending.outbox if e.state == "waiting"])
    letter.service.faults.busy = 0
    letter.until(lambda: letter.window.outbox_state.text().endswith("mail server not reached"))
    letters = letter.window.letters
    QApplication.processEvents()
    letter.click_row(letters.pile.list, "Hanna Verrell")
    letter.click(letters.outgoing.again)
    letter.sent_all()
    assert len(letter.mailbox()) == 1


def test_sending_twice_in_a_hurry_sends_once(letter: Hand) -> None:
    complete(letter)
    letter.press("Ctrl+Return", "Ctrl+Return")
    letter.type("!")
    letter.press("Ctrl+Return")
    letter.sent_all()
    assert len(letter.mailbox()) == 1
    assert letter.session.letters.held == {}
    assert open_letters.open_letters(letter.session.shared.stores.personal) == ([], 0)


def test_a_letter_that_cannot_be_put_into_the_outbox_stays_open(letter: Hand) -> None:
    from sqlalchemy import event

    complete(letter)
    engine = letter.session.shared.stores.personal
    engine.dispose()
    event.listen(engine, "connect", lambda c, _e: c.execute("PRAGMA query_only = ON"))
    letter.press("Ctrl+Return")
    letter.until(lambda: "cannot be put into the outbox: it is read-only" in letter.said)
    assert "The letter is still open on the page." in letter.said
    assert "The reason is fog," in paper(letter)
    assert letter.mailbox() == []


def test_a_discarded_letter_can_be_put_back(letter: Hand) -> None:
    letter.type("fog")
    letter.window.letters.discard()
    assert letter.session.letters.held == {}
    letter.click(letter.window.notices.action)
    assert "The reason is fog," in paper(letter)


# Quitting and coming back


def test_an_open_letter_is_there_again_after_a_crash(
    letter: Hand, home: Home, service: MailService, qtbot: QtBot
) -> None:
    letter.type("thick fog")
    engine = letter.session.shared.stores.personal
    letter.until(lambda: any(x.answers for x in open_letters.open_letters(engine)[0]))
    # No close: the first window is left as a killed program would leave its files.
    again = open_window(home)
    hand = Hand(again, qtbot, service)
    assert "The reason is thick fog," in paper(hand)
    assert open_letter(hand).recipient == open_letter(letter).recipient
    close(again)


def test_letters_that_wait_go_at_the_next_start_and_the_person_is_told(
    letter: Hand, home: Home, service: MailService, qtbot: QtBot
) -> None:
    service.faults.busy = 421
    complete(letter)
    letter.press("Ctrl+Return")
    letter.until(lambda: [e for e in letter.session.sending.outbox if e.state == "waiting"])
    asked: list[str] = []
    letter.window.notices.ask = lambda *words: not asked.append(words[1])  # type: ignore
    letter.window.close()
    assert asked == ["One letter has not gone yet. It goes when Nebbet is started again."]
    service.faults.busy = 0
    outbox.mark(letter.session.shared.stores.personal, open_id(letter), due=0)
    again = open_window(home)
    hand = Hand(again, qtbot, service)
    assert hand.said == "1 letter from last time goes out now."
    hand.sent_all()
    assert len(hand.mailbox()) == 1
    close(again)


def open_id(hand: Hand) -> str:
    return hand.session.sending.outbox[0].item.id


def test_staying_when_asked(letter: Hand) -> None:
    hold(letter, 600)
    complete(letter)
    letter.press("Ctrl+Return")
    letter.until(lambda: letter.session.sending.outbox)
    letter.window.notices.ask = lambda *_words: False  # type: ignore[method-assign]
    letter.window.close()
    assert letter.window.isVisible()


def test_who_goes_on_elsewhere_while_a_letter_is_sent_keeps_the_focus(hand: Hand) -> None:
    hand.press("Alt+3")
    hand.type("confirmation")
    hand.press("Return")
    hand.type("haldane")
    hand.press("Return", "Ctrl+Return", "Alt+5")
    field = hand.window.register.find_field
    assert hand.focus is field
    hand.sent_all()
    hand.until(lambda: hand.window.letters.model.letter is None)
    assert hand.focus is field


def test_somebody_else_who_is_named_is_a_doubt_before_the_letter_goes(
    hand: Hand, tmp_path: Path
) -> None:
    take(hand, "refund agreed", "LS-48261")
    letters = hand.window.letters
    statement = pdf_of("<p>Statement of Hanna Verrell</p>", "statement")
    (tmp_path / "statement.pdf").write_bytes(statement)
    letters.attachments.take_paths([str(tmp_path / "statement.pdf")])
    hand.until(lambda: [f for f in letters.model.findings if f.rule == "other person"])
    (found,) = (f for f in letters.model.findings if f.rule == "other person")
    assert found.sentence == "Hanna Verrell is named in statement.pdf, who is somebody else on file"
    letters.model.detach(len(open_letter(hand).attachments) - 1)
    hand.until(lambda: not [f for f in letters.model.findings if f.rule == "other person"])
    # What is typed at the last moment is looked through before the letter goes.
    letters.paper.body.setFocus()
    hand.press("Ctrl+End")
    for sign in " So says Hanna Verrell":
        QTest.keyClicks(letters.paper.body, sign)
    QTest.keyClick(letters.paper.body, Qt.Key.Key_Return, Qt.KeyboardModifier.ControlModifier)
    hand.until(lambda: "Hanna Verrell is named, who is somebody else on file" in hand.said)
    assert not hand.session.sending.outbox


def test_typing_on_where_the_send_button_has_the_focus_sends_nothing(letter: Hand) -> None:
    complete(letter)
    button = letter.window.letters.sending.button
    button.setFocus()
    letter.type("a bicycle and more")
    assert not letter.session.sending.outbox and letter.window.letters.model.letter
    QTest.qWait(TYPING + 50)
    letter.press("Space")  # alone it presses, as on every button
    letter.sent_all()


def test_the_box_of_templates_goes_when_somebody_goes_on_behind_it(hand: Hand) -> None:
    letters = hand.window.letters
    hand.press("Ctrl+N")
    hand.type("verrell")
    hand.press("Return")
    assert letters.pull_box.isVisible()
    hand.press("Ctrl+G")
    assert letters.pull_box.isVisible(), "the case says which templates come first"
    hand.press("Esc")
    assert not letters.pull_box.isVisible()
    hand.press("Ctrl+J")
    hand.press("Ctrl+D")
    assert not letters.pull_box.isVisible() and letters.paper.body.hasFocus()
