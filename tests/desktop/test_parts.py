"""Parts of a template through the window: columns, buttons, repeated rows, passages, frames."""

import pytest
from hypothesis import given
from hypothesis import strategies as st
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QMenu
from pytestqt.qtbot import QtBot

from nebbet.core.body import Body, render_plain, write
from nebbet.core.letter import Passage, Texts
from nebbet.desktop.paper.template_edit import TemplateEdit
from nebbet.desktop.template.editor import TemplateEditor
from nebbet.library.holdings import Template
from tests.core.bodies import BODIES
from tests.desktop.conftest import Hand
from tests.desktop.doing import LONG, Names

HOURS = Passage(
    "hours", "A word on our hours", {"en_GB": Texts(body="<p>Open {{fact.desk_hours}}.</p>")}
)


@pytest.fixture
def page(hand: Hand) -> TemplateEditor:
    """The editor with a template of three paragraphs."""
    hand.press("Alt+3")
    hand.window.library.edit("refund-agreed")
    made = hand.window.library.editor
    made.body.setFocus()
    made.body.selectAll()
    hand.press("Delete")
    for word in ("one", "two"):
        hand.type(word)
        hand.press("Return")
    hand.type("three")
    return made


def source(page: TemplateEditor) -> str:
    return write(page.body.body())


def go_to(page: TemplateEditor, words: str) -> None:
    cursor = page.body.document().find(words)
    assert not cursor.isNull()
    cursor.clearSelection()
    page.body.setTextCursor(cursor)


def in_use(hand: Hand, edition: int) -> Template:
    hand.until(lambda: hand.session.shared.catalogue.templates["refund-agreed"].edition == edition)
    return hand.session.shared.catalogue.templates["refund-agreed"]


@LONG
@given(BODIES, BODIES, st.sampled_from(["moved", "columns", "copied", "gone"]), st.integers(0, 6))
def test_whatever_is_done_with_parts_is_undone_by_one_step(
    qtbot: QtBot, body: Body, other: Body, act: str, at: int
) -> None:
    edit = TemplateEdit(Names())
    qtbot.addWidget(edit)
    edit.load(body)
    cursor = edit.textCursor()
    cursor.setPosition(min(at * 5, edit.document().characterCount() - 1))
    edit.setTextCursor(cursor)
    if act == "moved":
        edit.parts.move(1)
    elif act == "columns":
        edit.parts.set_columns(2)
    elif act == "copied":
        edit.parts.duplicate()
    else:
        edit.parts.remove()
    after = edit.body()
    edit.undo()
    assert write(edit.body()) == write(body)
    edit.redo()
    assert write(edit.body()) == write(after)
    edit.rewrite(other)
    assert write(edit.body()) == write(other)


def test_parts_move_and_double_and_go_by_keys(hand: Hand, page: TemplateEditor) -> None:
    hand.press("Alt+Up")
    assert source(page) == "<p>one</p>\n<p>three</p>\n<p>two</p>\n"
    hand.press("Ctrl+Shift+D", "Alt+Up", "Alt+Up")
    assert source(page) == "<p>three</p>\n<p>one</p>\n<p>three</p>\n<p>two</p>\n"
    hand.press("Ctrl+Shift+Backspace")
    assert source(page) == "<p>one</p>\n<p>three</p>\n<p>two</p>\n"
    hand.press(*["Ctrl+Z"] * 5)
    assert source(page) == "<p>one</p>\n<p>two</p>\n<p>three</p>\n"


def test_columns_are_written_in_and_taken_away(hand: Hand, page: TemplateEditor) -> None:
    go_to(page, "two")
    hand.press("Ctrl+Shift+2")
    go_to(page, "two")
    hand.press("End", "Right")
    hand.type("beside it")
    two = "<div data-column>\n<p>two</p>\n</div>\n<div data-column>\n<p>beside it</p>\n</div>\n"
    columns = f"<div data-columns>\n{two}</div>\n"
    assert source(page) == f"<p>one</p>\n{columns}<p>three</p>\n"
    hand.press("Alt+Down")
    assert source(page) == f"<p>one</p>\n<p>three</p>\n{columns}"
    hand.put_in_use()
    assert in_use(hand, 2).first_text.body == f"<p>one</p>\n<p>three</p>\n{columns}"
    go_to(page, "two")
    page.body.setFocus()
    hand.press("Ctrl+Alt+N")
    assert source(page) == "<p>one</p>\n<p>three</p>\n<p>two</p>\n<p>beside it</p>\n"


