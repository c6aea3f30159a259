"""A machine with nothing: to the first letter that goes, on the stand-in. Sources: RFC 6186 §3 and
RFC 8314 §5.1 for the records that are asked for."""

from collections.abc import Iterator
from pathlib import Path

import pytest
from PySide6.QtWidgets import QApplication, QFileDialog
from pytestqt.qtbot import QtBot

from nebbet.core.errors import NebbetError
from nebbet.library.pack_out import write_pack
from nebbet.library.store import open_library
from nebbet.personal.home import Home, home_in, make_home
from nebbet.personal.secrets import SessionSecrets
from nebbet.personal.settings import Account, Settings, read_settings, write_settings
from nebbet.post import finding
from nebbet.post.finding import Candidate, find_servers, readers, senders
from nebbet.standin.ports import CATCH_ALL
from nebbet.standin.service import MailService
from tests.conftest import NOW
from tests.desktop.conftest import Hand, close, open_window_with

ME, PASSWORD = "ann.pell@harbour.example", "secret"


@pytest.fixture
def service(tmp_path: Path) -> Iterator[MailService]:
    made = MailService(tmp_path / "mail", {ME: PASSWORD, CATCH_ALL: "catch"})
    made.start()
    yield made
    made.stop()


def records_of(service: MailService) -> finding.Resolve:
    """The records of a domain whose servers are the stand-in."""
    account = service.account(ME)
    known = {
        "_imap._tcp.harbour.example": [("127.0.0.1", account.imap_port)],
        "_submission._tcp.harbour.example": [("127.0.0.1", account.smtp_port)],
    }
    return lambda name: known.get(name, [])


@pytest.fixture
def hand(
    tmp_path: Path, service: MailService, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> Iterator[Hand]:
    monkeypatch.setattr(finding, "srv_records", records_of(service))
    home = home_in(tmp_path / "home")
    make_home(home)
    certificate = service.account(ME).certificate  # the stand-in's is known to nobody else
    account = Account(certificate=certificate)
    write_settings(home.settings_file, Settings(hold_seconds=0, account=account))
    window = open_window_with(home, SessionSecrets({}))
    window.notices.ask = lambda *_args: True  # type: ignore[method-assign]
    made = Hand(window, qtbot, service)
    made.until(QApplication.focusWidget)
    yield made
    close(window)


def test_from_nothing_to_the_first_letter(hand: Hand) -> None:
    page = hand.window.first_start
    assert hand.window.place is page and hand.focus is page.first
    hand.type("Ann")
    hand.press("Tab")
    hand.type("Pell")
    hand.press("Return")
    hand.type(ME)
    assert page.user.text() == ME
    hand.press("Return")
    hand.until(lambda: hand.session.shared.me is not None)
    assert "signed Ann Pell" in page.me_told.text() and hand.focus is page.password
    hand.type(PASSWORD)
    hand.press("Return")
    hand.until(lambda: "came back" in page.mail_told.text())
    hand.click(page.samples_button)
    hand.until(lambda: "5 templates" in page.library_told.text())
    hand.press("Ctrl+Return")
    assert hand.window.place is hand.window.letters
    hand.press("Ctrl+N")
    hand.type("Bo Reed <bo@post.example>")
    hand.press("Return")
    hand.type("we have your message")
    hand.press("Return")
    hand.press("Ctrl+Return", "Ctrl+Return")
    hand.sent_all()
    (sent,) = hand.mailbox_of(CATCH_ALL, "catch")
    text = sent.get_body(("plain",)).get_content()  # type: ignore[union-attr]
    assert text.startswith("Dear Bo Reed,") or text.startswith("Dear Bo,")
    assert text.rstrip().endswith("Ann Pell")


def test_a_wrong_password_loses_nothing_and_goes_to_one_server_alone(hand: Hand) -> None:
    page = hand.window.first_start
    page.user.setText(ME)
    page.password.setText("wrong")
    hand.click(page.mail_button)
    hand.until(lambda: "does not accept the password" in page.mail_told.text())
    assert page.password.text() == "wrong" and page.mail_button.isEnabled()
    assert page.mail_told.text().count("port") == 1
    hand.window.go(hand.window.letters)
    hand.window.go(page)
    assert page.user.text() == ME and page.password.text() == "wrong"
    page.password.setText(PASSWORD)
    hand.click(page.mail_button)
    hand.until(lambda: "came back" in page.mail_told.text())
    settings = read_settings(hand.session.parts.home.settings_file)
    assert settings.account.user == ME and settings.account.imap_tls == "starttls"


def test_bad_input_is_told_beside_it(hand: Hand) -> None:
    page = hand.window.first_start
    hand.click(page.me_button)
    assert "needed" in page.me_told.text()
    hand.click(page.mail_button)
    assert "needed" in page.mail_told.text()
    hand.click(page.samples_button)
    assert "First say who you are" in page.library_told.text()
    page.user.setText("nobody@no-such-place.example")
    page.password.setText("x")
    hand.click(page.mail_button)
    hand.until(lambda: "fill it in by hand" in page.mail_told.text())
    assert "imap.no-such-place.example" in page.mail_told.text()


def test_what_a_domain_says_comes_before_what_is_common() -> None:
    def resolve(name: str) -> list[tuple[str, int]]:
        return {"_imaps._tcp.x.example": [("in.x.example", 993)]}.get(name, [])

    found = [*readers("x.example", resolve)]
    assert found[0] == Candidate("in.x.example", 993, True)
    assert found[1:3] == [Candidate("imap.x.example", 993, True),
                          Candidate("imap.x.example", 143, False)]  # fmt: skip
    assert [one.port for one in senders("x.example", lambda _name: [])][:2] == [465, 587]


def test_what_is_no_address_is_told() -> None:
    with pytest.raises(NebbetError, match="not a mail address"):
        find_servers("nobody", "x", Account(), lambda _name: [])


def test_a_pack_is_taken_at_the_first_start(
    hand: Hand, made_home: Home, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    path = tmp_path / "desk.nebbet-pack"
    library = open_library(made_home.library_file)
    write_pack(library, library.catalogue(NOW), path)
    library.close()
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_: (str(path), ""))
    page = hand.window.first_start
    hand.click(page.pack_button)
    hand.until(lambda: "40 templates" in page.library_told.text())
    assert hand.window.place is page
