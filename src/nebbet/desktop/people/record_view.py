"""What is known of a person or a case, to be read."""

from collections.abc import Callable, Iterable, Sequence

from PySide6.QtCore import Qt, QTimer, Signal
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QFormLayout, QHBoxLayout, QVBoxLayout, QWidget

from nebbet.core.message.head import Head
from nebbet.core.placeholders import languages
from nebbet.core.placeholders.field_texts import field_text
from nebbet.core.placeholders.formats import language_of
from nebbet.core.records import Case, Contact, label_of
from nebbet.core.records.kinds import Kind, in_order, naming_of
from nebbet.core.sentences import said
from nebbet.desktop.kit import pieces
from nebbet.desktop.kit.member_form import LANGUAGES
from nebbet.desktop.kit.picker import Choice, ChoiceList
from nebbet.desktop.people.case_files import CaseFiles
from nebbet.desktop.people.time_line import Letters
from nebbet.desktop.session.shared_library import SharedLibrary
from nebbet.library.people_pages import CasePage, PersonPage

_LANGUAGE = "en_GB"  # the window's own
_LEAST, _MOST = 110, 250  # pixels that what is known takes before the letters have any
_NARROW, _BESIDE = 760, (300, 220)  # pixels: what stands beside is narrower in a narrow window
_MOST_ROWS = 6  # of a small list that are seen without scrolling


class RecordView(QWidget):
    """A heading, the fields as a ledger, a small list beside them with something below it, and the
    letters.

    person and case tell the id of one that somebody goes to.
    """

    person = Signal(str)
    case = Signal(str)

    def __init__(self, shared: SharedLibrary, acts: Sequence[QWidget], below: QWidget) -> None:
        super().__init__()
        self._shared = shared
        self.title = pieces.label("", "title", wrap=True)
        self.title.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.second = pieces.label("", "note", wrap=True)
        self.mark = pieces.label("", "doubt", wrap=True)
        self.fields = QFormLayout()
        self.fields.setVerticalSpacing(5)
        self.fields.setHorizontalSpacing(14)
        self.letters = Letters(shared)
        self.one = SmallList()
        ledger, beside = QWidget(), QWidget()
        pieces.fill(QVBoxLayout(ledger), self.fields, None)
        pieces.fill(QVBoxLayout(beside), self.one, below, None, spacing=10)
        self._ledger, self._beside, self._middle = ledger, beside, QWidget()
        middle = self._middle
        pieces.fill(QHBoxLayout(middle), pieces.grow(pieces.scrolled(ledger)), beside, spacing=24)
        pieces.fill(
            QVBoxLayout(self),
            self.title,
            self.second,
            self.mark,
            pieces.row(*acts, None),
            pieces.rule(),
            middle,
            pieces.rule(),
            self.letters,
            margin=20,
            spacing=8,
        )
        layout = self.layout()
        assert isinstance(layout, QVBoxLayout)
        layout.setStretchFactor(middle, 3)
        layout.setStretchFactor(self.letters, 2)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._beside.setFixedWidth(_BESIDE[event.size().width() < _NARROW])

    def _fit(self) -> None:
        """What is known takes the height that it needs; the letters have the rest."""
        tall = max(part.sizeHint().height() for part in (self._ledger, self._beside))
        self._middle.setMaximumHeight(max(tall, _LEAST) + 8)
        self._middle.setMinimumHeight(min(max(tall, _LEAST), _MOST) + 8)

    def _show_rows(self, rows: Iterable[tuple[str, str]]) -> None:
        """Show fields that hold something."""
        while self.fields.rowCount():
            self.fields.removeRow(0)
        for words, text in rows:
            if text:
                value = pieces.label(text, wrap=True)
                value.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
                value.setAccessibleName(f"{words}: {text}")
                caption = pieces.label(words, "faint", wrap=True)
                caption.setFixedWidth(104)
                self.fields.addRow(caption, value)


class SmallList(QWidget):
    """A heading with a few rows; without rows it is not there."""

    def __init__(self) -> None:
        super().__init__()
        self.heading = pieces.label("", "heading")
        self.list = ChoiceList("")
        self._act: Callable[[str], object] = lambda _key: None
        self.list.itemActivated.connect(lambda _item: self._act(self.list.key))
        self.list.itemClicked.connect(lambda _item: self._act(self.list.key))
        pieces.fill(QVBoxLayout(self), self.heading, self.list, spacing=2)

    def show_rows(self, words: str, rows: list[Choice], act: Callable[[str], object]) -> None:
        """Show rows; a click or Return does something with one."""
        self.heading.setText(words)
        self.list.setAccessibleName(words)
        self._act = act
        self.list.show_choices(rows)
        height = sum(self.list.sizeHintForRow(row) for row in range(min(len(rows), _MOST_ROWS)))
        self.list.setFixedHeight(height + 4)
        self.setVisible(bool(rows))


