"""Pulling a template: a box over the paper with a field, the ranked list and a filled preview."""

from PySide6.QtCore import QEvent, QObject, Qt, Signal
from PySide6.QtGui import QHideEvent, QKeyEvent, QKeySequence, QShortcut, QShowEvent
from PySide6.QtWidgets import QApplication, QFrame, QLineEdit, QVBoxLayout, QWidget

from nebbet.core import inline
from nebbet.core import letter as letters
from nebbet.core.letter import Letter
from nebbet.core.records import fold
from nebbet.desktop.kit import pieces, theme
from nebbet.desktop.kit.picker import ChoiceList
from nebbet.desktop.letters.used_for import UsedFor
from nebbet.desktop.paper.fillings import fillings_of
from nebbet.desktop.paper.sheet import paper_box
from nebbet.desktop.paper.slot_edit import SlotEdit
from nebbet.desktop.session import choices
from nebbet.desktop.session.shared_library import SharedLibrary
from nebbet.library.rewording import started_over
from nebbet.library.writing import world_for


class PullBox(QFrame):
    """Chooses a template, over the paper of a page. chosen tells the template's id and whether to
    start over with it."""

    chosen = Signal(str, bool)
    left = Signal()

    def __init__(
        self, shared: SharedLibrary, parent: QWidget, used: UsedFor, page: QWidget
    ) -> None:
        super().__init__(parent)
        # Esc leaves everything as it was, wherever on the page the focus is.
        self._esc = QShortcut(QKeySequence(Qt.Key.Key_Escape), page)
        self._esc.setContext(Qt.ShortcutContext.WidgetWithChildrenShortcut)
        self._esc.activated.connect(self._leave)
        self._used = used
        used.known.connect(self._on_used)
        self.setObjectName("box")
        self._shared, self._over = shared, parent
        self._letter = Letter("preview")
        self._has_text = False
        self.field = QLineEdit()
        self.field.setPlaceholderText("Words from the title, the subject or the text")
        theme.named(self.field, "Find a template")
        self.field.textEdited.connect(self._find)
        self.field.installEventFilter(self)
        self.list = ChoiceList("Templates")
        self.list.currentItemChanged.connect(self._preview)
        self.list.itemDoubleClicked.connect(lambda _item: self._choose(False))
        self.list.installEventFilter(self)
        self._subject = pieces.label("", "heading", wrap=True)
        self._body = SlotEdit(shared.pictures)
        theme.named(self._body, "Preview")
        self.take = pieces.button("Take (Return)", lambda: self._choose(False), "primary")
        self.over = pieces.button("Start over (Shift+Return)", lambda: self._choose(True))
        self.leave = pieces.button("Leave (Esc)", self._leave)
        self._lay_out()
        self.hide()

    def _follow_focus(self, _before: QWidget | None, now: QWidget | None) -> None:
        """Whoever goes on behind the box does not want it."""
        behind = now is not None and self._over.isAncestorOf(now) and not self.isAncestorOf(now)
        if self.isVisible() and behind:
            self.hide()

    def _lay_out(self) -> None:
        right = QWidget()
        pieces.fill(QVBoxLayout(right), self._subject, paper_box(self._body))
        self.list.setMinimumWidth(270)
        self.list.setMaximumWidth(330)
        lower = pieces.row(self.list, pieces.grow(right), spacing=12)
        buttons = pieces.row(self.take, self.over, None, self.leave)
        pieces.fill(QVBoxLayout(self), self.field, lower, buttons, margin=12, spacing=10)

    def open_for(self, letter: Letter, words: str = "") -> None:
        """Open the box for a letter."""
        self._letter = letter
        # An answer has its subject before anything is written.
        self._has_text = bool(letter.body or (letter.subject and not letter.thread))
        self.take.setText("Put at the cursor (Return)" if self._has_text else "Take (Return)")
        self.over.setVisible(self._has_text)
        self.setGeometry(self._over.rect().adjusted(16, 16, -16, -16))
        self.field.setText(words)
        self._find(words)
        self.show()
        self.raise_()
        self.field.setFocus()

    def _find(self, words: str) -> None:
        kind = self._letter.case.kind if self._letter.case else ""
        used = self._used.for_kind(kind)
        self.list.show_choices(choices.templates(self._shared, words, kind=kind, used=used))
        self.list.choose_first()
        if not self.list.count():
            self._subject.setText("No template has any of these words.")
            self._body.show_content((), {})
        else:
            self._preview()

    def _on_used(self, kind: str) -> None:
        """What was used for the kind of case has come: the list is in that order, unless somebody
        is choosing already."""
        case = self._letter.case
        untouched = not self.field.text() and self.list.currentRow() <= 0
        if self.isVisible() and case and case.kind == kind and untouched:
            self._find("")

    def _preview(self) -> None:
        """Show the template as it would be for this person and case."""
        template = self._shared.catalogue.templates.get(self.list.key)
        if template is None:
            return
        shared = self._shared
        letter = started_over(shared.catalogue, self._letter, template)
        letter, values = letters.work_out(
            letter, world_for(shared.catalogue, letter, shared.writer())
        )
        labels = {fold(p.name): p.placeholder.title for p in values}
        self._subject.setText(inline.shown(letter.subject, lambda n: f"[{labels[fold(n)]}]"))
        self._body.set_frame(self._shared.catalogue.frame(letter.frame))
        self._body.show_content(letter.body, fillings_of(letter, values))

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """Up, down and Return work from the field as from the list."""
        if event.type() == QEvent.Type.KeyPress and isinstance(event, QKeyEvent):
            key = event.key()
            if key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
                shift = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
                self._choose(shift)
                return True
            if watched is self.field and key in (Qt.Key.Key_Down, Qt.Key.Key_Up):
                self.list.step(1 if key == Qt.Key.Key_Down else -1)
                return True
        return super().eventFilter(watched, event)

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self._esc.setEnabled(True)
        _application().focusChanged.connect(self._follow_focus)

    def hideEvent(self, event: QHideEvent) -> None:
        super().hideEvent(event)
        self._esc.setEnabled(False)
        _application().focusChanged.disconnect(self._follow_focus)

    def _choose(self, over: bool) -> None:
        if self.list.key:
            self.hide()
            self.chosen.emit(self.list.key, over or not self._has_text)

    def _leave(self) -> None:
        self.hide()
        self.left.emit()


def _application() -> QApplication:
    found = QApplication.instance()
    assert isinstance(found, QApplication)
    return found
