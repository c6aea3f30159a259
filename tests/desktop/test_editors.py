"""The editor kit: body to document and back, marks, places."""

from hypothesis import given
from PySide6.QtCore import QMimeData, Qt
from PySide6.QtGui import QTextCursor, QTextDocument
from PySide6.QtTest import QTest
from pytestqt.qtbot import QtBot

from nebbet.core import inline
from nebbet.core.body import Body, Frame, read, write
from nebbet.core.inline import Slot
from nebbet.desktop.paper import docread, docwrite
from nebbet.desktop.paper.docformat import Shown, paper_style
from nebbet.desktop.paper.docwrite import Writer
from nebbet.desktop.paper.fillings import Filling
from nebbet.desktop.paper.slot_edit import SlotEdit
from nebbet.desktop.paper.template_edit import TemplateEdit
from nebbet.standin.world import read_world
from tests.conftest import TODAY
from tests.core.bodies import BODIES
from tests.desktop.doing import LONG, Names

STYLE = paper_style(Frame())


def through_a_document(body: Body, show: docwrite.ShowSlot | None) -> Body:
    document = QTextDocument()
    Writer(STYLE, show).body(QTextCursor(document), body)
    return docread.read_body(document)


@LONG
@given(BODIES)
def test_a_template_s_body_goes_through_the_editor_unchanged(qtbot: QtBot, body: Body) -> None:
    assert write(through_a_document(body, None)) == write(body)


@LONG
@given(BODIES)
def test_a_letter_s_body_goes_through_with_its_places(qtbot: QtBot, body: Body) -> None:
    """With values shown in place of names, the names are still there."""
    shown = through_a_document(body, lambda name: Shown(f"<{name}>", name == "name"))
    assert write(shown) == write(body)


def test_every_body_written_by_hand_goes_through_both_editors_unchanged(qtbot: QtBot) -> None:
    written = [texts for template in read_world(TODAY).templates
               for texts in template.content.texts.values()]  # fmt: skip
    assert len(written) >= 30
    for texts in written:
        for show in (None, lambda slot: Shown(f"<{slot.name}>", False)):
            assert write(through_a_document(texts.blocks, show)) == write(texts.blocks)


def values(**texts: str | None) -> dict[str, Filling]:
    return {name: Filling(text, f"label of {name}", "value") for name, text in texts.items()}


def test_a_single_line_keeps_to_one_line(qtbot: QtBot) -> None:
    edit = SlotEdit(single=True)
    qtbot.addWidget(edit)
    edit.show_content(inline.parse("About {{a}} and {{b}}"), values(a="one", b=None))
    assert edit.toPlainText() == "About one and label of b"
    assert edit.line() == ("About ", Slot("a", "one"), " and ", Slot("b"))
    data = QMimeData()
    data.setText("x\ny ")
    edit.insertFromMimeData(data)
    assert inline.source(edit.line()) == "x y About {{a}} and {{b}}"


def test_a_value_pushed_from_elsewhere_reaches_every_place(qtbot: QtBot) -> None:
    edit = SlotEdit()
    qtbot.addWidget(edit)
    edit.show_content(read("<p>{{a}} {{A}}</p><ul><li><b>{{a}}</b></ul>"), values(a=None))
    assert len(edit.blanks()) == 3
    edit.show_values(values(a="x"))
    assert edit.toPlainText() == "x x\nx"
    assert edit.blanks() == []
    assert write(edit.body()) == "<p>{{a}} {{A}}</p>\n<ul>\n<li><strong>{{a}}</strong>\n</ul>\n"


def test_an_empty_value_keeps_its_place(qtbot: QtBot) -> None:
    edit = SlotEdit()
    qtbot.addWidget(edit)
    edit.show_content(read("<p>a{{v}}b</p>"), values(v=""))
    assert write(edit.body()) == "<p>a{{v}}b</p>\n"
    edit.show_values(values(v="x"))
    assert edit.toPlainText() == "axb"


def template_edit(qtbot: QtBot) -> TemplateEdit:
    edit = TemplateEdit(Names())
    qtbot.addWidget(edit)
    edit.resize(500, 300)
    edit.show()
    edit.setFocus()
    return edit


def test_placeholders_of_a_template_are_single_things(qtbot: QtBot) -> None:
    edit = template_edit(qtbot)
    source = "<p>Dear {{nmae}}{{nmae}}, <strong>{{reason|upper}}</strong> {{ }}</p>\n"
    edit.load(read(source))
    assert write(edit.body()) == source
    assert edit.written() == "Dear {{nmae}}{{nmae}}, {{reason|upper}} {{ }}"
    assert [edit.toPlainText()[m.start : m.end] for m in edit.marks()] == ["{{ }}"]
    cursor = edit.textCursor()
    cursor.setPosition(6)
    edit.setTextCursor(cursor)
    QTest.keyClick(edit, Qt.Key.Key_Backspace)
    assert edit.written().startswith("Dear {{nmae}}, ")
    QTest.keyClicks(edit, "and ")
    assert edit.written().startswith("Dear and {{nmae}}, ")
    edit.undo()
    edit.undo()
    assert write(edit.body()) == source
    edit.selectAll()
    other = template_edit(qtbot)
    other.insertFromMimeData(edit.createMimeDataFromSelection())
    assert write(other.body()) == source


