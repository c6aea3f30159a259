"""The window on a library whose server goes away and comes back."""

import sqlite3
import tempfile
import time
from collections.abc import Callable, Iterator
from contextlib import closing
from pathlib import Path
from typing import Any

import pytest
from msgspec.structs import replace
from PySide6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from nebbet.desktop import application
from nebbet.library.moving import copy_library
from nebbet.library.store import open_library
from nebbet.personal.home import Home
from nebbet.personal.settings import read_settings, write_settings
from nebbet.standin.service import MailService
from tests.conftest import NOW
from tests.desktop.conftest import PATIENCE, Hand, close, open_window
from tests.library.conftest import database, server  # noqa: F401 - fixtures
from tests.library.line import Line


@pytest.fixture
def line(database: str, home: Home) -> Iterator[Line]:  # noqa: F811
    """The demo's library on a server, and the line to it."""
    held, made = open_library(home.library_file), open_library(database)
    copy_library(held, made)
    held.close()
    made.close()
    with tempfile.TemporaryDirectory(prefix="nb-line") as folder:
        line = Line(database, Path(folder))
        yield line
        line.cut()


@pytest.fixture
def on_server(line: Line, home: Home, service: MailService) -> Home:
    settings = read_settings(home.settings_file)
    write_settings(home.settings_file, replace(settings, library=line.url))
    return home


def a_hand(home: Home, qtbot: QtBot, service: MailService) -> Hand:
    window = open_window(home)
    qtbot.waitUntil(lambda: QApplication.focusWidget() is not None, timeout=PATIENCE)
    window.notices.ask = lambda *_args: True  # type: ignore[method-assign]
    return Hand(window, qtbot, service)


@pytest.fixture
def hand(on_server: Home, service: MailService, qtbot: QtBot) -> Iterator[Hand]:
    made = a_hand(on_server, qtbot, service)
    files = on_server.copy_folder / "files"
    expected = made.session.shared.catalogue.files.keys()
    made.until(lambda: files.exists() and {path.name for path in files.iterdir()} == expected)
    yield made
    close(made.window)


def write_letter(hand: Hand) -> None:
    hand.press("Alt+3")
    hand.window.library.find_field.clear()
    hand.window.library.table.setFocus()
    hand.type("confirmation")
    hand.press("Return")
    hand.type("haldane")
    hand.press("Return", "Ctrl+Return")


def test_work_goes_on_without_the_server_and_is_handed_in_later(
    hand: Hand,
    line: Line,
    database: str,  # noqa: F811
) -> None:
    state = hand.window.library_state
    assert not state.isVisible()
    line.cut()
    hand.until(state.isVisible)
    assert "Server away: copy of" in state.text()
    assert "You go on with the copy on this computer" in hand.said
    write_letter(hand)
    hand.until(hand.mailbox)
    hand.until(lambda: any(e.state == "sent" for e in hand.session.sending.outbox))
    # A private template cannot be made without the server; what was typed stays.
    hand.press("Alt+3")
    library = hand.window.library
    library.edit("refund-agreed")
    library.editor.body.setFocus()
    hand.press("Ctrl+Home")
    hand.type("Kept all the same. ")
    hand.put_in_use("more")
    hand.until(lambda: "The edition cannot be saved: the server does not answer" in hand.said)
    assert "Kept all the same." in library.editor.body.toPlainText()
    assert "refund-agreed" in hand.session.shared.own.drafts
    line.mend()
    hand.until(lambda: not state.isVisible())
    hand.until(lambda: "The library is there again." in hand.said)
    hand.put_in_use("more")
    hand.until(lambda: hand.session.shared.catalogue.templates["refund-agreed"].edition == 2)
    hand.until(lambda: not hand.session.sending.outbox)
    hand.until(lambda: len(hand.session.shared.entries) == 1)
    there = open_library(database)
    assert there.catalogue(NOW).usage_of("confirmation-again").last is not None
    there.close()


