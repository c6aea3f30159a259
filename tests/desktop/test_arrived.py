"""Arrived messages in the pile: read, marked, answered. Sources: RFC 5322 §3.6.4 (threads), read by
Python's own parser."""

import email
import email.policy
import mailbox
from collections.abc import Iterator
from pathlib import Path

import pytest
from msgspec.structs import replace
from PySide6.QtCore import QUrl
from PySide6.QtGui import QDesktopServices
from PySide6.QtWidgets import QApplication, QLabel
from pytestqt.qtbot import QtBot

from nebbet.desktop.kit.picker import ASIDE, SECOND
from nebbet.desktop.letters.arrived_view import ArrivedView
from nebbet.desktop.letters.page import LettersPage
from nebbet.library.entries import Registered
from nebbet.library.remarks import back_of, digest_of, lessons, taken
from nebbet.personal.home import Home
from nebbet.personal.settings import read_settings, write_settings
from nebbet.post import imap
from nebbet.standin import demo
from nebbet.standin.inbox import fill_inbox
from nebbet.standin.service import MailService
from nebbet.standin.world import read_world
from tests.conftest import NOW, TODAY
from tests.core.test_bounces import FAILED
from tests.desktop.conftest import Clock, Hand, close, open_window

ME = "benedek.roy@lislesound.example"


@pytest.fixture
def hand(home: Home, service: MailService, qtbot: QtBot) -> Iterator[Hand]:
    people = {one.id: one for one in read_world(TODAY).contacts}
    fill_inbox(home.mail_folder, [ME], people, NOW)
    settings = read_settings(home.settings_file)
    account = replace(settings.account, folders=("INBOX",))
    write_settings(home.settings_file, replace(settings, account=account))
    clock = Clock()
    window = open_window(home, clock)
    window.notices.ask = lambda *_args: True  # type: ignore[method-assign]
    made = Hand(window, qtbot, service, clock)
    made.until(lambda: len(window.session.arrived.heads) == 88)
    made.until(QApplication.focusWidget)
    yield made
    close(window)


@pytest.fixture
def letters(hand: Hand) -> LettersPage:
    return hand.window.letters


def open_row(hand: Hand, words: str) -> ArrivedView:
    """Click a message in the pile, and wait until it is read."""
    letters = hand.window.letters
    hand.click_row(letters.pile.list, words)
    view = letters.arriving.view
    hand.until(lambda: view.opened is not None)
    hand.settle()
    return view


def flags(hand: Hand, subject: str) -> set[bytes]:
    with imap.mailbox(hand.service.account(ME), demo.PASSWORD) as client:
        client.select_folder("INBOX", readonly=True)
        found = client.search(["SUBJECT", subject])
        return set(next(iter(client.fetch(found, ["FLAGS"]).values()))[b"FLAGS"])


def test_a_message_is_answered_in_four_inputs(hand: Hand, letters: LettersPage) -> None:
    view = open_row(hand, "Aoife Brannigan")
    assert "From Aoife Brannigan. About refund LS-48260." in view.about.text()
    assert view.offers[0].text() == "1   Refund agreed"
    hand.until(lambda: b"\\Seen" in flags(hand, "refund please"))
    hand.press("1")
    letter = letters.model.letter
    assert letter and letter.template == "refund-agreed" and letter.case
    assert letter.recipient and letter.recipient.name == "Aoife Brannigan"
    assert letter.case.number == "LS-48260" and letter.subject == ("Re: refund please",)
    hand.press("Ctrl+Return", "Ctrl+Return")
    hand.sent_all()
    (sent,) = hand.mailbox()
    arrived = "<arrived000@mailbox.example>"
    assert str(sent["In-Reply-To"]) == arrived == str(sent["References"])
    assert str(sent["Subject"]) == "Re: refund please"
    text = sent.get_body(("plain",)).get_content()  # type: ignore[union-attr]
    own, _lead, quoted = text.partition("Aoife Brannigan wrote:")
    assert "cancelled your booking LS-48260" in own and own.count("Benedek Roy") == 1
    assert "> Hello, we cannot travel on the 11th" in quoted
    assert "Aoife Brannigan wrote:" in sent.get_body(("html",)).get_content()  # type: ignore[union-attr]
    hand.until(lambda: b"\\Answered" in flags(hand, "refund please"))
    letters.pile.refresh()
    rows = letters.pile.list
    found = next(rows.item(n) for n in range(rows.count()) if "Aoife" in rows.item(n).text())
    assert found.data(ASIDE) == "answered"


