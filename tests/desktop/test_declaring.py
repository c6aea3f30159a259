"""What a template asks for, through the window: kinds of blanks, conditions, copies, mending."""

from PySide6.QtWidgets import QApplication

from nebbet.core.body import read
from nebbet.core.letter import Copy
from nebbet.core.placeholders import Placeholder
from nebbet.desktop.kit.picker import ASIDE
from nebbet.desktop.paper.slot_edit import SlotEdit
from nebbet.desktop.template.declaration import SOURCES
from nebbet.desktop.template.editor import TemplateEditor
from tests.desktop.conftest import Hand
from tests.desktop.doing import add_step, choose, edit, go_to, named, new_blank, retype, saved

# Kinds of blanks


def test_every_row_of_the_form_reaches_the_edition(hand: Hand) -> None:
    page = edit(hand, "refund agreed")
    form = new_blank(hand, page, "gift")
    choose(hand, form.kind, "money")
    retype(hand, form.currency, "gbp")
    retype(hand, form.least, "1")
    retype(hand, form.most, "20")
    retype(hand, form.format, "full")
    retype(hand, form.hint, "a small thank you")
    form.remember.setFocus()
    hand.press("Space")
    form = new_blank(hand, page, "port")
    choose(hand, form.kind, "choice")
    retype(hand, form.choices, "Marrowby, Quillan")
    form = new_blank(hand, page, "code")
    retype(hand, form.pattern, "AA-99")
    form = new_blank(hand, page, "reach")
    choose(hand, form.source, SOURCES["first"])
    retype(hand, form.of, "recipient.mobile, sender.phone")
    retype(hand, form.fallback, "the desk")
    hand.put_in_use()
    assert saved(hand, 2).placeholders[-4:] == (
        Placeholder("gift", kind="money", currency="GBP", least="1", most="20", format="full",
                    hint="a small thank you", remember=True),
        Placeholder("port", kind="choice", choices=("Marrowby", "Quillan")),
        Placeholder("code", pattern="AA-99"),
        Placeholder("reach", source="first", of="recipient.mobile, sender.phone",
                    fallback="the desk"),
    )  # fmt: skip


def test_only_the_rows_that_are_needed_are_shown(hand: Hand) -> None:
    page = edit(hand, "group our offer")
    form = go_to(page, "price per person")
    shown = [w for w in (form.kind, form.currency, form.least, form.of, form.choices, form.builder,
                         form.steps) if w.isVisible()]  # fmt: skip
    assert shown == [form.kind, form.currency, form.least]
    go_to(page, "free places")
    assert form.steps.isVisible() and form.rounding.isVisible()
    assert not form.kind.isVisible() and not form.builder.isVisible()
    go_to(page, "offer until")
    assert form.builder.isVisible() and not form.steps.isVisible()


def test_a_condition_offers_what_it_can_speak_of(hand: Hand) -> None:
    page = edit(hand, "complaint first")
    page.body.setFocus()
    hand.press("Ctrl+Shift+I")
    hand.type("{{case.pass")
    assert page.condition.offers.isVisible()
    hand.press("Return")
    hand.type(" >= 2")
    assert page.condition.text() == "case.passengers >= 2"
    assert page.condition.note.text().endswith("yes")
    hand.press("Ctrl+A")
    hand.type("{{what went")
    hand.press("Tab")
    assert page.condition.text() == "what went wrong"
    hand.type(" {{zz")
    hand.press("Esc")
    assert not page.condition.offers.isVisible() and page.condition.hasFocus()


def test_renaming_reaches_sums_rules_and_conditions(hand: Hand) -> None:
    page = edit(hand, "refund agreed")
    form = go_to(page, "days before")
    retype(hand, form.name, "days left")
    hand.press("Return")
    assert page.ledger.current is not None and page.ledger.current.name == "days left"
    form = go_to(page, "sailing")
    retype(hand, form.name, "crossing")
    hand.press("Return")
    hand.put_in_use()
    content = saved(hand, 2)
    by_name = {p.name: p.of for p in content.placeholders}
    assert by_name["amount"] == "fare * by days left: 14 → 100%, 3 → 75%, else 0%"
    assert by_name["days left"] == "days between today and crossing"
    assert 'data-when="days left &gt;= 14"' in content.texts["en_GB"].body
    assert "{{days left|plural: day / days}}" in content.texts["en_GB"].body


# Conditions


def test_paragraphs_belong_only_under_a_condition(hand: Hand) -> None:
    page = edit(hand, "complaint first")
    cursor = page.body.document().find("Your file has the number")
    page.body.setTextCursor(cursor)
    page.body.setFocus()
    hand.press("Ctrl+Shift+I")
    assert hand.focus is page.condition
    hand.type("passengers > 4")
    assert page.condition.note.text().startswith("no placeholder is called “passengers”")
    hand.press("Ctrl+A")
    hand.type("case.passengers > 4")
    assert page.condition.note.text() == "2 > 4: no"
    hand.press("Return")
    assert hand.focus is page.body
    hand.put_in_use()
    body = saved(hand, 2, "complaint-first-answer").texts["en_GB"].body
    assert '<div data-when="case.passengers &gt; 4">\n<p>Your file has the number' in body
    page.condition.setFocus()
    hand.press("Ctrl+A", "Delete", "Return")
    hand.put_in_use()
    assert "data-when" not in saved(hand, 3, "complaint-first-answer").texts["en_GB"].body


