"""The ledger of a template's placeholders: what each is and where its value comes from."""

from collections.abc import Callable
from typing import cast

from msgspec.structs import replace
from PySide6.QtCore import Signal
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QFormLayout,
    QLineEdit,
    QVBoxLayout,
    QWidget,
)

from nebbet.core import dates, placeholders, ranking, records
from nebbet.core.errors import NebbetError
from nebbet.core.placeholders import Placeholder, Source, World
from nebbet.core.ranking import Entry
from nebbet.core.records import fold
from nebbet.desktop.kit import pieces, theme
from nebbet.desktop.kit.picker import Choice, ChoiceList, Picker
from nebbet.library.catalogue import Catalogue

SOURCES: dict[Source, str] = {
    "blank": "blank: the writer completes it",
    "recipient": "recipient",
    "sender": "sender",
    "case": "case",
    "fact": "fact",
    "date": "date rule",
    "sum": "sum",
    "first": "first of several",
}
_NEW = "new:"


def field_names(catalogue: Catalogue, source: str) -> list[str]:
    """What a source offers in this team's data."""
    if source == "recipient":
        more = {name for c in catalogue.contacts.values() for name in c.more}
        return [*records.CONTACT_FIELDS, *sorted(more)]
    if source == "sender":
        return list(records.MEMBER_FIELDS)
    if source == "case":
        more = {name for c in catalogue.cases.values() for name in c.fields}
        return [*records.CASE_FIELDS, *sorted(more)]
    return list(catalogue.facts) if source == "fact" else []


