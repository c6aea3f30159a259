"""Writing what was planned, with its progress, a way to stop and a way back."""

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QHBoxLayout, QProgressBar, QWidget

from nebbet.core.errors import NebbetError
from nebbet.core.sentences import counted, said
from nebbet.desktop.kit import pieces, theme
from nebbet.desktop.session.shared_library import SharedLibrary
from nebbet.library.importing import Plan
from nebbet.library.people_writing import Changed, undoing

_FOR_A_WHILE = 120  # seconds in which what came in can be undone with one press


class BringingIn(QWidget):
    """The button that does what was planned, once. done tells that it was done."""

    done = Signal()
    _progressed = Signal(int)

    def __init__(self, shared: SharedLibrary) -> None:
        super().__init__()
        self._shared = shared
        self._plan = Plan()
        self.is_busy = False
        self._stopped = False
        self.button = pieces.button("", self.go, "primary", "Ctrl+Return")
        self.stop = pieces.button(said("Stop"), self._stop)
        self.bar = QProgressBar()
        theme.named(self.bar, said("How far it is"))
        self.bar.setTextVisible(False)
        pieces.fill(QHBoxLayout(self), self.button, self.bar, self.stop, None)
        self._progressed.connect(self.bar.setValue, Qt.ConnectionType.QueuedConnection)
        self._show()

    def show_plan(self, plan: Plan) -> None:
        """Take up what is planned."""
        self._plan = plan
        self._show()

    @property
    def _count(self) -> int:
        counts = self._plan.counts
        return counts["new"] + counts["changed"]

    def _show(self) -> None:
        self.button.setText(
            counted("Bring in 1 row", "Bring in {shown} rows", count=self._count,
                    shown=f"{self._count:,}")
            if self._count
            else said("Nothing to bring in")
        )  # fmt: skip
        self.button.setAccessibleName(self.button.text())
        self.button.setEnabled(bool(self._count) and not self.is_busy)
        self.bar.setVisible(self.is_busy)
        self.stop.setVisible(self.is_busy)

    def _stop(self) -> None:
        self._stopped = True

    def go(self) -> None:
        """Write everything, or nothing."""
        if self.is_busy or not self._count:
            return
        shared, changes = self._shared, self._plan.changes()
        self.is_busy, self._stopped = True, False
        self.bar.setRange(0, len(changes))
        self.bar.setValue(0)
        self._show()

        def progress(count: int) -> bool:
            self._progressed.emit(count)
            return not self._stopped

        def done(_result: object) -> None:
            self.is_busy = False
            self._show()
            self._tell(changes)
            self.done.emit()

        def failed(error: NebbetError) -> None:
            self.is_busy = False
            self._show()
            shared.voice.fail(error)

        shared.change(
            lambda: shared.library.change_people(changes, progress), done, failed, once="import"
        )

    def _tell(self, changes: list[Changed]) -> None:
        shared, counts = self._shared, self._plan.counts

        def undo() -> None:
            shared.change(
                lambda: shared.library.change_people(undoing(changes)),
                lambda _result: shared.voice.say(said("It is as it was before the import.")),
                once="undo import",
            )

        shared.voice.say(
            said("Brought in: {new} new, {changed} changed.", new=f"{counts['new']:,}",
                 changed=f"{counts['changed']:,}"),
            said("Undo"),
            undo,
            _FOR_A_WHILE,
        )  # fmt: skip
