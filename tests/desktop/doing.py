"""What several tests of the window do and look at."""

from hypothesis import HealthCheck, settings
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QApplication, QComboBox, QWidget

from nebbet.core.letter import Content, Letter
from nebbet.desktop.kit.picker import Choice
from nebbet.desktop.paper.marks import MarkKind
from nebbet.desktop.template.declaration import Declaration
from nebbet.desktop.template.editor import TemplateEditor
from tests.desktop.conftest import Hand, template


def choose(hand: Hand, combo: QComboBox, words: str) -> None:
    """Choose an entry of a list by keys."""
    combo.setFocus()
    index = combo.findText(words, Qt.MatchFlag.MatchStartsWith)
    assert index >= 0, words
    hand.press("Home")
    for _ in range(index):
        hand.press("Down")
    assert combo.currentText().startswith(words)


def retype(hand: Hand, line: QWidget, text: str) -> None:
    line.setFocus()
    hand.press("Ctrl+A")
    hand.type(text)


def open_letter(hand: Hand) -> Letter:
    found = hand.window.letters.model.letter
    assert found is not None
    return found


def paper(hand: Hand) -> str:
    return hand.window.letters.paper.body.toPlainText().replace("\u2028", "\n")


def field(hand: Hand, name: str):  # type: ignore[no-untyped-def]
    return hand.window.letters.particulars.rows[name].field


def saved(hand: Hand, number: int, key: str = "refund-agreed") -> Content:
    hand.until(lambda: template(hand, key).edition == number)
    return template(hand, key).content


def edit(hand: Hand, words: str) -> TemplateEditor:
    hand.press("Alt+3")
    hand.press("Esc")
    hand.type(words)
    hand.press("Down", "Ctrl+E")
    assert hand.window.library.is_editing
    return hand.window.library.editor


def go_to(page: TemplateEditor, name: str) -> Declaration:
    names = [p.name for p in page.ledger.placeholders]
    page.ledger.list.setCurrentRow(names.index(name))
    return page.ledger.form


def new_blank(hand: Hand, page: TemplateEditor, name: str) -> Declaration:
    """A new placeholder, named by keys."""
    page.ledger.add.setFocus()
    hand.press("Space")
    hand.type(name)
    hand.press("Return")
    assert page.ledger.current is not None
    assert page.ledger.current.name == name
    return page.ledger.form


def named(parent: QWidget, name: str) -> QWidget:
    """The control that a screen reader calls so; the last one, where there are several."""
    QApplication.processEvents()  # what was just put into a layout is shown a moment later
    found = [w for w in parent.findChildren(QWidget) if w.accessibleName() == name]
    shown = [w for w in found if w.isVisibleTo(parent)]
    assert shown, name
    return shown[-1]


def add_step(hand: Hand, form: Declaration, kind: str) -> QWidget:
    form.builder.add.setFocus()
    hand.press("Space")
    row = form.builder.rows[-1]
    choose(hand, row.kind, kind)
    return row


def take(hand: Hand, words: str, who: str) -> Letter:
    hand.press("Alt+3", "Esc")
    hand.type(words)
    hand.press("Return")
    hand.type(who)
    hand.press("Return")
    return open_letter(hand)


LONG = settings(
    max_examples=200, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture]
)


class Names:
    """What a ledger would say."""

    def kind_of(self, name: str) -> MarkKind:
        return "unknown" if name == "nmae" else "blank"

    def caption(self, name: str) -> tuple[str, str]:
        return "case", name.title()

    def offer(self, words: str) -> list[Choice]:
        known = ("reason", "refund by", "case.number")
        found = [Choice(name, name) for name in known if words in name]
        return [*found, Choice(f"new:{words}", "New blank")] if words else found

    def take(self, key: str) -> str:
        return key.removeprefix("new:")

    def closed(self, inner: str) -> str:
        return inner

    def declarations(self, names: list[str]) -> bytes:
        return b"[]"

    def take_declarations(self, data: bytes) -> None:
        pass

    def describe(self, name: str) -> str:
        return f"about {name}"