def test_a_colleague_proposes_without_the_server(
    on_server: Home,
    line: Line,
    service: MailService,
    qtbot: QtBot,
    database: str,  # noqa: F811
) -> None:
    made = application.make_parts

    def as_colleague(*args, **kwargs):  # type: ignore[no-untyped-def]
        return replace(made(*args, **kwargs), role="colleague")

    with pytest.MonkeyPatch.context() as patched:
        patched.setattr(application, "make_parts", as_colleague)
        hand = a_hand(on_server, qtbot, service)
    hand.until((on_server.copy_folder / "copy.sqlite").exists)
    line.cut()
    hand.until(hand.window.library_state.isVisible)
    hand.press("Alt+3")
    library = hand.window.library
    library.edit("damage-claim")
    library.editor.body.setFocus()
    hand.press("Ctrl+Home")
    hand.type("Dear all. ")
    hand.put_in_use("warmer")
    hand.until(lambda: hand.session.shared.catalogue.proposals)
    hand.until(lambda: "1 waiting" in hand.window.library_state.text())
    close(hand.window)
    # The next day the server is still away; the window opens all the same.
    again = a_hand(on_server, qtbot, service)
    assert again.window.library_state.isVisible()
    assert (
        len(again.session.shared.catalogue.templates) == 40
        and again.session.shared.catalogue.proposals
    )
    line.mend()
    again.until(lambda: "What waited was handed in." in again.said)
    assert not again.window.library_state.isVisible()
    close(again.window)
    there = open_library(database)
    (proposal,) = there.catalogue(NOW).proposals.values()
    assert proposal.reason == "warmer"
    there.close()


def test_without_a_copy_the_window_says_why_and_fills_itself_when_the_server_is_there(
    on_server: Home, line: Line, service: MailService, qtbot: QtBot
) -> None:
    line.cut()
    hand = a_hand(on_server, qtbot, service)
    hand.until(hand.window.library_state.isVisible)
    assert hand.window.library_state.text() == "Server away"
    assert "There is no copy of it on this computer yet" in hand.said
    assert hand.window.place is hand.window.profile
    line.mend()
    hand.until(lambda: len(hand.session.shared.catalogue.templates) == 40)
    assert not hand.window.library_state.isVisible()
    close(hand.window)


def test_another_library_is_tried_before_it_is_kept(
    home: Home,
    service: MailService,
    qtbot: QtBot,
    line: Line,
    database: str,  # noqa: F811
) -> None:
    hand = a_hand(home, qtbot, service)
    hand.click(hand.window.person)
    profile = hand.window.profile
    profile.library.setFocus()
    profile.library.setText("postgresql://nobody@/nothing?host=/nowhere")
    hand.press("Ctrl+S")
    hand.until(lambda: "cannot be opened: the server does not answer" in hand.said)
    assert read_settings(home.settings_file).library == ""
    there = line.url.replace("postgresql://postgres:@", "postgresql://postgres:secret@")
    profile.library.setText(there)
    hand.press("Ctrl+S")
    hand.until(lambda: "opened when Nebbet is started again" in hand.said)
    kept = read_settings(home.settings_file).library
    assert kept.startswith("postgresql://") and "secret" not in kept
    assert "secret" not in home.settings_file.read_text()
    assert hand.session.parts.secrets.get(kept) == "secret" or "secret" not in there
    close(hand.window)
    again = a_hand(home, qtbot, service)
    assert again.session.shared.library.engine.dialect.name == "postgresql"
    assert len(again.session.shared.catalogue.templates) == 40
    close(again.window)


# A line that keeps silent


def _write_in_the_editor(hand: Hand) -> None:
    hand.press("Alt+3")
    hand.window.library.edit("refund-agreed")
    hand.window.library.editor.body.setFocus()
    hand.press("Ctrl+Home")


def _write_a_letter(hand: Hand) -> None:
    hand.press("Alt+1", "Ctrl+N")
    hand.window.letters.paper.body.setFocus()


