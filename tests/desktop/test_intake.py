"""What comes into a template from elsewhere: files, pasted things, words of the team."""

from pathlib import Path

import pytest
from PySide6.QtCore import QMimeData, Qt
from PySide6.QtGui import QImage
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QFileDialog, QLabel, QMenu, QPushButton

from nebbet.core.body import files_of, verbatim, write
from nebbet.desktop.template.editor import TemplateEditor
from nebbet.library.holdings import Shelf
from tests.desktop.conftest import Hand


@pytest.fixture
def page(hand: Hand) -> TemplateEditor:
    """The editor with an empty text."""
    hand.press("Alt+3")
    hand.window.library.edit("refund-agreed")
    made = hand.window.library.editor
    made.body.setFocus()
    made.body.selectAll()
    hand.press("Delete")
    return made


def paste(
    page: TemplateEditor, html: str = "", text: str = "", image: QImage | None = None
) -> None:
    data = QMimeData()
    if html:
        data.setHtml(html)
    if text:
        data.setText(text)
    if image:
        data.setImageData(image)
    page.body.insertFromMimeData(data)


def test_pasting_keeps_structure_and_one_undo_leaves_the_plain_text(
    hand: Hand, page: TemplateEditor
) -> None:
    paste(page, "<p style='font:31px x'><b>One</b></p><ul><li>two</ul>", "One\n\ntwo")
    rich = "<p><strong>One</strong></p>\n<ul>\n<li>two\n</ul>\n"
    assert write(page.body.body()) == rich
    hand.press("Ctrl+Z")
    assert write(page.body.body()) == "<p>One</p>\n<p>two</p>\n"
    hand.press("Ctrl+Z")
    assert page.body.body() == ()
    hand.press("Ctrl+Y", "Ctrl+Y")
    assert write(page.body.body()) == rich


def test_a_picture_on_the_clipboard_becomes_a_file_of_the_library(
    hand: Hand, page: TemplateEditor
) -> None:
    image = QImage(4, 4, QImage.Format.Format_RGB32)
    image.fill(Qt.GlobalColor.red)
    paste(page, image=image)
    hand.until(lambda: files_of(page.body.body()))
    (file,) = files_of(page.body.body())
    assert file in hand.session.shared.catalogue.files


def test_pictures_nobody_can_reach_leave_a_prompt(hand: Hand, page: TemplateEditor) -> None:
    paste(page, '<p>a <img src="file:///gone/logo.png"> b</p>', "a b")
    hand.until(lambda: "picture to put in again: logo.png" in page.body.toPlainText())


def test_too_much_pasted_html_leaves_its_words_and_says_so(
    hand: Hand, page: TemplateEditor
) -> None:
    paste(page, "<p>x</p>" * 400_000, "only the words")
    assert page.body.toPlainText() == "only the words"
    assert "3 MB of HTML: only its words were pasted" in hand.said


def test_a_huge_picture_is_refused(hand: Hand, page: TemplateEditor, tmp_path: Path) -> None:
    from PIL import Image

    path = tmp_path / "huge.png"
    Image.new("1", (10_000, 10_000)).save(path)
    hand.session.shared.intake.add_pictures([str(path)], page.body.show_picture)
    hand.until(lambda: hand.said)
    assert "huge.png has more than 40 million pixels. It was not put in." in hand.said


SAILINGS = Shelf("sailings", "Sailings")


def test_of_several_files_each_has_its_line(hand: Hand, tmp_path: Path) -> None:
    (tmp_path / "odd.eml").write_bytes(bytes(range(256)) * 40)
    (tmp_path / "page.html").write_text("no markup here")
    (tmp_path / "note.md").write_text("# Lost bag\n\nDear [first name], we found it.")
    (tmp_path / "other.txt").write_text("Subject: Hours\n\nWe are open.")
    hand.press("Alt+3")
    library = hand.window.library
    before = len(hand.session.shared.catalogue.templates)
    names = ("odd.eml", "page.html", "note.md", "other.txt")
    library.in_and_out.import_files([str(tmp_path / name) for name in names], SAILINGS)
    report = library.in_and_out.report
    hand.until(report.isVisible)
    assert report.title.text() == "2 drafts were made"
    lines = [label.text() for label in report.findChildren(QLabel)]
    assert "odd.eml is no message. No template was made of it." in lines
    assert "page.html is no page. No template was made of it." in lines
    assert "“Lost bag” is a draft on “Sailings” now." in lines
    hand.until(lambda: len(hand.session.shared.catalogue.templates) == before + 2)
    open_it = [b for b in report.findChildren(QPushButton) if b.text() == "open"]
    hand.click(open_it[1])
    hand.until(lambda: library.is_editing)
    assert library.editor.title_field.text() == "other"


