"""A round through the window: from a workbook to what lies in the mailboxes."""

from pathlib import Path

import pytest
import xlsxwriter
from PySide6.QtCore import QMimeData, QPoint, QPointF, Qt, QUrl
from PySide6.QtGui import QDropEvent
from PySide6.QtWidgets import QApplication, QFileDialog

from nebbet.core.records.tables import read_table
from nebbet.desktop.rounds.page import RoundsPage
from nebbet.library.round_ledger import round_heads, went
from nebbet.personal.home import Home
from tests.desktop.conftest import Hand, close, open_window
from tests.desktop.doing import choose
from tests.post.test_rounds import book, cancelled

ODD = ("Buchung", "Wohin", "Grund", "Other sailing", "Bemerkung")


@pytest.fixture
def page(hand: Hand) -> RoundsPage:
    hand.press("Alt+4")
    return hand.window.rounds


@pytest.fixture
def passengers(hand: Hand, tmp_path: Path) -> tuple[Path, list[tuple[str, ...]]]:
    """Passengers of cancelled sailings under odd headings; one has no address, one is there
    twice."""
    library = hand.session.shared.library
    rows = [(*one[:4], "x") for one in cancelled(library)[:12]]
    rows[3] = (rows[3][0], "", *rows[3][2:])
    rows.append(rows[0])
    path = tmp_path / "Passengers 26 November.xlsx"
    path.write_bytes(book(rows, ODD))
    return path, rows


def look_through(hand: Hand, page: RoundsPage, path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """By keys alone: the template, the table, what the columns are for."""
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_: (str(path), ""))
    page.made_of.pick.setFocus()
    hand.type("sailing cancelled")
    hand.press("Return")
    hand.press("Ctrl+O")
    hand.until(page.made_of.menu.isVisible)
    hand.press("Down", "Return")
    hand.until(lambda: page.table.head.boxes)
    boxes = page.table.head.boxes
    assert boxes["Wohin"].currentText() == "Address", "what is in it speaks"
    choose(hand, boxes["Buchung"], "Case number")
    choose(hand, boxes["Grund"], "Reason")
    hand.until(lambda: page.table.rows.found and not page.side.is_looking)


def states(page: RoundsPage) -> list[str]:
    model = page.table.rows
    return [model.state(row) for row in page.rows.meant]


def test_a_round_by_keys_alone(
    hand: Hand, page: RoundsPage, passengers: tuple[Path, list[tuple[str, ...]]],
    monkeypatch: pytest.MonkeyPatch,
) -> None:  # fmt: skip
    path, rows = passengers
    look_through(hand, page, path, monkeypatch)
    assert "13 rows" in page.told.text()
    assert states(page).count("ready") + states(page).count("doubtful") == 13
    assert states(page)[12] == "doubtful", "the same address"
    page.table.setFocus()
    page.table.selectRow(1)
    text = page.paper.shown.body.toPlainText()
    assert rows[1][0] in page.paper.shown.lines["subject"].toPlainText() and "strong wind" in text
    hand.press("Alt+Down")
    assert page.table.current and page.table.current.number == 4
    assert rows[2][0] in page.paper.shown.lines["subject"].toPlainText()
    ready = states(page).count("ready")
    assert f"{ready} letters with “Sailing cancelled" in page.side.line.text()
    hand.press("Ctrl+Return")
    hand.until(lambda: states(page).count("gone") == ready)
    assert states(page)[12] == "doubtful"
    sent = hand.mailbox()
    assert len(sent) == ready
    for number, address, *_rest in rows[:12]:
        case = hand.session.shared.library.people.numbered(number)
        assert case and case.contact
        found = [one for one in sent if number in str(one["Subject"])]
        assert len(found) <= 1
        if found:
            assert (address or case.contact.email) in str(found[0]["To"])
    (kept,) = round_heads(hand.session.shared.library.engine)
    assert len(went(hand.session.shared.library.engine, kept.id)) == ready
    hand.press("Ctrl+Return")
    assert len(hand.mailbox()) == ready, "what went does not go again"


def test_a_round_is_followed_when_it_is_looked_at_again(
    hand: Hand, page: RoundsPage, passengers: tuple[Path, list[tuple[str, ...]]],
    monkeypatch: pytest.MonkeyPatch, home: Home,
) -> None:  # fmt: skip
    path, _rows = passengers
    look_through(hand, page, path, monkeypatch)
    choose(hand, page.side.going.doubts, "rows with a doubt go too")
    hand.press("Ctrl+Return")
    hand.until(lambda: states(page).count("gone") == 13)
    window = open_window(home)
    again = Hand(window, hand.bot, hand.service)
    window.go(window.rounds)
    look_through(again, window.rounds, path, monkeypatch)
    again.until(lambda: states(window.rounds).count("gone") == 13)
    assert not window.rounds.side.start_button.isEnabled()
    close(window)


