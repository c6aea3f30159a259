"""The register narrowed to days, colleagues, shelves and kinds; its bars; in the real window."""

from datetime import timedelta

import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest

from nebbet.desktop.register.page import RegisterPage
from nebbet.library.entries import Registered
from tests.conftest import NOW
from tests.desktop.conftest import Hand


@pytest.fixture
def page(hand: Hand) -> RegisterPage:
    """The register with four letters: two of today, one of three days and one of ten days ago."""
    rows = [
        (0, "ottilie.marsh", "refund-agreed", "LS-48260"),
        (0, "ivo.lindqvist", "lost-property", "LP-3310"),
        (3, "ivo.lindqvist", "lost-property", "LP-3312"),
        (10, "ivo.lindqvist", "refund-agreed", "LS-48261"),
    ]
    hand.session.shared.library.record(
        [
            Registered(f"<{at}@y>", NOW - timedelta(days=ago, minutes=at), sender, "a@b.example",
                       "Ana Brown", template=template, case_number=case, subject=f"Letter {at}")
            for at, (ago, sender, template, case) in enumerate(rows)
        ]
    )  # fmt: skip
    hand.session.shared.refresh()
    hand.press("Alt+5")
    _shows(hand, hand.window.register, 0, 1, 2, 3)
    return hand.window.register


def _shows(hand: Hand, page: RegisterPage, *letters: int) -> None:
    wanted = [f"Letter {at}" for at in letters]
    hand.until(lambda: [entry.subject for entry in page.shown] == wanted)
    hand.until(lambda: sum(bar.count for bar in page.narrowing.plot.bars) == len(letters))


def test_days_are_typed(hand: Hand, page: RegisterPage) -> None:
    hand.press("Ctrl+Alt+D")
    hand.type("4 days")
    hand.press("Return")
    _shows(hand, page, 0, 1, 2)
    assert "3 of 4" in page._count.text()
    page.narrowing.days.clear()
    _shows(hand, page, 0, 1, 2, 3)


def test_days_that_are_none_are_told_and_change_nothing(hand: Hand, page: RegisterPage) -> None:
    hand.press("Ctrl+Alt+D")
    hand.type("whenever")
    hand.press("Return")
    hand.until(lambda: "whenever" in hand.window.notices.text)
    _shows(hand, page, 0, 1, 2, 3)


def test_a_bar_narrows_to_its_days_and_once_more_to_all(hand: Hand, page: RegisterPage) -> None:
    plot = page.narrowing.plot
    assert len(plot.bars) == 11 and plot.said_of(10).startswith("25 Nov 2026: 2 letters")

    def click(at: int) -> None:
        wide = min(plot.width() / len(plot.bars), 28.0)
        QTest.mouseClick(plot, Qt.MouseButton.LeftButton, pos=QPoint(int((at + 0.5) * wide), 50))

    click(7)
    _shows(hand, page, 2)
    click(0)  # the one bar that there is now
    _shows(hand, page, 0, 1, 2, 3)


def test_bars_that_are_drawn_over_narrow_to_all_their_days(hand: Hand, page: RegisterPage) -> None:
    plot = page.narrowing.plot
    wide = min(plot.width() / len(plot.bars), 28.0)
    start, end = QPoint(int(0.5 * wide), 60), QPoint(int(7.5 * wide), 60)
    QTest.mousePress(plot, Qt.MouseButton.LeftButton, pos=start)
    QTest.mouseMove(plot, end)
    QTest.mouseRelease(plot, Qt.MouseButton.LeftButton, pos=end)
    _shows(hand, page, 2, 3)


def test_colleagues_shelves_and_kinds_narrow_it(hand: Hand, page: RegisterPage) -> None:
    narrowing = page.narrowing
    narrowing.kind.setCurrentText("lost property")
    _shows(hand, page, 1, 2)
    narrowing.kind.setCurrentIndex(0)
    narrowing.shelf.setCurrentText("Refunds")
    _shows(hand, page, 0, 3)
    narrowing.colleague.setCurrentText("Ottilie Marsh")
    _shows(hand, page, 0)
    page.show_entry("<2@y>")  # from elsewhere: whatever it was narrowed to
    _shows(hand, page, 0, 1, 2, 3)
    assert narrowing.shelf.currentIndex() == 0


def test_the_names_beside_the_bars_narrow_it_too(hand: Hand, page: RegisterPage) -> None:
    plot = page.narrowing.plot
    plot.repaint()
    spot = next(spot for spot, key in plot._spots if key == "ottilie.marsh")
    QTest.mouseClick(plot, Qt.MouseButton.LeftButton, pos=spot.center().toPoint())
    _shows(hand, page, 0)
    assert page.narrowing.colleague.currentText() == "Ottilie Marsh"
    page.narrowing.by.setCurrentIndex(1)
    hand.until(lambda: "Refunds" in plot.accessibleDescription())


def test_the_page_of_a_person_is_one_key_away(hand: Hand, page: RegisterPage) -> None:
    page.table.selectRow(0)
    hand.press("Ctrl+Alt+I")
    hand.until(lambda: "Ana Brown is not on file" in hand.said)
    shared = hand.session.shared
    (hanna,) = shared.library.people.find_people("verrell")
    shared.library.record([Registered("<h@y>", NOW, "ivo.lindqvist", hanna.contact.email)])
    shared.refresh()
    hand.until(lambda: len(page.shown) == 5)
    page.table.selectRow(0)
    hand.press("Ctrl+Alt+I")
    people = hand.window.people
    hand.until(lambda: hand.window.place is people and people.view.page)
    assert people.view.person_view.title.text() == "Hanna Verrell"
