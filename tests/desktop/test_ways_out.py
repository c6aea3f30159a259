"""The ways out of a letter beside sending it now. Source: RFC 9051 §2.3.2 (the flag of drafts)."""

import email
import email.policy
from datetime import datetime
from pathlib import Path

import pytest
from PySide6.QtGui import QDesktopServices, QGuiApplication
from PySide6.QtPrintSupport import QPrinter

from nebbet.core.message.links import read_mailto
from nebbet.desktop.letters.page import LettersPage
from nebbet.desktop.session.file_texts import pdf_text
from nebbet.post import imap
from nebbet.standin import demo
from tests.desktop.conftest import Hand


@pytest.fixture
def letters(hand: Hand) -> LettersPage:
    page = hand.window.letters
    matter = hand.session.shared.library.people.numbered("DC-1110")
    page.begin.write_to(None, matter)
    hand.type("claim settled")
    hand.press("Return")
    page.model.type_value("amount", "12.50 GBP")
    page.model.type_value("paid to", "your account")
    assert page.model.letter
    return page


def text_of(data: bytes) -> str:
    message = email.message_from_bytes(data, policy=email.policy.default)
    part = message.get_body(("plain",))  # type: ignore[attr-defined]
    return f"{message['Subject']} {part.get_content()}"


def test_a_letter_goes_at_another_time_and_can_be_taken_back(
    hand: Hand, letters: LettersPage, monkeypatch: pytest.MonkeyPatch
) -> None:
    shared = hand.session.shared
    monkeypatch.setattr(
        "nebbet.desktop.letters.ways_out.ask_line", lambda *_words: "today + 2 days at 14:00"
    )
    letters.ways.ask_when()
    hand.settle()
    if not hand.session.sending.outbox:
        hand.press("Ctrl+Return")  # a doubt is asked once; it still goes then
    hand.until(lambda: hand.session.sending.outbox)
    (entry,) = hand.session.sending.outbox
    due = datetime.fromtimestamp(entry.due, shared.now().tzinfo)
    assert (due.date() - shared.now().date()).days == 2 and entry.state == "held"
    assert "goes on" in hand.said
    hand.click(hand.window.notices.action)
    hand.until(lambda: letters.model.letter is not None)
    assert not hand.mailbox()


def test_a_moment_that_is_past_sends_nothing(
    hand: Hand, letters: LettersPage, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("nebbet.desktop.letters.ways_out.ask_line", lambda *_words: "yesterday")
    letters.ways.ask_when()
    assert "Not sent" in hand.said and not hand.session.sending.outbox


def test_the_menu_offers_what_there_is(hand: Hand, letters: LettersPage) -> None:
    hand.press("Ctrl+Alt+Return")
    menu = letters.ways._menu
    hand.until(menu.isVisible)
    assert len(menu.actions()) == 10 and "working morning" in menu.actions()[1].text()
    menu.close()


def test_a_draft_lies_in_the_mailbox(hand: Hand, letters: LettersPage) -> None:
    letters.ways.to_drafts()
    hand.until(lambda: "of your mailbox" in hand.said)
    account = hand.session.sending.accounts[0]
    with imap.mailbox(account, demo.PASSWORD) as client:
        client.select_folder("Drafts", readonly=True)
        (found,) = client.fetch(client.search("ALL"), ["FLAGS", "RFC822"]).values()
    assert b"\\Draft" in found[b"FLAGS"]
    assert "12.50" in text_of(found[b"RFC822"])
    assert letters.model.letter is not None, "it stays on the pile"


def test_a_message_is_handed_over_and_saved(
    hand: Hand, letters: LettersPage, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    opened: list[str] = []

    def take(url: object) -> bool:
        opened.append(url.toLocalFile())  # type: ignore[attr-defined]
        return True

    monkeypatch.setattr(QDesktopServices, "openUrl", take)
    letters.ways.to_program()
    hand.until(lambda: opened)
    data = Path(opened[0]).read_bytes()
    assert data.startswith(b"X-Unsent: 1\r\n") and "12.50" in text_of(data)
    assert oct(Path(opened[0]).stat().st_mode)[-3:] == "600"
    path = tmp_path / "letter.eml"
    letters.ways.save(path)
    hand.until(path.exists)
    assert "12.50" in text_of(path.read_bytes())
    letters.ways.save(tmp_path / "no" / "folder.eml")
    hand.until(lambda: "cannot be written" in hand.said)


def test_the_text_is_copied_and_a_link_says_what_it_lacks(
    hand: Hand, letters: LettersPage, tmp_path: Path
) -> None:
    letters.ways.copy()
    hand.until(lambda: "on the clipboard" in hand.said)
    data = QGuiApplication.clipboard().mimeData()
    assert "12.50" in data.text() and "<p" in data.html()
    letters.ways.copy_link()
    hand.until(lambda: "A link of" in hand.said)
    link = read_mailto(QGuiApplication.clipboard().text())
    assert letters.model.letter and letters.model.letter.recipient
    assert link.to == letters.model.letter.recipient.email and "12.50" in link.body
    path = tmp_path / "letter.pdf"
    letters.ways.save_pdf(path)
    hand.until(lambda: "letter.pdf is written" in hand.said)
    assert "12.50" in pdf_text(path.read_bytes())


@pytest.mark.qt_log_ignore("QPainter::begin", extend=True)  # the printer that is none
def test_a_letter_is_printed(hand: Hand, letters: LettersPage, tmp_path: Path) -> None:
    printer = QPrinter()
    printer.setOutputFormat(QPrinter.OutputFormat.PdfFormat)
    printer.setOutputFileName(str(tmp_path / "printed.pdf"))
    letters.ways.print_on(printer)
    hand.until(lambda: "on its way to the printer" in hand.said)
    assert "12.50" in pdf_text((tmp_path / "printed.pdf").read_bytes())
    printer.setOutputFileName(str(tmp_path / "no" / "folder.pdf"))
    letters.ways.print_on(printer)
    hand.until(lambda: "printer does not take it" in hand.said)


def test_what_stops_a_letter_stops_every_way_out(hand: Hand, letters: LettersPage) -> None:
    letters.model.type_value("amount", "")
    letters.ways.copy()
    hand.until(lambda: "was not sent" in hand.said)
