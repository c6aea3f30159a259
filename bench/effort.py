"""How many keys and clicks everyday jobs take in the real window, typed text apart.

    .venv/bin/python bench/effort.py

A job is done by its shortest way through keys, on the demo; each is counted while it is done, and
counts only if it ends as it should.
"""

import os
import sys
import tempfile
from collections.abc import Callable
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
sys.path.insert(0, str(Path(__file__).parent.parent))

from msgspec.structs import replace
from PySide6.QtCore import QEventLoop, Qt
from PySide6.QtGui import QKeySequence
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QWidget

from nebbet.desktop import application
from nebbet.desktop.kit import theme
from nebbet.desktop.letters.side import UNREAD
from nebbet.desktop.window import Window
from nebbet.personal.home import home_in
from nebbet.personal.secrets import SessionSecrets
from nebbet.personal.settings import write_settings
from nebbet.standin import demo


class Counter:
    """Presses keys and types text, and counts both."""

    def __init__(self, window: Window) -> None:
        self.window, self.keys, self.signs = window, 0, 0

    @property
    def focus(self) -> QWidget:
        menu = QApplication.activePopupWidget()
        return menu or QApplication.focusWidget() or self.window

    def press(self, *keys: str) -> None:
        for key in keys:
            self.keys += 1
            combination = QKeySequence(key)[0]
            QTest.keyClick(self.focus, combination.key(), combination.keyboardModifiers())
            self.settle()

    def click(self, widget: QWidget) -> None:
        self.keys += 1
        QTest.mouseClick(widget, Qt.MouseButton.LeftButton)
        QApplication.processEvents()

    def type(self, text: str) -> None:
        self.signs += len(text)
        for sign in text:
            QTest.keyClicks(self.focus, sign)
        self.settle()

    def settle(self) -> None:
        shared = self.window.session.shared
        self.until(lambda: not shared.people.is_busy)

    def until(self, true: Callable[[], object]) -> None:
        for _ in range(600):
            QApplication.processEvents()
            if true():
                return
            QTest.qWait(5)
        raise AssertionError("something did not happen")

    def rest(self) -> None:
        """Between jobs: nothing is open."""
        letters = self.window.letters
        while letters.model.letter is not None:
            letters.discard()
        self.window.go(letters)
        self.settle()


def sent(at: Counter, before: int) -> None:
    at.until(lambda: len(at.window.session.sending.outbox) > before)


def person_two_blanks(at: Counter) -> None:
    before = len(at.window.session.sending.outbox)
    at.press("Ctrl+N")
    at.type("engelbrecht")
    at.press("Return")
    at.type("claim settled")
    at.press("Return")
    complete(at)
    at.press("Ctrl+Return")
    sent(at, before)


def complete(at: Counter) -> None:
    """Type something into each blank, and go on with Return."""
    model = at.window.letters.model
    for _ in range(8):
        blanks = [p for p in model.particulars if p.is_blank and p.placeholder.source == "blank"]
        if not blanks:
            return
        at.type(blanks[0].placeholder.choices[0] if blanks[0].placeholder.choices else "12.50 GBP")
        if len(blanks) > 1:
            at.press("Return")


def from_a_case(at: Counter) -> None:
    before = len(at.window.session.sending.outbox)
    at.window.go(at.window.people)
    at.window.people.show_case("ls-48260")
    at.settle()
    at.press("Return", "Return")
    complete(at)
    at.press("Ctrl+Return")
    if len(at.window.session.sending.outbox) == before:
        QTest.qWait(UNREAD + 100)
        at.press("Ctrl+Return")  # a doubt is asked once
    sent(at, before)


def answer_a_message(at: Counter) -> None:
    """An arrived message, the suggested template, its blank, sent."""
    window = at.window
    before = len(window.session.sending.outbox)
    at.until(lambda: window.session.arrived.heads)
    window.letters.pile.refresh()
    rows = window.letters.pile.list
    row = next(n for n in range(rows.count()) if rows.item(n).text() == "Dougal Achterberg")
    where = rows.visualItemRect(rows.item(row)).center()
    at.keys += 1
    QTest.mouseClick(rows.viewport(), Qt.MouseButton.LeftButton, pos=where)
    at.until(lambda: window.letters.arriving.view.opened)
    suggested = [one.key for one in window.letters.arriving.view.opened.suggestions]  # type: ignore[union-attr]
    at.press(str(suggested.index("sailing-cancelled") + 1))
    complete(at)
    at.press("Ctrl+Return")
    if len(window.session.sending.outbox) == before:
        QTest.qWait(UNREAD + 100)
        at.press("Ctrl+Return")  # a doubt is asked once
    sent(at, before)


def override(at: Counter) -> None:
    at.window.letters.begin.write_to(
        at.window.session.shared.library.people.person("hanna-verrell")
    )
    at.type("refund agreed")
    at.press("Return")
    keys, at.keys = at.keys, 0
    at.press("Ctrl+Z")
    at.keys = keys


def second_template(at: Counter) -> None:
    at.window.letters.begin.take("refund-agreed")
    at.settle()
    at.keys = 0
    at.press("Ctrl+J")
    at.type("opening")
    at.press("Return")


def write_again(at: Counter) -> None:
    window = at.window
    window.go(window.people)
    entry = window.session.shared.entries[0]
    window.people.show_person(entry.contact)
    at.settle()
    at.press("Ctrl+Alt+R")
    assert window.letters.model.letter