def test_rows_are_narrowed_and_told_by_mouse(
    hand: Hand, page: RoundsPage, passengers: tuple[Path, list[tuple[str, ...]]],
    monkeypatch: pytest.MonkeyPatch,
) -> None:  # fmt: skip
    path, rows = passengers
    look_through(hand, page, path, monkeypatch)
    hand.click_row(page.side.states, "doubtful")
    assert {page.table.rows.state(row) for row in page.table.rows.rows} == {"doubtful"}
    hand.click_row(page.side.states, "all rows")
    page.made_of.places.setText("1-3")
    hand.until(lambda: len(page.rows.meant) == 3)
    page.made_of.places.setText("x")
    hand.until(lambda: "names no rows" in page.told.text())
    assert len(page.rows.meant) == 3, "what was looked through stays"
    page.made_of.places.setText("")
    page.made_of.when.setText(f'buchung is "{rows[5][0]}"')
    hand.until(lambda: len(page.rows.meant) == 1)
    page.table.head.boxes["Wohin"].setCurrentIndex(0)  # for nothing: the person of the booking
    hand.until(lambda: not page.side.is_looking and states(page) == ["ready"])


def test_a_row_is_tried_on_oneself(
    hand: Hand, page: RoundsPage, passengers: tuple[Path, list[tuple[str, ...]]],
    monkeypatch: pytest.MonkeyPatch,
) -> None:  # fmt: skip
    path, _rows = passengers
    look_through(hand, page, path, monkeypatch)
    before = len(hand.session.shared.entries)
    hand.press("Ctrl+Alt+T")
    hand.until(lambda: "The test went to benedek.roy@lislesound.example" in hand.said)
    (found,) = hand.mailbox("benedek.roy@lislesound.example")
    assert str(found["Subject"]).startswith("Test: Your sailing")
    assert not hand.mailbox() and len(hand.session.shared.entries) == before
    assert round_heads(hand.session.shared.library.engine) == []


def test_files_of_a_folder_go_with_their_rows(
    hand: Hand, page: RoundsPage, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    folder = tmp_path / "tickets"
    folder.mkdir()
    (folder / "ann.pdf").write_bytes(b"%PDF-1.4 ann")
    path = tmp_path / "t.csv"
    path.write_text("Mail,File\nann@b.example,Ann.pdf\nbo@c.example,bo.pdf\n")
    drop(page, path)
    page.made_of.pick.setFocus()
    hand.type("dogs and bicycles")
    hand.press("Return")
    drop(page, folder)
    hand.until(lambda: states(page) == ["ready", "stopped"] and not page.side.is_looking)
    assert "“bo.pdf” is not in the folder" in page.table.rows._text(page.rows.meant[1], 2, "")
    hand.click(page.side.start_button)
    hand.until(lambda: states(page)[0] == "gone")
    (sent,) = hand.mailbox()
    names = [part.get_filename() for part in sent.iter_attachments()]
    assert names == ["ann.pdf"]


def drop(page: RoundsPage, path: Path) -> None:
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(path))])
    event = QDropEvent(
        QPointF(QPoint(50, 50)), Qt.DropAction.CopyAction, data, Qt.MouseButton.LeftButton,
        Qt.KeyboardModifier.NoModifier,
    )  # fmt: skip
    page.dropEvent(event)


def test_what_is_no_table_is_told(hand: Hand, page: RoundsPage, tmp_path: Path) -> None:
    path = tmp_path / "odd.xlsx"
    path.write_bytes(b"PK\x03\x04 nothing")
    page.made_of.take_table(path)
    hand.until(lambda: "damaged" in hand.said)
    page.made_of.take_table(tmp_path / "none.csv")
    hand.until(lambda: "cannot be read" in hand.said)
    assert not page.side.start_button.isEnabled()


