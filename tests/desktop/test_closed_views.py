"""Views for markup of others reach nobody, read nothing from the disk and open nothing unasked."""

import json
import subprocess
import sys
from pathlib import Path

import pytest
from PySide6.QtCore import QUrl
from PySide6.QtGui import QImage
from pytestqt.qtbot import QtBot

from nebbet.core import inline
from nebbet.core.body import Markup, read
from nebbet.desktop.kit import pieces, theme
from nebbet.desktop.kit.pictures import image_of, png_of
from nebbet.desktop.paper.paper_edit import PaperEdit
from nebbet.desktop.paper.slot_edit import SlotEdit

ROOT = Path(__file__).parents[2]


@pytest.mark.timeout(240)
def test_no_page_of_others_reaches_out(tmp_path: Path) -> None:
    """As received, the source view (the same widget), the message view, finished HTML on paper."""
    run = subprocess.run(
        [sys.executable, "-m", "tests.desktop.look_closely", str(tmp_path)],
        cwd=ROOT, capture_output=True, text=True, timeout=200, check=False,
    )  # fmt: skip
    assert run.returncode == 0, run.stderr[-2000:]
    found = json.loads(run.stdout.splitlines()[-1])
    assert found["heard"] == []
    assert found["before"] == []  # nothing was opened before somebody said so
    assert found["asked"] == [True, True, False, False, False, False]
    assert found["opened"] == ["https://host.example/terms"]
    assert not found["red"], "a picture from this disk was shown"


@pytest.mark.parametrize("address", ["/dev/zero", "file:///dev/zero", "//dev/zero", "x.png"])
def test_a_text_gets_pictures_from_the_library_alone(address: str, qtbot: QtBot) -> None:
    editor = PaperEdit()
    qtbot.addWidget(editor)
    assert editor.loadResource(2, QUrl(address)).width() == 1
    assert read(f'<p>a<img src="{address}">b</p>') == read("<p>ab</p>")
    paper = SlotEdit()
    qtbot.addWidget(paper)
    paper.show_content((Markup(inline.parse(f'<p>kept<img src="{address}"></p>')),), {})
    paper.show()
    assert not paper.grab().isNull()  # it comes back at all: a device was read to no end


def test_words_that_look_like_markup_are_words(qtbot: QtBot) -> None:
    """Qt takes what looks like markup for such, in labels and in hints."""
    hostile = "<img src='/dev/zero'>"
    field = pieces.label(hostile)
    qtbot.addWidget(field)
    theme.named(field, "field", hostile)
    assert field.toolTip() == "<p>&lt;img src=&#x27;/dev/zero&#x27;&gt;</p>"


def test_nested_tables_are_laid_out_in_bounded_time(qtbot: QtBot) -> None:
    """Qt takes several times as long for each table inside a table."""
    from nebbet.core.message.received import Received
    from nebbet.desktop.kit.message_view import MessageView

    view = MessageView()
    qtbot.addWidget(view)
    view.show()
    html = "<table><tr><td>" * 400 + "kept" + "</td></tr></table>" * 400
    view.show_message(Received("", "", "", "", "", "s", "", html))
    assert "kept" in view.reader.toPlainText()


def test_a_drawing_is_no_picture() -> None:
    """Qt would read the files that a drawing names."""
    hostile = b'<svg xmlns="http://www.w3.org/2000/svg"><image href="/dev/zero"/></svg>'
    assert image_of(hostile).isNull()
    assert image_of(b"").isNull()
    assert image_of(b"/* XPM */ static char *x[] = {};").isNull()
    image = QImage(3, 3, QImage.Format.Format_RGB32)
    image.fill(1)
    assert image_of(png_of(image)).width() == 3