def test_typing_braces_offers_what_can_stand_there(qtbot: QtBot) -> None:
    edit = template_edit(qtbot)
    QTest.keyClicks(edit, "By {{")
    assert edit.braces.list.isVisible() and edit.braces.list.count() == 3
    QTest.keyClicks(edit, "re")
    assert edit.braces.list.key == "reason"
    QTest.keyClick(edit, Qt.Key.Key_Down)
    QTest.keyClick(edit, Qt.Key.Key_Return)
    assert edit.written() == "By {{refund by}}"
    assert not edit.braces.list.isVisible()
    QTest.keyClicks(edit, " or {{new one")
    QTest.keyClick(edit, Qt.Key.Key_Tab)
    assert edit.written() == "By {{refund by}} or {{new one}}"
    edit.undo()
    assert edit.written() == "By {{refund by}} or {{new one"
    QTest.keyClick(edit, Qt.Key.Key_Escape)
    assert not edit.braces.list.isVisible()


def test_a_placeholder_typed_to_its_end_becomes_one_thing(qtbot: QtBot) -> None:
    edit = template_edit(qtbot)
    QTest.keyClicks(edit, "{{reason|else: it}} and \\{{x}}")
    assert edit.toPlainText() == "\ufffc and \\{{x}}"
    assert write(edit.body()) == "<p>{{reason|else: it}} and \\{{x}}</p>\n"


def test_a_chosen_placeholder_opens_its_entry(qtbot: QtBot) -> None:
    edit = template_edit(qtbot)
    edit.load(read("<p>a{{reason}}b</p>"))
    seen: list[str] = []
    edit.opened.connect(seen.append)
    QTest.keyClick(edit, Qt.Key.Key_Right)
    QTest.keyClick(edit, Qt.Key.Key_Right, Qt.KeyboardModifier.ShiftModifier)
    QTest.keyClick(edit, Qt.Key.Key_Return)
    assert seen == ["reason"]
    (rect,) = edit.rects(1, 2)
    QTest.mouseDClick(edit.viewport(), Qt.MouseButton.LeftButton, pos=rect.center().toPoint())
    assert seen == ["reason", "reason"]
    assert edit.written() == "a{{reason}}b"


def test_every_mark_has_a_rectangle_on_each_of_its_lines(qtbot: QtBot) -> None:
    edit = SlotEdit()
    qtbot.addWidget(edit)
    edit.resize(200, 400)
    edit.show()
    edit.show_content(read("<p>{{v}}</p>"), values(v="many words " * 10))
    (mark,) = edit.marks()
    rects = list(edit.rects(mark.start, mark.end))
    assert len(rects) > 3
    assert all(rect.width() > 0 and rect.height() > 10 for rect in rects)
    assert len({rect.top() for rect in rects}) == len(rects)


def test_copying_keeps_placeholders_and_pasting_brings_them_back(qtbot: QtBot) -> None:
    edit = SlotEdit()
    qtbot.addWidget(edit)
    edit.show_content(read("<p>one {{v}}</p><p>two</p>"), values(v="x"))
    edit.selectAll()
    data = edit.createMimeDataFromSelection()
    assert data.text() == "one x\n\ntwo"
    edit.moveCursor(QTextCursor.MoveOperation.End)
    edit.insertFromMimeData(data)
    assert write(edit.body()).count("{{v}}") == 2
    assert len({place.id for place in edit.places}) == 2


def test_the_tools_make_every_shape_and_undo_it(qtbot: QtBot) -> None:
    edit = template_edit(qtbot)
    QTest.keyClicks(edit, "one")
    plain = write(edit.body())
    for act, source in (
        (edit.shape.toggle_quote, "<blockquote>\n<p>one</p>\n</blockquote>\n"),
        (lambda: edit.shape.set_side("right"), '<p data-align="right">one</p>\n'),
        (edit.shape.toggle_guidance, "<aside>one</aside>\n"),
        (edit.shape.insert_start, "<p>one<span data-start></span></p>\n"),
        (edit.shape.insert_divider, "<p>one</p>\n<hr>\n"),
        (lambda: edit.shape.set_heading(2), "<h2>one</h2>\n"),
    ):
        act()
        assert write(edit.body()) == source
        edit.undo()
        assert write(edit.body()) == plain
    edit.selectAll()
    edit.shape.toggle_underline()
    edit.shape.toggle_strike()
    assert write(edit.body()) == "<p><u><s>one</s></u></p>\n"
    edit.shape.set_side("center")
    edit.shape.toggle_quote()
    edit.shape.set_list(ordered=False)
    edit.parts.set_condition("a > 1")
    assert write(edit.body()) == (
        '<div data-when="a &gt; 1">\n<blockquote>\n<ul>\n'
        '<li data-align="center"><u><s>one</s></u>\n</ul>\n</blockquote>\n</div>\n'
    )


def test_there_is_one_start_mark_and_a_letter_hides_it(qtbot: QtBot) -> None:
    edit = template_edit(qtbot)
    edit.load(read("<p>a<span data-start></span>b</p>"))
    assert edit.shape.start_position() == 1
    edit.moveCursor(QTextCursor.MoveOperation.End)
    edit.shape.insert_start()
    assert write(edit.body()) == "<p>ab<span data-start></span></p>\n"
    letter = SlotEdit()
    qtbot.addWidget(letter)
    letter.show_content(edit.body(), {})
    letter.show()
    assert letter.shape.start_position() == 2
    assert write(letter.body()) == write(edit.body())
