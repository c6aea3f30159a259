"""Rounds: where a table comes from, how letters wait, what is reworded, kept and gathered."""

import shutil
from collections.abc import Iterator
from datetime import datetime, timedelta
from pathlib import Path

import pytest
import xlsxwriter
from msgspec.structs import replace
from PySide6.QtWidgets import QFileDialog
from pytestqt.qtbot import QtBot

from nebbet.core.message.answering import Arrived
from nebbet.core.message.head import Head, Place
from nebbet.core.records.tables import read_table
from nebbet.core.rounds import RoundRules
from nebbet.desktop.rounds.page import RoundsPage
from nebbet.library.round_kept import kept_rounds
from nebbet.library.round_ledger import releases, round_heads, round_of, went
from nebbet.library.round_tables import Origin
from nebbet.personal.home import Home, home_in, make_home
from nebbet.personal.settings import read_settings, write_settings
from nebbet.standin import demo
from nebbet.standin.service import MailService
from tests.conftest import NOW
from tests.desktop.conftest import Clock, Hand, close, open_window
from tests.desktop.doing import choose, retype
from tests.desktop.test_rounds import states

TABLE = "Mail,Port\nann@b.example,Quillan\nbo@c.example,Marrowby\nann@b.example,Stennick\n"


@pytest.fixture
def page(hand: Hand) -> RoundsPage:
    hand.press("Alt+4")
    return hand.window.rounds


@pytest.fixture
def table(tmp_path: Path) -> Path:
    path = tmp_path / "Dogs.csv"
    path.write_text(TABLE)
    return path


def look_at(hand: Hand, page: RoundsPage, path: Path, count: int = 3) -> None:
    page.made_of.take_template("dogs-and-bicycles")
    page.made_of.take_table(path)
    hand.until(lambda: len(page.rows.meant) == count and not page.side.is_looking)


# Where the table comes from


def test_cases_of_a_kind_are_picked_and_narrowed_by_words(hand: Hand, page: RoundsPage) -> None:
    page.made_of.take_template("refund-agreed")
    page.made_of.take_origin(Origin("cases"))
    hand.until(lambda: page.rows.meant and not page.side.is_looking)
    choose(hand, page.made_of.sheet, "refund")
    hand.until(lambda: page.made_of.origin.at == "refund" and not page.side.is_looking)
    rows = {str(row.cells[0]) for row in page.rows.meant}
    people = hand.session.shared.library.people
    every = {one.case.number for one in people.case_page(kind="refund", size=1000).rows}
    assert rows == every and rows
    assert page.table.head.roles()["Number"] == "case"
    first = page.table.rows.found[page.rows.meant[0].number].letter
    assert first.case and first.case.number == page.rows.meant[0].cells[0]
    name = str(page.rows.meant[0].cells[1]).split()[-1]
    retype(hand, page.made_of.words, name)
    hand.until(lambda: page.made_of.origin.words == name and not page.side.is_looking)
    assert 0 < len(page.rows.meant) < len(every)
    assert all(name in " ".join(map(str, row.cells)) for row in page.rows.meant)


def test_people_are_picked_and_go_to_their_addresses(hand: Hand, page: RoundsPage) -> None:
    page.made_of.take_template("dogs-and-bicycles")
    hand.click(page.made_of.choose)
    hand.until(page.made_of.menu.isVisible)
    names = [action.text() for action in page.made_of.menu.actions()]
    assert names.index("People on file") < names.index("Cases on file")
    page.made_of.menu.close()
    page.made_of.take_origin(Origin("people", words="verrell"))
    hand.until(lambda: page.rows.meant and not page.side.is_looking)
    assert page.table.rows.found[1].letter.recipient.email == "hanna.verrell@post.example"  # type: ignore[union-attr]
    assert page.table.rows.found[1].on_file


