"""The library through the window: shelves, reading, editing, editions, enclosures, drafts."""

from pathlib import Path

import pytest
from PySide6.QtCore import QMimeData, QPointF, Qt, QTimer, QUrl
from PySide6.QtGui import QDropEvent, QKeySequence
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QFileDialog
from pytestqt.qtbot import QtBot

from nebbet.core.body import write
from nebbet.desktop.kit import asking
from nebbet.personal.home import Home
from nebbet.standin.service import MailService
from tests.desktop.conftest import Hand, close, open_window, template
from tests.desktop.doing import saved


@pytest.fixture
def editor(hand: Hand) -> Hand:
    """The template for a refund, open in the editor."""
    hand.press("Alt+3")
    hand.type("refund agreed")
    hand.press("Down")
    hand.press("Ctrl+E")
    assert hand.window.library.is_editing
    return hand


def answer_question(monkeypatch: pytest.MonkeyPatch, text: str) -> None:
    monkeypatch.setattr(asking, "ask_line", lambda *_a, **_k: text)


# Shelves and reading


def test_shelves_narrow_the_list_and_the_pane_shows_the_template(hand: Hand) -> None:
    library = hand.window.library
    hand.press("Alt+3")
    assert library.table.model().rowCount() == 40
    hand.click_row(library.shelves, "Refunds")
    assert library.table.model().rowCount() == 5
    assert library.pane.title.text() == "Refund agreed"
    assert library.pane.heads.text() == (
        "Subject: Your refund for booking [Number]: [Amount we return]"
    )
    assert "Refund paid by: Monday, 7 December 2026. 7 working days" in library.pane.dates.text()
    library.pane.languages.setCurrentIndex(1)
    assert library.pane.heads.text().startswith("Subject: Votre remboursement")
    assert "lundi 7 décembre 2026" in library.pane.dates.text()


def test_finding_by_a_word_of_the_text(hand: Hand) -> None:
    hand.press("Alt+3")
    hand.type("hoist")
    assert hand.window.library.table.model().rowCount() == 0
    assert not hand.window.library.pane.content.isVisible()
    hand.press("Esc")
    hand.type("rucksack wheelchair")
    hand.press("Esc")
    hand.type("assistance card")
    assert hand.window.library.table.key == "boarding-help"


def test_a_template_is_pinned_retired_and_brought_back(hand: Hand) -> None:
    library = hand.window.library
    hand.press("Alt+3")
    hand.click_row(library.table, "Complaint")
    hand.click(library.acts.pin_all)
    hand.until(lambda: template(hand, "complaint-first-answer").pinned)
    hand.click(library.acts.retire_button)
    hand.until(lambda: template(hand, "complaint-first-answer").state == "retired")
    hand.until(lambda: library.table.model().rowCount() == 39)
    hand.until(lambda: "is retired" in hand.said)
    hand.click(hand.window.notices.action)
    hand.until(lambda: template(hand, "complaint-first-answer").state == "in use")


def test_uses_are_shown_after_sending(hand: Hand) -> None:
    hand.press("Alt+3")
    hand.type("confirmation")
    hand.press("Return")
    hand.type("haldane")
    hand.press("Return")
    hand.press("Ctrl+Return")
    hand.sent_all()
    hand.until(lambda: hand.session.shared.catalogue.usage_of("confirmation-again").last)
    hand.press("Alt+3")
    hand.press("Esc")
    model, again = hand.window.library.table.model(), "Booking confirmation sent again"

    def shown() -> list[tuple[str, str]]:
        rows = [[model.index(r, c).data() for c in (0, 3, 4)] for r in range(model.rowCount())]
        return [(last, uses) for title, last, uses in rows if title == again]

    hand.until(lambda: shown() == [("today", "1")])


def test_a_new_shelf(hand: Hand, monkeypatch: pytest.MonkeyPatch) -> None:
    answer_question(monkeypatch, "Freight")
    hand.press("Alt+3")
    hand.click(hand.window.library.view.add)
    hand.until(lambda: "Freight" in [s.name for s in hand.session.shared.catalogue.shelves])


# Editing


def test_a_change_becomes_the_next_edition_and_the_old_one_stays(editor: Hand) -> None:
    page = editor.window.library.editor
    before = template(editor).content
    cursor = page.body.document().find("as you asked")
    page.body.setTextCursor(cursor)
    editor.type("as you wished")
    page.note.setFocus()
    editor.type("Kinder words")
    editor.put_in_use()
    content = saved(editor, 2)
    assert "as you wished.</p>" in content.texts["en_GB"].body
    assert content.texts["fr"] == before.texts["fr"]
    assert template(editor).note == "Kinder words"
    assert template(editor).author == "benedek.roy"
    editions = editor.session.shared.library.editions("refund-agreed")
    assert [t.content for t in editions[1:]] == [before]
    assert page.using.use_button.text() == "Put in use as edition 3"
    editor.until(lambda: editor.session.shared.own.drafts == {})


