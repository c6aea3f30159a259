"""A keystroke in a template of ten pages with 80 placeholders, spelling on, against the same
keystroke in a bare QTextEdit with the same words; and cleaning 200 kB of pasted HTML, against
lxml's own parse of it."""

import os
import time
from collections.abc import Callable

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from lxml import html
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QTextEdit, QWidget

from nebbet.core.body import read
from nebbet.desktop.kit.operations import Operations
from nebbet.desktop.kit.picker import Choice
from nebbet.desktop.paper.block_object import Piece
from nebbet.desktop.paper.marks import Kind
from nebbet.desktop.paper.speller import Speller
from nebbet.desktop.paper.template_edit import TemplateEdit

KEYS = 200
PARAGRAPH = (
    "<p>Dear {{{{name {n}}}}}, your sailing has been moved, and we would like to tell you what "
    "that means for <strong>your booking</strong>, for your vehicle and for everybody who "
    "travels with you; nothing has to be done before the day on which you wanted to leave.</p>"
)
PASTED = (
    '<p class=MsoNormal style="font-family:Calibri"><b>Dear</b> <span style="color:red">somebody '
    '</span>, <a href="https://a.example/x">see this</a><o:p></o:p></p><ul><li>one<li>two</ul>\n'
)


class Names:
    """A ledger that knows every name."""

    def kind_of(self, name: str) -> Kind:  # noqa: ARG002
        return "value"

    def caption(self, name: str) -> tuple[str, str]:
        return "case", name

    def offer(self, words: str) -> list[Choice]:  # noqa: ARG002
        return []

    def take(self, key: str) -> str:
        return key

    def declarations(self, names: list[str]) -> bytes:  # noqa: ARG002
        return b"[]"

    def take_declarations(self, data: bytes) -> None:
        pass

    def describe(self, name: str) -> str:
        return name

    def passage(self, passage: str) -> Piece:
        return Piece(passage)


def keystroke(edit: QWidget) -> float:
    """The 95th percentile of a keystroke until it is painted, in milliseconds."""
    times = []
    for _ in range(KEYS):
        began = time.perf_counter()
        QTest.keyClick(edit, Qt.Key.Key_E)
        QApplication.processEvents()
        times.append((time.perf_counter() - began) * 1000)
    return sorted(times)[int(KEYS * 0.95)]


def shown(edit: QTextEdit) -> QTextEdit:
    edit.resize(640, 800)
    edit.show()
    edit.setFocus()
    cursor = edit.textCursor()
    cursor.setPosition(edit.document().characterCount() // 2)
    edit.setTextCursor(cursor)
    QApplication.processEvents()
    return edit


def seconds(call: Callable[[], object], times: int = 5) -> float:
    taken = []
    for _ in range(times):
        began = time.perf_counter()
        call()
        taken.append(time.perf_counter() - began)
    return min(taken)


def main() -> None:
    application = QApplication([])
    source = "".join(PARAGRAPH.format(n=n) for n in range(80))
    operations = Operations()
    speller = Speller(lambda: (), operations)
    edit = TemplateEdit(Names())
    edit.load(read(source))
    edit.spell(speller, "en_GB")
    shown(edit)
    deadline = time.monotonic() + 10
    while "en_GB" not in speller._dictionaries and time.monotonic() < deadline:
        application.processEvents()
    ours = keystroke(edit)
    bare = QTextEdit()
    bare.setPlainText(edit.toPlainText())
    theirs = keystroke(shown(bare))
    print(
        f"keystroke, 95th percentile: {ours:.1f} ms in the template, {theirs:.1f} ms in a bare "
        f"QTextEdit: {ours / theirs:.1f} times; one frame is 16 ms"
    )
    text = PASTED * (200_000 // len(PASTED))
    clean, parse = seconds(lambda: read(text)), seconds(lambda: html.fromstring(text))
    print(
        f"cleaning 200 kB of pasted HTML: {clean * 1000:.0f} ms, lxml parses it in "
        f"{parse * 1000:.0f} ms: {clean / parse:.1f} times"
    )
    operations.finish()


if __name__ == "__main__":
    main()