def test_a_named_range_of_a_workbook_is_a_table(
    hand: Hand, page: RoundsPage, tmp_path: Path
) -> None:
    path = tmp_path / "ranges.xlsx"
    book = xlsxwriter.Workbook(str(path))
    sheet = book.add_worksheet("All")
    sheet.write_column(0, 0, ["Some notes", "", "Mail", "a@b.example", "c@d.example", "Total: 2"])
    book.define_name("Passengers", "=All!$A$3:$A$5")
    book.close()
    page.made_of.take_template("dogs-and-bicycles")
    page.made_of.take_table(path)
    hand.until(lambda: page.rows.meant and not page.side.is_looking)
    choose(hand, page.made_of.sheet, "Passengers")
    hand.until(lambda: states(page) == ["ready", "ready"])
    assert [row.number for row in page.rows.meant] == [4, 5]


def test_how_a_text_is_read_can_be_said(hand: Hand, page: RoundsPage, tmp_path: Path) -> None:
    path = tmp_path / "odd.csv"
    path.write_bytes("Mail|Näme\na@b.example|Jörg\n".encode("cp437"))
    look_at(hand, page, path, 1)
    choose(hand, page.made_of.encoding, "cp437")
    hand.until(lambda: page.made_of.table and page.made_of.table.headings == ("Mail", "Näme"))
    choose(hand, page.made_of.delimiter, "comma")
    hand.until(lambda: page.made_of.table and page.made_of.table.headings == ("Mail|Näme",))


def test_a_change_of_the_file_is_told_and_taken_when_one_asks(
    hand: Hand,
    page: RoundsPage,
    table: Path,
) -> None:
    look_at(hand, page, table)
    table.write_text(TABLE.replace("Quillan", "Oar Head") + "di@e.example,Quillan\n")
    hand.until(page.made_of.watched.isVisible)
    assert "rows new 1, other ones 1, gone 0" in page.made_of.watched.words.text()
    assert len(page.rows.meant) == 3, "the round stays as it is"
    hand.click(page.made_of.watched.button)
    hand.until(lambda: len(page.rows.meant) == 4 and not page.side.is_looking)
    assert not page.made_of.watched.isVisible()


# Which rows


def test_one_of_those_with_one_address_goes_and_it_shows_which(
    hand: Hand,
    page: RoundsPage,
    table: Path,
) -> None:
    look_at(hand, page, table)
    assert states(page) == ["ready", "ready", "doubtful"]
    choose(hand, page.side.going.twice, "an address twice: the first row goes")
    assert states(page) == ["ready", "ready", "left out"]
    choose(hand, page.side.going.twice, "an address twice: the last row goes")
    assert states(page) == ["left out", "ready", "ready"]
    page.table.setFocus()
    page.table.selectRow(2)
    hand.press("Space")
    assert states(page) == ["ready", "ready", "left out"], "what is taken out goes nowhere"
    hand.press("Ctrl+Return")
    hand.until(lambda: states(page).count("gone") == 2)
    assert {str(one["To"]) for one in hand.mailbox()} == {"ann@b.example", "bo@c.example"}


def test_hours_and_days_are_written_as_people_do(hand: Hand, page: RoundsPage, table: Path) -> None:
    look_at(hand, page, table)
    retype(hand, page.side.going.hours, "17-9")
    assert "ends before it begins" in page.side.line.text()
    assert not page.side.start_button.isEnabled()
    retype(hand, page.side.going.hours, "9-17")
    retype(hand, page.side.going.days, "Sonntag, nonsense")
    assert "is no day of the week" in page.side.line.text()
    retype(hand, page.side.going.days, "Sonntag")
    retype(hand, page.side.going.every, "60")
    assert page.side.start_button.isEnabled()
    hand.press("Ctrl+Return")
    hand.until(lambda: len(hand.session.sending.outbox) == 2)
    dues = [datetime.fromtimestamp(one.due).astimezone(NOW.tzinfo)
            for one in hand.session.sending.outbox]  # fmt: skip
    assert {due.weekday() for due in dues} == {6} and dues[1] - dues[0] == timedelta(minutes=1)
    assert {due.hour for due in dues} == {9}


