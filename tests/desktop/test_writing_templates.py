"""Writing templates by hand: what the wheel leaves alone, what a source held, ways out by Return,
columns by Tab, languages and findings, drafts in the list. Common practice, no source."""

import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QWheelEvent
from PySide6.QtWidgets import QApplication, QTextEdit, QWidget

from nebbet.core import sums
from nebbet.core.body import Button, FactRow, Paragraph, Picture, write
from nebbet.desktop.template.declaration import SOURCES
from nebbet.desktop.template.editor import TemplateEditor
from nebbet.desktop.template.languages import known_languages
from tests.desktop.conftest import Hand, template
from tests.desktop.doing import choose, edit, go_to, new_blank, retype


@pytest.fixture
def page(hand: Hand) -> TemplateEditor:
    """The editor with an empty text, the cursor in it."""
    made = edit(hand, "refund agreed")
    made.body.setFocus()
    made.body.selectAll()
    hand.press("Delete")
    return made


def source(page: TemplateEditor) -> str:
    return write(page.body.body())


def wheel(widget: QWidget) -> None:
    """Turn the wheel over a control that has not the focus."""
    middle = QPointF(widget.rect().center())
    turned = QWheelEvent(
        middle, QPointF(widget.mapToGlobal(middle.toPoint())), QPoint(0, 0), QPoint(0, -120),
        Qt.MouseButton.NoButton, Qt.KeyboardModifier.NoModifier, Qt.ScrollPhase.NoScrollPhase,
        False,
    )  # fmt: skip
    QApplication.sendEvent(widget, turned)


# The ledger


def test_the_wheel_changes_no_choice_of_the_ledger(hand: Hand, page: TemplateEditor) -> None:
    form = go_to(page, "amount")
    before = page.ledger.current
    assert before is not None
    assert before.source == "sum"
    for control in (form.source, form.rounding, form.kind):
        wheel(control)
    assert page.ledger.current == before


def test_a_source_keeps_what_it_took_while_another_is_tried(
    hand: Hand, page: TemplateEditor
) -> None:
    form = go_to(page, "amount")
    was = form.of.text()
    assert was
    choose(hand, form.source, SOURCES["blank"])
    choose(hand, form.source, SOURCES["fact"])
    choose(hand, form.source, SOURCES["sum"])
    assert form.of.text() == was


def test_undo_goes_back_over_the_ledger(hand: Hand, page: TemplateEditor) -> None:
    hand.press("Ctrl+Z")
    before = len(page.ledger.placeholders)
    new_blank(hand, page, "reason given")
    assert "reason given" in [p.name for p in page.ledger.placeholders]
    page.body.setFocus()
    for _ in range(6):
        hand.press("Ctrl+Z")
        if len(page.ledger.placeholders) == before:
            break
    assert len(page.ledger.placeholders) == before
    assert "amount" in [p.name for p in page.ledger.placeholders]
    page.body.setFocus()
    hand.press("Ctrl+Shift+Z", "Ctrl+Shift+Z", "Ctrl+Shift+Z")
    assert "reason given" in [p.name for p in page.ledger.placeholders]


def test_one_undo_takes_one_paragraph(hand: Hand, page: TemplateEditor) -> None:
    hand.type("one")
    hand.press("Return")
    hand.type("two")
    hand.press("Return")
    hand.type("three")
    hand.press("Ctrl+Z")
    assert source(page).startswith("<p>one</p>\n<p>two</p>\n")
    assert "three" not in source(page)


# Ways out


@pytest.mark.parametrize(
    ("begin", "inside"),
    [
        (("Ctrl+Shift+8",), "<ul>\n<li>one</li>\n</ul>\n"),
        (("Ctrl+Shift+9",), "<blockquote>\n<p>one</p>\n</blockquote>\n"),
        (("Ctrl+Shift+K",), "<p data-button>one</p>\n"),
    ],
)
def test_a_second_return_leaves_what_one_writes_in(
    hand: Hand, page: TemplateEditor, begin: tuple[str, ...], inside: str
) -> None:
    hand.press(*begin)
    page.body.setFocus()
    hand.type("one")
    hand.press("Return", "Return")
    hand.type("two")
    made = source(page)
    assert made.endswith("<p>two</p>\n"), made
    assert "one" in made.removesuffix("<p>two</p>\n")


def test_a_second_return_leaves_a_repeated_part(hand: Hand, page: TemplateEditor) -> None:
    hand.type("a ticket {{case.tickets")
    hand.press("Return", "Ctrl+Shift+O")
    hand.type("tickets")
    hand.press("Return")
    page.body.setFocus()
    hand.press("End", "Return", "Return")
    hand.type("after it")
    assert source(page).endswith("</div>\n<p>after it</p>\n")


def test_tab_goes_from_column_to_column(hand: Hand, page: TemplateEditor) -> None:
    hand.type("left")
    hand.press("Ctrl+Alt+5")
    found = [a for a in page.body.actions() if "olumns" in a.text() and a.shortcut().toString()]
    two = next(a for a in found if "wo" in a.text().casefold())
    hand.press(two.shortcut().toString(), "Tab")
    hand.type("right")
    made = source(page)
    assert made.index("left") < made.index("right")
    assert made.count("data-column>") == 2
    hand.press("Shift+Tab")
    hand.type("more ")
    assert "more" in source(page).partition("</div>")[0]