def test_a_shelf_is_asked_for_where_none_is_at_hand(
    hand: Hand, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    (tmp_path / "note.md").write_text("# Lost bag\n\nWe found it.")
    chosen = ([str(tmp_path / "note.md")], "")
    monkeypatch.setattr(QFileDialog, "getOpenFileNames", lambda *_: chosen)
    hand.press("Alt+3")
    library = hand.window.library
    hand.press("Ctrl+Alt+O")
    choose(hand, "Lost property")
    hand.until(lambda: library.is_editing)
    found = hand.session.shared.catalogue.templates[library.editor.template]
    assert found.shelf == "lost-property"


def test_files_become_drafts_with_their_prompts_as_blanks(hand: Hand, tmp_path: Path) -> None:
    (tmp_path / "note.md").write_text("# Lost bag\n\nDear [first name], we found it.")
    hand.press("Alt+3")
    library = hand.window.library
    library.in_and_out.import_files([str(tmp_path / "note.md")], SAILINGS)
    hand.until(lambda: library.is_editing)
    page = library.editor
    assert page.title_field.text() == "Lost bag"
    assert "Lost bag” is a draft on “Sailings” now. The text has prompts: [first" in hand.said
    hand.click(hand.window.notices.action)
    assert "{{first name}}" in write(page.body.body())
    assert page.using.state.text() == "No edition is in use yet; your changes are a draft."
    page.body.setFocus()
    hand.put_in_use()
    hand.until(
        lambda: any(
            t.title == "Lost bag" and t.edition == 1
            for t in hand.session.shared.catalogue.templates.values()
        )
    )


def test_finished_html_is_edited_as_source_and_goes_into_a_letter(
    hand: Hand, tmp_path: Path
) -> None:
    (tmp_path / "offer.html").write_text(
        "<title>Offer</title><table bgcolor='#eee'><tr><td>Dear {{recipient.name}}</table>"
    )
    hand.press("Alt+3")
    library = hand.window.library
    library.in_and_out.import_files([str(tmp_path / "offer.html")], SAILINGS, finished=True)
    hand.until(lambda: library.is_editing)
    text = library.editor.manuscript
    assert text.is_source
    text.source.view.show_look("plain")  # the engine is not needed here
    source = text.source.source
    source.setFocus()
    hand.press("Ctrl+End")
    hand.type(" {{case.num")
    hand.press("Return")
    assert source.toPlainText().endswith("{{case.number}}")
    hand.press("Ctrl+S")
    assert "Your draft is kept" in hand.said
    content = library.editor.content()
    assert content.texts["en_GB"].finished
    assert 'bgcolor="#eee"' in content.texts["en_GB"].body
    hand.press("Ctrl+T")
    assert (
        "finished"
        in library.editor.trial.body.piece(
            library.editor.trial.body.document().begin().begin().fragment().charFormat()
        ).caption.lower()
    )
    hand.press("Esc")
    hand.click(text.source.plain)
    assert not text.is_source
    assert "Dear {{recipient.name}}" in write(library.editor.body.body())


def test_doubtful_words_are_marked_mended_and_kept_for_the_team(
    hand: Hand, page: TemplateEditor
) -> None:
    if hand.session.shared.speller.missing("en_GB"):
        pytest.skip("no English dictionary on this machine")
    hand.until(lambda: not hand.session.shared.speller.knows("recieve", "en_GB"))
    hand.type("We recieve it at Zzyzx, {{case.number}} LS-4 www.qqq.example. ")
    doubts = [d.word for d in page.body.spelling.doubts_in(page.body.document().begin())]
    assert doubts == ["recieve", "Zzyzx"]
    hand.press("F7")
    menu = page.body.findChildren(QMenu)[-1]
    hand.until(lambda: menu.isVisible() and menu.actions()[0].isEnabled())
    QTest.keyClick(menu, Qt.Key.Key_Down)
    QTest.keyClick(menu, Qt.Key.Key_Return)
    assert page.body.toPlainText().startswith("We receive it")
    page.body.spelling.take("Zzyzx")
    hand.until(lambda: "Zzyzx" in hand.session.shared.catalogue.words)
    assert page.body.spelling.doubts_in(page.body.document().begin()) == ()


def test_what_is_copied_takes_its_declarations_along(hand: Hand, page: TemplateEditor) -> None:
    page.ledger.declare("reason why")
    page.body.setFocus()
    page.body.insert_placeholder("reason why")
    page.body.selectAll()
    copied = page.body.createMimeDataFromSelection()
    hand.press("Esc")
    hand.window.library.edit("credit-instead")
    assert page.ledger.kind_of("reason why") == "unknown"
    page.body.insertFromMimeData(copied)
    assert page.ledger.kind_of("reason why") == "blank"
    assert "{{reason why}}" in write(page.body.body())


def test_plain_text_in_lines_keeps_what_it_means_and_one_undo_leaves_it_as_it_was(
    hand: Hand, page: TemplateEditor
) -> None:
    text = "We need from you:\n- the form\n- two pictures"
    paste(page, text=text)
    assert write(page.body.body()) == (
        "<p>We need from you:</p>\n<ul>\n<li>the form\n<li>two pictures\n</ul>\n"
    )
    hand.press("Ctrl+Z")
    assert page.body.body() == verbatim(text)


def test_hostile_html_leaves_its_words_and_nothing_else(hand: Hand, page: TemplateEditor) -> None:
    hostile = '<p>a<span style="display:none">secret</span> <a href="javascript:x()">b</a></p>'
    paste(page, hostile, "a b")
    hand.until(lambda: page.body.toPlainText() == "a b")
    assert "href" not in write(page.body.body())


@pytest.mark.parametrize(
    ("name", "held"), [("a.eml", b"Subject: Your refund"), ("a.html", b"<!DOCTYPE html>")]
)
def test_a_template_is_written_into_a_file(
    hand: Hand, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, name: str, held: bytes
) -> None:
    where = tmp_path / name
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(where), ""))
    hand.press("Alt+3")
    hand.window.library.table.choose("refund-agreed")
    hand.press("Ctrl+Alt+E")
    hand.until(lambda: f"“Refund agreed” is in {name} now." in hand.said)
    assert held in where.read_bytes()
    assert b"{{" in where.read_bytes()


