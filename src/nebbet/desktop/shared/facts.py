"""The page for what the whole team shares beside texts: facts, and the days on which it works."""

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QFormLayout, QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from nebbet.core.placeholders import FACT_KINDS, Placeholder, kind_of, read_typed, show
from nebbet.core.records import Fact, fold
from nebbet.core.sentences import counted, said
from nebbet.core.values import Value, from_json, to_json
from nebbet.desktop.kit import pieces, theme
from nebbet.desktop.kit.picker import Choice, ChoiceList
from nebbet.desktop.kit.still import StillCombo
from nebbet.desktop.session.shared_library import SharedLibrary
from nebbet.desktop.shared.list_page import ListPage
from nebbet.desktop.shared.unsaved import Form
from nebbet.desktop.shared.working_days import WorkingDays
from nebbet.library.changes import Change
from nebbet.library.holdings import Template

_TALL = 380  # pixels: a list that leaves the page its height
_LANGUAGE = "en_GB"  # the window's own
Typed = dict[str, str]


class FactForm(QWidget):
    """The fields of one fact. edited tells that somebody types."""

    edited = Signal()

    def __init__(self, shared: SharedLibrary) -> None:
        super().__init__()
        self._shared = shared
        self.name, self.label, self.value = QLineEdit(), QLineEdit(), QLineEdit()
        self.kind = StillCombo()
        self.kind.addItems(FACT_KINDS)
        self.note = pieces.label("", "note", wrap=True)
        self.used = pieces.label("", "note", wrap=True)
        form = QFormLayout()
        form.setVerticalSpacing(6)
        for words, field in (
            ("Name", self.name),
            ("Label", self.label),
            ("Kind", self.kind),
            ("Value", self.value),
        ):
            pieces.captioned(form, words, field)
        self.name.setPlaceholderText("desk_phone: written as {{fact.desk_phone}}")
        pieces.fill(QVBoxLayout(self), form, self.note, self.used, spacing=8)
        for line in (self.name, self.label, self.value):
            line.textEdited.connect(self.edited)
        self.kind.currentIndexChanged.connect(self.edited)
        self.value.textChanged.connect(lambda _text: self._explain())
        self.kind.currentIndexChanged.connect(lambda _index: self._explain())

    def show_fact(self, fact: object) -> None:
        """Take up a fact, or a new one."""
        known = fact if isinstance(fact, Fact) else None
        value = from_json(known.value) if known else ""
        # Templates know a fact by its name: it stays what it is.
        self.name.setReadOnly(known is not None)
        self.write(
            {
                "name": known.name if known else "",
                "label": known.label if known else "",
                "kind": kind_of(value),
                "value": show(value, _LANGUAGE),
            }
        )

    def write(self, typed: Typed) -> None:
        """Put into the fields what was typed."""
        self.name.setText(typed.get("name", ""))
        self.label.setText(typed.get("label", ""))
        self.kind.setCurrentText(typed.get("kind", "text"))
        self.value.setText(typed.get("value", ""))
        pieces.show_beginnings(self)
        self._explain()

    def typed(self) -> Typed:
        """What stands in the fields."""
        lines = {"name": self.name, "label": self.label, "value": self.value}
        return {"kind": self.kind.currentText()} | {n: line.text() for n, line in lines.items()}

    def _read(self) -> tuple[Value | None, str]:
        placeholder = Placeholder("value", kind=self.kind.currentText())  # type: ignore[arg-type]
        today = self._shared.now().date()
        reading = read_typed(self.value.text().strip(), placeholder, _LANGUAGE, today)
        return reading.value, reading.problem

    def _explain(self) -> None:
        text = self.value.text().strip()
        value, problem = self._read() if text else (None, "")
        words = problem
        if value is not None and not problem:
            words = said("Letters say: {text}", text=show(value, _LANGUAGE))
        self.note.setText(words)
        pieces.restyle(self.note, "wrong", bool(problem))

    def fact(self) -> Fact | str:
        """The fact as it stands here, or why it is none yet."""
        name = "_".join(self.name.text().split())
        value, problem = self._read()
        if not name or not self.value.text().strip() or value is None or problem:
            return problem or said("A fact needs a name and a value")
        return Fact(name, to_json(value), self.label.text().strip())


