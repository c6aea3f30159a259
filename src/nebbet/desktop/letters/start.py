"""What stands in the middle while no letter is open: what one is likely to go on with."""

from datetime import datetime

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QFocusEvent, QKeyEvent, QShowEvent
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from nebbet.core.sentences import said
from nebbet.desktop.kit import pieces
from nebbet.desktop.kit.picker import Choice, ChoiceList
from nebbet.desktop.letters.blank import no_letter_open
from nebbet.desktop.session import choices
from nebbet.desktop.session.shared_library import SharedLibrary
from nebbet.library import recent
from nebbet.library.entries import Registered
from nebbet.library.holdings import USAGE_WEEKS

_WIDE = 330  # pixels: a column that is read with one look


class _Column(QWidget):
    """A heading with a short list; a click or Return takes a row. taken tells its key."""

    taken = Signal(str)

    def __init__(self, name: str) -> None:
        super().__init__()
        self.list = _Rows(name)
        self.list.itemClicked.connect(lambda _item: self.taken.emit(self.list.key))
        self.list.entered_by_key.connect(self.taken)
        self.setMaximumWidth(_WIDE)
        pieces.fill(QVBoxLayout(self), pieces.label(name, "heading"), self.list, spacing=4)

    def show_choices(self, choices: list[Choice]) -> None:
        """Show the rows; a column without any is not there."""
        self.list.show_choices(choices, keep=self.list.key)
        height = sum(self.list.sizeHintForRow(row) for row in range(self.list.count()))
        self.list.setFixedHeight(height + 4)
        self.setVisible(bool(choices))


class _Rows(ChoiceList):
    """A list whose rows are taken with Return."""

    entered_by_key = Signal(str)

    def focusInEvent(self, event: QFocusEvent) -> None:
        """Coming by key shows which row Return would take."""
        super().focusInEvent(event)
        if not self.selectedItems():
            self.choose_first()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        plain = not event.modifiers() & ~Qt.KeyboardModifier.KeypadModifier
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and plain and self.key:
            self.entered_by_key.emit(self.key)
        else:
            super().keyPressEvent(event)


class StartPage(QWidget):
    """Recent people, the most used templates and the letters that went last.

    write_to tells the entry of the last letter to a person, take a template's id, read the message
    id of a letter that went.
    """

    write_to = Signal(object)
    take = Signal(str)
    read = Signal(str)

    def __init__(self, shared: SharedLibrary) -> None:
        super().__init__()
        self._shared = shared
        self._people: dict[str, Registered] = {}
        self.people = _Column(said("Write again to"))
        self.templates = _Column(said("Used most"))
        self.sent = _Column(said("Went last"))
        self.people.taken.connect(lambda key: self.write_to.emit(self._people[key]))
        self.templates.taken.connect(self.take)
        self.sent.taken.connect(self.read)
        columns = QHBoxLayout()
        pieces.fill(columns, self.people, self.templates, self.sent, margin=24, spacing=24)
        for column in (self.people, self.templates, self.sent):
            columns.setAlignment(column, Qt.AlignmentFlag.AlignTop)
        pieces.fill(QVBoxLayout(self), None, no_letter_open(), columns, None, None)
        shared.search.ready.connect(self._follow)
        shared.register_changed.connect(self._follow)

    def showEvent(self, event: QShowEvent) -> None:
        """Whoever comes here sees what is known now; meanwhile nothing is worked out."""
        super().showEvent(event)
        self.refresh()

    def _follow(self) -> None:
        if self.isVisible():
            self.refresh()

    def refresh(self) -> None:
        """Show what is known now."""
        shared, me = self._shared, self._shared.my_id
        now = shared.now()
        people = recent.written_to(shared.entries, me)
        self._people = {entry.message_id: entry for entry in people}
        self.people.show_choices([_person(entry, now) for entry in people])
        used = recent.most_used(shared.search.listing)
        self.templates.show_choices([self._template(key) for key in used])
        self.sent.show_choices([_letter(e, now) for e in recent.sent_last(shared.entries, me)])

    def first_rows(self) -> QWidget | None:
        """The first list that has rows, for the focus."""
        for column in (self.people, self.templates, self.sent):
            if column.list.count():
                return column.list
        return None

    def _template(self, key: str) -> Choice:
        catalogue = self._shared.catalogue
        template = catalogue.templates[key]
        uses = sum(catalogue.usage_of(key).weeks)
        aside = said("{uses} in {weeks} weeks", uses=uses, weeks=USAGE_WEEKS)
        return Choice(key, template.title, choices.subject_of(template), aside)


def _person(entry: Registered, now: datetime) -> Choice:
    name = entry.name or entry.address
    return Choice(entry.message_id, name, entry.subject, choices.ago(entry.sent, now))


def _letter(entry: Registered, now: datetime) -> Choice:
    to = ", ".join(filter(None, (entry.name or entry.address, entry.case_number)))
    return Choice(entry.message_id, entry.subject, to, choices.ago(entry.sent, now))
