"""The page for what the whole team shares beside texts: facts, and the days on which it works."""

from datetime import date, datetime, time
from decimal import Decimal

from PySide6.QtCore import Signal
from PySide6.QtWidgets import (
    QComboBox,
    QFormLayout,
    QHBoxLayout,
    QLineEdit,
    QVBoxLayout,
    QWidget,
)

from nebbet.core.errors import NebbetError
from nebbet.core.placeholders import Kind, Placeholder, read_typed, show
from nebbet.core.records import Fact, fold
from nebbet.core.values import Money, Value, from_json, to_json
from nebbet.desktop.kit import pieces
from nebbet.desktop.kit.picker import Choice, ChoiceList
from nebbet.desktop.kit.place import Place
from nebbet.desktop.session.shared_library import SharedLibrary
from nebbet.desktop.shared.working_days import WorkingDays
from nebbet.library.users import fact_users

_KINDS: tuple[Kind, ...] = ("text", "long text", "number", "money", "date", "time", "link")
_LANGUAGE = "en_GB"  # the window's own


class FactForm(QWidget):
    """Edits one fact. saved and removed tell that the person asks for it."""

    saved = Signal(object)
    removed = Signal(str)

    def __init__(self, shared: SharedLibrary) -> None:
        super().__init__()
        self._shared = shared
        self.shown: Fact | None = None
        self._before: tuple[str, ...] = ()
        self.name, self.label, self.value = QLineEdit(), QLineEdit(), QLineEdit()
        self.kind = QComboBox()
        self.kind.addItems(_KINDS)
        self.note = pieces.label("", "note", wrap=True)
        self.used = pieces.label("", "note", wrap=True)
        self.save = pieces.button("Keep the fact", self._save, "primary", "Ctrl+S")
        self.drop = pieces.button("Remove", self._remove, "words")
        self.earlier = pieces.button("Earlier states", lambda: None, "words", "Ctrl+Alt+H")
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
        buttons = pieces.row(self.save, self.earlier, self.drop, None)
        pieces.fill(QVBoxLayout(self), form, self.note, self.used, buttons, None, spacing=8)
        self.value.textChanged.connect(lambda _text: self._explain())
        self.kind.currentIndexChanged.connect(lambda _index: self._explain())

    def show_fact(self, fact: Fact | None) -> None:
        """Take up a fact, or a new one."""
        self.shown = fact
        value = from_json(fact.value) if fact else ""
        self.name.setText(fact.name if fact else "")
        # Templates know a fact by its name: it stays what it is.
        self.name.setReadOnly(fact is not None)
        self.label.setText(fact.label if fact else "")
        self.kind.setCurrentIndex(_KINDS.index(kind_of(value)))
        self.value.setText(show(value, _LANGUAGE))
        self.drop.setEnabled(fact is not None)
        self.earlier.setEnabled(fact is not None)
        self.used.setText(self._users(fact))
        pieces.show_beginnings(self)
        self._before = self._fields()
        self._explain()

    def _fields(self) -> tuple[str, ...]:
        lines = (self.name, self.label, self.value)
        return (self.kind.currentText(), *(line.text() for line in lines))

    @property
    def is_unsaved(self) -> bool:
        """Whether something was typed that is not kept yet."""
        return bool(self._before) and self._fields() != self._before

    def _users(self, fact: Fact | None) -> str:
        users = fact_users(self._shared.catalogue, fact.name) if fact else []
        if not users:
            return "No template uses it." if fact else ""
        titles = ", ".join(template.title for template in users)
        count = f"{len(users)} template{'' if len(users) == 1 else 's'}"
        return f"A change reaches {count} at once: {titles}."

    def _read(self) -> tuple[Value | None, str]:
        placeholder = Placeholder("value", kind=self.kind.currentText())  # type: ignore[arg-type]
        today = self._shared.now().date()
        reading = read_typed(self.value.text().strip(), placeholder, _LANGUAGE, today)
        return reading.value, reading.problem

    def _explain(self) -> None:
        text = self.value.text().strip()
        value, problem = self._read() if text else (None, "")
        said = problem or (f"Letters say: {show(value, _LANGUAGE)}" if value is not None else "")
        self.note.setText(said)
        pieces.restyle(self.note, "wrong", bool(problem))

    def _save(self) -> None:
        name = "_".join(self.name.text().split())
        value, problem = self._read()
        if not name or not self.value.text().strip() or value is None or problem:
            said = problem or "A fact needs a name and a value"
            self._shared.voice.say(f"Not kept yet. {said}.")
            return
        taken = {fold(n) for n in self._shared.catalogue.facts}
        if self.shown is None and fold(name) in taken:
            self._shared.voice.say(f"There is a fact “{name}” already: choose it in the list.")
            return
        self.saved.emit(Fact(name, to_json(value), self.label.text().strip()))

    def _remove(self) -> None:
        if self.shown is None:
            return
        users = fact_users(self._shared.catalogue, self.shown.name)
        text = f"{len(users)} templates would miss it." if users else "No template uses it."
        if self._shared.voice.ask(
            f"Remove “{self.shown.label or self.shown.name}”?", text, "Remove"
        ):
            self.removed.emit(self.shown.name)