# A row alone


def reword(hand: Hand, page: RoundsPage, words: str) -> None:
    """Write another subject for the row at hand."""
    hand.press("F2")
    page.paper.paper.lines["subject"].setFocus()
    hand.press("Ctrl+A")
    hand.type(words)


def test_the_letter_of_a_row_is_reworded_for_it_alone(
    hand: Hand,
    page: RoundsPage,
    table: Path,
) -> None:
    look_at(hand, page, table)
    page.table.setFocus()
    page.table.selectRow(1)
    hand.press("F2")
    subject = page.paper.paper.lines["subject"]
    subject.setFocus()
    hand.press("Ctrl+A")
    hand.type("Only for Bo")
    hand.press("Esc")
    assert (
        page.table.hasFocus() and "Only for Bo" in page.paper.shown.lines["subject"].toPlainText()
    )
    assert "Reworded" in page.table.rows._text(page.rows.meant[1], 2, "")
    hand.press("Alt+Up")
    assert "Only for Bo" not in page.paper.shown.lines["subject"].toPlainText()
    page.made_of.places.setText("1-2")  # what is looked through anew keeps it
    hand.until(lambda: len(page.rows.meant) == 2 and not page.side.is_looking)
    hand.press("Ctrl+Return")
    hand.until(lambda: states(page) == ["gone", "gone"])
    subjects = {str(one["To"]): str(one["Subject"]) for one in hand.mailbox()}
    assert subjects["bo@c.example"] == "Only for Bo" != subjects["ann@b.example"]


def test_what_was_reworded_is_put_back(hand: Hand, page: RoundsPage, table: Path) -> None:
    look_at(hand, page, table)
    hand.press("F2")
    page.paper.paper.lines["subject"].setFocus()
    hand.press("Ctrl+A")
    hand.type("{{nobody knows this}}")
    assert states(page)[0] == "stopped", "what is reworded is checked"
    hand.click(page.side.back_button)
    hand.until(lambda: states(page)[0] == "ready")
    assert not page.paper.is_edited and not page.rows.edited


# Waiting for a word


def test_letters_wait_until_they_are_released(hand: Hand, page: RoundsPage, table: Path) -> None:
    look_at(hand, page, table)
    choose(hand, page.side.going.how, "they wait until I release them")
    hand.press("Ctrl+Return")
    hand.until(lambda: states(page).count("held") == 2)
    assert not hand.mailbox()
    hand.press("Alt+1")
    hand.click_row(hand.window.letters.pile.list, "Dogs")
    hand.until(lambda: hand.window.place is page and page.made_of.started)
    hand.until(lambda: states(page).count("held") == 2 and page.side.release_button.isVisible())
    hand.click(page.side.release_button)
    hand.until(lambda: states(page).count("gone") == 2)
    assert len(hand.mailbox()) == 2


@pytest.fixture
def lead(home: Home, service: MailService, qtbot: QtBot, tmp_path: Path) -> Iterator[Hand]:
    """A lead at another computer, with the same library."""
    other = home_in(tmp_path / "other")
    make_home(other)
    settings = read_settings(home.settings_file)
    account = replace(service.account(f"{demo.LEAD}@lislesound.example"), folders=())
    write_settings(
        other.settings_file,
        replace(settings, member=demo.LEAD, library=str(home.library_file), account=account),
    )
    window = open_window(other, Clock())
    window.notices.ask = lambda *_args: True  # type: ignore[method-assign]
    yield Hand(window, qtbot, service)
    close(window)


