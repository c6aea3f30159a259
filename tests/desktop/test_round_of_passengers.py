"""The demo's passengers of a cancelled sailing, from their table to their mailboxes: once by keys
alone, once by mouse alone. Each message is fetched over IMAP and read by Python's own parser."""

from email.message import EmailMessage
from pathlib import Path

import pytest
from openpyxl import load_workbook
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QFileDialog

from nebbet.desktop.rounds.page import RoundsPage
from nebbet.standin.passengers import COUNT, TABLE, VOUCHERS
from nebbet.standin.team import PASSENGERS
from tests.desktop.conftest import Hand
from tests.desktop.doing import choose
from tests.desktop.test_rounds import states


@pytest.fixture
def folder(hand: Hand, monkeypatch: pytest.MonkeyPatch) -> Path:
    found = hand.session.parts.home.data / PASSENGERS
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_: (str(found / TABLE), ""))
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *_: str(found / VOUCHERS))
    return found


def wanted(folder: Path) -> list[dict[str, str]]:
    """The rows of the table, read by an independent library."""
    lines = load_workbook(folder / TABLE).active.iter_rows(values_only=True)
    head, *rows = [[str(cell or "") for cell in line] for line in lines]
    return [dict(zip(head, row, strict=True)) for row in rows]


def compare(hand: Hand, folder: Path, left_out: set[int]) -> None:
    """Every row that was to go went to its person, with its own voucher and no other, and nobody
    got two."""
    rows = wanted(folder)
    assert len(rows) == COUNT
    sent = hand.mailbox()
    left = [row for at, row in enumerate(rows) if at not in left_out]
    assert len(sent) == len(left)
    people = hand.session.shared.library.people
    for row in left:
        number = row["Booking ref."]
        (found,) = [one for one in sent if number in str(one["Subject"])]
        matter = people.numbered(number)
        assert matter and matter.contact
        assert str(found["To"].addresses[0].addr_spec) == (
            row["Mail-address of pax"] or matter.contact.email
        )
        text = body_of(found)
        assert row["Reason"] in text and row["Other sailing"] in text
        names = [str(part.get_filename()) for part in found.iter_attachments()]
        assert [name for name in names if "Voucher" in name] == [row["Voucher"]]
        french = matter.contact.language.startswith("fr")
        assert ("Bonjour" in text) == french


def body_of(message: EmailMessage) -> str:
    part = message.get_body(("plain",))
    assert part is not None
    return str(part.get_content())


def test_by_keys_alone(hand: Hand, folder: Path) -> None:
    hand.press("Alt+4")
    page: RoundsPage = hand.window.rounds
    hand.type("sailing cancelled")
    hand.press("Return", "Ctrl+O")
    hand.until(page.made_of.menu.isVisible)
    hand.press("Down", "Return")
    hand.until(lambda: len(page.table.rows.found) == COUNT and not page.side.is_looking)
    roles = page.table.head.roles()
    assert roles["Booking ref."] == "case" and roles["Mail-address of pax"] == "to"
    assert roles["Voucher"] == "", "what it is called says nothing; it is chosen"
    choose(hand, page.table.head.boxes["Voucher"], "Files")
    page.made_of.folder_button.setFocus()
    hand.press("Space")
    hand.until(lambda: page.made_of.files and not page.side.is_looking)
    found = [
        row.number
        for row in page.rows.meant
        if any(f.rule == "row file twice" for f in page.table.rows.found[row.number].findings)
    ]
    assert found == [10, 11], "another's voucher is found; one who is there twice is no other"
    page.table.setFocus()
    wrong = page.rows.meant[9]
    while page.table.current != wrong:
        hand.press("Alt+Down")
    hand.press("Space")
    choose(hand, page.side.going.twice, "an address twice: the first row goes")
    choose(hand, page.side.going.doubts, "rows with a doubt go too")
    hand.until(lambda: states(page).count("left out") == 2)
    assert states(page).count("stopped") == 0, page.table.rows.found
    hand.press("Ctrl+Return")
    hand.until(lambda: states(page).count("gone") == COUNT - 2)
    compare(hand, folder, {9, COUNT - 1})
    page.table.setFocus()
    hand.press("Esc")
    hand.until(lambda: page.list.list.count() == 2)
    page.list.list.setFocus()
    hand.press("Down", "Return")
    hand.until(lambda: page.made_of.started and states(page).count("gone") == COUNT - 2)
    assert "Started by Benedek Roy" in page.told.text() and not page.side.start_button.isEnabled()


def test_by_mouse_alone(hand: Hand, folder: Path) -> None:
    hand.window.resize(1280, 800)
    hand.click(hand.window.place_buttons["rounds"])
    page: RoundsPage = hand.window.rounds
    hand.click(page.made_of.pick)
    hand.until(page.made_of.pick.list.isVisible)
    title = hand.session.shared.catalogue.templates["sailing-cancelled"].title
    hand.click_row(page.made_of.pick.list, title)
    hand.click(page.made_of.choose)
    hand.until(page.made_of.menu.isVisible)
    menu = page.made_of.menu
    QTest.mouseClick(
        menu, Qt.MouseButton.LeftButton, pos=menu.actionGeometry(menu.actions()[0]).center()
    )
    hand.until(lambda: len(page.table.rows.found) == COUNT and not page.side.is_looking)
    box = page.table.head.boxes["Voucher"]
    page.table.horizontalScrollBar().setValue(page.table.horizontalScrollBar().maximum())
    QApplication.processEvents()
    pick(hand, box, "Files")
    hand.click(page.made_of.folder_button)
    hand.until(lambda: page.made_of.files and not page.side.is_looking)
    click_tick(page, 9)
    pick(hand, page.side.going.twice, "an address twice: the first row goes")
    pick(hand, page.side.going.doubts, "rows with a doubt go too")
    hand.until(lambda: states(page).count("left out") == 2)
    hand.click_row(page.side.states, "left out")
    assert {row.number for row in page.table.rows.rows} == {11, COUNT + 1}
    hand.click_row(page.side.states, "all rows")
    hand.click(page.side.start_button)
    hand.until(lambda: states(page).count("gone") == COUNT - 2)
    compare(hand, folder, {9, COUNT - 1})
    hand.click(page.back)
    hand.until(lambda: page.list.list.count() == 2)


def pick(hand: Hand, box, words: str) -> None:  # type: ignore[no-untyped-def]
    """Open a list and click one of its lines."""
    hand.click(box)
    view = box.view()
    hand.until(view.isVisible)
    at = view.model().index(box.findText(words), 0)
    view.scrollTo(at)
    QTest.qWait(QApplication.doubleClickInterval() + 50)  # until then the release opens it alone
    spot = view.visualRect(at).center()
    QTest.mouseMove(view.viewport(), spot)
    QTest.mouseClick(view.viewport(), Qt.MouseButton.LeftButton, pos=spot)
    hand.until(lambda: box.currentText() == words)


def click_tick(page: RoundsPage, row: int) -> None:
    index = page.table.rows.index(row, 0)
    page.table.scrollTo(index)
    spot = page.table.visualRect(index)
    QTest.mouseClick(
        page.table.viewport(), Qt.MouseButton.LeftButton,
        pos=spot.topLeft() + QPoint(12, spot.height() // 2),
    )  # fmt: skip