def test_the_message_stands_beside_and_may_be_left_out(hand: Hand, letters: LettersPage) -> None:
    open_row(hand, "Jürgen Waldtkirch")
    hand.press("1")
    letter = letters.model.letter
    assert letter and letter.language == "de"
    hand.press("Ctrl+Alt+H")
    assert "im Radio hieß es" in letters.answered.text.toPlainText()
    assert "Am 25. November 2026" in letters.answered.text.toPlainText()
    hand.click(letters.answered.leave_out)
    assert letters.model.letter and letters.model.letter.quoted == ()
    hand.click(letters.answered.leave_out)
    assert letters.model.letter.quoted
    # Another template in its place still answers the message.
    hand.press("Ctrl+J")
    hand.type("refund agreed")
    hand.press("Shift+Return")
    now = letters.model.letter
    assert now and now.template == "refund-agreed" and now.quoted and now.thread
    assert now.subject == ("Re: Fähre am Freitag fällt aus?",)


def test_somebody_not_on_file_is_answered_in_their_language_and_kept(
    hand: Hand, letters: LettersPage, tmp_path: Path
) -> None:
    data = (
        "From: Ewa Lind <ewa@neu.example>\nTo: bookings@lislesound.example, bo@x.example\n"
        "Cc: Benedek Roy <benedek.roy@lislesound.example>\n"
        "Subject: AW: Gruppe\nMessage-ID: <x1@neu.example>\nReferences: <x0@neu.example>\n"
        "Content-Type: text/plain; charset=utf-8\n\n"
        "Guten Tag, wir möchten mit einer Gruppe von 30 Personen fahren und bitten um ein Angebot "
        "für den Preis.\n\nAm Montag schrieb Ivo:\n> Wie viele sind Sie?\n> Ivo\n> Tel\n> x\n"
    ).encode()
    letters.arriving.open_file(data, "mail.eml")
    view = letters.arriving.view
    hand.until(lambda: view.opened is not None)
    assert "not on file" in view.about.text() and view.page.text() == "Keep them"
    assert "Wie viele" not in view.view.reader.toPlainText()
    hand.click(view.fold)
    assert "Wie viele" in view.view.reader.toPlainText()
    hand.click(view.page)
    hand.until(lambda: hand.session.shared.library.people.addressed("ewa@neu.example"))
    hand.press("Ctrl+Shift+Y")
    hand.press("Esc")
    letter = letters.model.letter
    assert letter and letter.language == "de" and letter.subject == ("Re: Gruppe",)
    assert letter.thread == ("<x0@neu.example>", "<x1@neu.example>")
    assert "bo@x.example" in str(letter.cc) and "benedek" not in str(letter.cc)
    view.save_to(tmp_path / "kept.eml")
    hand.until((tmp_path / "kept.eml").exists)
    assert (tmp_path / "kept.eml").read_bytes() == data


def test_blanks_are_offered_what_the_message_says_and_nothing_is_taken_by_itself(
    hand: Hand, letters: LettersPage
) -> None:
    data = (
        b"From: Gregor Thornhill <workshop@thornhill-boats.example>\nSubject: DC-1112\n"
        b"Message-ID: <g@x.example>\n\nThe bill is \xc2\xa3212.40, I paid it on 3 December 2026. "
        b"Please pay Gregor Thornhill."
    )
    letters.arriving.open_file(data, "bill.eml")
    hand.until(lambda: letters.arriving.view.opened is not None)
    hand.window.activateWindow()
    hand.press("Ctrl+R")
    hand.type("claim settled")
    hand.press("Return")
    body, model = letters.paper.body, letters.model
    blanks = [one.name for one in model.particulars if one.is_blank]
    assert "amount" in blanks
    letters.paper.go_on()
    while body.textCursor().selectedText() != "Amount we pay":
        hand.press("F6")
    offers = body.chooser.list
    assert offers.isVisible() and [offers.item(n).text() for n in range(offers.count())] == [
        "£212.40"
    ]  # fmt: skip
    hand.press("Return")
    assert next(one for one in model.particulars if one.name == "amount").is_blank
    hand.press("Shift+F6")
    while body.textCursor().selectedText() != "Amount we pay":
        hand.press("F6")
    hand.press("Down", "Return")
    assert next(one for one in model.particulars if one.name == "amount").text == "£212.40"


