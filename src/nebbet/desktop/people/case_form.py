"""A case to be filled in."""

from collections.abc import Mapping
from datetime import date

from msgspec.structs import replace
from PySide6.QtCore import Signal
from PySide6.QtWidgets import QFormLayout, QLineEdit, QPlainTextEdit, QVBoxLayout, QWidget

from nebbet.core.errors import NebbetError
from nebbet.core.records import Case, Contact, fold
from nebbet.core.records.kinds import Kind
from nebbet.core.sentences import said
from nebbet.desktop.kit import pieces
from nebbet.desktop.kit.picker import Picker
from nebbet.desktop.kit.still import StillCombo
from nebbet.desktop.people.fields_form import FieldsForm
from nebbet.desktop.people.form_files import FormFiles
from nebbet.desktop.session import choices
from nebbet.desktop.session.shared_library import SharedLibrary

_TEXTS = {"number": said("Number"), "title": said("Title"), "state": said("State")}
_OWN = "own/"
Typed = dict[str, str]


class CaseForm(QWidget):
    """Edits a case. edited tells that somebody types; people it names are known by their ids."""

    edited = Signal()

    def __init__(self, shared: SharedLibrary) -> None:
        super().__init__()
        self._shared = shared
        self._shown = Case("", "")
        self._kinds: Mapping[str, Kind] = {}
        self._contact, self._people = "", list[str]()
        self._names: dict[str, str] = {}
        self.lines = {name: QLineEdit() for name in _TEXTS}
        self.kind = StillCombo()
        self.kind.setEditable(True)
        self.contact = Picker(said("Contact"), prompt=said("name or address"), ask=self._ask)
        self.further = Picker(said("Further people"), prompt=said("add somebody"), ask=self._ask)
        self.also = pieces.label("", "note", wrap=True)
        self.nobody_else = pieces.button(said("take them out"), self._drop_people, "words")
        self.notes = QPlainTextEdit()
        self.own = FieldsForm()
        self.files = FormFiles(shared)
        self._lay_out()

    def _lay_out(self) -> None:
        form = QFormLayout()
        form.setVerticalSpacing(6)
        pieces.captioned(form, _TEXTS["number"], self.lines["number"]).setFixedWidth(110)
        pieces.captioned(form, said("Kind"), self.kind)
        for name in ("title", "state"):
            pieces.captioned(form, _TEXTS[name], self.lines[name])
        pieces.captioned(form, said("Contact"), self.contact)
        pieces.captioned(form, said("Further people"), self.further)
        form.addRow("", pieces.row(self.also, self.nobody_else, None))
        self.notes.setTabChangesFocus(True)
        self.notes.setFixedHeight(72)
        pieces.captioned(form, said("Notes"), self.notes)
        pieces.captioned(form, said("Files"), self.files)
        pieces.fill(QVBoxLayout(self), form, pieces.rule(), self.own, None)
        for line in self.lines.values():
            line.textEdited.connect(self.edited)
        self.notes.textChanged.connect(self.edited)
        self.own.edited.connect(self.edited)
        self.files.edited.connect(self.edited)
        self.kind.currentTextChanged.connect(self._kind_changed)
        self.contact.picked.connect(self._pick_contact)
        self.contact.entered.connect(self._enter_contact)
        self.further.picked.connect(self._add_person)

    def use_kinds(self, kinds: Mapping[str, Kind]) -> None:
        """The kinds of case there are."""
        self._kinds = {fold(kind.name): kind for kind in kinds.values() if not kind.is_people}
        names = sorted(kind.name for kind in self._kinds.values())
        now = self.kind.currentText()
        self.kind.blockSignals(True)
        self.kind.clear()
        self.kind.addItems(["", *names])
        self.kind.setCurrentText(now)
        self.kind.blockSignals(False)

    def know(self, people: Mapping[str, Contact]) -> None:
        """People of whom the form may have to say a name."""
        self._names |= {key: one.name or one.email for key, one in people.items()}
        self._show_people()

    def _ask(self, words: str, show: choices.Show) -> None:
        choices.people(self._shared, words, show, "case form")

    def _pick_contact(self, key: str) -> None:
        self._contact = key
        self.know({key: self._shared.people.met[key].contact})
        self.edited.emit()

    def _enter_contact(self, text: str) -> None:
        if not text:
            self._contact = ""
            self.edited.emit()
        self._show_people()

    def _add_person(self, key: str) -> None:
        if key not in (self._contact, *self._people):
            self._people.append(key)
        self.know({key: self._shared.people.met[key].contact})
        self.edited.emit()

    def _drop_people(self) -> None:
        self._people.clear()
        self._show_people()
        self.edited.emit()

    def _show_people(self) -> None:
        self.contact.show_text(self._names.get(self._contact, self._contact))
        self.further.show_text("")
        self.also.setText(", ".join(self._names.get(key, key) for key in self._people))
        self.also.setVisible(bool(self._people))
        self.nobody_else.setVisible(bool(self._people))

    def _kind_changed(self, name: str) -> None:
        """Another kind has other fields; what is typed stays."""
        typed = self.own.typed()
        self.own.show_fields(self._kinds.get(fold(name)), self._shown.fields)
        self.own.write(typed)
        self.edited.emit()

    def show_case(self, record: object) -> None:
        """Take up a case, or a new one."""
        self._shown = case = record if isinstance(record, Case) else Case("", "")
        self.own.show_fields(self._kinds.get(fold(case.kind)), case.fields)
        self.write(
            {name: str(getattr(case, name)) for name in _TEXTS}
            | {
                "kind": case.kind,
                "contact": case.contact,
                "people": "\n".join(case.people),
                "files": "\n".join(case.files),
                "notes": case.notes,
            }
            | {f"{_OWN}{name}": text for name, text in self.own.typed().items()}
        )

    def write(self, typed: Typed) -> None:
        """Put into the fields what was typed."""
        for name, line in self.lines.items():
            line.setText(typed.get(name, ""))
            line.setCursorPosition(0)
        self.kind.setCurrentText(typed.get("kind", ""))
        self._contact = typed.get("contact", "")
        self._people = [key for key in typed.get("people", "").split("\n") if key]
        files = typed["files"].split("\n") if "files" in typed else self._shown.files
        self.files.show_files(tuple(filter(None, files)))
        self.notes.setPlainText(typed.get("notes", ""))
        own = {k.removeprefix(_OWN): text for k, text in typed.items() if k.startswith(_OWN)}
        self.own.write(own)
        self._show_people()

    def typed(self) -> Typed:
        """What stands in the fields."""
        return (
            {name: line.text() for name, line in self.lines.items()}
            | {
                "kind": self.kind.currentText(),
                "contact": self._contact,
                "people": "\n".join(self._people),
                "files": "\n".join(self.files.keys),
                "notes": self.notes.toPlainText(),
            }
            | {f"{_OWN}{name}": text for name, text in self.own.typed().items()}
        )

    def case(self, today: date) -> Case:
        """The case as it stands in the form. Raises NebbetError, and goes to the field, where one
        makes no sense."""
        lines = {name: line.text().strip() for name, line in self.lines.items()}
        if not lines["number"]:
            self.lines["number"].setFocus()
            raise NebbetError(said("Not kept yet: a case needs a number"))
        return replace(
            self._shown,
            **lines,
            kind=self.kind.currentText().strip(),
            contact=self._contact,
            people=tuple(key for key in self._people if key != self._contact),
            files=self.files.keys,
            notes=self.notes.toPlainText().strip(),
            fields=self.own.values(today),
        )
