"""Several mailboxes of one person: told in the profile, shown in the pile, answered from."""

from collections.abc import Iterator
from pathlib import Path

import pytest
from msgspec.structs import replace
from PySide6.QtCore import Qt, QTimer
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from nebbet.core.records import Member
from nebbet.desktop.kit.asking import ListBox
from nebbet.desktop.profile.conversation import ConversationBox
from nebbet.desktop.profile.mailboxes import Mailboxes
from nebbet.desktop.profile.sign_in_box import SignInBox
from nebbet.personal.home import Home
from nebbet.personal.settings import read_settings, write_settings
from nebbet.standin import demo
from nebbet.standin.inbox import fill_inbox
from nebbet.standin.service import MailService
from nebbet.standin.sign_in_server import SignInService
from nebbet.standin.team import CLAIMS, CLAIMS_USER
from nebbet.standin.world import read_world
from tests.conftest import NOW, TODAY
from tests.desktop.conftest import Clock, Hand, close, open_window
from tests.desktop.doing import open_letter, retype, take

ME = "benedek.roy@lislesound.example"


@pytest.fixture
def both(home: Home, service: MailService, qtbot: QtBot) -> Iterator[Hand]:
    """A window with one's own mailbox and that for claims."""
    people = {one.id: one for one in read_world(TODAY).contacts}
    fill_inbox(home.mail_folder, [ME], people, NOW, claims=CLAIMS_USER)
    settings = read_settings(home.settings_file)
    account = replace(settings.account, folders=("INBOX",))
    claims = replace(service.account(CLAIMS_USER), froms=(CLAIMS,))
    write_settings(home.settings_file, replace(settings, account=account, more=(claims,)))
    clock = Clock()
    window = open_window(home, clock)
    window.notices.ask = lambda *_args: True  # type: ignore[method-assign]
    hand = Hand(window, qtbot, service, clock)
    hand.until(lambda: len(window.session.arrived.heads) == 88)
    hand.until(QApplication.focusWidget)
    yield hand
    close(window)


def test_what_came_to_the_team_is_answered_from_there(both: Hand) -> None:
    hand, letters = both, both.window.letters
    of_claims = [h for h in hand.session.arrived.heads.values() if h.place.account == CLAIMS_USER]
    assert of_claims and len(of_claims) < 88
    newest = max(of_claims, key=lambda head: head.came)
    letters.arriving.open_key(newest.key)
    hand.until(lambda: letters.arriving.view.opened is not None)
    hand.press("Ctrl+R")
    hand.until(lambda: letters.model.letter is not None)
    assert open_letter(hand).mailbox == (CLAIMS,)
    hand.press("Esc")
    assert letters.paper.lines["mailbox"].isVisible()


def test_the_address_a_letter_goes_from_is_chosen_in_its_row(both: Hand) -> None:
    hand = both
    take(hand, "refund agreed", "Hanna Verrell")
    row = hand.window.letters.paper.lines["mailbox"]
    assert row.isVisible(), "with several addresses there is a choice"
    row.setFocus()
    (offered,) = [one for one in hand.window.letters.paper._people if one._line is row]
    hand.until(offered.list.isVisible)
    assert offered.list.count() == 2
    hand.press("Down", "Down", "Return")
    assert open_letter(hand).mailbox == (CLAIMS,)
    hand.press("Ctrl+Z")
    assert open_letter(hand).mailbox == ()


def test_a_mailbox_is_added_and_taken_away(hand: Hand) -> None:
    """One of the team's is proposed; what is typed for one stays while another is looked at."""
    shared, page = hand.session.shared, hand.window.profile
    hand.click(hand.window.person)
    boxes = page.mailboxes
    hand.click(boxes.another)
    assert boxes.fields["user"].text() == CLAIMS_USER, "one of the team's that is not there yet"
    retype(hand, boxes.froms, f"{CLAIMS}, nonsense")
    hand.press("Ctrl+S")
    assert "“nonsense” is not a mail address" in page.told.text()
    retype(hand, boxes.froms, CLAIMS)
    retype(hand, boxes.password, demo.PASSWORD)
    boxes.choice.setCurrentIndex(0)
    assert boxes.fields["user"].text() == ME and not boxes.password.text()
    boxes.choice.setCurrentIndex(1)
    assert boxes.password.text() == demo.PASSWORD
    hand.click(page.try_button)
    hand.until(lambda: "fits both" in page.told.text())
    hand.press("Ctrl+S")
    hand.until(lambda: len(hand.session.settings.accounts) == 2)
    assert hand.session.parts.secrets.get(CLAIMS_USER) == demo.PASSWORD
    assert shared.addresses.keys() == {ME, CLAIMS_USER}
    assert read_settings(hand.session.parts.home.settings_file).more[0].froms == (CLAIMS,)
    hand.click(boxes.another)
    retype(hand, boxes.fields["user"], ME)
    hand.press("Ctrl+S")
    assert f"Two mailboxes have the user {ME}" in page.told.text()
    hand.click(boxes.remove)
    hand.click(boxes.remove)
    assert not boxes.remove.isVisible(), "one mailbox stays"
    hand.press("Ctrl+S")
    hand.until(lambda: len(hand.session.settings.accounts) == 1)