def kind_of(value: Value) -> Kind:
    """The kind that a value is typed as."""
    match value:
        case Money():
            return "money"
        case Decimal():
            return "number"
        case datetime() | date():
            return "date"
        case time():
            return "time"
        case str() if "\n" in value:
            return "long text"
    return "text"


class SharedFacts(Place):
    """The page: the list of facts, the one at hand, and the working days.

    left tells that the person goes back to the shelves, earlier that they want to see what the fact
    at hand said before.
    """

    title = "Facts and working days"
    help = (
        "What the whole team shares and keeps in one place. A changed fact is said by every "
        "template from then on; the page says which ones. Date rules count with the working days "
        "on the right. Ctrl+S keeps the fact at hand, Esc goes back to the shelves."
    )
    left = Signal()
    earlier = Signal()

    def __init__(self, shared: SharedLibrary) -> None:
        super().__init__()
        self._shared = shared
        self._wanted = self._told = ""
        self.list = ChoiceList("Facts")
        self.form, self.working_days = FactForm(shared), WorkingDays(shared)
        self.add = pieces.button("New fact", self._new, "words")
        self.back = pieces.button("Back to the shelves (Esc)", self.left.emit)
        left = pieces.column(
            "left", pieces.row(self.back, None), self.list, pieces.row(self.add, None), margin=8
        )
        left.setFixedWidth(340)
        middle = QWidget()
        head = pieces.label("The fact at hand", "heading")
        pieces.fill(QVBoxLayout(middle), head, pieces.rule(), self.form, margin=20)
        right = pieces.column("right", self.working_days, margin=20)
        right.setFixedWidth(400)
        pieces.fill(QHBoxLayout(self), left, pieces.grow(middle), right, spacing=0)
        self.list.currentItemChanged.connect(lambda *_: self._show())
        self.form.saved.connect(self._keep)
        self.form.removed.connect(self._remove)
        self.form.earlier.clicked.connect(self.earlier)
        self.for_leads = (self.add, self.form.save, self.form.drop, self.working_days.save)
        self.add_key("Back to the shelves", "Esc", self.left.emit)
        self.add_key("Keep the fact", "Ctrl+S", self.form.save.click)

    def refresh(self) -> None:
        """Show the facts as they are now; the one at hand stays."""
        catalogue = self._shared.catalogue
        choices = []
        for fact in sorted(catalogue.facts.values(), key=lambda f: (f.label or f.name).casefold()):
            users = len(fact_users(catalogue, fact.name))
            shown = show(from_json(fact.value), _LANGUAGE)
            aside = f"in {users}" if users else "unused"
            tone = "" if users else "ochre_edge"
            choices.append(Choice(fact.name, fact.label or fact.name, shown, aside, tone=tone))
        typing = self.form.is_unsaved and not self._wanted
        self.list.show_choices(choices, self._wanted or self.list.key)
        if self.list.currentRow() < 0 and not typing:
            self.list.choose_first()
        if not typing:  # what somebody is typing is not to be lost
            self._show()
        self._wanted = ""
        if not self.working_days.is_unsaved:
            self.working_days.refresh()

    @property
    def shared(self) -> tuple[type[Fact], str, str]:
        """The fact at hand: what it is, its key, and what it is called."""
        fact = self._shared.catalogue.facts.get(self.list.key)
        return Fact, self.list.key, (fact.label or fact.name) if fact else ""

    def _show(self) -> None:
        self.form.show_fact(self._shared.catalogue.facts.get(self.list.key))

    def _new(self) -> None:
        self.list.setCurrentRow(-1)
        self.form.show_fact(None)
        self.form.name.setFocus()

    def _keep(self, fact: Fact) -> None:
        library, voice = self._shared.library, self._shared.voice
        self._wanted = fact.name

        def done(_result: object) -> None:
            voice.say(f"“{fact.label or fact.name}” is kept; every template says it from now on.")

        author, now = self._shared.my_id, self._shared.now()
        seen = None if self._told == fact.name else self.form.shown

        def failed(error: NebbetError) -> None:
            self._wanted, self._told = "", fact.name  # once told, who keeps it again means it
            voice.fail(error)
            self._shared.refresh()

        self._told = ""
        self._shared.change(
            lambda: library.put(fact, author=author, made=now, seen=seen), done, failed
        )

    def _remove(self, name: str) -> None:
        library = self._shared.library
        self._shared.change(lambda: library.remove_fact(name))
