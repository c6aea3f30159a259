"""The page for kinds of case, and for the fields that people have."""

from functools import partial

from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from nebbet.core.errors import NebbetError
from nebbet.core.records.kinds import PEOPLE, Kind, check_kind
from nebbet.core.sentences import counted, said
from nebbet.desktop.kit import pieces
from nebbet.desktop.kit.picker import Choice
from nebbet.desktop.people.kind_form import KindForm, TypedKind
from nebbet.desktop.session import choices
from nebbet.desktop.session.shared_library import SharedLibrary
from nebbet.desktop.shared.list_page import ListPage
from nebbet.desktop.shared.unsaved import Form


class Kinds(ListPage[TypedKind]):
    """The list of kinds, and the one at hand. A kind that cases have and no lead has set is listed,
    too: its fields are those that they have."""

    title = "Kinds of case"
    help = (
        "What kinds of case the team has, which fields each has and what they hold, which come "
        "first, and by which a case is called beside its number; and which letters are offered "
        "when a case changes, such as when a claim becomes settled. The first row is for people. "
        "Whatever is imported and has no field here is kept all the same. Ctrl+S keeps the kind at "
        "hand, Ctrl+Alt+A starts a new one, Esc goes back."
    )
    kinds = ("kind", "held_field")

    def __init__(self, shared: SharedLibrary) -> None:
        self.form = KindForm(partial(choices.templates, shared), self._title_of)
        form = Form("kind", TypedKind, self.form.show_kind, self.form.write, self.form.typed)
        super().__init__(shared, "Kinds of case", form, Kind)
        self.back.setText(said("Back to people (Esc)"))
        self.note = pieces.label("", "note", wrap=True)
        self.add = pieces.button(said("New kind"), self._new, "words", "Ctrl+Alt+A")
        self.save = pieces.button(said("Keep the kind"), self._keep, "primary", "Ctrl+S")
        self.drop = pieces.button(said("Remove"), self._remove, "words")
        self.for_leads = (self.add, self.save, self.drop)
        self.typed_into = (self.form,)
        self._lay_out()
        self.form.edited.connect(self.unsaved.edited)
        shared.changed.connect(self.follow)
        self.add_key("Back to people", "Esc", self.leave)
        self.add_key("Keep the kind", "Ctrl+S", self._keep)
        self.add_key("New kind", "Ctrl+Alt+A", self._new)

    def _lay_out(self) -> None:
        left = pieces.column(
            "left", pieces.row(self.back, None), self.list, pieces.row(self.add, None), margin=8
        )
        left.setFixedWidth(300)
        middle = QWidget()
        pieces.fill(
            QVBoxLayout(middle),
            pieces.label(said("The kind at hand"), "heading"),
            pieces.rule(),
            pieces.scrolled(self.form),
            self.note,
            pieces.row(self.save, self.drop, None),
            margin=20,
            spacing=10,
        )
        pieces.fill(QHBoxLayout(self), left, pieces.grow(middle), spacing=0)

    def _title_of(self, template: str) -> str:
        found = self._shared.catalogue.templates.get(template)
        return found.title if found else said("a template that is not there any more")

    def let_type(self) -> None:
        super().let_type()
        if self.unsaved.key:
            self.form.name.setReadOnly(True)

    def choices(self) -> list[Choice]:
        known = [kind for kind in self._shared.catalogue.known_kinds.values() if not kind.is_people]
        rows = [Choice(PEOPLE, said("People"), said("what every person has"), "")]
        for kind in sorted(known, key=lambda one: one.name.casefold()):
            fields = counted("1 field", "{count} fields", count=len(kind.fields))
            aside = "" if kind.id in self._shared.catalogue.kinds else said("not set yet")
            if self.unsaved.has_draft(kind.id):
                aside = said("draft")
            rows.append(Choice(kind.id, kind.name, fields, aside))
        return rows

    def record(self, key: str) -> Kind | None:
        return self._shared.catalogue.known_kinds.get(key) if key else None

    def shown(self) -> None:
        known = self._shared.catalogue.kinds.get(self.unsaved.key or "")
        self.drop.setVisible(self._shared.leads and known is not None)
        words = ""
        if not self._shared.leads:
            words = said("Kinds are a lead's to set.")
        elif known is None and self.unsaved.key:
            words = said("These are the fields that there are; keep them to set what they hold.")
        self.note.setText(words)

    def _new(self) -> None:
        if self._shared.leads:
            self.begin()
            self.form.name.setFocus()

    def _keep(self) -> None:
        if not self._shared.leads:
            return
        kind, kinds = self.form.kind(), self._shared.catalogue.kinds
        try:
            check_kind(kind, kinds)
        except NebbetError as error:
            self._shared.voice.say(error.sentence)
            return
        library, known = self._shared.library, kinds.get(kind.id)

        def write(seen: object) -> None:
            # What was shown of one that nobody set is what cases have: there is no row of it.
            library.put(kind, seen=seen if known else None)

        self.put(kind.id, kind, write, said("{name} is kept.", name=kind.name))

    def _remove(self) -> None:
        kind = self._shared.catalogue.kinds.get(self.unsaved.key or "")
        if kind is None or not self._shared.leads:
            return
        text = said("Cases of this kind and their fields stay as they are.")
        if self._shared.voice.ask(said("Remove the kind “{name}”?", name=kind.name), text,
                                  said("Remove")):  # fmt: skip
            library = self._shared.library
            self.take_out(lambda: library.remove_kind(kind.id, kind))