def test_folders_are_chosen_from_those_that_there_are(hand: Hand) -> None:
    page = hand.window.profile
    hand.click(hand.window.person)
    boxes = page.mailboxes
    asked: list[list[str]] = []

    def answer() -> None:
        box = QApplication.activeModalWidget()
        if not isinstance(box, ListBox):
            QTimer.singleShot(20, answer)
            return
        asked.append([box.list.item(row).text() for row in range(box.list.count())])
        QTest.keyClick(box.list, Qt.Key.Key_Space)
        QTest.keyClick(box.list, Qt.Key.Key_Return)

    QTimer.singleShot(20, answer)
    hand.click(boxes.choose)
    hand.until(lambda: asked)
    hand.until(lambda: boxes.folders.text() == asked[0][0])
    assert "INBOX" in asked[0]


def test_a_folder_with_a_comma_in_its_name_stays_one(qtbot: QtBot) -> None:
    boxes = Mailboxes()
    qtbot.addWidget(boxes)
    boxes.show_folders(("Ports, boarding", "INBOX"))
    assert boxes.account().folders == ("Ports, boarding", "INBOX")
    boxes.folders.setText("INBOX, Sent")
    assert boxes.account().folders == ("INBOX", "Sent")


def test_somebody_else_s_mailbox_stops_a_letter(hand: Hand) -> None:
    shared = hand.session.shared
    before = shared.catalogue.members["benedek.roy"]
    after: Member = replace(before, mailboxes=())
    shared.change(lambda: shared.library.put(after, seen=before))
    hand.until(lambda: not shared.catalogue.members["benedek.roy"].mailboxes)
    take(hand, "refund agreed", "Hanna Verrell")
    paper = hand.window.letters.paper
    paper.show_all_rows()
    paper.lines["mailbox"].setFocus()
    hand.type(CLAIMS_USER)
    found = [one.sentence for one in hand.window.letters.model.findings if one.severity == "stop"]
    assert any("Letters from claims@lislesound.example are for" in one for one in found)


def test_what_was_said_to_the_servers_is_shown(hand: Hand) -> None:
    page = hand.window.profile
    hand.click(hand.window.person)
    hand.click(page.try_button)
    hand.until(lambda: "fits both" in page.told.text())
    shown: list[str] = []

    def look() -> None:
        box = QApplication.activeModalWidget()
        if not isinstance(box, ConversationBox):
            QTimer.singleShot(20, look)
            return
        shown.extend(text.toPlainText() for text in box.texts.values())
        box.copy.click()
        QTest.keyClick(box, Qt.Key.Key_Escape)

    QTimer.singleShot(20, look)
    hand.click(page.said_button)
    hand.until(lambda: shown)
    assert "AUTH PLAIN •••" in shown[0] and "AUTHENTICATE PLAIN" in shown[1]
    assert shown[0] in QApplication.clipboard().text()
    assert demo.PASSWORD not in "".join(shown)


def test_somebody_signs_in_with_a_code(hand: Hand, tmp_path: Path) -> None:
    """RFC 8628, from the profile: the code is shown, and typed elsewhere."""
    provider = SignInService(tmp_path / "provider", token=demo.PASSWORD)
    provider.start()
    page, box = hand.window.profile, list[SignInBox]()
    hand.click(hand.window.person)
    retype(hand, page.mailboxes.fields["certificate"], str(provider.certificate))

    def at_the_box() -> None:
        shown = QApplication.activeModalWidget()
        if not isinstance(shown, SignInBox):
            QTimer.singleShot(20, at_the_box)
            return
        box.append(shown)
        for name, field in shown.fields.items():
            field.setText(getattr(provider.place, name))
        shown.begin.click()
        QTimer.singleShot(50, type_the_code)

    def type_the_code() -> None:
        if not box[0].code.isVisible():
            QTimer.singleShot(20, type_the_code)
            return
        box[0].copy_button.click()
        provider.approved.add(QApplication.clipboard().text())

    QTimer.singleShot(20, at_the_box)
    hand.click(page.mailboxes.sign_in)
    assert "You are signed in" in page.told.text()
    assert page.mailboxes.password.placeholderText() == "signed in"
    hand.window.activateWindow()
    hand.click(page.save_button)
    hand.until(lambda: hand.session.settings.account.takes_token)
    secrets = hand.session.parts.secrets
    assert secrets.get(f"sign-in://{ME}") in provider.refresh_tokens
    kept = hand.session.parts.home.settings_file.read_text()
    assert not any(token in kept for token in provider.refresh_tokens)
    retype(hand, page.password, demo.PASSWORD)
    hand.press("Ctrl+S")
    hand.until(lambda: not hand.session.settings.account.takes_token)
    provider.stop()