class SharedFacts(ListPage[Typed]):
    """The page: the list of facts, the one at hand, and the working days."""

    title = "Facts and working days"
    help = (
        "What the whole team shares and keeps in one place. A changed fact is said by every "
        "template from then on; the page says which ones. Date rules count with the working days "
        "on the right. Ctrl+S keeps the fact at hand, Return on a template shows it, Esc goes back "
        "to the shelves."
    )
    kinds = ("fact", "template", "passage", "setting")
    open_template = Signal(str)

    def __init__(self, shared: SharedLibrary) -> None:
        self.form = FactForm(shared)
        form = Form("fact", Typed, self.form.show_fact, self.form.write, self.form.typed)
        super().__init__(shared, "Facts", form, Fact)
        self.working_days = WorkingDays(shared)
        self.add = pieces.button("New fact", self._new, "words")
        self.save = pieces.button("Keep the fact", self._keep, "primary", "Ctrl+S")
        self.drop = pieces.button("Remove", self._remove, "words")
        self.users = ChoiceList("Templates that say it")
        self.users.itemActivated.connect(lambda _item: self.open_template.emit(self.users.key))
        self.see_earlier = pieces.button("Earlier states", self.earlier.emit, "words", "Ctrl+Alt+H")
        self.typed_into = (self.form, self.working_days)
        self._lay_out()
        self.form.edited.connect(self.unsaved.edited)
        self.for_leads = (self.add, self.save, self.drop, self.working_days.save)
        self.add_key("Back to the shelves", "Esc", self.leave)
        self.add_key("Keep the fact", "Ctrl+S", self.save.click)

    def _lay_out(self) -> None:
        left = pieces.column(
            "left", pieces.row(self.back, None), self.list, pieces.row(self.add, None), margin=8
        )
        left.setFixedWidth(340)
        middle = QWidget()
        pieces.fill(
            QVBoxLayout(middle),
            pieces.label("The fact at hand", "heading"),
            pieces.rule(),
            self.form,
            pieces.row(self.save, self.see_earlier, self.drop, None),
            self.users,
            None,
            margin=20,
        )
        right = pieces.column("right", self.working_days, margin=20)
        right.setFixedWidth(400)
        pieces.fill(QHBoxLayout(self), left, pieces.grow(middle), right, spacing=0)

    def let_type(self) -> None:
        super().let_type()
        if self.unsaved.key:  # what templates say is found by its name
            self.form.name.setReadOnly(True)

    def choices(self) -> list[Choice]:
        found = []
        facts = self._shared.catalogue.facts.values()
        for fact in sorted(facts, key=lambda f: (f.label or f.name).casefold()):
            users = len(self._shared.search.users.of_fact(fact.name))
            shown = show(from_json(fact.value), _LANGUAGE)
            aside = said("in {users}", users=users) if users else said("unused")
            if self.unsaved.has_draft(fact.name):
                aside = "draft"
            tone = "" if users else "ochre_edge"
            found.append(Choice(fact.name, fact.label or fact.name, shown, aside, tone=tone))
        return found

    def record(self, key: str) -> Fact | None:
        return self._shared.catalogue.facts.get(key)

    def shown(self) -> None:
        fact = self.record(self.unsaved.key or "")
        self.drop.setEnabled(fact is not None or self.is_begun())
        self.see_earlier.setEnabled(fact is not None)
        users = self._users(fact)
        self.users.show_choices([Choice(t.id, t.title) for t in users], self.users.key)
        self.users.setFixedHeight(min(len(users) * theme.ROW + 4, _TALL))
        self.users.setVisible(bool(users))
        self.form.used.setText(_reach(len(users)) if fact else "")

    def follow(self, change: Change) -> None:
        super().follow(change)
        if change.touches("setting"):
            self.working_days.refresh()

    def refresh(self, wanted: str = "") -> None:
        super().refresh(wanted)
        self.working_days.refresh()

    def _users(self, fact: Fact | None) -> list[Template]:
        templates = self._shared.catalogue.templates
        users = self._shared.search.users.of_fact(fact.name) if fact else ()
        return [templates[key] for key in users if key in templates]

    @property
    def shared(self) -> tuple[type[Fact], str, str]:
        """The fact at hand: what it is, its key, and what it is called."""
        fact = self.record(self.list.key)
        return Fact, self.list.key, (fact.label or fact.name) if fact else ""

    def _new(self) -> None:
        self.begin()
        self.form.name.setFocus()

    def _keep(self) -> None:
        fact, shared = self.form.fact(), self._shared
        if isinstance(fact, str):
            shared.voice.say(said("Not kept yet. {problem}.", problem=fact))
            return
        taken = {fold(name) for name in shared.catalogue.facts}
        if not self.unsaved.key and fold(fact.name) in taken:
            shared.voice.say(
                said("There is a fact “{name}” already: choose it in the list.", name=fact.name)
            )
            return
        library, author, now = shared.library, shared.my_id, shared.now()
        self.put(
            fact.name,
            fact,
            lambda seen: library.put(fact, author=author, made=now, seen=seen),
            said(
                "“{name}” is kept; every template says it from now on.",
                name=fact.label or fact.name,
            ),
        )

    def _remove(self) -> None:
        fact = self.record(self.unsaved.key or "")
        if fact is None:
            self.drop_begun()
            return
        users = self._shared.search.users.of_fact(fact.name)
        text = said("No template uses it.")
        if users:
            text = counted(
                "1 template would miss it.",
                "{count} templates would miss it.",
                count=len(users),
            )
        title = said("Remove “{name}”?", name=fact.label or fact.name)
        if self._shared.voice.ask(title, text, said("Remove")):
            library = self._shared.library
            self.take_out(lambda: library.remove_fact(fact.name, fact))

    def keep_draft(self) -> None:
        super().keep_draft()
        self.working_days.unsaved.keep()


def _reach(users: int) -> str:
    """How far a change of a fact goes."""
    if not users:
        return said("No template uses it.")
    return counted(
        "A change reaches 1 template at once.",
        "A change reaches {count} templates at once.",
        count=users,
    )
