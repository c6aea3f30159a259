"""The page on which a person decides whether two records are of one person."""

from collections.abc import Callable, Collection
from functools import partial

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from nebbet.core.placeholders import language_name
from nebbet.core.placeholders.field_texts import field_text
from nebbet.core.records import Contact, label_of
from nebbet.core.records.likeness import SINGLE, Twins
from nebbet.core.sentences import said
from nebbet.desktop.kit import pieces, theme
from nebbet.desktop.kit.picker import Choice, ChoiceList
from nebbet.desktop.kit.place import Place
from nebbet.desktop.people.view import Do
from nebbet.desktop.session.shared_library import SharedLibrary
from nebbet.library.merging import likely_twins, merging, telling_apart

_ROWS = (
    ("title", said("Title")),
    ("greeting", said("Greeting")),
    ("name", said("Name")),
    ("email", said("Mail address")),
    ("addresses", said("Further addresses")),
    ("phone", said("Telephone")),
    ("organisation", said("Organisation")),
    ("household", said("Household")),
    ("language", said("Language")),
    ("postal", said("Postal address")),
    ("notes", said("Notes")),
)


class Doubles(Place):
    """Pairs who may be one person, the likeliest first, and the pair at hand side by side."""

    title = "One person?"
    help = (
        "Records that may be of one person, because they share an address or a name. Look at both: "
        "Ctrl+Return makes them one, with what the left one says first and what it lacks from the "
        "right one; Ctrl+Alt+R lets the right one be the first. Where they say different things, "
        "“take this” takes one from either side. Ctrl+Alt+T says that they are two. "
        "Each can be undone at once. Esc goes back."
    )

    def __init__(self, shared: SharedLibrary, do: Do) -> None:
        super().__init__()
        self._shared, self._do = shared, do
        self._pairs: list[Twins] = []
        self._first: list[Twins] = []  # of the person from whom one came
        self.back = pieces.button(said("Back to people (Esc)"), self.left.emit)
        self.list = ChoiceList(said("Pairs"))
        self.why = pieces.label("", "note", wrap=True)
        self._picks: dict[str, int] = {}  # fields whose value was chosen, and from which side
        self.sides = (
            _Side(said("On the left"), partial(self._pick, 0)),
            _Side(said("On the right"), partial(self._pick, 1)),
        )
        self.keep_left = pieces.button(
            said("One person: left first"), lambda: self.merge(0), "primary", "Ctrl+Return"
        )
        self.keep_right = pieces.button(
            said("One person: right first"), lambda: self.merge(1), hint="Ctrl+Alt+R"
        )
        self.two = pieces.button(said("Two people"), self.tell_apart, hint="Ctrl+Alt+T")
        self._lay_out()
        self.list.currentRowChanged.connect(lambda _row: self._show_pair())
        self.add_key("Back to people", "Esc", self.left.emit)
        self.add_key("One person: left first", "Ctrl+Return", lambda: self.merge(0))
        self.add_key("One person: right first", "Ctrl+Alt+R", lambda: self.merge(1))
        self.add_key("Two people", "Ctrl+Alt+T", self.tell_apart)
        shared.changed.connect(lambda change: self._follow(change.touches("contact")))

    def _lay_out(self) -> None:
        left = pieces.column("left", pieces.row(self.back, None), self.list, margin=8)
        left.setFixedWidth(340)
        middle = QWidget()
        both = QHBoxLayout()
        pieces.fill(both, *self.sides, spacing=24)
        self._acts = QWidget()
        pieces.fill(QHBoxLayout(self._acts), self.keep_left, self.keep_right, self.two, None)
        pieces.fill(
            QVBoxLayout(middle),
            pieces.label(said("Are these one person?"), "title"),
            self.why,
            pieces.rule(),
            both,
            self._acts,
            None,
            margin=20,
            spacing=10,
        )
        pieces.fill(QHBoxLayout(self), left, pieces.grow(middle), spacing=0)

    def arrive(self) -> None:
        self.list.setFocus()

    def open_with(self, twins: tuple[Twins, ...]) -> None:
        """Show the pairs of somebody first, then the others."""
        self._first = [*twins]
        self._pairs = [*twins]
        self._show_list()
        self._ask()

    def _follow(self, touched: bool) -> None:
        if touched and self.isVisible():
            self._first = []
            self._ask()

    def _ask(self) -> None:
        self._shared.people.ask(likely_twins, self._found, asker="doubles")

    def _found(self, found: list[Twins]) -> None:
        known = {_key(one) for one in self._first}
        self._pairs = [*self._first, *(one for one in found if _key(one) not in known)]
        self._show_list()

    def _show_list(self) -> None:
        rows = [
            Choice(_key(one), f"{one.one.name or one.one.email}", one.why,
                   said("{likely} %", likely=round(one.likely * 100)))
            for one in self._pairs
        ]  # fmt: skip
        self.list.show_choices(rows, self.list.key)
        if self.list.currentRow() < 0:
            self.list.choose_first()
        self._show_pair()

    @property
    def pair(self) -> Twins | None:
        """The pair at hand."""
        key = self.list.key
        return next((one for one in self._pairs if _key(one) == key), None)

    def _show_pair(self) -> None:
        self._picks = {}
        self._show_sides()

    def _pick(self, side: int, name: str) -> None:
        """Take what one side says, or leave that to who is first again."""
        if self._picks.pop(name, None) != side:
            self._picks[name] = side
        self._show_sides()
        self.sides[side].focus(name)

    def _show_sides(self) -> None:
        pair = self.pair
        self._acts.setVisible(pair is not None)
        for side in self.sides:
            side.setVisible(pair is not None)
        if pair is None:
            self.why.setText(said("Nobody is on file twice, as far as names and addresses tell."))
            return
        self.why.setText(said("{why}.", why=pair.why[:1].upper() + pair.why[1:]))
        both = (pair.one, pair.other)
        for number, side in enumerate(self.sides):
            taken = {name for name, chosen in self._picks.items() if chosen == number}
            side.show_contact(both[number], both[1 - number], taken)

    def merge(self, first: int) -> None:
        """Make one person of the two."""
        pair = self.pair
        if pair is None:
            return
        kept, other = (pair.one, pair.other) if first == 0 else (pair.other, pair.one)
        if kept.source or other.source:
            self._shared.voice.say(
                said("One of them comes from a linked table: make them one person there.")
            )
            return
        words = said("{name} is one person now.", name=kept.name or kept.email)
        from_other = [name for name, side in self._picks.items() if side != first]
        self._shared.people.ask(
            lambda people: merging(people, kept, other, from_other),
            lambda changes: self._do(changes, words),
        )

    def tell_apart(self) -> None:
        """Say that the two are two people, for good."""
        if pair := self.pair:
            self._do(telling_apart(pair.one, pair.other), said("They are two people."))