def test_somebody_else_looks_before_it_goes(
    hand: Hand,
    page: RoundsPage,
    table: Path,
    lead: Hand,
) -> None:
    theirs: RoundsPage = lead.window.rounds
    lead.window.go(theirs)
    theirs.list.rules.looked_at.setValue(2)
    lead.until(lambda: lead.session.shared.catalogue.round_rules.looked_at == 2)
    hand.session.shared.refresh()
    hand.until(lambda: hand.session.shared.catalogue.round_rules == RoundRules(looked_at=2))
    hand.window.activateWindow()
    look_at(hand, page, table)
    page.table.setFocus()
    hand.until(page.table.hasFocus)
    assert not page.side.going.how.isEnabled()
    assert page.side.going.wanted_how == "asks"
    page.table.selectRow(1)
    hand.press("F2")
    page.paper.paper.lines["subject"].setFocus()
    hand.press("Ctrl+A")
    hand.type("Only for Bo")
    hand.press("Esc", "Ctrl+Return")
    hand.until(lambda: states(page).count("held") == 2)
    assert not page.side.release_button.isVisible(), "not by whoever started it"
    lead.session.shared.refresh()
    theirs.list.refresh()
    lead.until(lambda: "Wait for your look" in texts(theirs))
    lead.click_row(theirs.list.list, "Dogs")
    lead.until(lambda: len(theirs.rows.meant) == 3 and theirs.side.release_button.isVisible())
    assert not theirs.side.start_button.isVisible()
    lead.until(lambda: not theirs.side.is_looking)
    theirs.table.selectRow(1)
    assert "Only for Bo" in theirs.paper.shown.lines["subject"].toPlainText()
    lead.click(theirs.side.release_button)
    engine = hand.session.shared.library.engine
    lead.until(lambda: releases(engine, [round_heads(engine)[0].id]))
    hand.session.shared.refresh()
    hand.until(lambda: states(page).count("gone") == 2)
    assert {str(one["From"].addresses[0].addr_spec) for one in hand.mailbox()} == {
        "benedek.roy@lislesound.example"
    }, "from whoever started it"


def texts(shown: RoundsPage) -> list[str]:
    listed = shown.list.list
    return [listed.item(row).text() for row in range(listed.count())]


def test_a_lead_s_limits_are_told(hand: Hand, page: RoundsPage, table: Path, lead: Hand) -> None:
    library = lead.session.shared.library
    library.put_round_rules(RoundRules(most=1), RoundRules())
    hand.session.shared.refresh()
    hand.until(lambda: hand.session.shared.catalogue.round_rules.most == 1)
    look_at(hand, page, table)
    assert "at most 1 rows here, and this one has 2" in page.side.line.text()
    assert not page.side.start_button.isEnabled()
    page.made_of.places.setText("1")
    hand.until(page.side.start_button.isEnabled)


def test_letters_go_into_the_drafts(hand: Hand, page: RoundsPage, table: Path) -> None:
    look_at(hand, page, table)
    choose(hand, page.side.going.how, "they go to my drafts")
    hand.press("Ctrl+Return")
    hand.until(lambda: "2 letters are in the folder Drafts" in hand.said)
    me = "benedek.roy@lislesound.example"
    assert {str(one["To"]) for one in hand.mailbox(me, "Drafts")} == {
        "ann@b.example", "bo@c.example"
    }  # fmt: skip
    assert not hand.mailbox() and not round_heads(hand.session.shared.library.engine)


# Kept under a name


