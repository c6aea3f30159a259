"""The ledger of a template's placeholders: what each is and where its value comes from."""

from collections.abc import Callable, Mapping
from datetime import date

import msgspec
from PySide6.QtCore import Signal
from PySide6.QtWidgets import QVBoxLayout, QWidget

from nebbet.core import placeholders, ranking, records
from nebbet.core.errors import UNREADABLE
from nebbet.core.placeholders import Particular, Placeholder, Resolution, World, declared_in
from nebbet.core.ranking import Entry
from nebbet.core.records import fold
from nebbet.core.sentences import said
from nebbet.desktop.kit import pieces
from nebbet.desktop.kit.picker import Choice, ChoiceList, Picker
from nebbet.desktop.paper.block_object import Piece
from nebbet.desktop.paper.marks import MarkKind
from nebbet.desktop.session.shared_library import SharedLibrary
from nebbet.desktop.template.declaration import BESIDE, SHORT, SOURCES, Declaration
from nebbet.library.fields import Fields, on_offer, spoken

_NEW, _UNKNOWN = "new:", "unknown:"


class Ledger(QWidget):
    """Lists the declared placeholders and edits the one at hand.

    changed says that a declaration changed, insert that a name is to be put into the text, renamed
    that a name is to become another everywhere.
    """

    changed = Signal()
    insert = Signal(str)
    renamed = Signal(str, str)

    def __init__(self, shared: SharedLibrary, world: Callable[[], World]) -> None:
        super().__init__()
        self._shared, self._world = shared, world
        self.placeholders: list[Placeholder] = []
        self._uses: Mapping[str, Mapping[str, int]] = {}
        self.language = ""
        self.inserter = Picker(
            "Insert a placeholder", self.offer, "Insert a placeholder: type a few letters"
        )
        self.inserter.picked.connect(self._insert)
        self.list = ChoiceList("Placeholders of this template")
        self.list.setFixedHeight(150)
        self.list.currentItemChanged.connect(self._show)
        self.add = pieces.button("New blank", self.add_blank, "words")
        self.into_text = pieces.button("Put into the text", self._insert_current, "words")
        self.remove = pieces.button("Remove", self._remove, "words")
        self.form = Declaration(self._fields, self._example, self._date_names)
        self.form.changed.connect(self._take)
        self.form.renamed.connect(self._rename)
        head = pieces.row(pieces.label("Placeholders", "heading"), None, self.add)
        self.where = pieces.label("", "note", wrap=True)
        under = pieces.row(self.into_text, self.remove, pieces.grow(self.where))
        pieces.fill(
            QVBoxLayout(self),
            self.inserter,
            head,
            pieces.rule(),
            self.list,
            under,
            self.form,
        )

    # What is known

    def _fields(self) -> Fields:
        return self._shared.search.fields

    def kind_of(self, name: str) -> MarkKind:
        """How a name is marked in the text."""
        found = self._declared(name)
        if found:
            return "blank" if found.source == "blank" else "value"
        made = placeholders.implied(name)
        if made is None:
            return "unknown"
        known = map(fold, self._fields().of(made.source))
        return "value" if fold(made.of) in known else "unknown"

    def caption(self, name: str) -> tuple[str, str]:
        """The word for a placeholder's source, and its label."""
        found = self._declared(name) or placeholders.implied(name)
        if found is None:
            return "", name
        return BESIDE[found.source], found.title

    def describe(self, name: str) -> str:
        """One line on what a placeholder is and gives."""
        found = self._declared(name) or placeholders.implied(name)
        if found is None:
            return "nothing declares it"
        about, particular = self._example(found)
        given = f"{about}{particular.text}. " if particular.text else ""
        return f"{SOURCES[found.source]}. {given}{particular.note}"

    def passage(self, passage: str) -> Piece:
        """What a passage says in the language at hand."""
        found = self._shared.catalogue.passages.get(passage)
        if found is None:
            return Piece(f"The passage “{passage}” is not in the library", ())
        return Piece(f"passage: {found.title}", found.blocks(self.language))

    def declarations(self, names: list[str]) -> bytes:
        """What is declared of some names, to travel with copied text."""
        found = [p for p in map(self._declared, names) if p is not None]
        return msgspec.json.encode(found)

    def take_declarations(self, data: bytes) -> None:
        """Declare what came with pasted text and is not declared yet."""
        try:
            came = msgspec.json.decode(data, type=list[Placeholder])
        except UNREADABLE:
            return  # the text is pasted all the same; the checks tell what is not declared
        for placeholder in came:
            if self._declared(placeholder.name) is None:
                self._add(placeholder)

    def lists(self, words: str) -> list[Choice]:
        """The lists over which a part can be repeated, by some words."""
        resolution = self.resolution()
        declared = {p.name: resolution.particular(p.name).value for p in self.placeholders}
        fits = [name for name, value in declared.items() if isinstance(value, tuple)]
        fits += [f"case.{name}" for name in self._fields().lists]
        entries = [Entry(n, (spoken(n),)) for n in fits]
        return [Choice(n, n) for n in ranking.find(words, entries)]

    def go_to(self, name: str) -> None:
        """Go to one entry."""
        self._fill(fold(name))

    def declare(self, name: str) -> None:
        """Go to the entry of a name; a field of the recipient, sender or case, or a fact that has
        none yet gets one."""
        if not self._declared(name):
            self._add(placeholders.implied(name) or Placeholder(name))
        self.go_to(name)

    def _declared(self, name: str) -> Placeholder | None:
        key = fold(name)
        return next((p for p in self.placeholders if fold(p.name) == key), None)

    def show_placeholders(self, shown: tuple[Placeholder, ...]) -> None:
        """Take up a template's declarations."""
        self.form.forget()
        self.placeholders = list(shown)
        self._fill()

    def _fill(self, keep: str = "") -> None:
        self._list(keep or self.list.key)
        if self.list.currentRow() < 0:
            self.list.setCurrentRow(0)
        self._show()

    def _list(self, keep: str) -> None:
        declared = [self._choice(p) for p in self.placeholders]
        unknown = [
            Choice(
                _UNKNOWN + name,
                name,
                "in the text, but nothing declares it",
                "unknown",
                tone="brick",
            )
            for name in self._unknown()
        ]
        self.list.show_choices([*declared, *unknown], keep)

    def _choice(self, placeholder: Placeholder) -> Choice:
        """One row of the list: what it is, how it is written, how often it is used."""
        count = sum(self._uses.get(fold(placeholder.name), {}).values())
        source = SHORT[placeholder.source]
        aside = f"{source}, {count}×" if count else f"{source}, unused"
        tone = "" if count else "ochre_edge"
        return Choice(
            fold(placeholder.name), placeholder.title, _second(placeholder), aside, tone=tone
        )

    def _unknown(self) -> list[str]:
        """Names in the text that are neither declared nor fields of the team's own data."""
        return [name for name in self._uses if self.kind_of(name) == "unknown"]

    def show_uses(self, uses: Mapping[str, Mapping[str, int]]) -> None:
        """Show how often and where placeholders are used."""
        if uses != self._uses:
            self._uses = uses
            at = self.list.verticalScrollBar().value()
            self._list(self.list.key)  # not the form: somebody may be typing in it
            self.list.verticalScrollBar().setValue(at)
            self.where.setText(self._places())

    # Inserting

    def offer(self, words: str) -> list[Choice]:
        """What can be put into the text, by some words; a new blank comes last."""
        found = on_offer(self.placeholders, self._fields(), words)
        choices = [Choice(name, f"{{{{{name}}}}}", second) for name, second in found]
        new = declared_in(words)
        if new and not self._declared(new.name):
            choices.append(Choice(_NEW + words.strip(), _new_words(new)))
        elif words.strip() and not self._declared(words):
            choices.append(
                Choice(_NEW + words.strip(), said("New blank “{name}”", name=words.strip()))
            )
        return choices

    def _insert(self, key: str) -> None:
        name = self.take(key)
        self.inserter.show_text("")
        self.insert.emit(name)

    def take(self, key: str) -> str:
        """The name behind an offered key; a new blank is declared by that."""
        name = " ".join(key.removeprefix(_NEW).split())
        if not key.startswith(_NEW):
            return name
        made = declared_in(name) or Placeholder(name)
        if not self._declared(made.name):
            self._add(made)
        return made.name

    def closed(self, inner: str) -> str:
        """Braces that were typed to their end are put as they are; where they declare something,
        that is done, and its name is put."""
        made = declared_in(inner) if "|" not in inner else None
        return self.take(f"{_NEW}{inner}") if made else inner

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
        self.form.name.setFocus()
        self.form.name.selectAll()

    def _add(self, placeholder: Placeholder) -> None:
        self.placeholders.append(placeholder)
        self._fill(fold(placeholder.name))
        self.changed.emit()

    def _remove(self) -> None:
        found = self.current
        if found is None:
            return
        at = self.placeholders.index(found)
        self.placeholders.remove(found)
        self._fill()
        self.changed.emit()
        self._shared.voice.say(
            said("“{name}” is declared no more.", name=found.title),
            said("Put back"),
            lambda: self._put_back(at, found),
        )

    def _put_back(self, at: int, placeholder: Placeholder) -> None:
        """Declare again what was removed, in its old place."""
        if self._declared(placeholder.name) is None:
            self.placeholders.insert(at, placeholder)
            self._fill(fold(placeholder.name))
            self.changed.emit()

    # The placeholder at hand

    @property
    def current(self) -> Placeholder | None:
        """The placeholder at hand."""
        return self._declared(self.list.key)

    def _show(self) -> None:
        found = self.current
        self.form.setVisible(found is not None)
        for shown in (self.into_text, self.remove):
            shown.setEnabled(found is not None)
        if found is not None:
            self.form.show_placeholder(found)
        self.where.setText(self._places())

    def _places(self) -> str:
        """Where the placeholder at hand is used, in words."""
        places = self._uses.get(self.list.key.removeprefix(_UNKNOWN), {})
        return ", ".join(f"{where} {count}×" for where, count in places.items())

    def _take(self, changed: Placeholder) -> None:
        found = self.current
        if found is None:
            return
        self.placeholders[self.placeholders.index(found)] = changed
        self._list(self.list.key)
        self.changed.emit()

    def _rename(self, text: str) -> None:
        found = self.current
        name = " ".join(text.replace("{", "").replace("}", "").replace("|", "").split())
        if found is None or name == found.name:
            return
        if not name or (self._declared(name) not in (None, found)):
            self.form.name.setText(found.name)
            return
        self.renamed.emit(found.name, name)

    # Examples

    def resolution(self) -> Resolution:
        """Works out the template's values for the example."""
        return Resolution(self.placeholders, self._world(), {})

    def _example(self, placeholder: Placeholder) -> tuple[str, Particular]:
        world = self._world()
        declared = [p for p in self.placeholders if fold(p.name) != fold(placeholder.name)]
        resolution = Resolution((*declared, placeholder), world, {})
        found, *needed = resolution.particulars([placeholder.name])
        of_case = any(p.placeholder.source in ("case", "recipient") for p in (found, *needed))
        about = f"With {world.case.number}: " if world.case and of_case else "Now: "
        return about, found

    def _date_names(self) -> list[str]:
        """The placeholders that have a date in the example; a rule can count from them."""
        current = self.current
        resolution = self.resolution()
        names = [p.name for p in self.placeholders if p is not current]
        case = self._world().case
        names += [f"case.{name}" for name in records.case_fields(case)] if case else []
        return [n for n in names if isinstance(resolution.particular(n).value, date)]


def _second(placeholder: Placeholder) -> str:
    """How a placeholder is written, and what it takes."""
    return f"{{{{{placeholder.name}}}}}{'  ' if placeholder.of else ''}{placeholder.of}"


def _new_words(new: Placeholder) -> str:
    """What would be declared, in words."""
    if new.kind == "choice":
        return said("New choice “{name}”: {choices}", name=new.name, choices=", ".join(new.choices))
    if new.source == "date":
        return said("New date “{name}”: {rule}", name=new.name, rule=new.of)
    if new.source == "sum":
        return said("New sum “{name}”: {rule}", name=new.name, rule=new.of)
    return said("New blank “{name}”: {kind}", name=new.name, kind=new.kind)