def test_a_file_that_cannot_be_written_is_told(
    hand: Hand, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    where = tmp_path / "not there" / "a.eml"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(where), ""))
    hand.press("Alt+3")
    hand.window.library.table.choose("refund-agreed")
    hand.click(hand.window.library.pane.export_button)
    hand.until(lambda: "a.eml cannot be written: no such file" in hand.said)


def choose(hand: Hand, words: str) -> None:
    """Choose in the menu that is open."""
    hand.until(lambda: QApplication.activePopupWidget() is not None)
    menu = QApplication.activePopupWidget()
    assert isinstance(menu, QMenu)
    (found,) = [action for action in menu.actions() if words in action.text()]
    menu.close()
    hand.window.activateWindow()
    hand.window.library.table.setFocus()
    found.trigger()


def test_a_library_goes_out_as_a_pack_and_comes_in_again(
    hand: Hand, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    where = tmp_path / "team"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(where), ""))
    opened = (str(tmp_path / "team.zip"), "")
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_: opened)
    hand.press("Alt+3")
    hand.window.library.table.choose("refund-agreed")
    hand.press("Ctrl+Alt+K")
    choose(hand, "the whole library")
    hand.until(lambda: "40 templates are in team.zip" in hand.said)
    hand.press("Ctrl+Alt+K")
    choose(hand, "Take a pack in")
    hand.until(lambda: "team.zip is merged into the library:" in hand.said)
    assert "40 templates unchanged" in hand.said
    (tmp_path / "team.zip").write_bytes(b"junk")
    hand.press("Ctrl+Alt+K")
    choose(hand, "Take a pack in")
    hand.until(lambda: "it is not a whole zip file. Nothing was taken" in hand.said)


def test_a_pack_of_one_template_has_what_it_needs_and_asks_about_working_days(
    hand: Hand, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    path = tmp_path / "one.zip"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(path), ""))
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_: (str(path), ""))
    hand.press("Alt+3")
    hand.window.library.table.choose("refund-agreed")
    hand.press("Ctrl+Alt+K")
    choose(hand, "the selected template")
    hand.until(lambda: "1 template is in one.zip" in hand.said)
    library = hand.session.shared.library
    library.put_calendar("FR", {}, "Europe/Paris")
    hand.session.shared.refresh()
    hand.until(lambda: hand.session.shared.catalogue.calendar.code == "FR")
    asked: list[str] = []
    monkeypatch.setattr(hand.window.notices, "ask", lambda title, *_: asked.append(title) or False)
    hand.press("Ctrl+Alt+K")
    choose(hand, "Take a pack in")
    hand.until(lambda: "1 template unchanged" in hand.said)
    assert asked == ["one.zip counts with other working days"]
    assert hand.session.shared.catalogue.calendar.code == "FR", "ours were left"
    monkeypatch.setattr(hand.window.notices, "ask", lambda *_: True)
    hand.press("Ctrl+Alt+K")
    choose(hand, "Take a pack in")
    hand.until(lambda: hand.session.shared.catalogue.calendar.code == "GB-SCT")