def test_a_round_is_kept_and_run_again_with_the_table_of_next_month(
    hand: Hand,
    page: RoundsPage,
    table: Path,
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    look_at(hand, page, table)
    choose(hand, page.table.head.boxes["Port"], "First name")
    choose(hand, page.side.going.twice, "an address twice: the first row goes")
    hand.until(lambda: not page.side.is_looking)
    monkeypatch.setattr("nebbet.desktop.rounds.keeping.ask_line", lambda *_a, **_k: "Dogs, monthly")
    hand.press("Ctrl+S")
    hand.until(lambda: "“Dogs, monthly” is kept" in hand.said)
    assert [one.title for one in kept_rounds(hand.session.shared.library.engine)] == [
        "Dogs, monthly"
    ]
    hand.press("Ctrl+Return")
    hand.until(lambda: states(page).count("gone") == 2)
    hand.sent_all()
    table.write_text(TABLE + "new@f.example,Oar Head\n")
    page.leave()
    hand.until(lambda: "Dogs, monthly" in texts(page))
    hand.click_row(page.list.list, "Dogs, monthly")
    hand.until(lambda: len(page.rows.meant) == 4 and not page.side.is_looking)
    assert page.table.head.boxes["Port"].currentText() == "First name"
    assert page.side.going.wanted_twice == "first"
    assert states(page) == ["doubtful", "doubtful", "left out", "ready"], "who got it is told"
    assert "3 of them got it lately" not in page.side.line.text()
    choose(hand, page.side.going.doubts, "rows with a doubt go too")
    assert "2 of them got it lately" in page.side.line.text()


def test_a_round_goes_on_as_it_was_started(hand: Hand, page: RoundsPage, table: Path) -> None:
    """The text of the start goes, whatever the library says by then."""
    look_at(hand, page, table)
    hand.press("Ctrl+Return")
    hand.until(lambda: states(page)[:2] == ["gone", "gone"])
    shared = hand.session.shared
    now = shared.catalogue.templates["dogs-and-bicycles"]
    texts_ = {
        code: replace(one, subject="Something else") for code, one in now.content.texts.items()
    }
    other = replace(now.content, texts=texts_)
    shared.library.save_edition(
        now.id, now.title, other, author=demo.LEAD, note="other", made=NOW, based_on=now.edition
    )
    shared.refresh()
    hand.until(lambda: shared.catalogue.templates[now.id].edition == now.edition + 1)
    page.leave()
    hand.until(lambda: any("Dogs" in one for one in texts(page)))
    hand.click_row(page.list.list, "Dogs")
    hand.until(lambda: len(page.rows.meant) == 3 and not page.side.is_looking)
    assert f"with edition {now.edition}" in page.told.text()
    choose(hand, page.side.going.doubts, "rows with a doubt go too")
    hand.press("Ctrl+Return")
    hand.until(lambda: states(page) == ["gone"] * 3)
    assert len({str(one["Subject"]) for one in hand.mailbox()}) == 1
    hand.click(page.anew)
    hand.until(lambda: not page.side.is_looking and "gone" not in states(page))
    assert "Something else" in page.paper.shown.lines["subject"].toPlainText()


# Afterwards


def test_answers_and_what_came_back_are_gathered(hand: Hand, page: RoundsPage, table: Path) -> None:
    look_at(hand, page, table)
    choose(hand, page.side.going.twice, "an address twice: the first row goes")
    hand.press("Ctrl+Return")
    hand.until(lambda: states(page).count("gone") == 2)
    hand.sent_all()
    library, mail = hand.session.shared.library, hand.session.arrived
    rows = went(library.engine, round_heads(library.engine)[0].id)
    first, second = (rows[key].message_id for key in sorted(rows))
    fields = Arrived("<answer@b.example>", (first,))
    head = Head(Place("me", "INBOX", 1), fields, NOW.timestamp())
    mail.heads = {head.key: head}
    mail.changed.emit()
    hand.until(lambda: states(page)[0] == "answered")
    library.note_back(second, "bo@c.example", "The mailbox is full", "", demo.ME, NOW)
    hand.session.shared.refresh()
    hand.until(lambda: states(page)[:2] == ["answered", "came back"])
    hand.click_row(page.side.states, "came back")
    assert [row.cells[0] for row in page.table.rows.rows] == ["bo@c.example"]
    hand.click_row(page.side.states, "all rows")


def test_the_table_the_links_and_the_report_are_written(
    hand: Hand,
    page: RoundsPage,
    table: Path,
    tmp_path: Path,
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    look_at(hand, page, table)
    choose(hand, page.side.going.twice, "an address twice: the first row goes")
    hand.press("Ctrl+Return")
    hand.until(lambda: states(page).count("gone") == 2)
    page.outputs.write_table(tmp_path / "out.ods")
    hand.until(lambda: "3 rows are in out.ods now" in hand.said)
    back = read_table((tmp_path / "out.ods").read_bytes())
    assert [row.cells[2] for row in back.rows] == ["gone", "gone", "left out"]
    page.outputs.write_links(tmp_path / "links.html", 255)
    hand.until(lambda: "The links are in links.html" in hand.said)
    assert "mailto:ann@b.example?" in (tmp_path / "links.html").read_text()
    where = tmp_path / "report.pdf"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(where), ""))
    page.outputs.ask_for_report()
    hand.until(lambda: "report.pdf is written" in hand.said)
    assert where.read_bytes().startswith(b"%PDF")


