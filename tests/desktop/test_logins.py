"""A lead lets people in and lets them go in the window, and what a role that changes does there."""

from collections.abc import Iterator
from contextlib import closing

import pytest
from msgspec.structs import replace
from PySide6.QtGui import QGuiApplication
from pytestqt.qtbot import QtBot
from sqlalchemy import make_url

from nebbet.desktop.kit import asking
from nebbet.library import logins
from nebbet.library.holdings import Proposal
from nebbet.library.postgres import Away
from nebbet.library.store import Library, open_library
from nebbet.personal.home import Home
from nebbet.personal.secrets import SessionSecrets
from nebbet.personal.settings import read_settings, write_settings
from nebbet.standin import demo
from nebbet.standin.service import MailService
from tests.conftest import NOW
from tests.desktop.conftest import Hand, close, open_window_with
from tests.desktop.on_server import kept
from tests.library.conftest import database, server  # noqa: F401 - fixtures

LEAD = "lg_lead"


@pytest.fixture
def keeper(database: str, home: Home) -> Iterator[Library]:  # noqa: F811
    """The demo's library on a server, as whoever keeps it; its lead can log in."""
    with kept(database, home, {demo.LEAD: (LEAD, "lead")}) as library:
        yield library


@pytest.fixture
def hand(
    keeper: Library,
    database: str,  # noqa: F811
    home: Home,
    service: MailService,
    qtbot: QtBot,
) -> Iterator[Hand]:
    where = make_url(database).set(username=LEAD).render_as_string(hide_password=False)
    settings = read_settings(home.settings_file)
    write_settings(home.settings_file, replace(settings, library=where, member=demo.LEAD))
    window = open_window_with(home, SessionSecrets({settings.account.user: demo.PASSWORD}))
    window.notices.ask = lambda *_args: True  # type: ignore[method-assign]
    yield Hand(window, qtbot, service)
    close(window)


def members(hand: Hand, name: str):  # type: ignore[no-untyped-def]
    hand.press("Alt+3")
    hand.window.library.show_members()
    page = hand.window.library.members
    hand.click_row(page.list, name)
    hand.until(page.login.state.text)
    return page


def test_a_lead_lets_somebody_in_and_lets_them_go(
    hand: Hand,
    keeper: Library,
    database: str,  # noqa: F811
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    page = members(hand, "Benedek")
    box = page.login
    hand.until(lambda: box.state.text() == "Cannot log in yet.")
    monkeypatch.setattr(asking, "ask_line", lambda *_args, **_more: "lg_benedek")
    hand.click(box.let_in_button)
    hand.until(lambda: box.state.text() == "Logs in as lg_benedek.")
    password = box.password.text()
    assert "is let in" in hand.said and len(password) == 19
    hand.click(box.copy_button)
    assert QGuiApplication.clipboard().text() == password
    where = make_url(database).set(username="lg_benedek").render_as_string(hide_password=False)
    with closing(open_library(where)) as own:
        assert own.role == "colleague"
    hand.click(box.left_button)
    hand.until(lambda: box.state.text().startswith("Left the team"))
    assert box.password.isHidden()
    with pytest.raises(Away):
        open_library(where)
    hand.click(box.let_in_button)
    hand.until(lambda: box.state.text() == "Logs in as lg_benedek.")
    with closing(open_library(where)) as own:
        assert own.role == "colleague"


def test_the_role_that_a_lead_chooses_holds_on_the_server(
    hand: Hand,
    keeper: Library,
    database: str,  # noqa: F811
) -> None:
    logins.enrol(keeper.engine, "ivo.lindqvist", "lg_ivo", "colleague")
    page = members(hand, "Ivo")
    hand.until(lambda: page.login.state.text() == "Logs in as lg_ivo.")
    page.form.role.setCurrentIndex(page.form.role.findData("lead"))
    hand.press("Ctrl+S")
    hand.until(lambda: "Ivo Lindqvist is kept." in hand.said)
    where = make_url(database).set(username="lg_ivo").render_as_string(hide_password=False)
    with closing(open_library(where)) as own:
        assert own.role == "lead" and own.catalogue(NOW).members["ivo.lindqvist"].role == "lead"


def test_a_login_of_something_else_is_refused_in_words(
    hand: Hand, monkeypatch: pytest.MonkeyPatch
) -> None:
    box = members(hand, "Benedek").login
    hand.until(box.let_in_button.isVisible)
    monkeypatch.setattr(asking, "ask_line", lambda *_args, **_more: "postgres")
    hand.click(box.let_in_button)
    hand.until(lambda: "The server has that login for something else" in hand.said)
    assert box.state.text() == "Cannot log in yet."


def test_who_is_no_lead_any_more_reads_and_is_not_let_type(hand: Hand, keeper: Library) -> None:
    hand.press("Alt+3")
    hand.window.library.show_facts()
    page = hand.window.library.facts
    assert page.save.isVisible() and not page.form.value.isReadOnly()
    member = keeper.catalogue(NOW).members[demo.LEAD]
    logins.let_in(keeper.engine, replace(member, role="colleague"), LEAD)
    hand.until(lambda: not page.save.isVisible())
    assert page.form.value.isReadOnly() and page.working_days.code.isReadOnly()
    logins.let_in(keeper.engine, replace(member, role="lead"), LEAD)
    hand.until(page.save.isVisible)
    assert not page.form.value.isReadOnly()
    logins.enrol(keeper.engine, "benedek.roy", "lg_other", "lead")
    logins.let_go(keeper.engine, demo.LEAD)
    hand.session.shared.refresh()
    hand.until(hand.window.library_state.isVisible)
    assert hand.window.library_state.text().startswith("Not let in")


def test_the_proposer_hears_what_became_of_it(
    hand: Hand,
    keeper: Library,
    database: str,  # noqa: F811
) -> None:
    content = keeper.catalogue(NOW).templates["refund-agreed"].content
    for key, title in (("pa", "First"), ("pb", "Second")):
        keeper.propose(
            Proposal(key, "refund-agreed", 1, "refunds", title, content, demo.LEAD, NOW, "why")
        )
    hand.until(lambda: {"pa", "pb"} <= hand.session.shared.catalogue.proposals.keys())
    keeper.decline("pa", "Too long", "benedek.roy", NOW)
    hand.until(
        lambda: "Your proposal for “First” was declined. The lead says: Too long" in hand.said
    )
    waiting = keeper.catalogue(NOW).proposals["pb"]
    keeper.accept(waiting, content, "Second", "", "benedek.roy", NOW,
                  based_on=keeper.catalogue(NOW).templates["refund-agreed"].edition)  # fmt: skip
    hand.until(lambda: "Your proposal for “Second” is in use." in hand.said)