def test_a_fact_row_takes_a_label_a_tab_and_a_value(hand: Hand, page: TemplateEditor) -> None:
    hand.press("Return", "Ctrl+Shift+F")
    hand.type("Booking")
    hand.press("Tab")
    hand.type("{{case.num")
    hand.press("Return", "Return")
    hand.type("Paid")
    hand.press("Tab")
    hand.type("yes")
    assert source(page).endswith(
        "<dl>\n<dt>Booking</dt><dd>{{case.number}}</dd>\n<dt>Paid</dt><dd>yes</dd>\n</dl>\n"
    )
    hand.press("Shift+Tab")
    assert page.body.textCursor().positionInBlock() == 0
    hand.press("Tab", "Tab")
    assert not page.body.hasFocus()  # behind the value, Tab goes on as everywhere


def test_a_button_leads_where_its_field_says(hand: Hand, page: TemplateEditor) -> None:
    hand.press("Ctrl+Shift+K")
    assert page.manuscript.things.isVisible()
    hand.put_in_use()
    assert "The button “three” leads nowhere" in hand.said
    hand.press("F8")
    assert page.body.hasFocus()
    address = page.manuscript.things.address
    address.setFocus()
    address.selectAll()
    hand.type("{{fact.web")
    hand.press("Return")
    hand.type("/refunds")
    hand.press("Return")
    assert page.body.hasFocus()
    link = '<p data-button><a href="{{fact.website}}/refunds">three</a></p>\n'
    assert source(page).endswith(link)
    hand.put_in_use()
    assert in_use(hand, 2).first_text.body.endswith(link)


def test_a_row_is_repeated_for_each_ticket_of_the_letter(hand: Hand, page: TemplateEditor) -> None:
    hand.type(" {{case.tickets")
    hand.press("Return", "Ctrl+Shift+O")
    hand.type("tickets")
    hand.press("Return")
    assert page.body.hasFocus()
    assert source(page).endswith(
        '<div data-each="case.tickets">\n<p>three {{case.tickets}}</p>\n</div>\n'
    )
    hand.put_in_use()
    in_use(hand, 2)
    people = hand.session.shared.library.people
    matters = sorted(people.case_page().rows, key=lambda one: one.case.id)
    matter = next(one for one in matters if "tickets" in one.case.fields)
    hand.press("Esc")
    hand.window.library.take.emit("refund-agreed")
    model = hand.window.letters.model
    model.set_case(matter)
    body = hand.window.letters.paper.body
    tickets = matter.case.fields["tickets"]
    assert isinstance(tickets, list)
    hand.until(lambda: all(f"three {ticket}" in body.toPlainText() for ticket in tickets))
    place = body.place_of("case.tickets#2")
    assert place is not None
    body.select_place(place)
    hand.type("the other one")
    assert model.letter is not None
    said = render_plain(model.letter.body)
    assert f"three {tickets[0]}\n" in said
    assert "three the other one\n" in said


def test_a_passage_is_put_in_shown_opened_and_mended_everywhere(
    hand: Hand, page: TemplateEditor
) -> None:
    library = hand.session.shared.library
    hand.session.shared.change(lambda: library.put(HOURS))
    hand.until(lambda: "hours" in hand.session.shared.catalogue.passages)
    hand.press("Ctrl+Alt+I")
    menu = page.manuscript.parts.inserting
    assert isinstance(menu, QMenu)
    hand.until(menu.isVisible)
    QTest.keyClick(menu, Qt.Key.Key_P)
    included = page.manuscript.parts.included
    hand.until(included.isVisible)
    QTest.keyClick(included, Qt.Key.Key_Return)
    hand.until(lambda: "data-passage" in source(page))
    hand.window.activateWindow()
    assert source(page).endswith('<p>three</p>\n<div data-passage="hours"></div>\n')
    hand.put_in_use()
    in_use(hand, 2)
    hand.click(page.manuscript.things.passage)
    shared = hand.window.library.passages
    hand.until(lambda: shared.reach.text() == "A change reaches 1 template at once.")
    shared.body.setFocus()
    hand.press("Ctrl+End")
    hand.type(" Ring us.")
    hand.press("Ctrl+T")
    assert "Ring us." in shared.trial.body.toPlainText()
    hand.press("Esc", "Ctrl+S")
    hand.until(
        lambda: "Ring us." in hand.session.shared.catalogue.passages["hours"].texts["en_GB"].body
    )
    hand.press("Esc")
    assert hand.window.library.is_editing
    hand.press("Ctrl+T")
    assert "Ring us." in page.trial.body.toPlainText()