def test_one_of_each_sort_goes_to_oneself(hand: Hand, page: RoundsPage, table: Path) -> None:
    look_at(hand, page, table)
    hand.press("Ctrl+Alt+Shift+T")
    hand.until(lambda: "went to benedek.roy@lislesound.example" in hand.said)
    found = hand.mailbox("benedek.roy@lislesound.example")
    assert len(found) == 2, "a row that is ready, and one with a doubt"
    assert all(str(one["Subject"]).startswith("Test: ") for one in found)


def test_days_that_could_be_others_are_read_as_one_says(
    hand: Hand, page: RoundsPage, tmp_path: Path
) -> None:
    path = tmp_path / "days.csv"
    path.write_text("Mail,Day\na@b.example,03/04/2026\n")
    page.made_of.take_template("other-day")
    page.made_of.take_table(path)
    hand.until(lambda: len(page.rows.meant) == 1 and not page.side.is_looking)
    box = page.table.head.boxes["Day"]
    roles = [str(box.itemData(n)) for n in range(box.count())]
    box.setCurrentIndex(next(n for n, role in enumerate(roles) if "sailing" in role))
    hand.until(lambda: not page.side.is_looking)
    choose(hand, page.made_of.days, "month first")
    hand.until(lambda: not page.side.is_looking and "month first" in page.told.text())
    assert "2026-03-04" in page.table.rows.found[2].letter.answers.values()
    choose(hand, page.made_of.days, "day first")
    hand.until(lambda: not page.side.is_looking and "day first" in page.told.text())
    assert "2026-04-03" in page.table.rows.found[2].letter.answers.values()


def test_words_for_a_row_survive_what_changes_round_it(
    hand: Hand, page: RoundsPage, table: Path
) -> None:
    """A library that changes while one types, rows that are narrowed, a file that is taken anew."""
    look_at(hand, page, table)
    page.table.setFocus()
    page.table.selectRow(1)
    reword(hand, page, "Only ")
    subject = page.paper.paper.lines["subject"]
    shared = hand.session.shared
    fact = replace(shared.catalogue.facts["desk_phone"], value="0999")
    shared.library.put(fact, author=demo.LEAD, made=NOW)
    shared.refresh()
    hand.until(lambda: page.side.is_looking)
    hand.type("for ")
    hand.until(lambda: not page.side.is_looking)
    assert page.paper.is_edited and hand.focus is subject, "whoever types is not disturbed"
    hand.type("Bo")
    hand.press("Esc")
    table.write_text(TABLE.replace("Quillan", "Oar Head"))
    hand.until(page.made_of.watched.isVisible)
    hand.click(page.made_of.watched.button)
    hand.until(lambda: page.rows.meant and not page.side.is_looking)
    assert "Only for Bo" in str(page.table.rows.found[3].letter.subject)
    table.write_text(TABLE.replace("bo@", "other@"))
    hand.until(page.made_of.watched.isVisible)
    hand.click(page.made_of.watched.button)
    hand.until(lambda: "What was reworded for 1 row is gone with it" in hand.said)