class _Side(QWidget):
    """One of the two, with what is different marked. pick is told which field is to be taken."""

    def __init__(self, words: str, pick: Callable[[str], None]) -> None:
        super().__init__()
        self._pick = pick
        self.takes: dict[str, QPushButton] = {}
        self.heading = pieces.label(words, "heading")
        self._rows = QWidget()
        self._inside = QVBoxLayout(self._rows)
        pieces.fill(self._inside, spacing=4)
        pieces.fill(QVBoxLayout(self), self.heading, self._rows, None)

    def show_contact(self, contact: Contact, other: Contact, taken: Collection[str]) -> None:
        """Show somebody beside another one, with the fields that are taken from here."""
        pieces.clear(self._inside)
        self.takes = {}
        mine, theirs = _texts(contact), _texts(other)
        for name in sorted({*mine, *theirs}, key=_place):
            words, text = mine.get(name) or (theirs[name][0], "")
            differs = text != theirs.get(name, ("", ""))[1]
            caption = pieces.label(words, "faint", wrap=True)
            caption.setFixedWidth(116)
            # A long address may break behind its sign.
            shown = text.replace("@", "@\N{ZERO WIDTH SPACE}") or "–"
            value = pieces.label(shown, "doubt" if differs else "", wrap=True)
            value.setAccessibleName(f"{words}: {text}")
            line = QWidget()
            pieces.fill(QHBoxLayout(line), caption, pieces.grow(value))
            may = name in SINGLE or name.startswith("more.")
            if differs and may and text and name in theirs:
                self._add_take(line, name, words, is_taken=name in taken)
            self._inside.addWidget(line)

    def _add_take(self, line: QWidget, name: str, words: str, *, is_taken: bool) -> None:
        made = pieces.button(
            said("taken") if is_taken else said("take this"), partial(self._pick, name), "words"
        )
        theme.named(made, said("Take this: {field}", field=words))
        self.takes[name] = made
        line.layout().addWidget(made, 0, Qt.AlignmentFlag.AlignTop)  # type: ignore[union-attr, call-arg]

    def focus(self, name: str) -> None:
        """Go to the button of a field."""
        if name in self.takes:
            self.takes[name].setFocus()


_ORDER = {name: place for place, (name, _words) in enumerate(_ROWS)}


def _place(name: str) -> tuple[int, str]:
    """Both sides have their fields in one order."""
    return _ORDER.get(name, len(_ORDER)), name


def _texts(contact: Contact) -> dict[str, tuple[str, str]]:
    """What somebody's record says, by field: its label and its text."""
    found: dict[str, tuple[str, str]] = {}
    for name, words in _ROWS:
        value = getattr(contact, name)
        text = "\n".join(value) if isinstance(value, tuple) else str(value)
        if text and name == "language":
            text = language_name(text)
        if text:
            found[name] = (words, text)
    more = {f"more.{k}": (label_of(k), field_text(v, "en_GB")) for k, v in contact.more.items()}
    return found | more


def _key(twins: Twins) -> str:
    return f"{twins.one.id}/{twins.other.id}"
