"""The list of people, or of cases: by name or number, or what words find."""

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QLineEdit, QVBoxLayout, QWidget

from nebbet.core.records import Case, Contact, Matter, Person
from nebbet.core.sentences import counted, said
from nebbet.desktop.kit import pieces, theme
from nebbet.desktop.kit.pause import after_pause
from nebbet.desktop.kit.picker import Choice, ChoiceList
from nebbet.desktop.kit.still import StillCombo
from nebbet.desktop.session import choices
from nebbet.desktop.session.shared_library import SharedLibrary
from nebbet.library.people import PAGE, CasePage, PeoplePage

_TYPED = 80  # milliseconds after a key until the library is asked
Page = PeoplePage | CasePage


class FoundList(QWidget):
    """A field to find by, and what it finds; without words all of them, page by page. at_hand tells
    that another row is chosen, taken that Return was pressed on one."""

    at_hand = Signal()
    taken = Signal()

    def __init__(self, shared: SharedLibrary) -> None:
        super().__init__()
        self._shared = shared
        self.cases = False  # whether cases are listed, and not people
        self._last: Contact | Case | None = None  # of the page that was read last
        self._whole = True  # whether there are no more pages
        self._rows: list[Choice] = []
        self._wanted = ""
        self.find_field = QLineEdit()
        self.find_field.setClearButtonEnabled(True)
        theme.named(self.find_field, said("Find a person or a case"))
        self.which = StillCombo()
        self.which.addItem(said("People"))
        self.which.addItem(said("Cases"))
        theme.named(self.which, said("People or cases"))
        self.filed = StillCombo()
        self.filed.addItem(said("not filed away"))
        self.filed.addItem(said("all"))
        theme.named(self.filed, said("Which ones"))
        self.count = pieces.label("", "note")
        self.list = ChoiceList(said("People and cases"))
        pieces.fill(
            QVBoxLayout(self),
            self.find_field,
            pieces.row(self.which, self.filed, None, self.count),
            self.list,
        )
        self._typed = after_pause(self, _TYPED, self.refresh)
        self._connect()

    def _connect(self) -> None:
        self.find_field.textChanged.connect(lambda _text: self._typed.start())
        self.find_field.returnPressed.connect(self._return)
        self.which.currentIndexChanged.connect(lambda index: self.show_kind(cases=bool(index)))
        self.filed.currentIndexChanged.connect(lambda _index: self.refresh())
        self.list.currentItemChanged.connect(lambda *_: self.at_hand.emit())
        self.list.itemActivated.connect(lambda _item: self.taken.emit())
        self.list.verticalScrollBar().valueChanged.connect(self._scrolled)

    @property
    def key(self) -> str:
        """The id of the row at hand."""
        return self.list.key

    def show_kind(self, *, cases: bool, key: str = "") -> None:
        """List people, or cases; a key is one to go to."""
        if key:
            self._wanted = key
        if self.cases != cases:
            self.cases = cases
            self.which.setCurrentIndex(int(cases))
            self._show_prompt()
        self.refresh()

    def _show_prompt(self) -> None:
        words = said("Number, title, name, any field") if self.cases else said(
            "Name, address, number, any field")  # fmt: skip
        self.find_field.setPlaceholderText(words)

    def refresh(self) -> None:
        """Ask anew for what is shown."""
        if not self._shared.is_open:
            return
        self._show_prompt()
        words = self.find_field.text()
        filed, asked = bool(self.filed.currentIndex()), self._shared.people
        if words.strip():
            if self.cases:
                asked.ask(lambda p: p.find_cases(words), self._show_cases, asker="People")
            else:
                asked.ask(lambda p: p.find_people(words), self._show_people, asker="People")
        elif self.cases:
            size = max(PAGE, len(self._rows))
            asked.ask(lambda p: p.case_page(filed=filed, size=size), self._show_page,
                      asker="People")  # fmt: skip
        else:
            size = max(PAGE, len(self._rows))
            asked.ask(lambda p: p.people_page(filed=filed, size=size), self._show_page,
                      asker="People")  # fmt: skip

    def _show_people(self, found: list[Person]) -> None:
        rows = [choices.person_choice(one.contact) for one in self._shared.people.meet(found)]
        self._show(rows, None, whole=True)
        self.count.setText(_many(len(rows)))

    def _show_cases(self, found: list[Matter]) -> None:
        rows = [choices.matter_choice(one) for one in self._shared.people.take_up(found)]
        self._show(rows, None, whole=True)
        self.count.setText(_many(len(rows)))

    def _show_page(self, page: Page) -> None:
        rows, last = self._of_page(page)
        self._show(rows, last, whole=len(rows) >= page.of)
        if isinstance(page, CasePage):
            self.count.setText(counted("1 case", "{shown} cases", count=page.of,
                                       shown=f"{page.of:,}"))  # fmt: skip
        else:
            self.count.setText(counted("1 person", "{shown} people", count=page.of,
                                       shown=f"{page.of:,}"))  # fmt: skip

    def _of_page(self, page: Page) -> tuple[list[Choice], Contact | Case | None]:
        if isinstance(page, CasePage):
            self._shared.people.take_up(page.rows)
            rows = [choices.matter_choice(one) for one in page.rows]
            return rows, page.rows[-1].case if page.rows else None
        rows = [choices.person_choice(one) for one in page.rows]
        return rows, page.rows[-1] if page.rows else None

    def _show(self, rows: list[Choice], last: Contact | Case | None, *, whole: bool) -> None:
        keep = self._wanted or self.list.key
        if self._wanted and all(row.key != self._wanted for row in rows):
            keep = ""  # it is shown beside the list
        before = self.list.key
        self._rows, self._last, self._whole = rows, last, whole
        self.list.show_choices(rows, keep)
        if self.list.currentRow() < 0 and not self._wanted:
            self.list.blockSignals(True)
            self.list.choose_first()
            self.list.blockSignals(False)
        wanted, self._wanted = self._wanted, ""
        if self.list.key != before and not wanted:
            self.at_hand.emit()

    def hold(self, choice: Choice) -> None:
        """Let somebody who is shown be the row at hand, also where the list does not reach them."""
        if self.list.key == choice.key:
            return
        if all(row.key != choice.key for row in self._rows):
            self._rows.insert(0, choice)
        self.list.show_choices(self._rows, choice.key)

    def _scrolled(self, at: int) -> None:
        bar = self.list.verticalScrollBar()
        if at >= bar.maximum() - bar.pageStep() and not self._whole and self._last is not None:
            self._more(self._last)

    def _more(self, last: Contact | Case) -> None:
        """Read the next page, once."""
        self._whole = True  # until it has come
        filed = bool(self.filed.currentIndex())

        def show(page: Page) -> None:
            if self._last is not last:
                return  # another list by now
            rows, self._last = self._of_page(page)
            self._whole = not rows
            key, at = self.list.key, self.list.verticalScrollBar().value()
            self._rows += rows
            self.list.show_choices(self._rows, key)
            self.list.verticalScrollBar().setValue(at)

        if isinstance(last, Case):
            self._shared.people.ask(lambda p: p.case_page(last, filed=filed), show)
        else:
            self._shared.people.ask(lambda p: p.people_page(last, filed=filed), show)

    def _return(self) -> None:
        """Go to the first that was found; what was typed a moment ago is looked for first."""
        if self._typed.isActive():
            self._typed.stop()
            self.refresh()
        self.list.setFocus()


def _many(found: int) -> str:
    if found >= choices.MOST:
        return said("the best {most}", most=choices.MOST)
    return said("{count} found", count=found)