def test_a_blank_that_no_column_is_for_is_said_once_for_every_row(
    hand: Hand, page: RoundsPage
) -> None:
    page.made_of.take_template("sailing-cancelled")
    page.made_of.take_origin(Origin("cases", "cancelled sailing"))
    hand.until(lambda: page.rows.meant and not page.side.is_looking)
    assert set(states(page)) == {"stopped"}, "the reason is nobody's column"
    fields = page.made_of.for_every.fields
    assert set(fields) == {"reason", "other sailing"}
    retype(hand, fields["reason"], "strong wind")
    retype(hand, fields["other sailing"], "Friday 08:15")
    hand.until(lambda: not page.side.is_looking and "stopped" not in states(page))
    assert "strong wind" in page.paper.shown.body.toPlainText()
    page.made_of.places.setText("1-2")
    hand.until(lambda: len(page.rows.meant) == 2 and not page.side.is_looking)
    choose(hand, page.side.going.doubts, "rows with a doubt go too")
    hand.press("Ctrl+Return")
    hand.until(lambda: states(page) == ["gone", "gone"])
    assert not page.made_of.for_every.isVisible()
    kept = round_of(hand.session.shared.library.engine, page.making.name)
    assert kept and kept.matches.every == {"reason": "strong wind", "other sailing": "Friday 08:15"}
    bodies = [str(one.get_body(("plain",)).get_content()) for one in hand.mailbox()]  # type: ignore[union-attr]
    assert all("strong wind" in body and "Friday 08:15" in body for body in bodies)


def test_esc_goes_one_step_back_and_asks_before_what_was_chosen_is_lost(
    hand: Hand, page: RoundsPage, table: Path
) -> None:
    asked: list[str] = []

    def no(question: str, *_more: str) -> bool:
        asked.append(question)
        return False

    look_at(hand, page, table)
    hand.window.notices.ask = no  # type: ignore[method-assign]
    page.made_of.places.setFocus()
    hand.press("Esc")
    assert page.table.hasFocus() and page.made_of.table and not asked
    hand.press("Esc")
    assert asked == ["Leave this round?"] and page.made_of.table
    hand.window.notices.ask = lambda *_args: True  # type: ignore[method-assign]
    hand.press("Esc")
    assert page.made_of.table is None and page.list.isVisible()


def test_a_round_with_files_goes_on_from_the_list(
    hand: Hand, page: RoundsPage, tmp_path: Path
) -> None:
    """What its rows name lies in the library since the start; the folder may be gone by then."""
    folder = tmp_path / "tickets"
    folder.mkdir()
    (folder / "ann.pdf").write_bytes(b"%PDF-1.4 ann")
    path = tmp_path / "Tickets.csv"
    path.write_text("Mail,File\nbo@c.example,\nann@b.example,ann.pdf\nann@b.example,ann.pdf\n")
    look_at(hand, page, path)
    page.made_of.take_folder(folder)
    hand.until(lambda: page.made_of.files and not page.side.is_looking)
    hand.press("Ctrl+Return")
    hand.until(lambda: states(page)[:2] == ["gone", "gone"])
    page.leave()
    shutil.rmtree(folder)
    hand.until(lambda: any("Tickets" in one for one in texts(page)))
    hand.click_row(page.list.list, "Tickets")
    hand.until(lambda: len(page.rows.meant) == 3 and not page.side.is_looking)
    choose(hand, page.side.going.doubts, "rows with a doubt go too")
    hand.press("Ctrl+Return")
    hand.until(lambda: states(page) == ["gone"] * 3)
    attached = [part.get_filename() for one in hand.mailbox() for part in one.iter_attachments()]
    assert attached.count("ann.pdf") == 2