def read_an_old_letter(at: Counter) -> None:
    at.press("Alt+5")
    at.type("weather")
    QTest.qWait(300)
    at.press("Return", "Return")
    assert at.window.register.current


def find_a_person(at: Counter) -> None:
    at.press("Ctrl+F")
    at.type("brannigan")
    at.press("Return")
    at.until(lambda: at.window.people.view.page is not None)


def add_a_person(at: Counter) -> None:
    at.window.go(at.window.people)
    at.settle()
    at.press("Ctrl+Alt+A")
    at.type("Isla")
    at.press("Tab")
    at.type("Dunmore")
    at.press("Tab")
    at.type("isla@post.example")
    at.press("Ctrl+S")
    library = at.window.session.shared.library
    at.until(lambda: library.people.addressed("isla@post.example"))


def take_back(at: Counter) -> None:
    at.press("Ctrl+Shift+Return")
    at.until(lambda: at.window.letters.model.letter is not None)


def another_language(at: Counter) -> None:
    at.press("Ctrl+N")
    at.type("abendroth")
    at.press("Return")
    at.type("refund agreed")
    at.press("Return")
    letter = at.window.letters.model.letter
    assert letter and letter.language == "de"


def to_somebody_new(at: Counter) -> None:
    at.press("Ctrl+N")
    at.type("Ewa Nowak <ewa@post.example>")
    at.press("Return")
    at.type("refund agreed")
    at.press("Return")
    assert at.window.letters.model.letter


def new_template(at: Counter) -> None:
    """Two blanks, a choice, a date rule, a sum, a condition, a passage, and put in use."""
    library = at.window.library
    at.press("Alt+3", "Ctrl+Shift+N", "Down", "Return")  # on the first shelf
    at.until(lambda: library.is_editing)
    editor = library.editor
    at.type("Biscuits")
    at.click(editor.manuscript.lines["subject"])
    at.type("Your biscuits {{case.number}}")
    at.click(editor.body)
    at.type("{{recipient.greeting}}")
    at.press("Return")
    at.type(
        "We send {{count: number}} of the {{taste: plain / sweet}} ones by {{arrives = today + 3 "
        "working days}}, at {{price: money}} each and {{total = price * count}} in all."
    )
    at.press("Return")
    at.type("They are a gift.")
    at.press("Ctrl+Shift+I")
    at.type("count < 3")
    at.press("Return", "Ctrl+Alt+I")
    at.press("P", "Return")
    at.press("Ctrl+Shift+S")
    if editor.note.hasFocus():
        at.type("New")
        at.press("Return")
    shared = at.window.session.shared
    made = lambda: [t for t in shared.catalogue.templates.values() if t.title == "Biscuits"]  # noqa: E731
    at.until(lambda: made() and made()[0].edition == 1)
    (template,) = made()
    text = template.first_text.body
    sources = {p.name: (p.source, p.kind) for p in template.content.placeholders}
    assert sources == {
        "count": ("blank", "number"), "taste": ("blank", "choice"), "arrives": ("date", "text"),
        "price": ("blank", "money"), "total": ("sum", "text"),
    }, sources  # fmt: skip
    assert "count &lt; 3" in text and "data-passage" in text, text


JOBS: tuple[tuple[str, Callable[[Counter], None]], ...] = (
    ("new letter to a person, a template, its blanks, sent", person_two_blanks),
    ("from a case: the suggested template, its blanks, sent", from_a_case),
    ("the last letter is taken back", take_back),
    ("an arrived message is answered with a suggested template", answer_a_message),
    ("a second template at the cursor", second_template),
    ("write again like an earlier letter", write_again),
    ("a letter in the person's own language is begun", another_language),
    ("a letter to somebody new is begun", to_somebody_new),
    ("an old letter is found and read", read_an_old_letter),
    ("a person is found from anywhere", find_a_person),
    ("a person is added", add_a_person),
    ("a change is undone", override),
    ("a new template: blanks, choice, date, sum, condition, passage", new_template),
)


def main() -> None:
    instance = QApplication.instance() or QApplication([])
    assert isinstance(instance, QApplication)
    theme.apply(instance)
    with tempfile.TemporaryDirectory() as folder:
        home = home_in(Path(folder) / "demo")
        service = demo.prepare_demo(home, application.local_now())
        settings = replace(demo.demo_settings(home), hold_seconds=600)
        write_settings(home.settings_file, settings)
        secrets = SessionSecrets(demo.passwords_of(settings))
        window = Window(application.make_parts(home, secrets))
        window.notices.ask = lambda *_words: True  # type: ignore[method-assign]
        window.show()
        window.activateWindow()
        loop = QEventLoop()
        window.session.shared.search.ready.connect(loop.quit)
        loop.exec()
        print(f"{'job':62} {'keys':>5} {'signs typed':>12}")
        for name, job in JOBS:
            at = Counter(window)
            if job is not take_back:
                at.rest()
            at.keys = at.signs = 0
            try:
                job(at)
            except AssertionError as error:
                print(f"{name:62} did not end as it should: {error}")
                continue
            print(f"{name:62} {at.keys:5} {at.signs:12}")
        window.session.close()
        service.stop()


if __name__ == "__main__":
    main()
