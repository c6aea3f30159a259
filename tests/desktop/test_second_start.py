"""A second start hands what it is for to the window that is open."""

import os
import socket
import subprocess
import sys
import threading
from collections.abc import Iterator
from pathlib import Path
from time import sleep

import pytest
from PySide6.QtWidgets import QMessageBox

from nebbet.cli.doorway import Doorway, Wanted, enter
from nebbet.cli.window import take_up
from nebbet.personal.home import Home, HomeTaken, take_home
from tests.desktop.conftest import PATIENCE, Hand

MESSAGE = b"From: Ann <ann@harbour.example>\nSubject: My ticket\n\nWhere is my ticket?\n"


@pytest.fixture
def doorway(hand: Hand, home: Home) -> Iterator[Doorway]:
    with take_home(home):
        yield Doorway(hand.window, home, take_up)


def start(hand: Hand, home: Home, *words: str) -> tuple[int, str]:
    """Start Nebbet again, as a process of its own, while the window goes on."""
    program = "import sys; from nebbet.cli.main import main; main(sys.argv[1:])"
    environment = {**os.environ, "NEBBET_HOME": str(home.data)}
    with subprocess.Popen(
        [sys.executable, "-c", program, *words],
        env=environment,
        text=True,
        stdout=subprocess.PIPE,
        stderr=subprocess.STDOUT,
    ) as process:
        hand.bot.waitUntil(lambda: process.poll() is not None, timeout=PATIENCE)
        assert process.stdout is not None
        return process.returncode, process.stdout.read()


@pytest.mark.usefixtures("doorway")
def test_a_second_start_brings_the_window_to_the_front(hand: Hand, home: Home) -> None:
    hand.window.showMinimized()
    done, words = start(hand, home)
    assert (done, words) == (0, "Nebbet was open already: its window has come to the front.\n")
    assert not hand.window.isMinimized()


@pytest.mark.usefixtures("doorway")
def test_a_letter_and_a_message_are_opened_in_it(hand: Hand, home: Home, tmp_path: Path) -> None:
    hand.window.go_to("register")
    assert start(hand, home, "write", "--to", "a@b.example")[0] == 0
    hand.bot.waitUntil(lambda: hand.window.place is hand.window.letters, timeout=PATIENCE)
    model = hand.window.letters.model
    hand.bot.waitUntil(lambda: bool(model.letter and model.letter.recipient), timeout=PATIENCE)
    assert model.letter and model.letter.recipient
    assert model.letter.recipient.email == "a@b.example", "nobody whose name has an a and a b"

    kept = model.letter
    file = tmp_path / "ticket.eml"
    file.write_bytes(MESSAGE)
    assert start(hand, home, "read", str(file))[0] == 0
    hand.bot.waitUntil(lambda: hand.window.letters.arriving.is_shown, timeout=PATIENCE)
    assert kept.id in hand.session.letters.held, "the letter that was begun lies on the pile"


@pytest.mark.parametrize(
    ("wanted", "told"),
    [
        (Wanted(to="nobody there"), "neither a known person nor a mail address"),
        (Wanted(to="e"), "may mean several people"),
        (Wanted(to="Hanna Verrell", case="LS-48260"), "is not about Hanna Verrell but about Aoife"),
        (Wanted(case="LS-1"), "There is no case “LS-1”"),
    ],
)
def test_what_is_not_meant_for_certain_is_told(
    hand: Hand, doorway: Doorway, wanted: Wanted, told: str
) -> None:
    doorway.want(wanted)
    hand.bot.waitUntil(lambda: told in hand.window.notices.text, timeout=PATIENCE)
    letter = hand.window.letters.model.letter
    assert letter is not None
    assert letter.case is None or letter.case.number == "LS-48211", "the person's only one"
    assert (letter.recipient.name if letter.recipient else "") in ("", "Hanna Verrell")


def test_what_is_wanted_waits_for_a_box_that_asks(hand: Hand, doorway: Doorway) -> None:
    box = QMessageBox(hand.window)
    box.open()
    hand.window.go_to("register")
    doorway.want(Wanted())
    hand.bot.wait(400)
    assert hand.window.place is hand.window.register
    box.close()
    hand.bot.waitUntil(lambda: hand.window.place is hand.window.letters, timeout=PATIENCE)


@pytest.mark.usefixtures("doorway")
@pytest.mark.parametrize("said", [b"{}}\n", b'{"to": 3}\n', b"\xff\n", b"x" * 1_100_000])
def test_nonsense_at_the_door_changes_nothing(hand: Hand, home: Home, said: bytes) -> None:
    hand.window.go_to("register")
    answers: list[bytes] = []

    def speak() -> None:
        with socket.socket(socket.AF_UNIX) as line:
            line.settimeout(5)
            line.connect(str(home.data / "door"))
            try:
                line.sendall(said)
                answers.append(line.recv(1))
            except OSError:
                answers.append(b"")

    speaking = threading.Thread(target=speak)
    speaking.start()
    hand.bot.waitUntil(lambda: bool(answers), timeout=PATIENCE)
    speaking.join()
    assert answers == [b""]
    assert hand.window.place is hand.window.register


def test_a_start_right_after_the_end_gets_a_window_of_its_own(tmp_path: Path) -> None:
    home = Home(tmp_path / "home", tmp_path / "home")
    taken = take_home(home)

    def end() -> None:
        sleep(0.5)
        taken.close()

    ending = threading.Thread(target=end)
    ending.start()
    with enter(home, None) as mine:  # type: ignore[union-attr]
        assert not mine.closed
    ending.join()


def test_what_holds_the_home_and_does_not_answer_is_told(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("nebbet.cli.doorway._ENDING", 0.2)
    home = Home(tmp_path / "home", tmp_path / "home")
    with take_home(home), pytest.raises(HomeTaken, match="Nebbet is already open"):
        enter(home, None)