def test_copies_enclosures_and_holidays_of_a_template(hand: Hand) -> None:
    page = edit(hand, "damage")
    page.copies.add.setFocus()
    hand.press("Space")
    hand.type("access@lislesound.example")
    retype(hand, named(page.copies, "Condition of copy 1"), 'case.ship is "Merrin"')
    retype(hand, named(page.enclosures, "Condition of enclosure 1"), "case.ship is not blank")
    retype(hand, page.holidays.field, "Nowhere")
    assert "There is no calendar “Nowhere”" in page.holidays.note.text()
    retype(hand, page.holidays.field, "FR")
    assert page.holidays.note.text() == ""
    assert "skips" not in go_to(page, "answer by").note.text()
    hand.put_in_use()
    content = saved(hand, 2, "damage-claim")
    assert content.copies.conditional == (
        Copy("cc", "access@lislesound.example", 'case.ship is "Merrin"'),
    )
    assert content.enclosures[0].when == "case.ship is not blank"
    assert content.calendar == "FR"
    named(page.copies, "Remove copy 1").click()  # type: ignore[attr-defined]
    hand.put_in_use()
    assert saved(hand, 3, "damage-claim").copies.conditional == ()


# The editor kit


def test_escaped_braces_show_as_braces_and_stay(qtbot) -> None:  # type: ignore[no-untyped-def]
    editor = SlotEdit()
    qtbot.addWidget(editor)
    body = read("<p>Write \\{{name}} so</p>")
    editor.show_content(body, {})
    assert editor.toPlainText() == "Write {{name}} so"
    assert editor.body() == body


def test_a_mistyped_template_is_mended_by_one_key(hand: Hand) -> None:
    page = edit(hand, "refund agreed")
    page.body.selectAll()
    hand.press("Delete")
    hand.type("We pay {{amuont}} by {refund by}}.")
    (mark,) = page.body.marks()
    assert (mark.end - mark.start, mark.kind) == (len("{refund by}}"), "unknown")
    hand.put_in_use()
    assert "is mistyped: did you mean “{{refund by}}”" in hand.said
    hand.click(hand.window.notices.action)
    page.body.setFocus()
    hand.press("Shift+F8")
    assert page.body.written() == "We pay {{amount}} by {{refund by}}."
    hand.press("Shift+F8")
    assert "nothing here that can be mended" in hand.said
    hand.put_in_use()
    assert "We pay {{amount}} by {{refund by}}." in saved(hand, 2).texts["en_GB"].body


def test_tab_goes_through_the_builder_in_the_order_of_reading(hand: Hand) -> None:
    page = edit(hand, "sailing cancelled")
    form = go_to(page, "answer by")
    add_step(hand, form, "to a weekday")
    QApplication.processEvents()
    form.builder.base.setFocus()
    names = []
    for _ in range(12):
        hand.press("Tab")
        names.append(hand.focus.accessibleName())
    assert names[:10] == [
        "Kind of step", "How many", "Unit", "Take this step out", "Kind of step", "Time of day",
        "Take this step out", "Kind of step", "Which", "Weekday",
    ]  # fmt: skip
    assert names[-1] == "Add a step"
    page = edit_again(hand, page, "refund agreed")
    form = go_to(page, "amount")
    QApplication.processEvents()
    form.steps.by.setFocus()
    names = []
    for _ in range(7):
        hand.press("Tab")
        names.append(hand.focus.accessibleName())
    assert names == ["Step 1 from", "Step 1 gives", "Take step 1 out", "Step 2 from",
                     "Step 2 gives", "Take step 2 out", "Otherwise"]  # fmt: skip


def edit_again(hand: Hand, page: TemplateEditor, words: str) -> TemplateEditor:
    page.leave()
    return edit(hand, words)


def test_the_ledger_says_how_often_and_where_a_placeholder_is_used(hand: Hand) -> None:
    page = edit(hand, "refund agreed")
    choices = page.ledger.list
    asides = {choices.item(row).text(): choices.item(row).data(ASIDE) for row in range(5)}
    assert asides["Amount we return"] == "sum, 6×"
    go_to(page, "days before")
    assert page.ledger.where.text() == "text 2×, conditions 2×, other placeholders 1×"
    new_blank(hand, page, "nobody needs me")
    cursor = page.body.textCursor()
    cursor.movePosition(cursor.MoveOperation.End)
    page.body.setTextCursor(cursor)
    page.body.setFocus()
    hand.type(" {{mystery}}")
    rows = lambda: {choices.item(r).text(): choices.item(r).data(ASIDE)  # noqa: E731
                    for r in range(choices.count())}  # fmt: skip
    hand.until(lambda: rows().get("mystery") == "unknown")
    assert rows()["Nobody needs me"] == "blank, unused"
    cursor = page.body.document().find("\ufffc")
    page.body.setTextCursor(cursor)
    hand.press("Return")
    assert page.ledger.current is not None
    assert page.ledger.current.name == "recipient.greeting"
    assert hand.focus is page.ledger.form.label
