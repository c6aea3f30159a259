"""Keys, words and clicks at random, from seeds: whatever comes, nothing breaks, neither in sight of
the person nor behind it (a traceback, a warning of Qt)."""

import random
import sys

import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QColor, QKeySequence
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QColorDialog, QFileDialog

from nebbet.desktop.kit import asking
from tests.desktop.conftest import Hand
from tests.desktop.doing import edit, take

ACTS = 300
ANYWHERE = """
    Return Tab Shift+Tab Delete Backspace Up Down Left Right Home End Ctrl+Z Ctrl+Shift+Z Ctrl+A
    Ctrl+X Ctrl+C Ctrl+V Ctrl+B Ctrl+I F6 Shift+F6 F8 Shift+F8 F7 Ctrl+J Esc Ctrl+Return
    Ctrl+Shift+Return Ctrl+N Ctrl+G Ctrl+L Alt+Down Shift+Right Shift+Down Ctrl+Shift+8
    Ctrl+Shift+7 Ctrl+Shift+9 Ctrl+Alt+1 Ctrl+End Ctrl+Home PgDown Alt+1 Alt+2 Alt+3 Alt+5 Ctrl+F F1
"""
EDITING = """
    Ctrl+E Ctrl+S Ctrl+Shift+S Ctrl+T Ctrl+H Ctrl+D Ctrl+Shift+I Ctrl+Shift+O Ctrl+Shift+2
    Ctrl+Shift+3 Ctrl+Alt+N Ctrl+Shift+F Ctrl+Shift+K Alt+Up Alt+Down Ctrl+Shift+D
    Ctrl+Shift+Backspace Ctrl+Alt+H Ctrl+Shift+Y Ctrl+Alt+B Ctrl+Alt+F Ctrl+Shift+A Ctrl+Alt+L
    Ctrl+Alt+U Ctrl+Alt+P Ctrl+Delete Ctrl+P Ctrl+Shift+P Ctrl+Alt+M
"""
WORDS = ("hello ", "{{", "}}", "case.", "2", "1 Dec", "passengers >= 2", "zz", "fare")


@pytest.mark.parametrize("seed", range(6))
def test_nothing_that_is_done_at_random_breaks(
    hand: Hand, monkeypatch: pytest.MonkeyPatch, seed: int
) -> None:
    chance = random.Random(seed)
    broken: list[object] = []
    monkeypatch.setattr(sys, "excepthook", lambda *error: broken.append(error))
    for name, answer in {"OpenFileName": "", "OpenFileNames": [], "SaveFileName": ""}.items():
        monkeypatch.setattr(
            QFileDialog, f"get{name}", lambda *_a, answer=answer, **_k: (answer, "")
        )
    monkeypatch.setattr(QColorDialog, "getColor", lambda *_a, **_k: QColor("#123456"))
    monkeypatch.setattr(asking, "ask_line", lambda *_a: chance.choice([None, "a.example"]))
    take(hand, "sailing canc", "verrell")
    if seed % 2:
        edit(hand, chance.choice(["refund agreed", "sailing canc", "school visit"]))
    keys = (ANYWHERE + EDITING if seed % 2 else ANYWHERE).split()
    done: list[str] = []
    for act in range(ACTS):
        done.append(at_random(hand, chance, keys))
        if act % 7 == 0:
            QApplication.processEvents()
        assert not broken, (broken, done[-12:])


def at_random(hand: Hand, chance: random.Random, keys: list[str]) -> str:
    """Do one thing, and say which."""
    if popup := QApplication.activePopupWidget():
        popup.close()
    focus = QApplication.focusWidget() or hand.window
    kind = chance.random()
    if kind < 0.45:
        key = chance.choice(keys)
        pressed = QKeySequence(key)[0]
        QTest.keyClick(focus, pressed.key(), pressed.keyboardModifiers())
        return key
    if kind < 0.75:
        words = chance.choice(WORDS)
        QTest.keyClicks(focus, words)
        return words
    place = QPoint(chance.randrange(hand.window.width()), chance.randrange(hand.window.height()))
    under = hand.window.childAt(place)
    if under is not None:
        where = under.mapFrom(hand.window, place)
        QTest.mouseClick(under, Qt.MouseButton.LeftButton, pos=where)
    return f"a click on {under}"