class Ledger(QWidget):
    """Lists the declared placeholders and edits the one at hand.

    changed says that a declaration changed, insert that a name is to be put into the text, renamed
    that a name became another.
    """

    changed = Signal()
    insert = Signal(str)
    renamed = Signal(str, str)

    def __init__(self, catalogue: Callable[[], Catalogue], world: Callable[[], World]) -> None:
        super().__init__()
        self._catalogue, self._world = catalogue, world
        self.placeholders: list[Placeholder] = []
        self._showing = False
        self.inserter = Picker(
            "Insert a placeholder", self._offer, "Insert a placeholder: type a few letters"
        )
        self.inserter.picked.connect(self._insert)
        self.list = ChoiceList("Placeholders of this template")
        self.list.setFixedHeight(150)
        self.list.currentItemChanged.connect(self._show)
        self.add = pieces.button("New blank", self.add_blank, "words")
        self.into_text = pieces.button("Put into the text", self._insert_current, "words")
        self.remove = pieces.button("Remove", self._remove, "words")
        self._make_form()
        head = pieces.row(pieces.label("Placeholders", "heading"), None, self.add)
        under = pieces.row(self.into_text, self.remove, None)
        pieces.fill(
            QVBoxLayout(self),
            self.inserter,
            head,
            pieces.rule(),
            self.list,
            under,
            self._form_box,
        )

    def _make_form(self) -> None:
        self._form_box = QWidget()
        form = QFormLayout(self._form_box)
        form.setContentsMargins(0, 6, 0, 0)
        form.setVerticalSpacing(4)
        self.name, self.label = QLineEdit(), QLineEdit()
        self.source = QComboBox()
        for source, words in SOURCES.items():
            self.source.addItem(words, source)
        self.of = Picker("Takes", self._offer_fields)
        self.format, self.fallback, self.hint = QLineEdit(), QLineEdit(), QLineEdit()
        self.format.setPlaceholderText("short, medium, long, full or a CLDR pattern")
        self.required = QCheckBox("has to be completed")
        self._note = pieces.label("", "note", wrap=True)
        rows = (
            ("Name", self.name),
            ("Label", self.label),
            ("Source", self.source),
            ("Takes", self.of),
            ("Format", self.format),
            ("If missing", self.fallback),
            ("Hint", self.hint),
        )
        for words, field in rows:
            theme.named(field, words)
            form.addRow(pieces.label(words, "faint"), field)
        theme.named(self.required, self.required.text())
        self.required.toggled.connect(self._edited)
        form.addRow(self.required)
        form.addRow(self._note)
        for line in (self.label, self.format, self.fallback, self.hint):
            line.textEdited.connect(self._edited)
        self.name.editingFinished.connect(self._rename)
        self.source.currentIndexChanged.connect(self._edited)
        self.of.textChanged.connect(self._edited)
        self.of.picked.connect(self._take_field)
        self.of.entered.connect(self.of.show_text)

    # What is known

    def kind_of(self, name: str) -> str:
        """How a name is marked in the text."""
        found = self._declared(name)
        if found:
            return "blank" if found.source == "blank" else "value"
        made = placeholders.implied(name)
        if made is None:
            return "unknown"
        known = map(fold, field_names(self._catalogue(), made.source))
        return "value" if fold(made.of) in known else "unknown"

    def _declared(self, name: str) -> Placeholder | None:
        key = fold(name)
        return next((p for p in self.placeholders if fold(p.name) == key), None)

    def show_placeholders(self, shown: tuple[Placeholder, ...]) -> None:
        """Take up a template's declarations."""
        self.placeholders = list(shown)
        self._fill()

    def _fill(self, keep: str = "") -> None:
        choices = [
            Choice(fold(p.name), p.title, f"{{{{{p.name}}}}}", p.of or p.source)
            for p in self.placeholders
        ]
        self.list.show_choices(choices, keep or self.list.key)
        if self.list.currentRow() < 0:
            self.list.setCurrentRow(0)
        self._show()

    # Inserting

    def _offer(self, words: str) -> list[Choice]:
        catalogue = self._catalogue()
        names = [(p.name, f"{p.title}, {p.of or p.source}") for p in self.placeholders]
        for source in ("recipient", "case", "sender", "fact"):
            for name in field_names(catalogue, source):
                names.append((f"{source}.{name}", source))
        entries = [
            Entry(name, (name.replace("_", " ").replace(".", " "), second))
            for name, second in names
        ]
        found = ranking.find(words.replace("_", " ").replace(".", " "), entries)
        seconds = dict(names)
        choices = [Choice(name, f"{{{{{name}}}}}", seconds[name]) for name in found]
        if words.strip() and not self._declared(words):
            choices.append(Choice(_NEW + words.strip(), f"New blank “{words.strip()}”"))
        return choices

    def _insert(self, key: str) -> None:
        name = key.removeprefix(_NEW)
        if key.startswith(_NEW):
            self._add(Placeholder(name))
        self.inserter.show_text("")
        self.insert.emit(name)

    def _insert_current(self) -> None:
        found = self.current
        if found:
            self.insert.emit(found.name)

    def add_blank(self) -> None:
        """Declare another blank and go to its name."""
        number = 1
        while self._declared(f"blank {number}"):
            number += 1
        self._add(Placeholder(f"blank {number}"))
        self.name.setFocus()
        self.name.selectAll()

    def _add(self, placeholder: Placeholder) -> None:
        self.placeholders.append(placeholder)
        self._fill(fold(placeholder.name))
        self.changed.emit()

    def _remove(self) -> None:
        found = self.current
        if found:
            self.placeholders.remove(found)
            self._fill()
            self.changed.emit()

    # The form

    @property
    def current(self) -> Placeholder | None:
        """The placeholder at hand."""
        return self._declared(self.list.key) if self.list.key else None

    def _show(self) -> None:
        found = self.current
        self._form_box.setVisible(found is not None)
        for shown in (self.into_text, self.remove):
            shown.setEnabled(found is not None)
        if found is None:
            return
        self._showing = True
        self.name.setText(found.name)
        self.label.setText(found.label)
        self.source.setCurrentIndex(list(SOURCES).index(found.source))
        self.of.show_text(found.of)
        self.format.setText(found.format)
        self.fallback.setText(found.fallback)
        self.hint.setText(found.hint)
        self.required.setChecked(found.required)
        self._showing = False
        self._explain(found)

    def _edited(self, *_args: object) -> None:
        found = self.current
        if found is None or self._showing:
            return
        changed = replace(
            found,
            label=self.label.text().strip(),
            source=cast(Source, self.source.currentData()),
            of=self.of.text().strip(),
            format=self.format.text().strip(),
            fallback=self.fallback.text(),
            hint=self.hint.text().strip(),
            required=self.required.isChecked(),
        )
        self._replace(found, changed)

    def _replace(self, found: Placeholder, changed: Placeholder) -> None:
        if changed == found:
            return
        self.placeholders[self.placeholders.index(found)] = changed
        item = self.list.currentItem()
        item.setText(changed.title)
        self._explain(changed)
        self.changed.emit()

    def _rename(self) -> None:
        found = self.current
        name = " ".join(self.name.text().replace("{", "").replace("}", "").split())
        if found is None or name == found.name:
            return
        if not name or (self._declared(name) not in (None, found)):
            self.name.setText(found.name)
            return
        self.placeholders[self.placeholders.index(found)] = replace(found, name=name)
        self.renamed.emit(found.name, name)
        self._fill(fold(name))
        self.changed.emit()

    def _offer_fields(self, words: str) -> list[Choice]:
        source = str(self.source.currentData())
        if source == "date":
            return [Choice(form, form) for form in dates.FORMS]
        names = field_names(self._catalogue(), source)
        entries = [Entry(name, (_spoken(name),)) for name in names]
        return [Choice(key, key) for key in ranking.find(words, entries)]

    def _take_field(self, key: str) -> None:
        self.of.show_text(key)

    def _explain(self, placeholder: Placeholder) -> None:
        """One line on what the placeholder would give now."""
        self.of.free = placeholder.source == "date"
        self.of.setEnabled(placeholder.source != "blank")
        if placeholder.source == "date":
            world = self._world()
            try:
                worked = dates.work_out(dates.read(placeholder.of), world.today, world.calendar)
                shown = placeholders.show(worked.day, world.language, placeholder.format)
                self._note.setText(f"{shown}. {dates.explain(worked)}.")
            except NebbetError as error:
                self._note.setText(error.sentence)
            return
        found = placeholders.resolve([placeholder.name], [placeholder], self._world(), {})[0]
        sample = f"{found.text}: " if found.text else ""
        self._note.setText(f"{sample}{found.note}")


def _spoken(name: str) -> str:
    """A field's name as words, for finding."""
    return name.replace("_", " ").replace(".", " ")
