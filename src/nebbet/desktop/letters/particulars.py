"""The particulars: every value of the letter, where it comes from, and how it was worked out."""

from collections.abc import Callable
from datetime import date
from functools import cached_property, partial

from PySide6.QtCore import QEvent, QObject, Qt, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import (
    QBoxLayout,
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QPlainTextEdit,
    QVBoxLayout,
    QWidget,
)

from nebbet.core.placeholders import Particular
from nebbet.core.records import fold
from nebbet.desktop.kit import pieces, theme
from nebbet.desktop.kit.day_box import DayBox
from nebbet.desktop.kit.picker import Choice, Picker
from nebbet.desktop.letters.model import LetterModel
from nebbet.desktop.paper.fillings import choices_of, is_day

_GROUPS = (
    ("case", "Case"),
    ("recipient", "Recipient"),
    ("date", "Dates"),
    ("sum", "Sums"),
    ("first", "Others"),
    ("fact", "Facts"),
    ("sender", "You"),
    ("copy", "Copies"),
)
_LABEL_WIDTH = 96


class LongValue(QPlainTextEdit):
    """A field for a value of several lines; Return goes on, Shift+Return breaks the line."""

    entered = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.setFixedHeight(56)
        self.setTabChangesFocus(True)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and not event.modifiers():
            self.entered.emit()
            return
        super().keyPressEvent(event)


class ValueRow(QWidget):
    """One value: label, field, one grey line, and a way to put a changed value back."""

    typed = Signal(str, str)
    put_back = Signal(str)
    entered = Signal()

    def __init__(self, particular: Particular, language: str) -> None:
        super().__init__()
        self.name, self._language = particular.name, language
        self._long = particular.placeholder.long
        self.field = LongValue() if self._long else self._line(particular)
        title = particular.placeholder.title
        theme.named(self.field, title)
        self.note = pieces.label("", "note", wrap=True)
        self.back_button = pieces.button("put back", self._ask_back, "words")
        theme.named(self.back_button, f"Put {title} back")
        caption = pieces.label(title, "faint", wrap=True)
        caption.setFixedWidth(_LABEL_WIDTH)
        caption.setBuddy(self.field)
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 1, 0, 3)
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(1)
        grid.addWidget(caption, 0, 0, Qt.AlignmentFlag.AlignTop)
        grid.addWidget(self.field, 0, 1)
        grid.addLayout(self._below(particular), 1, 1)
        self._clearer = QHBoxLayout()
        self._clearer.setSpacing(8)
        grid.addLayout(self._clearer, 2, 1)
        self._offered: tuple[str, ...] = ()
        self._particular = particular
        if isinstance(self.field, LongValue):
            self.field.textChanged.connect(self._type_long)
            self.field.entered.connect(self.entered)
        else:
            self.field.textEdited.connect(lambda text: self.typed.emit(self.name, text))
            self.field.editingFinished.connect(self._show_as_read)
            if isinstance(self.field, Picker):
                self.field.picked.connect(self._pick)
                self.field.entered.connect(lambda _text: self._left())
            else:
                self.field.returnPressed.connect(self.entered)
        self.show_value(particular)

    def _line(self, particular: Particular) -> QLineEdit:
        """A field of one line; with a list where there is something to choose from."""
        choices = choices_of(particular, self._language)
        if not choices:
            return QLineEdit()
        made = Picker(
            particular.placeholder.title,
            lambda words: (
                [Choice(c, c) for c in choices if fold(words) in fold(c)]
                or [Choice(c, c) for c in choices]
            ),
        )
        made.free = made.opens_at_once = True
        return made

    def _below(self, particular: Particular) -> QBoxLayout:
        """The grey line, and beside it what puts a value back or opens the calendar for a day."""
        made = pieces.row(pieces.grow(self.note), self.back_button)
        if is_day(particular) and not self._long:
            title = particular.placeholder.title
            choose = pieces.tool("calendar-blank", f"Choose {title} (Alt+Down)", self._ask_day)
            made.addWidget(choose, 0, Qt.AlignmentFlag.AlignTop)
            self.field.installEventFilter(self)
        return made

    @cached_property
    def days(self) -> DayBox:
        """The sheet of the calendar."""
        box = DayBox(f"{self._particular.placeholder.title}: day")
        box.chosen.connect(lambda day: self._pick(day.isoformat()))
        return box

    def _ask_day(self) -> None:
        value = self._particular.value
        day = value if isinstance(value, date) else None
        self.days.open_under(self.field, self.field.rect(), day, go=True)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """Alt+Down opens the calendar from the field."""
        if event.type() == QEvent.Type.KeyPress and isinstance(event, QKeyEvent):
            alt = event.modifiers() & Qt.KeyboardModifier.AltModifier
            if alt and event.key() == Qt.Key.Key_Down:
                self._ask_day()
                return True
        return super().eventFilter(watched, event)

    def _pick(self, choice: str) -> None:
        self.typed.emit(self.name, choice)
        self._show_as_read()
        self.entered.emit()

    def _left(self) -> None:
        if self.field.hasFocus():
            self.entered.emit()

    def _show_as_read(self) -> None:
        """Show a value that was typed as the letter writes it."""
        self._show_text(self._particular.text or "")

    def _type_long(self) -> None:
        self.typed.emit(self.name, self._text())

    def _ask_back(self) -> None:
        self.put_back.emit(self.name)
        self.field.setFocus()

    def _text(self) -> str:
        if isinstance(self.field, LongValue):
            return self.field.toPlainText()
        return self.field.text()

    def show_value(self, particular: Particular) -> None:
        """Bring the row up to date without disturbing who types in it."""
        text = particular.text or ""
        self._particular = particular
        typing = self.field.hasFocus() and particular.answer == self._text()
        if not typing:
            self._show_text(text)
        self._offer(particular.clearer)
        pieces.restyle(self.note, "wrong", bool(particular.problem))
        pieces.restyle(self.field, "blank", particular.is_blank)
        own = particular.placeholder.source == "blank"
        if not self._long:
            pieces.restyle(self.field, "quiet", not own and not particular.is_blank)
        self.back_button.setVisible(particular.changed)
        self.note.setText(_note(particular))
        self.field.setToolTip(theme.plain_hint(text))
        self.field.setAccessibleDescription(self.note.text())

    def _show_text(self, text: str) -> None:
        if text == self._text():
            return
        self.field.blockSignals(True)
        if isinstance(self.field, LongValue):
            self.field.setPlainText(text)
        elif isinstance(self.field, Picker):
            self.field.show_text(text)
        else:
            self.field.setText(text)
            if not self.field.hasFocus():
                self.field.setCursorPosition(0)
        self.field.blockSignals(False)

    def _offer(self, clearer: tuple[str, ...]) -> None:
        """Ask back: one button for each thing that the typed text could mean."""
        if clearer == self._offered:
            return
        self._offered = clearer
        pieces.clear(self._clearer)
        for text in clearer:
            choose = pieces.button(text, partial(self._choose, text), "words")
            theme.named(choose, f"{self._particular.placeholder.title}: {text} is meant")
            self._clearer.addWidget(choose)
        if clearer:
            self._clearer.addStretch(1)

    def _choose(self, text: str) -> None:
        self.typed.emit(self.name, text)
        self._show_as_read()
        self.field.setFocus()