class PersonView(RecordView):
    """A person."""

    def __init__(self, shared: SharedLibrary, acts: Sequence[QWidget]) -> None:
        self.other = SmallList()
        super().__init__(shared, acts, self.other)

    def show_person(self, page: PersonPage, came: Sequence[Head]) -> None:
        """Show somebody, with the messages that came from them."""
        contact, catalogue = page.contact, self._shared.catalogue
        self.title.setText(contact.name or contact.email)
        self.second.setText(self._greeted(contact))
        self._show_mark(contact, len(page.twins))
        kind = next((one for one in catalogue.kinds.values() if one.is_people), None)
        self._show_rows(
            (
                (said("Mail address"), contact.email or said("none on file")),
                (said("Further addresses"), "\n".join(contact.addresses)),
                (said("Telephone"), contact.phone),
                (said("Organisation"), contact.organisation),
                (said("Household"), contact.household),
                (said("Language"), LANGUAGES.get(contact.language, contact.language)),
                (said("Postal address"), "\n\n".join(contact.postal)),
                *_own_rows(contact.more, kind),
                (said("Notes"), contact.notes),
                (said("Kept from a card"), "\n".join(contact.kept)),
            )
        )
        self.one.show_rows(
            said("Cases"), [_case_row(case, catalogue.kind_of(case)) for case in page.cases],
            self.case.emit,
        )  # fmt: skip
        self.other.show_rows(
            said("Household and organisation"),
            [_person_row(one, contact) for one in page.beside],
            self.person.emit,
        )
        self.letters.show_letters(page.letters, names=False, came=came)
        QTimer.singleShot(0, self, self._fit)  # once the new rows are there to be measured

    def _greeted(self, contact: Contact) -> str:
        language = language_of(contact.language or _LANGUAGE).language
        words, why = languages.greeting(contact, language)
        return said("Letters begin “{words}” ({why})", words=words, why=why) if words else ""

    def _show_mark(self, contact: Contact, twins: int) -> None:
        told = []
        if contact.source:
            where = said("Comes from the linked table “{name}”", name=contact.source)
            told.append(said("{where}; it is gone there", where=where) if contact.gone else where)
        if contact.filed:
            told.append(said("Filed away"))
        if twins:
            told.append(said("Somebody else may be the same person: see “One person?”"))
        self.mark.setText(". ".join(told))
        self.mark.setVisible(bool(told))


class CaseView(RecordView):
    """A case."""

    def __init__(self, shared: SharedLibrary, acts: Sequence[QWidget]) -> None:
        self.other = CaseFiles(shared)
        super().__init__(shared, acts, self.other)

    def show_case(self, page: CasePage) -> None:
        """Show a case."""
        case, catalogue = page.matter.case, self._shared.catalogue
        kind = catalogue.kind_of(case)
        naming = naming_of(case, kind)
        self.title.setText(f"{case.number}  {naming}".strip())
        self.second.setText(", ".join(filter(None, (case.kind, case.state))))
        told = [said("Comes from the linked table “{name}”", name=case.source)] * bool(case.source)
        told += [said("It is gone there")] * case.gone + [said("Filed away")] * case.filed
        self.mark.setText(". ".join(told))
        self.mark.setVisible(bool(told))
        self._show_rows(
            (
                (said("Title"), case.title if case.title != naming else ""),
                *_own_rows(case.fields, kind),
                (said("Notes"), case.notes),
            )
        )
        self.one.show_rows(
            said("People"),
            [
                Choice(
                    one.id,
                    one.name or one.email,
                    one.email or said("no address on file"),
                    said("contact") if one.id == case.contact else "",
                )
                for one in page.people
            ],
            self.person.emit,
        )
        self.other.show_case(case)
        self.letters.show_letters(page.letters, names=True)
        QTimer.singleShot(0, self, self._fit)  # once the new rows are there to be measured


def _own_rows(values: dict[str, object], kind: Kind | None) -> list[tuple[str, str]]:
    rows = []
    for name in in_order(values, kind):
        field = kind.field(name) if kind else None
        title = field.title if field else label_of(name)
        rows.append((title, field_text(values.get(name), _LANGUAGE)))
    return rows


def _case_row(case: Case, kind: Kind | None) -> Choice:
    aside = said("filed away") if case.filed else case.state or case.kind
    return Choice(case.id, case.number, naming_of(case, kind), aside)


def _person_row(one: Contact, of: Contact) -> Choice:
    same_home = one.household and one.household.casefold() == of.household.casefold()
    aside = said("household") if same_home else said("organisation")
    return Choice(one.id, one.name or one.email, one.email or said("no address on file"), aside)