def test_a_message_is_handed_on_with_its_files(hand: Hand, letters: LettersPage) -> None:
    letters.pile._whole = True
    letters.pile.refresh()
    open_row(hand, "Struan Mackelvie")
    hand.press("Ctrl+Alt+W")
    hand.until(lambda: letters.model.letter and letters.model.letter.attached)
    letter = letters.model.letter
    assert letter and letter.recipient is None and letter.subject == ("Fwd: Form for DC-1109",)
    assert letter.attached[0].name == ("claim form.txt",) and letter.answers_to == ""
    hand.type("ivo.lindqvist@lislesound.example")
    hand.press("Return", "Esc")
    letters.paper.body.setFocus()
    hand.type("For you. Benedek Roy")
    hand.press("Ctrl+Return", "Ctrl+Return", "Ctrl+Return")
    hand.sent_all()
    (sent,) = hand.mailbox("ivo.lindqvist@lislesound.example")
    text = sent.get_body(("plain",)).get_content()  # type: ignore[union-attr]
    assert "> From: Struan Mackelvie" in text and sent["In-Reply-To"] is None
    assert [part.get_filename() for part in sent.iter_attachments()] == ["claim form.txt"]


def test_files_are_opened_outside_or_put_with_the_case_and_never_run(
    hand: Hand, letters: LettersPage, monkeypatch: pytest.MonkeyPatch
) -> None:
    opened: list[Path] = []

    def take(url: QUrl) -> bool:
        opened.append(Path(url.toLocalFile()))
        return True

    monkeypatch.setattr(QDesktopServices, "openUrl", take)
    letters.pile._whole = True
    letters.pile.refresh()
    view = open_row(hand, "Struan Mackelvie")
    words = [one for one, _act in view.view.acts]
    assert words == ["Open it outside", "Put it with DC-1109"]
    name, data = view.opened.received.attachments[0]  # type: ignore[union-attr]
    view._files.open_outside(name, data)
    hand.until(lambda: opened)
    assert opened[0].read_bytes() == data and oct(opened[0].stat().st_mode)[-3:] == "600"
    view._files.open_outside("invoice.pdf.desktop", b"[Desktop Entry]")
    assert "could do something" in hand.said and len(opened) == 1
    view.view.acts[1][1](name, data)
    hand.until(lambda: "is with DC-1109 now" in hand.said)
    matter = hand.session.shared.library.people.numbered("DC-1109")
    assert matter and len(matter.case.files) == 1
    view.view.acts[1][1](name, data)
    hand.until(lambda: "with the case already" in hand.said)


def test_a_letter_that_came_back_is_told_with_the_reason(hand: Hand, letters: LettersPage) -> None:
    report = FAILED.replace(b"Status: 4.0.0", b"Status: 5.1.1")
    box = hand.service._maildir(ME)
    box.add(report)
    hand.session.arrived.nudge()
    hand.until(lambda: len(hand.session.arrived.heads) == 89)
    letters.pile._whole = True
    letters.pile.refresh()
    rows = letters.pile.list
    found = [rows.item(n) for n in range(rows.count()) if rows.item(n).data(ASIDE) == "came back"]
    assert len(found) == 1
    view = open_row(hand, found[0].text())
    assert "louisl@larry.slip.umd.edu came back: there is no such mailbox" in view.about.text()
    assert view.page.text() == "The letter" and not view.offers


def test_what_is_done_is_filed_and_what_is_taken_is_said(hand: Hand, letters: LettersPage) -> None:
    view = open_row(hand, "Lorne Haldane")
    hand.press("Ctrl+Alt+M")
    # The stand-in keeps no keywords, as some servers do: the library does.
    shared = hand.session.shared
    hand.until(lambda: list(taken(shared.library.engine).values()) == [shared.my_id])
    hand.until(lambda: view.mine.text() == "Give it back")
    hand.press("Ctrl+Alt+X")
    hand.until(lambda: "is in the folder Done now" in hand.said)
    assert view.key not in hand.session.arrived.heads
    messages = hand.mailbox(ME, "Done")
    assert [str(one["Subject"]) for one in messages] == ["no confirmation"]


