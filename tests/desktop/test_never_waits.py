"""The window's thread only draws: no database, no file, no keyring, no reading of messages, no
coding of pictures, no looking for words, no walk over all templates while somebody works."""

import sys
import threading
import traceback
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import enchant
import pytest
from msgspec.structs import replace
from PySide6.QtGui import QColor, QImage
from sqlalchemy import Engine, event

import nebbet
from nebbet.core.message import received
from nebbet.desktop.kit import pictures
from nebbet.personal.secrets import SessionSecrets
from tests.desktop.conftest import Hand, template

_INSTALLED = (sys.prefix, sys.base_prefix, str(Path(nebbet.__file__).parent), "/usr/", "/proc/")


class Watch:
    """Notes what is done in the window's thread that may take long."""

    def __init__(self) -> None:
        self.on = False
        self.seen: list[str] = []

    def note(self, what: str) -> None:
        if self.on and threading.current_thread() is threading.main_thread():
            lines = traceback.format_stack()[:-2]
            ours = [line for line in lines if "/nebbet/" in line][-3:]
            self.seen.append(f"{what}\n{''.join(ours)}")


_watch = Watch()


def _hear(name: str, arguments: tuple[Any, ...]) -> None:
    if not _watch.on or name not in ("open", "sqlite3.connect", "socket.connect"):
        return
    what = str(arguments[0])
    if name != "open" or not what.startswith(_INSTALLED):
        _watch.note(f"{name} {what}")


sys.addaudithook(_hear)  # for as long as this process lives; it hears nothing but while on


class WatchedTemplates(dict[str, Any]):
    """Notes who goes through all templates."""

    def __iter__(self) -> Iterator[str]:
        _watch.note("all templates")
        return super().__iter__()

    def values(self) -> Any:
        _watch.note("all templates")
        return super().values()

    def items(self) -> Any:
        _watch.note("all templates")
        return super().items()


@pytest.fixture
def watch(hand: Hand, monkeypatch: pytest.MonkeyPatch) -> Iterator[Watch]:
    def watched(owner: Any, name: str, what: str) -> None:
        real = getattr(owner, name)

        def noting(*arguments: Any, **named: Any) -> Any:
            _watch.note(what)
            return real(*arguments, **named)

        monkeypatch.setattr(owner, name, noting)

    def asked(*_: Any) -> None:
        _watch.note("the database")

    watched(SessionSecrets, "get", "the keyring")
    watched(received, "open_message", "a message is read")
    watched(pictures, "png_of", "a picture is coded")
    watched(enchant.Dict, "suggest", "words are looked for")
    event.listen(Engine, "before_cursor_execute", asked)
    shared = hand.session.shared
    templates = WatchedTemplates(shared.catalogue.templates)
    shared.catalogue = replace(shared.catalogue, templates=templates)
    _watch.seen.clear()
    _watch.on = True
    yield _watch
    _watch.on = False
    event.remove(Engine, "before_cursor_execute", asked)


def test_an_hour_s_work_never_waits_in_the_window(hand: Hand, watch: Watch) -> None:
    window = hand.window
    _write_and_send(hand)
    _go_through_the_library(hand)
    _edit(hand)
    hand.press("Alt+5")
    register = window.register
    register.table.setFocus()
    hand.press("Return")
    hand.until(register.view.isVisible)
    hand.click(window.person)
    hand.click(window.profile.try_button)
    hand.press("Alt+1")
    assert not watch.seen, watch.seen[0]


def _write_and_send(hand: Hand) -> None:
    hand.press("Ctrl+N")
    hand.type("verrell")
    hand.press("Return", "Ctrl+J")
    hand.type("confirmation again")
    hand.press("Return")
    hand.window.letters.paper.body.setFocus()
    hand.type("A wrod of mine. ")
    hand.press("F7")
    hand.press("Esc")
    hand.window.letters.sending.try_to_send()
    hand.window.letters.sending.try_to_send()
    hand.sent_all()


def _go_through_the_library(hand: Hand) -> None:
    hand.press("Alt+3")
    library = hand.window.library
    hand.type("refund")
    hand.press("Down", "Esc")
    pages = ("Ctrl+Alt+P", "Ctrl+Alt+B", "Ctrl+Alt+F", "Ctrl+Shift+A", "Ctrl+Alt+L", "Ctrl+Alt+U")
    for keys in pages:
        library.table.setFocus()
        hand.press(keys)
        page = library.at_hand()
        assert page.isVisible() and page is not library, keys
        page.list.setFocus()  # type: ignore[attr-defined]
        hand.press("Down")
        hand.press("Esc")
        hand.until(library.view.isVisible)
    library.table.choose("refund-agreed")
    hand.press("Ctrl+Alt+H")
    hand.until(library.history.list.count)
    hand.press("Esc")


def _edit(hand: Hand) -> None:
    library = hand.window.library
    library.edit("refund-agreed")
    editor = library.editor
    editor.body.setFocus()
    hand.type("We are sorry. {{case.n")
    hand.press("Return")
    image = QImage(40, 40, QImage.Format.Format_RGB32)
    image.fill(QColor("red"))
    editor.body.paste_image(image)
    hand.until(lambda: "files" in str(hand.session.shared.own.drafts.get("refund-agreed", "files")))
    hand.press("Ctrl+T")
    hand.until(editor.trial.isVisible)
    hand.press("Ctrl+T", "Ctrl+S", "F8")
    hand.put_in_use()
    hand.put_in_use()
    hand.until(lambda: template(hand).edition == 2)
    hand.press("Esc")
    hand.until(library.view.isVisible)


def test_what_is_written_last_is_kept_and_a_failure_is_told_before_the_window_goes(
    hand: Hand, monkeypatch: pytest.MonkeyPatch
) -> None:
    hand.press("Ctrl+N")
    hand.type("verrell")
    hand.press("Return")
    asked: list[str] = []

    def ask(title: str, text: str, _verb: str) -> bool:
        asked.append(f"{title}: {text}")
        return False

    monkeypatch.setattr(hand.window.notices, "ask", ask)
    engine = hand.session.shared.stores.personal
    with engine.begin() as connection:
        connection.exec_driver_sql("ALTER TABLE letter RENAME TO elsewhere")
    hand.window.letters.paper.body.setFocus()
    hand.type("The last words.")
    hand.window.close()
    assert hand.window.isVisible(), "it stays, for somebody has to know"
    assert "What you wrote last could not be kept" in asked[0]
    with engine.begin() as connection:
        connection.exec_driver_sql("ALTER TABLE elsewhere RENAME TO letter")
    monkeypatch.setattr(hand.window.notices, "ask", lambda *_: True)
    (letter,) = hand.session.letters.held.values()
    hand.session.letters.keep(letter)
    hand.window.close()
    assert not hand.window.isVisible()


def test_the_watch_sees_what_waits(hand: Hand, watch: Watch, tmp_path: Path) -> None:
    shared = hand.session.shared
    shared.library.files()
    (tmp_path / "x").write_text("x")
    list(shared.catalogue.templates)
    hand.session.parts.secrets.get("x")
    received.open_message(b"Subject: x\r\n\r\nx")
    pictures.png_of(QImage(2, 2, QImage.Format.Format_RGB32))
    whats = {seen.partition(" ")[0].partition("\n")[0] for seen in watch.seen}
    assert whats >= {"the", "open", "all", "a"} and len(watch.seen) >= 6