def test_a_placeholder_is_inserted_declared_and_completed_in_a_letter(editor: Hand) -> None:
    page = editor.window.library.editor
    cursor = page.body.document().find("We hope to welcome")
    cursor.setPosition(cursor.selectionStart())
    page.body.setTextCursor(cursor)
    page.body.setFocus()
    editor.press("Ctrl+D")
    editor.type("bank name")
    editor.press("Return")
    assert "{{bank name}}We hope" in page.body.written()
    ledger = page.ledger
    assert ledger.current is not None
    assert ledger.current.name == "bank name"
    editor.click(ledger.form.label)
    editor.type("Bank of the passenger")
    editor.put_in_use()
    content = saved(editor, 2)
    assert content.placeholders[-1].label == "Bank of the passenger"
    editor.press("Esc")
    editor.press("Return")
    editor.type("brannigan")
    editor.press("Return")
    rows = editor.window.letters.particulars.rows
    assert {"amount", "bankname"} <= set(rows)


def test_fields_of_the_team_s_own_data_are_offered(editor: Hand) -> None:
    page = editor.window.library.editor
    page.body.setFocus()
    editor.press("Ctrl+D")
    editor.type("case passengers")
    editor.press("Return")
    assert "{{case.passengers}}" in page.body.written()
    assert page.ledger.kind_of("case.passengers") == "value"
    assert page.ledger.kind_of("case.pasengers") == "unknown"
    assert page.ledger.kind_of("amount") == "value"


def test_a_date_rule_is_explained_while_it_is_written(editor: Hand) -> None:
    ledger = editor.window.library.editor.ledger
    form = ledger.form
    ledger.list.setCurrentRow(4)
    form.of.setFocus()
    form.of.selectAll()
    editor.type("today + 2 weks")
    assert "expected days, weeks, months, quarters, years, working days" in form.note.text()
    form.of.selectAll()
    editor.type("today + 2 weeks")
    assert form.note.text() == (
        "2 weeks after the day of writing. Now: Wednesday, 9 December 2026. "
        "2 weeks after Wed 25 Nov 2026: Wed 9 Dec."
    )
    editor.press("Return")
    editor.put_in_use()
    assert saved(editor, 2).placeholders[4].of == "today + 2 weeks"


def test_renaming_a_placeholder_renames_it_everywhere(editor: Hand) -> None:
    ledger = editor.window.library.editor.ledger
    ledger.list.setCurrentRow(0)
    ledger.form.name.setFocus()
    ledger.form.name.selectAll()
    editor.type("sum returned")
    editor.press("Return")
    editor.put_in_use()
    content = saved(editor, 2)
    for texts in content.texts.values():
        assert "{{sum returned}}" in texts.subject
        assert "{{sum returned}}" in texts.body
        assert "{{amount}}" not in texts.subject + texts.body


def test_doubts_ask_once_before_saving(editor: Hand) -> None:
    page = editor.window.library.editor
    page.body.selectAll()
    editor.press("Delete")
    editor.type("{{amuont}}")
    editor.put_in_use()
    assert "{{amuont}} is used but not declared; did you mean {{amount}}?" in editor.said
    assert "Put it in use again to keep it so." in editor.said
    editor.put_in_use()
    saved(editor, 2)


def test_a_stop_is_never_saved(editor: Hand) -> None:
    page = editor.window.library.editor
    page.lines["cc"].setFocus()
    editor.type("nobody")
    editor.put_in_use()
    editor.put_in_use()
    assert "“nobody” in Cc is not a mail address" in editor.said
    assert template(editor).edition == 1


def test_formats_lists_links_and_headings(editor: Hand, monkeypatch: pytest.MonkeyPatch) -> None:
    page = editor.window.library.editor
    page.body.selectAll()
    editor.press("Delete")
    editor.type("Title")
    editor.press("Ctrl+Alt+2", "Return", "Ctrl+Alt+0")
    editor.press("Ctrl+B")
    editor.type("bold")
    editor.press("Ctrl+B", "Ctrl+I")
    editor.type(" slanted")
    editor.press("Ctrl+I", "Return")
    editor.type("one")
    editor.press("Ctrl+Shift+8", "Return")
    editor.type("two")
    answer_question(monkeypatch, "www.lislesound.example/{{case.number}}")
    editor.press("Ctrl+K")
    editor.put_in_use()
    source = saved(editor, 2).texts["en_GB"].body
    assert source == (
        "<h2>Title</h2>\n"
        "<p><strong>bold</strong><em> slanted</em></p>\n"
        "<ul>\n<li>one\n"
        '<li><a href="https://www.lislesound.example/{{case.number}}">two</a>\n</ul>\n'
    )


def test_a_picture_is_put_in(editor: Hand, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    from nebbet.standin.papers import make_papers

    picture = tmp_path / "plan.png"
    picture.write_bytes(make_papers()["port-desks.png"][0])
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_a: (str(picture), ""))
    answer_question(monkeypatch, "Plan of the ports")
    editor.window.library.editor.body.setFocus()
    editor.press("Ctrl+Shift+P")
    editor.until(lambda: "<img" in write(editor.window.library.editor.body.body()))
    editor.put_in_use()
    source = saved(editor, 2).texts["en_GB"].body
    assert 'alt="Plan of the ports" width="480">' in source


