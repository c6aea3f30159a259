"""The editor kit: body to document and back, marks, places."""

from hypothesis import HealthCheck, given, settings
from PySide6.QtCore import QMimeData
from PySide6.QtGui import QTextCursor, QTextDocument
from pytestqt.qtbot import QtBot

from nebbet.core import inline
from nebbet.core.body import Body, Frame, read, write
from nebbet.core.inline import Slot
from nebbet.desktop.kit import bodydoc
from nebbet.desktop.kit.bodydoc import Shown, Writer, paper_style
from nebbet.desktop.kit.paper_edit import text_body
from nebbet.desktop.kit.slot_edit import SlotEdit, Value
from nebbet.desktop.shelves.template_edit import TemplateEdit
from tests.core.test_body import BODIES

STYLE = paper_style(Frame())
LONG = settings(
    max_examples=200, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture]
)


def through_a_document(body: Body, show: bodydoc.ShowSlot | None) -> Body:
    document = QTextDocument()
    Writer(STYLE, show).body(QTextCursor(document), body)
    return bodydoc.read_body(document)


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


def values(**texts: str | None) -> dict[str, Value]:
    return {name: Value(text, f"label of {name}", "value") for name, text in texts.items()}


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


def test_marks_tell_blanks_values_and_unknown_names_apart(qtbot: QtBot) -> None:
    edit = TemplateEdit(lambda name: "unknown" if name == "nmae" else "blank")
    qtbot.addWidget(edit)
    edit.load(read("<p>Dear {{nmae}}, {{reason}} {{ }}</p>"))
    marks = [(edit.toPlainText()[m.start : m.end], m.kind) for m in edit.marks()]
    assert marks == [("{{nmae}}", "unknown"), ("{{reason}}", "blank"), ("{{ }}", "unknown")]


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
    assert len({place.id for place in edit._places}) == 2


def test_plain_text_becomes_paragraphs_and_line_ends(qtbot: QtBot) -> None:
    assert write(text_body("a\r\nb\n\nc\n\n\n{{d}}")) == "<p>a<br>b</p>\n<p>c</p>\n<p>{{d}}</p>\n"
    assert text_body("") == ()