def test_a_round_is_stopped_and_goes_on(hand: Hand, page: RoundsPage, tmp_path: Path) -> None:
    path = tmp_path / "t.csv"
    path.write_text("Mail\n" + "".join(f"r{n}@b.example\n" for n in range(5)))
    drop(page, path)
    page.made_of.take_template("dogs-and-bicycles")
    hand.until(lambda: states(page) == ["ready"] * 5)
    hand.until(lambda: not page.side.is_looking)
    page.side.going.every.setText("600")
    assert "the last one goes in 40 minutes" in page.side.line.text()
    hand.press("Ctrl+Return")
    hand.until(lambda: states(page) == ["gone", *["waiting"] * 4])
    hand.click(page.side.stop_button)
    hand.until(lambda: states(page) == ["gone", *["ready"] * 4])
    assert "4 letters stay here" in hand.said and len(hand.mailbox()) == 1
    page.side.going.every.setText("")
    hand.click(page.side.start_button)
    hand.until(lambda: states(page) == ["gone"] * 5)
    assert len(hand.mailbox()) == 5


def test_what_became_of_each_row_is_written_into_a_copy(
    hand: Hand, page: RoundsPage, tmp_path: Path
) -> None:
    path = tmp_path / "t.csv"
    path.write_text("Mail,Note\nann@b.example,=1+1\nnonsense,007\n")
    page.made_of.take_table(path)
    page.made_of.take_template("dogs-and-bicycles")
    hand.until(lambda: states(page) == ["ready", "stopped"])
    hand.press("Ctrl+Return")
    hand.until(lambda: states(page)[0] == "gone")
    for name in ("out.xlsx", "out.csv"):
        page.outputs.write_table(tmp_path / name)
        hand.until(lambda name=name: f"2 rows are in {name} now" in hand.said)
        found = read_table((tmp_path / name).read_bytes())
        assert found.headings == ("Mail", "Note", "State of the letter", "When, or why not")
        first, second = (row.cells for row in found.rows)
        assert str(first[1]).lstrip("'") == "=1+1" and str(second[1]) == "007"
        assert first[2] == "gone" and str(first[3]).startswith("2026-11-25")
        assert second[2] == "stopped" and "is not a mail address" in str(second[3])


def test_a_table_is_pasted(hand: Hand, page: RoundsPage) -> None:
    QApplication.clipboard().setText("Mail\tName\nann@b.example\tAnn\n")
    page.made_of.pick.setFocus()
    hand.press("Ctrl+Shift+V")
    page.made_of.take_template("dogs-and-bicycles")
    hand.until(lambda: states(page) == ["ready"])
    assert "Clipboard" in page.told.text()
    QApplication.clipboard().clear()
    hand.press("Ctrl+Shift+V")
    assert "no table on the clipboard" in hand.said


def test_a_sheet_is_chosen(hand: Hand, page: RoundsPage, tmp_path: Path) -> None:
    path = tmp_path / "two.xlsx"
    book_ = xlsxwriter.Workbook(str(path))
    for name, address in (("First", "a@b.example"), ("Second", "c@d.example")):
        sheet = book_.add_worksheet(name)
        sheet.write_column(0, 0, ["Mail", address])
    book_.close()
    page.made_of.take_template("dogs-and-bicycles")
    page.made_of.take_table(path)
    hand.until(lambda: states(page) == ["ready"])
    assert page.made_of.sheet.isVisible()
    page.made_of.sheet.setCurrentText("Second")
    hand.until(lambda: "sheet Second" in page.told.text() and not page.side.is_looking)
    assert page.table.rows.rows[0].cells == ("c@d.example",)


def test_what_columns_were_for_is_kept_for_the_next_month_and_the_register_knows_the_round(
    hand: Hand, page: RoundsPage, tmp_path: Path
) -> None:
    path = tmp_path / "November.csv"
    path.write_text("Wohin,Wer\nann@b.example,Ann\n")
    page.made_of.take_template("dogs-and-bicycles")
    page.made_of.take_table(path)
    hand.until(lambda: states(page) == ["ready"])
    choose(hand, page.table.head.boxes["Wer"], "Whole name")
    hand.until(lambda: not page.side.is_looking)
    hand.click(page.side.start_button)
    hand.until(lambda: states(page) == ["gone"])
    later = tmp_path / "December.csv"
    later.write_text("Wohin,Wer\nbo@c.example,Bo\n")
    page.made_of.take_table(later)
    hand.until(lambda: "December" in page.told.text() and not page.side.is_looking)
    assert states(page) == ["ready"], "it is another round"
    assert page.table.head.boxes["Wer"].currentText() == "Whole name"
    register = hand.window.register
    hand.window.go(register)
    hand.until(lambda: register.shown and register.shown[0].address == "ann@b.example")
    register.table.selectRow(0)
    hand.until(register.of_round.isVisible)
    assert register.of_round.text() == "Row 2 of the round “November”"