def test_hostile_messages_are_shown_and_reach_nowhere(hand: Hand, letters: LettersPage) -> None:
    view = letters.arriving.view
    for data in (
        b"", b"\x00\xff" * 500, b"From: <>\n\n", b"Subject: =?utf-8?B?////?=\n\nx",
        b"From: a@x.example\nContent-Type: text/html\n\n<script>alert(1)</script><img src='http://"
        b"evil.example/x.png'><p onclick=x>Hello</p>",
        b"From: a@x.example\nContent-Type: multipart/mixed; boundary=b\n\n--b\n--b\n--b",
    ):  # fmt: skip
        hand.window.activateWindow()
        letters.arriving.open_file(data, "odd.eml")
        hand.until(lambda: view.opened is not None)
        assert "alert" not in view.view.reader.toPlainText()
        hand.press("Ctrl+R", "Esc")
        if letters.model.letter:
            letters.discard()


@pytest.mark.logs  # the stand-in tells of the line that was cut
def test_without_a_line_what_was_read_can_be_read(hand: Hand, letters: LettersPage) -> None:
    open_row(hand, "Hanna Verrell")
    open_row(hand, "Lorne Haldane")
    mail = hand.session.arrived
    mail.use((replace(mail.accounts[0], imap_port=1),))
    hand.until(lambda: hand.session.arrived.trouble)
    assert letters.pile.trouble.isVisible() and "cannot be reached" in letters.pile.trouble.text()
    view = open_row(hand, "Hanna Verrell")
    assert "16:30 to Quillan" in view.view.reader.toPlainText()
    message = email.message_from_bytes(view.opened.data, policy=email.policy.default)  # type: ignore[union-attr]
    assert str(message["Subject"]) == "Thursday's boat"


def test_what_a_colleague_took_is_not_taken_twice(hand: Hand, letters: LettersPage) -> None:
    shared = hand.session.shared
    view = open_row(hand, "Lorne Haldane")
    assert view.opened is not None
    message_id = view.opened.fields.message_id
    shared.library.take(message_id, "saoirse.pell", NOW)  # at her own computer, a moment ago
    hand.press("Ctrl+Alt+M")
    hand.until(lambda: "Saoirse Pell has this message" in hand.said)
    assert taken(shared.library.engine) == {digest_of(message_id): "saoirse.pell"}
    assert view.mine.text() == "Saoirse Pell has it" and not view.mine.isEnabled()
    rows = letters.pile.list
    hand.until(lambda: "Saoirse" in [rows.item(n).data(ASIDE) for n in range(rows.count())])


def test_a_letter_that_came_back_is_marked_in_the_register(hand: Hand, home: Home) -> None:
    """The report of RFC 3464, Appendix E, about a letter of ours."""
    shared = hand.session.shared
    entry = Registered(
        "<original@cs.utk.edu>", NOW, shared.my_id, "louisl@larry.slip.umd.edu", "Louis L.",
        subject="Your refund",
    )  # fmt: skip
    shared.change(lambda: shared.library.record([entry]))
    hand.until(lambda: any(e.message_id == entry.message_id for e in shared.entries))
    box = mailbox.Maildir(home.mail_folder / ME, create=False)
    box.add(mailbox.MaildirMessage(FAILED))
    hand.session.arrived.nudge()
    hand.until(lambda: back_of(shared.library.engine, [entry.message_id]))
    hand.press("Alt+5")
    page = hand.window.register
    hand.until(lambda: page.back)
    page.show_entry(entry.message_id)
    hand.until(lambda: page.current == entry)
    assert page.table.item(page.table.currentRow(), 4).text() == "Came back: Your refund"
    hand.until(page.returned.isVisible)
    assert "louisl@larry.slip.umd.edu was not reached" in page.returned.text()


def test_what_was_answered_is_learned_told_and_forgotten(hand: Hand, letters: LettersPage) -> None:
    shared = hand.session.shared
    open_row(hand, "Aoife Brannigan")
    hand.press("1", "Ctrl+Return", "Ctrl+Return")
    hand.sent_all()
    hand.until(lambda: lessons(shared.library.engine))
    (lesson,) = lessons(shared.library.engine)
    assert lesson.key == "refund-agreed" and "aoife" not in lesson.words
    hand.until(lambda: hand.session.arrived._suggester is None)
    view = open_row(hand, "Lorne Haldane")
    view = open_row(hand, "Aoife Brannigan")
    hand.until(lambda: view.opened and view.opened.suggestions[0].before == 1)
    why = [one.text() for one in view.findChildren(QLabel) if "answered so" in one.text()]
    assert why and "answered so once before" in why[0]
    hand.click(view.forget)
    hand.until(lambda: "What was learned from 1 answer is forgotten." in hand.said)
    assert not lessons(shared.library.engine)