def test_enclosures_are_dropped_named_and_removed(editor: Hand, tmp_path: Path) -> None:
    paper = tmp_path / "Terms.pdf"
    paper.write_bytes(b"%PDF-1.4 terms")
    enclosures = editor.window.library.editor.enclosures
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(paper))])
    drop = QDropEvent(
        QPointF(5, 5),
        Qt.DropAction.CopyAction,
        data,
        Qt.MouseButton.LeftButton,
        Qt.KeyboardModifier.NoModifier,
    )
    assert enclosures.acceptDrops()
    enclosures.dropEvent(drop)
    editor.until(lambda: enclosures.enclosures)
    enclosures.rename(0, "Terms {{case.number}}.pdf")
    editor.put_in_use()
    (enclosure,) = saved(editor, 2).enclosures
    assert (enclosure.name, enclosure.size) == ("Terms {{case.number}}.pdf", 14)
    assert editor.session.shared.library.file_bytes(enclosure.file) == b"%PDF-1.4 terms"


def test_a_new_template_from_nothing(hand: Hand) -> None:
    hand.press("Alt+3")
    hand.click_row(hand.window.library.shelves, "Refunds")
    hand.press("Ctrl+Shift+N")
    hand.until(lambda: hand.window.library.is_editing)
    page = hand.window.library.editor
    hand.put_in_use()
    assert "has no title yet" in hand.said
    hand.type("Thank you")
    page.lines["subject"].setFocus()
    hand.type("Thank you, {{recipient.first_name}}")
    page.body.setFocus()
    hand.type("It was a pleasure.")
    hand.put_in_use()
    key = page.template
    content = saved(hand, 1, key)
    assert content.texts["en_GB"].body == "<p>It was a pleasure.</p>\n"
    assert content.frame == "lisle"
    assert template(hand, key).shelf == "refunds"
    assert template(hand, key).title == "Thank you"


# Nothing is lost


def test_leaving_keeps_what_was_not_saved_even_through_a_crash(
    editor: Hand, home: Home, service: MailService, qtbot: QtBot
) -> None:
    page = editor.window.library.editor
    page.body.setFocus()
    editor.type("Half a thought. ")
    editor.press("Esc")
    assert not editor.window.library.is_editing
    editor.until(lambda: "refund-agreed" in editor.session.shared.own.drafts)
    assert "your draft waits in the editor" in editor.window.library.pane.state.text()
    editor.session.operations.finish()
    again = open_window(home)
    hand = Hand(again, qtbot, service)
    again.go(again.library)
    again.library.edit("refund-agreed")
    assert "Half a thought. {{recipient" in again.library.editor.body.written()
    assert hand.said == "What you had not saved last time is back."
    hand.click(again.notices.action)
    assert "Half a thought." not in again.library.editor.body.written()
    close(again)


def test_opening_and_leaving_without_a_change_keeps_nothing(editor: Hand) -> None:
    editor.press("Esc")
    assert editor.session.shared.own.drafts == {}
    assert template(editor).edition == 1


def test_a_library_that_cannot_be_written_says_so_and_keeps_the_text(editor: Hand) -> None:
    from sqlalchemy import event

    engine = editor.session.shared.library.engine
    engine.dispose()
    event.listen(engine, "connect", lambda c, _e: c.execute("PRAGMA query_only = ON"))
    page = editor.window.library.editor
    page.body.setFocus()
    editor.type("New. ")
    editor.put_in_use()
    editor.until(lambda: "read-only here" in editor.said)
    assert editor.said.startswith("The edition cannot be saved: it is read-only here.")
    assert "New. {{recipient" in page.body.written()


def test_putting_in_use_twice_at_once_is_one_edition(editor: Hand) -> None:
    page = editor.window.library.editor
    page.body.setFocus()
    editor.type("New. ")
    page.note.setText("Said anew")
    editor.press("Ctrl+Shift+S", "Ctrl+Shift+S")
    saved(editor, 2)
    editor.until(lambda: "Edition 2" in editor.said)
    assert template(editor).edition == 2


def test_a_line_is_asked_for_and_can_be_left(editor: Hand) -> None:
    def answer(*keys: str) -> None:
        box = QApplication.activeModalWidget()
        assert isinstance(box, asking.LineBox)
        QTest.keyClicks(box.line, "nebbet.example/a")
        for key in keys:
            QTest.keyClick(box.line, QKeySequence(key)[0].key())

    over = editor.window
    QTimer.singleShot(0, over, lambda: answer("Return"))
    assert asking.ask_line(over, "Link", "Where?", "Set it", "old") == "nebbet.example/a"
    QTimer.singleShot(0, over, lambda: answer("Esc"))
    assert asking.ask_line(over, "Link", "Where?", "Set it", "old") is None
