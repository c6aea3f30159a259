"""The page of the states that a fact, a passage or a frame had; any brought back."""

from collections.abc import Sequence
from functools import partial

from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from nebbet.core.body import Frame
from nebbet.core.comparing import Shared, compare_shared
from nebbet.desktop.editions.comparison import ComparisonView
from nebbet.desktop.kit import pieces
from nebbet.desktop.kit.picker import Choice, ChoiceList
from nebbet.desktop.kit.place import Place
from nebbet.desktop.session.shared_library import SharedLibrary
from nebbet.library.documents import State, states


class States(Place):
    """The states of one thing, newest first, each compared with the one before it. left tells that
    the person goes back to where they came from."""

    title = "Earlier states"
    help = (
        "Every state that this fact, passage or frame had, with who made it and when. On the right "
        "is what changed then. Ctrl+B brings the one at hand back: every template says it again."
    )

    def __init__(self, shared: SharedLibrary) -> None:
        super().__init__()
        self._shared = shared
        self._kind: type[Shared] = Frame
        self._key = ""
        self.states: Sequence[State] = ()
        self.list = ChoiceList("States")
        self.view = ComparisonView()
        self.back = pieces.button("Back (Esc)", self.left.emit)
        self.restore_button = pieces.button("Bring it back", self.restore, "primary", "Ctrl+B")
        self.for_leads = (self.restore_button,)
        self.heading = pieces.label("", "title", wrap=True)
        left = pieces.column("left", pieces.row(self.back, None), self.list, margin=8)
        left.setFixedWidth(300)
        right = QWidget()
        head = pieces.row(pieces.grow(self.heading), self.restore_button)
        pieces.fill(QVBoxLayout(right), head, pieces.grow(self.view), margin=12)
        pieces.fill(QHBoxLayout(self), left, pieces.grow(right), spacing=0)
        self.list.currentItemChanged.connect(lambda *_: self._show())
        self.add_key("Bring it back", "Ctrl+B", self.restore)
        self.add_key("Back", "Esc", self.left.emit)

    def arrive(self) -> None:
        self.list.setFocus()

    def open(self, kind: type[Shared], key: str, name: str) -> None:
        """Show the states of a fact, a passage or a frame."""
        self._kind, self._key = kind, key
        self.heading.setText(name)
        self.list.show_choices([])
        self.view.show_sections((), "", "")
        engine = self._shared.library.engine
        self._shared.operations.run(
            partial(states, engine, kind, key), self._came, self._shared.voice.fail
        )

    def _came(self, found: list[State]) -> None:
        self.states = found
        members = self._shared.catalogue.members
        self.list.show_choices(
            [
                Choice(
                    str(state.number),
                    f"State {state.number}",
                    f"{members[state.author].name}, {state.made.astimezone():%d %b %Y, %H:%M}"
                    if state.author in members
                    else "as it was before",
                    aside="in use" if state is found[0] else "",
                )
                for state in found
            ]
        )
        if not found:
            self.heading.setText(f"{self.heading.text()}: it has not been changed yet")
        self.list.choose_first()
        self._show()
        self.list.setFocus()

    @property
    def at(self) -> State | None:
        """The state at hand."""
        return next((s for s in self.states if str(s.number) == self.list.key), None)

    def _show(self) -> None:
        at = self.at
        self.restore_button.setEnabled(at is not None and at is not self.states[0])
        if at is None:
            return
        before = next((s for s in self.states if s.number == at.number - 1), None)
        sections = compare_shared(before.record if before else None, at.record)
        name = f"State {before.number}" if before else "Nothing before it"
        self.view.show_sections(sections, name, f"State {at.number}")

    def restore(self) -> None:
        """Let the thing be again as it was in the state at hand."""
        at, shared = self.at, self._shared
        if at is None or not self.restore_button.isEnabled() or not shared.leads:
            return
        library, me, now = shared.library, shared.my_id, shared.now()
        record, kind, key, name = at.record, self._kind, self._key, self.heading.text()

        seen = self.states[0].record  # as it is, or was when this page was opened

        def act() -> None:
            if isinstance(record, Frame):
                library.put_frame(key, record, me, now, seen)
            else:
                library.put(record, author=me, made=now, seen=seen)

        def done(_result: object) -> None:
            shared.voice.say(f"“{name}” is as in state {at.number} again.")
            self.open(kind, key, name)

        shared.change(act, done, once=f"bring back {key}")