def test_what_arrived_is_found_and_stands_on_its_writer_s_page(hand: Hand) -> None:
    window = hand.window
    hand.press("Ctrl+F")
    hand.type("haldane confirm")
    hand.until(lambda: "no confirmation" in _offered(hand))
    assert "Arrived" in _offered(hand)
    key = hand.session.arrived.find("haldane confirm", 6)[0].key
    window._found(f"arrived:{key}")
    hand.until(lambda: window.letters.arriving.view.opened is not None)
    opened = window.letters.arriving.view.opened
    assert opened and opened.about.person
    window._show_person(opened.about.person.contact.id)
    letters = window.people.view.person_view.letters
    hand.until(lambda: "arrived" in letters.heading.text())
    rows = [letters.list.item(n) for n in range(letters.list.count())]
    (row,) = [n for n, item in enumerate(rows) if item.text() == "no confirmation"]
    letters.list.setCurrentRow(row)
    assert letters.current is None, "what arrived is not written again"
    letters.list.itemActivated.emit(rows[row])
    assert window.place is window.letters and window.letters.arriving.view.key == key


def _offered(hand: Hand) -> str:
    rows = hand.window.find_field.list
    return "\n".join(
        f"{rows.item(n).text()} {rows.item(n).data(SECOND)}" for n in range(rows.count())
    )


def test_coming_to_the_pile_opens_nothing_and_nobody_who_types_is_disturbed(
    hand: Hand, letters: LettersPage
) -> None:
    hand.window.go(hand.window.register)
    letters.pile.list.setCurrentRow(-1)
    hand.window.go(letters)
    letters.pile.list.setFocus()
    assert not letters.arriving.is_shown and letters.pile.list.currentRow() == -1
    assert b"\\Seen" not in flags(hand, "refund please"), "only reading marks as read"
    rows = letters.pile.list
    row = next(n for n in range(rows.count()) if "Aoife" in rows.item(n).text())
    rows.setCurrentRow(row)
    hand.press("Ctrl+F")  # before the message is there
    field = hand.focus
    hand.until(lambda: letters.arriving.view.opened is not None)
    assert hand.focus is field


def test_the_source_is_shown_on_request(hand: Hand, letters: LettersPage) -> None:
    view = open_row(hand, "Aoife Brannigan")
    assert "Message-ID" not in view.view.reader.toPlainText()
    hand.click(view.source)
    assert "Message-ID: <arrived000@mailbox.example>" in view.view.reader.toPlainText()
    hand.click(view.source)
    assert "Message-ID" not in view.view.reader.toPlainText()
    hand.click(view.source)
    open_row(hand, "Lorne Haldane")
    hand.until(lambda: view.opened and "no confirmation" in view.opened.fields.subject)
    assert view.source.text() == "Source" and "Message-ID" not in view.view.reader.toPlainText()


def test_the_texts_of_the_mailbox_are_looked_through_when_one_asks(hand: Hand) -> None:
    """A message that is found by its text alone stands in the list, and is one key away."""
    head = next(
        h for h in hand.session.arrived.heads.values() if "refund please" in h.fields.subject
    )
    text = imap_text(hand, head.fields.subject)
    words = " ".join(word for word in text.split() if word.isalpha())[:40]
    hand.press("Ctrl+F")
    hand.type(words)
    hand.until(lambda: "Look in the texts" in _offered(hand))
    rows = hand.window.find_field.list
    rows.itemClicked.emit(rows.item(rows.count() - 1))
    hand.until(lambda: "In the mailbox" in _offered(hand))
    assert head.fields.subject in _offered(hand)
    hand.press("Down", "Return")
    hand.until(lambda: hand.window.letters.arriving.view.opened is not None)
    hand.press("Ctrl+F")
    hand.type("xyzzyplugh")
    hand.until(lambda: "Look in the texts" in _offered(hand))
    rows.itemClicked.emit(rows.item(rows.count() - 1))
    hand.until(lambda: "No message of the mailbox" in hand.said)


def imap_text(hand: Hand, subject: str) -> str:
    """What the message of a subject says, as Python's own parser reads it."""
    for raw in hand.service._maildir(ME):
        message = email.message_from_bytes(bytes(raw), policy=email.policy.default)
        if message["Subject"] == subject:
            body = message.get_body(("plain",))
            return body.get_content() if body else ""
    return ""