def _write_a_fact(hand: Hand) -> None:
    hand.press("Alt+3")
    hand.window.library.show_facts()
    hand.window.library.facts.form.value.setFocus()
    hand.press("End")


def _write_a_passage(hand: Hand) -> None:
    hand.press("Alt+3")
    hand.window.library.show_passages()
    hand.window.library.passages.body.setFocus()
    hand.press("Ctrl+Home")


def _write_a_member(hand: Hand) -> None:
    hand.press("Alt+3")
    hand.window.library.show_members()
    hand.window.library.members.form.fields["job"].setFocus()
    hand.press("End")


PAGES = [
    _write_in_the_editor, _write_a_letter, _write_a_fact, _write_a_passage, _write_a_member,
]  # fmt: skip


@pytest.mark.parametrize("go", PAGES)
def test_what_is_typed_while_the_line_is_silent_is_on_disk_and_said(
    on_server: Home, line: Line, service: MailService, qtbot: QtBot, go: Callable[[Hand], None]
) -> None:
    hand = a_hand(on_server, qtbot, service)
    go(hand)
    line.stall()
    hand.session.shared.refresh()  # somebody asks for something
    begun = time.monotonic()
    hand.type("Zanzibar ")
    hand.until(lambda: _is_on_disk(on_server, "Zanzibar"))
    assert time.monotonic() - begun < 4, "no draft waits for a server"
    hand.until(hand.window.library_state.isVisible)
    assert time.monotonic() - begun < 6.5
    begun = time.monotonic()
    close(hand.window)
    assert time.monotonic() - begun < 6
    line.mend()


def _is_on_disk(home: Home, words: str) -> bool:
    with closing(sqlite3.connect(home.personal_file)) as connection:
        rows = [*connection.execute("SELECT data FROM draft"),
                *connection.execute("SELECT data FROM letter")]  # fmt: skip
    return any(words.encode() in row[0] for row in rows)


def test_a_letter_goes_while_the_line_is_silent_and_is_entered_later(
    hand: Hand, line: Line
) -> None:
    line.stall()
    hand.session.shared.refresh()
    write_letter(hand)
    hand.until(hand.mailbox)
    hand.until(lambda: any(e.state == "sent" for e in hand.session.sending.outbox))
    line.mend()
    hand.until(lambda: not hand.session.sending.outbox)
    hand.until(lambda: len(hand.session.shared.entries) == 1)
    assert len(hand.mailbox()) == 1


def test_it_is_said_once_that_the_library_is_there_again(hand: Hand, line: Line) -> None:
    said: list[str] = []
    real = hand.window.notices.say

    def noting(words: str, *more: Any) -> None:
        said.append(words)
        real(words, *more)

    hand.session.shared.voice.say = noting  # type: ignore[method-assign]
    for _ in range(2):
        line.cut()
        hand.until(hand.window.library_state.isVisible)
        line.mend()
        hand.until(lambda: not hand.window.library_state.isVisible())
        hand.bot.wait(1500)
    assert said.count("The library is there again.") == 2
    assert sum("You go on with the copy" in words for words in said) == 2


def test_the_address_is_mended_without_saying_again_who_one_is(
    on_server: Home,
    line: Line,
    service: MailService,
    qtbot: QtBot,
    database: str,  # noqa: F811
) -> None:
    """Without a copy nobody is known: what the library has of the person is not written over."""
    settings = read_settings(on_server.settings_file)
    write_settings(on_server.settings_file, replace(settings, library=f"{line.url}&user=stranger"))
    hand = a_hand(on_server, qtbot, service)
    hand.until(lambda: hand.window.library_state.text() == "Login unknown")
    profile = hand.window.profile
    assert hand.window.place is profile
    profile.library.setText(line.url)
    profile.library.setFocus()
    hand.press("Ctrl+S")
    hand.until(lambda: "opened when Nebbet is started again" in hand.said)
    close(hand.window)
    again = a_hand(on_server, qtbot, service)
    again.until(lambda: again.session.shared.me is not None)
    assert again.session.shared.me.phone
    close(again.window)