def test_a_picture_put_in_after_a_button_is_a_picture(hand: Hand, page: TemplateEditor) -> None:
    hand.press("Ctrl+Shift+K")
    page.body.setFocus()
    hand.type("Pay now")
    page.body.insert_body((Paragraph((Picture("0" * 64, ("A ship",), 480),)),))
    button, picture = page.body.body()[:2]
    assert isinstance(button, Button)
    assert isinstance(picture, Paragraph)
    assert any(isinstance(part, Picture) for part in picture.inlines)


def test_a_button_key_in_a_fact_row_leaves_the_row_alone(hand: Hand, page: TemplateEditor) -> None:
    hand.press("Ctrl+Shift+F")
    page.body.setFocus()
    hand.type("Booking")
    hand.press("Tab")
    hand.type("LS-1")
    hand.press("Ctrl+Shift+K")
    assert "<dt>Booking</dt><dd>LS-1</dd>" in source(page)
    assert isinstance(page.body.body()[0], FactRow)


def test_steps_begin_with_a_date_that_there_is(hand: Hand, page: TemplateEditor) -> None:
    form = new_blank(hand, page, "owed")
    choose(hand, form.source, SOURCES["sum"])
    retype(hand, form.of, "fare * 50%")
    hand.press("Return")
    form.steps.begin.click()
    assert "by days between today and" in form.of.text()
    known = {p.name for p in page.ledger.placeholders}
    assert set(sums.names(sums.read(form.of.text()))) <= known


# Languages


def test_a_language_stands_before_its_regions(hand: Hand, page: TemplateEditor) -> None:
    names = list(known_languages().values())
    assert names.index("German") < names.index("German (Austria)")
    page.languages.add.setFocus()
    hand.type("Portug")
    hand.press("Return")
    assert page.languages.current == "pt"


def test_f8_shows_the_finding_in_its_language(hand: Hand, page: TemplateEditor) -> None:
    hand.press("Ctrl+Z")
    page.languages.tabs.setCurrentIndex(1)
    page.body.moveCursor(page.body.textCursor().MoveOperation.End)
    page.body.setFocus()
    hand.type(" XXX ")
    second = page.languages.current
    page.languages.tabs.setCurrentIndex(0)
    for _ in range(8):
        hand.press("F8")
        if page.languages.current == second:
            break
    assert page.languages.current == second


def test_reading_ease_says_what_it_is(hand: Hand, page: TemplateEditor) -> None:
    hand.type("The cat sat on the mat. " * 10)
    shown = page.languages.figures
    hand.until(lambda: "reading ease 100 of 100: plain" in shown.text())
    assert "Flesch" in shown.toolTip()


# Drafts in the list


def test_a_new_draft_is_seen_in_the_list_and_beside_it(hand: Hand) -> None:
    hand.press("Alt+3")
    library = hand.window.library
    shelf = hand.session.shared.catalogue.shared_shelves[0]
    library._begin_on(shelf)
    hand.until(lambda: library.is_editing)
    hand.type("Ferry biscuits")
    library.editor.body.setFocus()
    hand.type("They are nice.")
    hand.press("Esc")
    table = library.table
    titles = [str(table.model().index(row, 0).data()) for row in range(table.model().rowCount())]
    assert any("Ferry biscuits" in title for title in titles)
    shown = library.pane.findChildren(QTextEdit)
    assert any("They are nice." in text.toPlainText() for text in shown)


def test_after_retiring_no_other_template_is_selected(hand: Hand) -> None:
    hand.press("Alt+3", "Esc")
    hand.type("refund agreed")
    hand.press("Down")
    table = hand.window.library.table
    assert table.key == "refund-agreed"

    def retired() -> list[str]:
        known = hand.session.shared.catalogue.templates.values()
        return sorted(t.id for t in known if t.state == "retired")

    before = retired()
    hand.press("Ctrl+Delete")
    hand.until(lambda: template(hand).state == "retired")
    hand.until(lambda: "refund-agreed" not in table._model.keys)
    hand.press("Ctrl+Delete")
    assert table.key == ""
    assert retired() == sorted([*before, "refund-agreed"])


# Conditions


def test_a_condition_stays_with_its_paragraph(hand: Hand, page: TemplateEditor) -> None:
    hand.type("only sometimes")
    page.condition.setFocus()
    retype(hand, page.condition, "case.vehicle is not blank")
    hand.press("Return")
    page.body.setFocus()
    hand.press("End", "Return", "Return")
    hand.type("always")
    made = source(page)
    assert made.count("data-when") == 1
    assert made.endswith("<p>always</p>\n")


def test_a_second_return_after_the_note_is_not_for_the_text(
    hand: Hand, page: TemplateEditor
) -> None:
    hand.type("We have paid it back.")
    hand.press("Left", "Left", "Left", "Left", "Left", "Ctrl+Shift+S")
    assert hand.focus is page.note
    before = template(hand).edition
    hand.type("Shorter")
    hand.press("Return")
    hand.until(lambda: template(hand).edition > before)
    hand.press("Return")
    assert source(page) == "<p>We have paid it back.</p>\n"
    hand.until(page.body.hasFocus)