def test_a_passage_that_is_in_use_cannot_be_removed_and_a_draft_of_one_is_kept(hand: Hand) -> None:
    hand.press("Alt+3", "Ctrl+Alt+B", "Ctrl+Alt+A")
    shared = hand.window.library.passages
    hand.type("How to pay")
    shared.body.setFocus()
    hand.type("By card.")
    hand.press("Esc")
    assert any(b"By card." in draft for draft in hand.session.shared.own.drafts.values())
    hand.press("Ctrl+Alt+B", "Ctrl+Alt+A")
    assert shared.title_field.text() == "How to pay" and "By card." in shared.body.toPlainText()
    shared.title_field.clear()
    hand.press("Ctrl+S")
    assert "no title yet" in hand.said
    shared.title_field.setFocus()
    hand.type("Never mind")
    hand.click(shared.drop)
    assert not any(b"By card." in draft for draft in hand.session.shared.own.drafts.values())
    assert shared.list.key and shared.title_field.text() != "Never mind"


def test_a_frame_is_copied_changed_and_kept(hand: Hand) -> None:
    hand.press("Alt+3", "Ctrl+Alt+F")
    frames = hand.window.library.frames
    frames.list.setCurrentRow(frames.list.count() - 1)
    hand.press("Ctrl+S")
    assert "A built-in frame stays as it is" in hand.said
    count = frames.list.count()
    hand.press("Ctrl+Alt+A")
    hand.until(lambda: frames.list.count() == count + 1)
    hand.until(frames.name.isEnabled)
    frames.name.setFocus()
    frames.name.selectAll()
    hand.type("Night")
    colour = frames.colours["accent"]
    colour.setFocus()
    colour.selectAll()
    hand.type("#88")
    assert "“#88” is not a colour" in frames.contrasts.text()
    hand.press("Ctrl+S")
    assert "Not kept yet. “#88” is not a colour." in hand.said
    colour.selectAll()
    hand.type("#888888")
    assert "Links, headings and buttons: 3.5 to 1" in frames.contrasts.text()
    hand.press("Ctrl+S")
    assert "can hardly be read: 3.5 to 1" in hand.said
    frames_kept = hand.session.shared.catalogue.frames
    assert not any(f.name == "Night" for f in frames_kept.values()), "forty templates have it"
    colour.selectAll()
    hand.type("#606060")
    hand.press("Ctrl+S")
    hand.until(
        lambda: any(f.name == "Night" for f in hand.session.shared.catalogue.frames.values())
    )


def test_a_file_that_is_out_of_date_stops_template_and_letter(hand: Hand) -> None:
    hand.press("Alt+3")
    hand.window.library.edit("damage-claim")
    page = hand.window.library.editor
    field = next(
        f
        for f in page.enclosures.findChildren(type(page.note))
        if f.accessibleName() == "Last day of enclosure 1"
    )
    hand.until(field.isVisible)
    field.setFocus()
    hand.type("soon")
    hand.press("Return")
    assert "“soon” is no day; the last day stays as it was." in hand.said
    field.selectAll()
    hand.type("2026-11-01")
    hand.press("Return")
    file = page.enclosures.enclosures[0].file
    hand.until(lambda: hand.session.shared.catalogue.files[file].valid_until is not None)
    page.body.setFocus()
    hand.put_in_use()
    assert "was valid until 01 November 2026" in hand.said
    hand.press("Esc")
    hand.window.library.take.emit("damage-claim")
    assert any(f.rule == "expired" for f in hand.window.letters.model.findings)
