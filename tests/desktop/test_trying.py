"""A template tried, put into other languages, searched through."""

from PySide6.QtCore import QMimeData

from nebbet.desktop.template.editor import TemplateEditor
from tests.desktop.conftest import Hand, template
from tests.desktop.doing import edit, retype

# Try it


def test_a_template_is_tried_with_one_case_after_the_other(hand: Hand) -> None:
    page = edit(hand, "refund agreed")
    page.body.setFocus()
    hand.press("Ctrl+T")
    trial = page.trial
    assert trial.case.text().startswith("LS-48260")
    text = trial.body.toPlainText()
    assert "You get back\t£64.00" in text
    assert "left out: only if days before < 14" in text
    assert trial.findings.text() == "The checks would find nothing."
    hand.click(trial.further)
    assert "120,00" in trial.body.toPlainText() or "£90.00" in trial.body.toPlainText()
    assert "changed" in {mark.kind for mark in trial.body.marks()}
    trial.case.setFocus()
    hand.press("Ctrl+A")
    hand.type("LS-48224")
    hand.press("Return")
    assert trial.case.text().startswith("LS-48224")
    assert "Number" not in trial.lines["subject"].toPlainText()
    hand.press("Ctrl+T")
    assert page.body.isVisible() and hand.focus is page.body
    hand.press("Ctrl+T", "Esc")
    assert page.body.isVisible()
    hand.press("Esc")
    assert not hand.window.library.is_editing


def test_trying_shows_what_the_checks_would_say(hand: Hand) -> None:
    page = edit(hand, "group our offer")
    page.try_it()
    assert "■ Price for each person is not completed: there and back" in page.trial.findings.text()
    assert page.trial.files.text() == "Attached: Conditions of carriage.pdf"


# Languages


def tabs(page: TemplateEditor) -> list[str]:
    bar = page.languages.tabs
    return [bar.tabText(index) for index in range(bar.count())]


def test_a_language_is_added_translated_and_falls_behind(hand: Hand) -> None:
    page = edit(hand, "complaint first")
    page.languages.add.setFocus()
    hand.type("Pol")
    hand.press("Return")
    assert tabs(page) == ["English", "Polish (older)"]
    assert "if it takes longer" in page.body.written(), "it begins with the text at hand"
    page.body.selectAll()
    page.body.setFocus()
    hand.press("Delete")
    hand.type("Dzien dobry, {{what went wrong}}")
    page.languages.tabs.setCurrentIndex(0)
    assert tabs(page) == ["English", "Polish"]
    cursor = page.body.document().find("if it takes longer")
    page.body.setTextCursor(cursor)
    page.body.setFocus()
    hand.type("should it take longer")
    page.languages.tabs.setCurrentIndex(1)
    assert tabs(page) == ["English", "Polish (older)"]
    hand.click(page.languages.fresh)
    assert tabs(page) == ["English", "Polish"]
    hand.put_in_use()
    hand.until(lambda: "pl" in template(hand, "complaint-first-answer").content.texts)
    hand.click(page.languages.drop)
    assert tabs(page) == ["English"]


def test_a_letter_in_an_added_language_follows_it(hand: Hand) -> None:
    page = edit(hand, "refund agreed")
    page.manuscript.add_language("nb")
    page.body.selectAll()
    page.body.setFocus()
    hand.press("Delete")
    hand.type("{{recipient.greeting}} {{refund by}}")
    hand.press("Ctrl+T")
    assert "mandag 7. desember 2026" in page.trial.body.toPlainText()


def test_prompts_in_pasted_text_become_blanks_all_at_once(hand: Hand) -> None:
    page = edit(hand, "complaint first")
    page.body.selectAll()
    page.body.setFocus()
    data = QMimeData()
    data.setText("Dear [first name], your order <order no> of ____ for [first name].")
    page.body.insertFromMimeData(data)
    assert "The text has prompts: [first name], <order no>, ____." in hand.said
    pasted = page.body.written()
    hand.click(hand.window.notices.action)
    assert page.body.written() == (
        "Dear {{first name}}, your order {{order no}} of {{blank 1}} for {{first name}}."
    )
    assert {"first name", "order no", "blank 1"} <= {p.name for p in page.ledger.placeholders}
    hand.press("Ctrl+Z")
    assert page.body.written() == pasted


def test_find_and_replace_in_subject_and_text(hand: Hand) -> None:
    page = edit(hand, "refund agreed")
    bar = page.find_bar
    before = page.body.written()
    page.body.setFocus()
    hand.press("Ctrl+H")
    assert hand.focus is bar.words
    hand.type("booking")
    assert bar.count.text() == "3 found"
    hand.press("Return")
    assert page.lines["subject"].textCursor().selectedText() == "booking"
    hand.press("Return")
    assert page.body.textCursor().selectedText() == "booking"
    assert not page.lines["subject"].textCursor().hasSelection()
    retype(hand, bar.instead, "reservation")
    hand.press("Return")
    assert bar.count.text() == "2 found"
    assert "cancelled your reservation " in page.body.written()
    hand.click(bar.replace_all_button)
    assert bar.count.text() == "0 found"
    assert page.lines["subject"].written().startswith("Your refund for reservation {{case.number}}")
    page.body.setFocus()
    hand.press("Ctrl+Z", "Ctrl+Z")
    assert page.body.written() == before
    bar.words.setFocus()
    hand.press("Esc")
    assert not bar.isVisible() and hand.window.library.is_editing