def _note(particular: Particular) -> str:
    if particular.problem:
        return particular.problem
    if particular.changed:
        worked = particular.default or "nothing"
        return f"changed by hand; was “{worked}” ({particular.note})"
    return particular.note


class Particulars(QWidget):
    """All rows, in groups; built anew only when other values are asked for."""

    entered = Signal()

    def __init__(self, model: LetterModel) -> None:
        super().__init__()
        self._model = model
        self.rows: dict[str, ValueRow] = {}
        self._layout = QVBoxLayout(self)
        self._layout.setContentsMargins(0, 0, 8, 0)
        self._layout.setSpacing(0)
        self._built: tuple[str, ...] = ()
        model.replaced.connect(partial(self._show, True))
        model.reverted.connect(partial(self._show, False))
        model.worked_out.connect(partial(self._show, False))

    def _show(self, anew: bool) -> None:
        particulars = self._model.particulars if self._model.letter else ()
        letter = self._model.letter
        about = (letter.recipient, letter.case) if letter else ()
        asked = (*(fold(p.name) for p in particulars), *(one.id if one else "" for one in about))
        if anew or asked != self._built:
            self._built = asked
            self._build(particulars)
            return
        for particular in particulars:
            self.rows[fold(particular.name)].show_value(particular)

    def _build(self, particulars: tuple[Particular, ...]) -> None:
        focused = next((key for key, row in self.rows.items() if row.field.hasFocus()), "")
        pieces.clear(self._layout)
        self.rows = {}
        to_complete = [p for p in particulars if _is_own(p)]
        self._group("To complete", to_complete)
        for source, title in _GROUPS:
            rest = [p for p in particulars if p.placeholder.source == source and not _is_own(p)]
            self._group(title, rest)
        self._layout.addStretch(1)
        if focused in self.rows:
            self.rows[focused].field.setFocus()

    def _group(self, title: str, particulars: list[Particular]) -> None:
        if not particulars:
            return
        language = self._model.letter.language if self._model.letter else ""
        self._layout.addWidget(pieces.label(title, "heading"))
        self._layout.addWidget(pieces.rule())
        for particular in particulars:
            row = ValueRow(particular, language)
            row.typed.connect(self._model.type_value)
            row.put_back.connect(self._model.put_back)
            row.entered.connect(self._next(particular.name))
            self.rows[fold(particular.name)] = row
            self._layout.addWidget(row)

    def _next(self, name: str) -> Callable[[], None]:
        """Return in a row goes to the next row that is blank, or tells that none is left."""

        def go() -> None:
            keys = list(self.rows)
            at = keys.index(fold(name))
            blank = {fold(p.name) for p in self._model.particulars if p.is_blank}
            for key in keys[at + 1 :] + keys[:at]:
                if key in blank:
                    self.rows[key].field.setFocus()
                    return
            self.entered.emit()

        return go


def _is_own(particular: Particular) -> bool:
    """Whether a person has to see to this value."""
    return particular.is_blank or particular.placeholder.source == "blank" or not particular.known
